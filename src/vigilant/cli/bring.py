"""``vigilant bring``: files of any making become runs of the book, and an entry."""

from __future__ import annotations

import fnmatch
import json
import sys
import tempfile
import tomllib
import zipfile
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from typing import Any

import click
from rich.console import Console
from rich.progress import Progress, TaskID
from rich.table import Table

from vigilant.bench.errors import DeliveryError
from vigilant.bench.sending import FileDelivery
from vigilant.formats import Asked, FormatError, Holds, Kind, limits
from vigilant.formats.file_reading import FileReading

from . import exits
from .files import asked_by, takes_columns

ARMS = ("before", "after")


@dataclass(frozen=True)
class Given:
    """A file that was named, or lies in a folder or an archive that was: ``folder`` is where it lies."""

    path: Path
    folder: str

    @property
    def shown(self) -> str:
        return f"{self.folder}/{self.path.name}" if self.folder else self.path.name


@contextmanager
def _given(paths: Sequence[Path]) -> Iterator[list[Given]]:
    """Every file that is meant, once. Raises a usage error."""
    with tempfile.TemporaryDirectory(prefix="vigilant-bring-") as unpacked:
        found: list[Given] = []
        for path in paths:
            if path.is_dir():
                found += [
                    Given(p, _folder(path, p))
                    for p in sorted(path.rglob("*"))
                    if p.is_file() and not _hidden(p.relative_to(path))
                ]
            elif zipfile.is_zipfile(path):
                found += _unpacked(path, Path(unpacked) / str(len(found)))
            elif path.exists():
                found.append(Given(path, "" if path.parent == Path() else path.parent.name))
            else:
                raise click.UsageError(f"{path} cannot be read: there is no such file")
        seen: set[Path] = set()
        for one in found:
            if one.path.resolve() in seen:
                raise click.UsageError(f"{one.shown} is named twice; it counts once")
            seen.add(one.path.resolve())
        if not found:
            raise click.UsageError("there is no file to bring in")
        if len(found) > limits.FILES:
            raise click.UsageError(f"{len(found)} files; {limits.FILES} are taken at a time")
        yield found


def _folder(root: Path, path: Path) -> str:
    return "/".join((root.resolve().name, *path.relative_to(root).parts[:-1]))


def _hidden(path: Path) -> bool:
    from vigilant.formats.file_reading import BESIDE

    return path.name == BESIDE or any(part.startswith((".", "__MACOSX")) for part in path.parts)


def _unpacked(archive: Path, into: Path) -> list[Given]:
    try:
        with zipfile.ZipFile(archive) as packed:
            if sum(m.file_size for m in packed.infolist()) > limits.FILE_BYTES:
                raise click.UsageError(f"{archive.name} unpacks to over {limits.FILE_BYTES} bytes")
            packed.extractall(into)
    except (zipfile.BadZipFile, NotImplementedError, RuntimeError, OSError) as error:
        raise click.UsageError(f"{archive.name} cannot be read: {error}") from error
    files = [p for p in sorted(into.rglob("*")) if p.is_file() and not _hidden(p.relative_to(into))]
    return [Given(p, "/".join((archive.name, *p.relative_to(into).parts[:-1]))) for p in files]


def _arm_of(one: Given, patterns: dict[str, str | None]) -> str:
    """The arm whose pattern the file's name or folder holds; "" where none does. Raises a usage error."""
    arms = [arm for arm, pattern in patterns.items() if pattern and _holds(one.shown, pattern)]
    if len(arms) > 1:
        raise click.UsageError(f"{one.shown} fits both patterns: say more of its name")
    return arms[0] if arms else ""


def _holds(name: str, pattern: str) -> bool:
    return fnmatch.fnmatch(name, f"*{pattern}*")


def _sheet(pairs: Sequence[str], file: Path | None) -> dict[str, str]:
    """Conditions from a sheet file and from KEY=VALUE; the latter win. Raises a usage error."""
    sheet: dict[str, str] = {}
    if file is not None:
        try:
            table = tomllib.loads(file.read_text(encoding="utf-8"))
        except (OSError, UnicodeDecodeError, tomllib.TOMLDecodeError) as error:
            raise click.UsageError(f"{file} is no sheet: {error}") from error
        table = table.get("conditions", table)
        if not isinstance(table, dict) or any(isinstance(v, (dict, list)) for v in table.values()):
            raise click.UsageError(f"{file} is no sheet: a table of keys and values is wanted")
        sheet = {str(k): str(v) for k, v in table.items()}
    for pair in pairs:
        key, sign, value = pair.partition("=")
        if not sign or not key.strip():
            raise click.UsageError(f"--condition takes KEY=VALUE, got {pair!r}")
        sheet[key.strip()] = value.strip()
    return sheet


