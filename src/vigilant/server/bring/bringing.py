"""Files become runs of the book, and an entry where both arms are named."""

from __future__ import annotations

import itertools
from collections.abc import Mapping, Sequence
from pathlib import PurePath
from typing import TYPE_CHECKING, Any
from uuid import UUID, uuid5

from django.db import transaction
from django.utils.dateparse import parse_datetime

from vigilant.formats import FormatError, Holds, ReadRun, limits, read_runs, read_samples, read_work
from vigilant.formats.naming import belongs
from vigilant.server.books.models import Book
from vigilant.server.entries import comparing, results
from vigilant.server.jobs import services as jobs
from vigilant.server.jobs.models import Job
from vigilant.server.problems import conflict, unprocessable
from vigilant.server.runs.figures import keep_read_run
from vigilant.server.runs.models import Outcome, Run
from vigilant.server.scenarios import services as scenarios
from vigilant.server.scenarios.models import Rig, Scenario, ScenarioVersion

from .looking import asked_of
from .models import BroughtFile, FileRun
from .ordering import Placed, ordered
from .receiving import on_disk

if TYPE_CHECKING:
    from vigilant.formats.beside import Samples
    from vigilant.formats.work import Work

#: The kind of job that makes runs of files.
BRING = "bring in files"
ARMS = ("before", "after")
#: Runs that overlap by less were played one after the other.
SAME_S = 0.001


def begin(book: Book, asked: Mapping[str, Any]) -> Job:
    """The job that makes runs of files, and an entry of them where it has a title. Raises a problem at once for what
    cannot be brought in: a reading still open, a file twice."""
    wanted = {UUID(str(one["file"])): one for one in asked["files"]}
    if len(wanted) < len(asked["files"]):
        raise unprocessable("file-twice", "One file is listed twice; it counts once.")
    files = list(BroughtFile.objects.filter(book=book, pk__in=wanted))
    if len(files) < len(wanted):
        raise unprocessable("file-unknown", "A file is not in this book.")
    content: dict[str, str] = {}
    for file in files:
        _fit(file, wanted[file.pk])
        if file.sha256 in content:
            raise unprocessable("file-twice", f"{file.name} and {content[file.sha256]} hold the same, byte for byte.")
        content[file.sha256] = file.name
    beside = [file for file in files if file.holds != Holds.RUNS]
    runs = [file for file in files if file not in beside]
    if not runs:
        raise unprocessable("no-runs", "All files hold readings or work beside runs; there is no run.")
    for file in beside:
        _falls_into(file, runs)
    if asked["title"]:
        _can_be_compared(runs, wanted, asked["order"])
    version_of(book, asked["scenario"], asked["target_fps"], make=False)
    document = {**asked, "files": [{**one, "file": str(one["file"])} for one in asked["files"]]}
    return jobs.start(BRING, jobs.digest_of(book.pk, document), book, **document)


def _fit(file: BroughtFile, one: Mapping[str, Any]) -> None:
    if file.state == BroughtFile.State.BROUGHT:
        raise conflict("file-brought", f"{file.name} was brought in already.")
    if file.state != BroughtFile.State.SEEN or file.look is None:
        raise conflict("file-not-seen", f"{file.name} is {file.state}; it cannot be brought in.")
    problem = file.look["problem"]
    if problem:
        raise unprocessable(problem["code"], f"{file.name}: {problem['detail']}")
    still = [c["name"] for c in file.look["columns"] if c["doubt"]]
    if file.look["doubt"] or still:
        what = file.look["doubt"] or f"what {still[0]!r} is"
        raise unprocessable("reading-doubtful", f"{file.name}: still to be answered: {what}.")


def _own_files(beside: BroughtFile, files: Sequence[BroughtFile]) -> list[BroughtFile]:
    """The files whose runs it may belong to: those it is called after, else all."""
    called = [f for f in files if f.folder == beside.folder and belongs(beside.name, f.name)]
    return called or list(files)


def _falls_into(beside: BroughtFile, files: Sequence[BroughtFile]) -> None:
    """What lies beside runs belongs to them by its name, by the runs it names, and by its time: it must belong to one
    at least, and of two that were played at the same time it cannot be told to which."""
    look = beside.look or {}
    what = look["samples"] or look["work"]
    runs = [(file.name, run) for file in _own_files(beside, files) for run in (file.look or {})["runs"]]
    named = set(what.get("runs", ()))
    mine = [(name, run) for name, run in runs if not named or run["name"] in named]
    if named and not mine:
        raise unprocessable("beside-nothing", f"{beside.name} is of runs that are not there: {min(named)!r}.")
    if what["from_s"] is not None:
        then = [(name, run) for name, run in mine if what["from_s"] <= run["to_s"] and what["to_s"] > run["from_s"]]
        if not then:
            first = mine[0][1]
            raise unprocessable(
                "beside-nothing",
                f"{beside.name} goes from {what['from_s']:.3f} to {what['to_s']:.3f} s: no run was played then by its"
                f" file's clock ({first['from_s']:.3f} to {first['to_s']:.3f} s is the first).",
            )
        mine = sorted(then, key=lambda one: one[1]["from_s"])
        same = [(a, b) for a, b in itertools.pairwise(mine) if b[1]["from_s"] < a[1]["to_s"] - SAME_S]
    else:
        same = list(itertools.pairwise(mine))
    if same and not named:
        (one, _), (other, _) = same[0]
        raise unprocessable(
            "beside-unclear",
            f"{beside.name} may belong to {one} as well as to {other}: call it after the file of its run, as"
            f" {PurePath(one).stem}.{PurePath(beside.name).suffix.lstrip('.') or 'work'}, or bring them in one by one.",
        )


def _can_be_compared(files: Sequence[BroughtFile], wanted: Mapping[UUID, Mapping[str, Any]], order: str) -> None:
    """Both arms of an entry have whole runs, and their order can be told as it is asked: before anything is kept."""
    placed: dict[tuple[UUID, int], Placed] = {}
    for file in sorted(files, key=lambda f: list(wanted).index(f.pk)):
        look = file.look or {}
        broken = look["stream"] and look["said"]
        for place, run in enumerate([] if broken else look["runs"]):
            arm = wanted[file.pk]["arm"] or (run["arm"] if run["arm"] in ARMS else "")
            if arm:
                placed[file.pk, place] = Placed(arm, run["name"], run["started"])
    for arm in ARMS:
        if arm not in {one.arm for one in placed.values()}:
            raise unprocessable("arm-empty", f"No whole run is of the arm {arm}.")
    ordered(placed, order)


def version_of(book: Book, name: str, target_fps: float | None, make: bool = True) -> ScenarioVersion | None:
    """The newest version of a scenario; a new scenario with this target where there is none of that name yet."""
    scenario = Scenario.objects.filter(book=book, name=name).first()
    newest = scenario.versions.order_by("-number").first() if scenario else None
    if newest is not None:
        if target_fps is not None and newest.target_fps != target_fps:
            said = "none" if newest.target_fps is None else f"{newest.target_fps:g} fps"
            raise unprocessable("target-differs", f"The scenario {name} has another target: {said}.")
        return newest
    if not make:
        return None
    return scenarios.write_scenario(book, name, {} if target_fps is None else {"target_fps": target_fps})


def bring(work: jobs.Work, asked: Mapping[str, Any]) -> dict[str, Any]:
    """The job: what it has made stays where it is done again. What an entry cannot be made of stays as runs."""
    book = Job.objects.select_related("book").get(pk=work.job).book
    version = version_of(book, asked["scenario"], asked["target_fps"])
    assert version is not None
    rig = _rig(book, asked["rig"])
    placed: dict[str, Placed] = {}
    found = {str(f.pk): f for f in BroughtFile.objects.filter(book=book, pk__in=[o["file"] for o in asked["files"]])}
    beside = [f for f in found.values() if f.holds != Holds.RUNS]
    laid = [(file, _read_beside(file)) for file in beside]
    played = [f for f in found.values() if f not in beside]
    files = [one for one in asked["files"] if found[one["file"]] not in beside]
    for i, one in enumerate(files):
        file = found[one["file"]]
        work.at(0.9 * i / len(files), f"reading {file.name}")
        mine = [what for aside, what in laid if file in _own_files(aside, played)]
        for run, read in _runs_of(file, version, rig, one, asked, mine):
            arm = one["arm"] or (read.arm if read.arm in ARMS else "")
            if arm and run.state == Run.State.COMPLETE:
                started = str(read.head.get("started", ""))
                placed[str(run.pk)] = Placed(arm, read.name or file.name, started)
    BroughtFile.objects.filter(pk__in=[file.pk for file in beside]).update(state=BroughtFile.State.BROUGHT)
    made = {"runs": FileRun.objects.filter(file__in=[one["file"] for one in files]).count()}
    if not asked["title"]:
        return made
    keys, order = ordered(placed, asked["order"])
    arms = {arm: [key for key in keys if placed[key].arm == arm] for arm in ARMS}
    for arm, runs in arms.items():
        if not runs:
            raise unprocessable("arm-empty", f"No whole run is of the arm {arm}; the runs are kept.")
    entry = comparing.compare_stored(work, {**arms, "order": order, "title": asked["title"]})
    return {**made, **results.delivered(entry)}