@click.command("bring")
@click.argument("files", nargs=-1, required=True, type=click.Path(path_type=Path))
@takes_columns(several=True)
@click.option("--look", "only_look", is_flag=True, help="Say what the files would become, and send nothing.")
@click.option("--save-reading", type=click.Path(path_type=Path), help="Write the reading as TOML.")
@click.option("--before", help="What the names of files before the change hold (a folder's name counts).")
@click.option("--after", help="What the names of files after the change hold.")
@click.option(
    "--beside",
    "beside_",
    multiple=True,
    type=click.Path(path_type=Path),
    help="A file of readings at a rate of their own (power, temperatures): laid along the frames by time.",
)
@click.option(
    "--work",
    multiple=True,
    type=click.Path(path_type=Path),
    help="A file of the work inside the frames: spans, a log by --pattern, OTLP, or a profile of samples.",
)
@click.option(
    "--pattern",
    default="",
    help="How a line of the --work files is read: a regular expression whose named groups are columns.",
)
@click.option("--rows", default="", help="Keys, parted by points, under which the --work files' JSON has its rows.")
@click.option("--title", default="", help="Write an entry of this title; without one the runs alone are kept.")
@click.option(
    "--order",
    type=click.Choice(["unknown", "number", "recorded", "listed"]),
    default="unknown",
    help="What says in which order the files were recorded: the number in the name, the stamp in the head, the list.",
)
@click.option("--scenario", help="The scenario; made where the book has none of that name.")
@click.option("--target-fps", type=float, help="The rate to hold, of a scenario that is made.")
@click.option("--rig", help="Alias of the rig.")
@click.option("--build-before", default="", help="Name of the build before.")
@click.option("--build-after", default="", help="Name of the build after.")
@click.option("--condition", multiple=True, metavar="KEY=VALUE", help="A condition of all files.")
@click.option("--conditions", type=click.Path(path_type=Path), help="A TOML file of conditions of all files.")
@click.option("--server", envvar="VIGILANT_SERVER", help="Address of the server (VIGILANT_SERVER).")
@click.option("--token", envvar="VIGILANT_TOKEN", help="Recorder token (VIGILANT_TOKEN).")
@click.option("--json", "json_", is_flag=True, help="Print one JSON object.")
def bring_command(
    files: tuple[Path, ...], only_look: bool, save_reading: Path | None, json_: bool, **given: Any
) -> None:
    """Bring FILES in as runs: delimited text, JSON, Parquet, Arrow, vigilant-frames; folders and archives of them.

    Each file's reading is shown first. Where two are plausible nothing is sent before --reading says which.

    Exit code: that of the entry's verdict, as compare; 0 without an entry, 2 wrong use or input, 5 not sent.
    """
    from vigilant.formats.looking import Look, look

    console = Console(stderr=json_)
    said = given["reading"]
    readings = [one for one in said if isinstance(one, FileReading)]
    if len(kinds := [one for one in said if isinstance(one, Kind)]) > 1:
        raise click.UsageError("--reading says twice what the frames are")
    asked = asked_by({**given, "reading": kinds[0] if kinds else None})
    patterns = {arm: given[arm] for arm in ARMS}
    with _given([*files, *given["beside_"], *given["work"]]) as found:
        seen: list[tuple[Given, Look | FormatError]] = []
        holds = {path.resolve(): Holds.READINGS for path in given["beside_"]}
        holds |= {path.resolve(): Holds.WORK for path in given["work"]}
        for one in found:
            try:
                how = _fitting(asked, readings, one.path, holds.get(one.path.resolve(), Holds.RUNS), given)
                seen.append((one, look(one.path, how)))
            except FormatError as error:
                seen.append((one, error))
        # What a file holds may be said by itself.
        aside = {one for one, what in seen if not isinstance(what, FormatError) and what.holds != Holds.RUNS}
        aside |= {one for one in found if one.path.resolve() in holds}
        arms = {one: "" if one in aside else _arm_of(one, patterns) for one in found}
        _show(console, seen, arms)
        if save_reading is not None:
            _save(save_reading, seen)
        if _say_what_is_open(console, seen) and not only_look:
            raise click.UsageError("nothing was sent: answer what is open with --column, --reading and --unit")
        if only_look:
            if json_:
                print(json.dumps([_document(one, what, arms) for one, what in seen], ensure_ascii=False, indent=1))
            return
        _check(given, arms, [one for one in found if one not in aside])
        result = _send(console, seen, arms, asked, given)
    if json_:
        print(json.dumps(result, ensure_ascii=False, indent=1))
    sys.exit(exits.OF_VERDICT[result["verdict"]] if "verdict" in result else 0)


def _check(given: dict[str, Any], arms: dict[Given, str], found: Sequence[Given]) -> None:
    """What has to be named before anything is sent."""
    for option in ("scenario", "rig"):
        if not given[option]:
            raise click.UsageError(f"--{option} names the {option} that all files were recorded on")
    if given["title"] and any(given[arm] for arm in ARMS):
        for arm in ARMS:
            if arm not in arms.values():
                raise click.UsageError(f"no file is of the arm {arm}: --{arm} says what their names hold")
        if none := [one.shown for one in found if not arms[one]]:
            raise click.UsageError(f"{none[0]} is of neither arm")


def _fitting(asked: Asked, readings: Sequence[FileReading], path: Path, holds: Holds, given: dict[str, Any]) -> Asked:
    """What is asked of a file: of the readings given the first that names its columns. Raises :class:`FormatError`."""
    from vigilant.formats import file_reading, table_of

    own = [reading for reading in readings if reading.holds == holds]
    if holds == Holds.RUNS:
        how = asked
    else:
        work = holds == Holds.WORK
        how = Asked(
            keep_valid=asked.keep_valid,
            holds=holds,
            pattern=given["pattern"] if work else "",
            rows=given["rows"] if work else "",
        )
    for reading in own:
        try:
            table = table_of(path, replace(how, reading=reading))
        except FormatError:
            continue  # its pattern or its keys are of other files
        if table is not None and file_reading.fits(reading, table.names):
            return replace(how, reading=reading)
    # One that does not fit is refused where the runs were to be read by it.
    return replace(how, reading=own[0]) if own and holds == Holds.RUNS else how


def _show(console: Console, seen: Sequence[tuple[Given, Any]], arms: dict[Given, str]) -> None:
    table = Table(box=None, pad_edge=False, header_style="dim", padding=(0, 2, 0, 0))
    table.add_column("File", overflow="fold")
    parted = any(not isinstance(what, FormatError) and len(what.runs) > 1 for _, what in seen)
    if parted:
        table.add_column("Run", overflow="fold")
    for head in ("Frames", "Length", "Mean", "Slowest 1 %"):
        table.add_column(head, justify="right", no_wrap=True)
    table.add_column("Arm")
    for one, what in seen:
        runs = () if isinstance(what, FormatError) else what.runs
        if not runs:
            told = "" if isinstance(what, FormatError) else _beside(what)
            table.add_row(one.shown, *["-"] * (4 + parted), told or arms[one])
        for run in runs[:20]:
            table.add_row(
                one.shown,
                *([run.name] if parted else []),
                f"{run.frames:,}",
                f"{run.seconds:.1f} s",
                f"{run.mean_ms:.2f} ms",
                f"{run.slowest_1pct_ms:.2f} ms",
                run.arm or arms[one],
            )
        if len(runs) > 20:
            table.add_row("", f"and {len(runs) - 20} more")
    console.print(table, highlight=False)
    said: dict[str, list[str]] = {}
    for one, what in seen:
        if not isinstance(what, FormatError) and not what.stream:
            said.setdefault(_sentence(what), []).append(one.shown)
    for sentence, names in said.items():
        console.print(f"{_several(names)}: {sentence}", highlight=False, markup=False)
    for one, what in seen:
        if not isinstance(what, FormatError) and what.left_out:
            console.print(
                f"! {one.shown}: {what.left_out} lines are left out at your wish; {what.left_lines[0]}.",
                highlight=False,
                markup=False,
            )


def _beside(what: Any) -> str:
    """What lies beside the runs, in words."""
    if what.samples:
        return f"{what.samples.count:,} readings beside"
    if not what.work:
        return ""
    pieces = "samples" if what.work.by == "samples" else "pieces"
    return f"{what.work.count:,} {pieces} of {what.work.parts:,} {'part' if what.work.parts == 1 else 'parts'}"


def _sentence(what: Any) -> str:
    """A reading in words."""
    named = {
        "times": "the time since the frame before", "stamps": "a stamp", "rate": "a rate a frame", "lane": "a lane",
        "counter": "a counter", "leg": "the leg", "run": "which run it is", "arm": "the arm", "left out": "left out",
    }  # fmt: skip
    if what.holds == Holds.WORK:
        named |= {
            "part": "the part of the work", "stamps": "when it began", "end": "when it ended", "times": "what it took",
            "lane name": "its lane", "id": "its id", "inside": "the id of what it lies in", "calls": "its calls",
            "frame number": "its frame's number", "samples": "how many samples", "counter": "a count",
        }  # fmt: skip
    parts = []
    for c in what.columns:
        role = f" of {c.role} time" if c.is_ == "lane" and c.role else f", numbered {c.role}" if c.role else ""
        unit = f" in {c.unit}" if c.unit else ""
        parts.append(f"{c.name} is {named[c.is_]}{role}{unit}")
    if what.parted_by:
        parts.append(f"names are parted by {what.parted_by!r}")
    made = f"{', '.join(what.made)}; " if what.made else ""
    known = f"known as {what.recognised}; " if what.recognised else ""
    said = f" {what.said[0].upper()}{what.said[1:]}." if what.said else ""
    return f"{made}{known}{'; '.join(parts)}.{said}"