def _rig(book: Book, alias: str) -> Rig:
    found = Rig.objects.filter(book=book, alias=alias).order_by("-pk").first()
    return found or scenarios.rig(book, alias, {})


def _read_beside(file: BroughtFile) -> Samples | Work:
    with on_disk(file) as path:
        try:
            return (read_work if file.holds == Holds.WORK else read_samples)(path, asked_of(file, path))
        except FormatError as error:
            raise unprocessable(error.code, f"{file.name}: {error.message}", line=error.line) from error


def _runs_of(
    file: BroughtFile,
    version: ScenarioVersion,
    rig: Rig,
    one: Mapping[str, Any],
    asked: Mapping[str, Any],
    beside: Sequence[Samples | Work],
) -> list[tuple[Run, ReadRun]]:
    """The runs of a file, stored; all of them or none."""
    with on_disk(file) as path:
        try:
            how = asked_of(file, path)
            found = [_with(read, beside) for read in read_runs(path, how, clock=bool(beside))]
        except FormatError as error:
            raise unprocessable(error.code, f"{file.name}: {error.message}", line=error.line) from error
        reading = _columns(file)
        with transaction.atomic():
            made = []
            for place, read in enumerate(found):
                made.append((_store(file, place, read, version, rig, one, asked, reading), read))
            BroughtFile.objects.filter(pk=file.pk).update(state=BroughtFile.State.BROUGHT)
    return made


def _with(read: ReadRun, beside: Sequence[Samples | Work]) -> ReadRun:
    """The run with whatever was read during it, and the work inside its frames."""
    from vigilant.formats.beside import Samples, laid_along  # on pyarrow: only where a worker reads
    from vigilant.formats.work import with_work

    for one in beside:
        read = (laid_along(read, one) if isinstance(one, Samples) else with_work(read, one)) or read
    return read


def _columns(file: BroughtFile) -> dict[str, Any] | None:
    """What each column was read as, and why."""
    columns = (file.look or {}).get("columns") or []
    return {c["name"]: {k: c[k] for k in ("is", "unit", "role", "why")} for c in columns} or None


def _store(
    file: BroughtFile,
    place: int,
    read: ReadRun,
    version: ScenarioVersion,
    rig: Rig,
    one: Mapping[str, Any],
    asked: Mapping[str, Any],
    reading: dict[str, Any] | None,
) -> Run:
    run_id = uuid5(file.pk, str(place))
    there = Run.objects.filter(pk=run_id).first()
    if there is not None:
        return there
    sheet = {**asked["conditions"], **read.series.conditions}
    if len(sheet) > limits.SHEET_KEYS:
        raise unprocessable("conditions-too-many", f"{len(sheet)} conditions; {limits.SHEET_KEYS} are allowed.")
    started = read.head.get("started")
    run = Run(
        id=run_id,
        book=file.book,
        scenario_version=version,
        rig=rig,
        conditions=scenarios.conditions(file.book, sheet),
        build=scenarios.build(file.book, one["build"] or read.arm or one["arm"] or file.name, {}),
        state=Run.State.COMPLETE if read.complete else Run.State.BROKEN,
        outcome=Outcome.COMPLETE if read.complete else Outcome.BROKEN,
        detail=f"{read.broken}; every whole line was kept" if read.broken else "",
        head=dict(read.head) or None,
        started_at=parse_datetime(started) if isinstance(started, str) else None,
    )
    run.save(force_insert=True)
    keep_read_run(run, read, run.state)
    left = [{"line": d.line, "reason": d.reason} for d in read.dropped[:1000]]
    FileRun.objects.create(run=run, file=file, place=place, reading=reading, left_out=left)
    return run