def _say_what_is_open(console: Console, seen: Sequence[tuple[Given, Any]]) -> int:
    """Says why files cannot be taken; how many reasons there are."""
    open_of: dict[str, list[str]] = {}
    for one, what in seen:
        if isinstance(what, FormatError):
            lines = [str(what).removeprefix(f"{one.path.name}: ")]
        else:
            lines = [f"to be answered: {text}" for text in what.open]
            if what.problem:
                at = f"line {what.problem['line']}: " if what.problem["line"] else ""
                lines.append(f"{at}{what.problem['detail']}")
            if what.stream and what.said:
                lines.append(what.said)
        for line in lines:
            open_of.setdefault(line, []).append(one.shown)
    for line, names in open_of.items():
        console.print(f"x {_several(names)}: {line}", highlight=False, markup=False)
    return len(open_of)


def _several(names: Sequence[str]) -> str:
    return names[0] if len(names) == 1 else f"{names[0]} and {len(names) - 1} more"


def _save(path: Path, seen: Sequence[tuple[Given, Any]]) -> None:
    from vigilant.formats import file_reading

    readings = [what.reading for _, what in seen if not isinstance(what, FormatError) and what.reading is not None]
    if not readings:
        raise click.UsageError("no file needs a reading: there is none to write")
    try:
        path.write_text(file_reading.written(readings[0]), encoding="utf-8")
    except OSError as error:
        raise click.UsageError(f"{path} cannot be written: {error.strerror}") from error


def _document(one: Given, what: Any, arms: dict[Given, str]) -> dict[str, Any]:
    if isinstance(what, FormatError):
        return {"file": one.shown, "problem": {"code": what.code, "detail": what.message, "line": what.line}}
    document = what.document()
    for run in document["runs"]:
        del run["lows"], run["highs"]
    return {"file": one.shown, "arm": arms[one], **document}


def _send(
    console: Console, seen: Sequence[tuple[Given, Any]], arms: dict[Given, str], asked: Asked, given: dict[str, Any]
) -> dict[str, Any]:
    from vigilant.formats import file_reading

    from .push import needs_server

    try:
        url, token = needs_server(given["server"], given["token"])
        delivery = FileDelivery(url, token)
        book = delivery.book()
        files = []
        with Progress(console=console, transient=True) as progress:
            for one, what in seen:
                task = progress.add_task(one.shown, total=1.0)
                # The server reads as was seen here: what a folder's own reading said is said there too.
                said: dict[str, Any] = {
                    "keep_valid": asked.keep_valid, "holds": what.holds, "pattern": what.pattern, "rows": what.rows
                }  # fmt: skip
                if what.reading is not None:
                    said["reading"] = file_reading.document(what.reading)
                stands = delivery.file(book, one.path, one.folder, said, partial(_told, progress, task))
                arm = arms[one]
                build = given[f"build_{arm}"] if arm else ""
                files.append(
                    {"file": stands["id"], "arm": arm, "build": build or _plain(given.get(arm) if arm else "")}
                )
        result = delivery.bring(
            book,
            {
                "files": files,
                "scenario": given["scenario"],
                "target_fps": given["target_fps"],
                "rig": given["rig"],
                "conditions": _sheet(given["condition"], given["conditions"]),
                "order": given["order"],
                "title": given["title"],
            },
        )
    except DeliveryError as error:
        console.print(f"Not brought in: {error}", highlight=False, markup=False)
        sys.exit(2 if error.refused else exits.NOT_DELIVERED)
    if "number" in result:
        console.print(
            f"{result['sentence']}\nEntry {result['number']}: {url.rstrip('/')}{result['path']}", highlight=False
        )
    else:
        result = {"runs": sum(len(what.runs) for _, what in seen)}
        console.print(f"Kept {result['runs']} runs in the book {book}.", highlight=False)
    return result


def _told(progress: Progress, task: TaskID, share: float) -> None:
    progress.update(task, completed=share)


def _plain(pattern: str | None) -> str:
    """A pattern as the name of a build."""
    return (pattern or "").strip("*?[]_-. /")[: limits.LABEL]
