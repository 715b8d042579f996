"""Comparing stored runs and recordings, and computing anew what an earlier core made."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict
from typing import Any
from uuid import UUID

from django.dispatch import Signal
from django.utils import timezone

from vigilant.core import (
    CORE_VERSION,
    CoreError,
    Finding,
    compare,
    compare_several,
    crash_rates,
    failed_runs,
    look_levels,
    refuse_repeats,
)
from vigilant.core.levels import AlphaLevels
from vigilant.core.looks import MOST_PAIRS
from vigilant.plan.armref import EMPTY, held
from vigilant.server.books.models import Book
from vigilant.server.database import in_transaction
from vigilant.server.jobs import services as jobs
from vigilant.server.jobs.models import Job
from vigilant.server.problems import Problem, conflict, unprocessable
from vigilant.server.runs.ingest import finish_recording
from vigilant.server.runs.models import ArmLabel, Outcome, Recording, Run, Slot
from vigilant.server.runs.plans import arm_name, policy_of

from .balance import rebalance
from .deciding import next_number
from .keeping import Made, keep, replace
from .models import Comparison, ComparisonRun, Entry
from .stored_arms import placed, read_runs, recorded_order, runs_by_id, unlike, usable

#: The kind of job that compares a delivered recording.
COMPARE = "compare recording"
#: The kind of job that compares runs which are stored already.
COMPARE_STORED = "compare stored runs"
#: The kind of job that computes a comparison anew, with the core that it is made for.
RECOMPUTE = "recompute comparison"
#: Sent with ``comparison``, within the transaction that kept it or made it anew.
comparison_kept = Signal()


def compare_runs(
    before: Sequence[Run],
    after: Sequence[Run],
    order: Sequence[str | None] | None,
    sessions: Sequence[int] | None = None,
) -> Made:
    """Compare stored runs under the newest of their scenario versions.

    Without an ``order`` the one they were recorded in counts, if all were recorded."""
    arms: Mapping[str, Sequence[Run]] = {"before": before, "after": after}
    if order is None and (recorded := recorded_order(arms)):
        arms, order, sessions = recorded.arms, recorded.order, recorded.sessions
    version = usable([*before, *after])
    series = {arm: read_runs(runs) for arm, runs in arms.items()}
    try:
        refuse_repeats(series)
        result = compare(
            series["before"],
            series["after"],
            policy_of(version.definition),
            order,
            unlike(before, after),
            sessions,
        )
    except CoreError as error:
        raise unprocessable(error.code, str(error)) from error
    more = {} if sessions is None else {"sessions_of_slots": list(sessions)}
    return Made(arms["before"], arms["after"], order, result, more)


def begin_comparing_stored(
    book: Book, before: Sequence[UUID], after: Sequence[UUID], order: Sequence[str | None] | None, title: str
) -> Job:
    """A job compares runs that are there already, into an entry marked *after the fact*. The same asked for again
    while it goes on is the same job. Raises a problem at once for runs that cannot be compared."""
    usable([*runs_by_id(book, before), *runs_by_id(book, after)])
    asked = {
        "before": [str(run) for run in before],
        "after": [str(run) for run in after],
        "order": None if order is None else list(order),
        "title": title,
    }
    return jobs.start(COMPARE_STORED, jobs.digest_of(book.pk, asked), book, **asked)


def compare_stored(work: jobs.Work, asked: Mapping[str, Any]) -> Entry:
    """The entry that the job makes, once however often it is done."""
    made = Entry.objects.filter(comparison__made_by=work.job).first()
    if made is not None:
        return made
    book = Job.objects.select_related("book").get(pk=work.job).book
    arms = [runs_by_id(book, [UUID(run) for run in asked[arm]]) for arm in ("before", "after")]
    work.at(0.1, f"comparing {len(arms[0])} and {len(arms[1])} runs")
    found = compare_runs(arms[0], arms[1], asked["order"])
    work.at(0.9, "writing the entry")
    return _write_entry(book, found, asked["title"], work.job)


@in_transaction
def _write_entry(book: Book, made: Made, title: str, job: UUID) -> Entry:
    number = next_number(book)  # locks the book: another worker at this job waits here
    existing = Entry.objects.filter(comparison__made_by=job).first()
    if existing is not None:
        return existing
    comparison = keep(book, made, made_by=job)
    entry = Entry.objects.create(
        book=book,
        number=number,
        title=title,
        after_the_fact=True,
        locked_at=timezone.now(),
        comparison=comparison,
        recorded_at=timezone.now(),
    )
    rebalance([entry.comparison])
    comparison_kept.send(sender=Comparison, comparison=entry.comparison)
    return entry


# -- a recording


def complete_recording(
    book: Book, recording_id: UUID, stopped: bool = False, looks: Sequence[Mapping[str, Any]] = ()
) -> Job | Entry:
    """All of a recording was delivered: a job compares each arm with the first and writes (or fills) an
    entry for each. Repeatable; the entry of the second arm where it is there already. A recording that was
    ``stopped`` by hand leaves the rest of its slots unrecorded.
    """
    recording = Recording.objects.filter(pk=recording_id, book=book).first()
    if recording is None:
        raise conflict("recording-unknown", f"Recording {recording_id} was not registered in this book.")
    entry = entry_of_recording(recording)
    if entry is not None:
        return entry
    tried = _tried(recording, stopped)
    missing = [s.position for s in tried if s.run is None or s.run.state == Run.State.RECEIVING]
    if missing:
        raise conflict(
            "runs-missing",
            f"Slot {missing[0]} of {recording.slots.count()} was not delivered yet.",
            missing=missing,
        )
    return _begin_comparing(recording_id, stopped, [dict(look) for look in looks])


@in_transaction
def _begin_comparing(recording_id: UUID, stopped: bool, looks: list[dict[str, Any]]) -> Job:
    recording = Recording.objects.select_for_update().get(pk=recording_id)
    recording.stopped, recording.looks = stopped, looks
    recording.save(update_fields=["stopped", "looks"])
    return jobs.start(COMPARE, recording.pk, recording.book)


def compare_delivered(recording_id: UUID, work: jobs.Work) -> Entry:
    """Compare a delivered recording and write its entries. One that leaves an arm without a complete run, or
    runs that cannot be compared, is finished without a verdict, and its entry stays open: a problem."""
    recording = Recording.objects.select_related("scenario_version", "book").get(pk=recording_id)
    entry = entry_of_recording(recording)
    if entry is not None:
        return entry
    tried = _tried(recording, recording.stopped)
    closing = sum(s.run is not None and s.run.state == Run.State.CLOSING for s in tried)
    if closing:
        raise jobs.NotYet(f"{closing} of {len(tried)} runs are still being closed")
    labels = _labels(recording)
    empty = [
        a for a in (ArmLabel.BEFORE.value, *labels)
        if not any(s.arm == a and s.run and s.run.state == Run.State.COMPLETE for s in tried)
    ]  # fmt: skip
    made: list[Made] = []
    why = f"no run of arm {empty[0]} is complete" if empty else ""
    work.at(0.1, f"comparing {len(tried)} runs")
    if not why:
        try:
            made = _compare_recording(recording, tried, _order(tried), labels)
        except Problem as problem:
            why = str(problem.detail)
    work.at(0.9, "writing the entry")
    entry = _write_recording(recording.pk, labels, made, why)
    if entry is None:
        raise unprocessable("no-verdict", f"{why[0].upper()}{why[1:].rstrip('.')}; the runs are kept.")
    return entry


def entry_of_recording(recording: Recording) -> Entry | None:
    """The entry of its second arm, once it was compared."""
    return Entry.objects.filter(comparison__recording=recording).order_by("number").first()


def _tried(recording: Recording, stopped: bool) -> list[Slot]:
    slots = recording.slots.select_related("run__scenario_version__scenario", "run__rig", "run__conditions")
    return [s for s in slots if s.run is not None or not stopped]


def _labels(recording: Recording) -> list[str]:
    """The arms held against the first, in the plan's order."""
    return held(recording.slots.values_list("arm", flat=True))


def _order(tried: Sequence[Slot]) -> list[tuple[str, Run] | None]:
    """Arm and run of every place. The last attempt at a place counts; failed ones keep their place."""
    last = {slot.position: slot for slot in tried}
    places = [last[position] for position in sorted(last)]
    return [
        (s.arm, s.run) if s.run.state == Run.State.COMPLETE and not s.run.excluded_at else None for s in places
    ]  # fmt: skip


def _compare_recording(
    recording: Recording,
    tried: Sequence[Slot],
    order: Sequence[tuple[str, Run] | None],
    labels: Sequence[str],
) -> list[Made]:
    """Every arm of a recording against its first, in one family. Slots of other arms keep their place."""
    arms: dict[str, list[Run]] = {}
    for arm, run in filter(None, order):
        arms.setdefault(arm, []).append(run)
    missing = [name for name in (ArmLabel.BEFORE.value, *labels) if name not in arms]
    if missing:
        raise unprocessable("arm-empty", f"No run of arm {missing[0]} is complete; the runs are kept.")
    policy = policy_of(recording.scenario_version.definition)
    series = {name: read_runs(arms[name]) for name in ("before", *labels, EMPTY) if name in arms}
    try:
        refuse_repeats(series)
        several = compare_several(
            series,
            policy,
            [place[0] if place else None for place in order],
            empty=EMPTY if EMPTY in arms else None,
            findings={("before", label): _outcome_findings(tried, label) for label in labels},
            levels=_look_levels(recording, min(len(arms[a]) for a in ("before", *labels)), policy.alpha),
        )
    except CoreError as error:
        raise unprocessable(error.code, str(error)) from error
    more: dict[str, Any] = {}
    if several.net:
        more["net"] = [{**asdict(n), "arm": arm_name(recording.plan, n.arm)} for n in several.net]
    if several.ranks:
        more["ranks"] = placed(several, {n: arm_name(recording.plan, n) for n in several.names})
    blank = bool(recording.asked("recording").get("blank"))
    made = []
    for label in labels:
        named = {"before": "before", label: "after"}
        own = [named.get(place[0]) if place else None for place in order]
        made.append(Made(arms["before"], arms[label], own, several.pairs["before", label], more, blank))
    return made


def _look_levels(recording: Recording, pairs: int, alpha: float) -> AlphaLevels | None:
    """A recording that went on until it was decided is tested at its last look's levels."""
    asked = recording.asked("recording")
    return look_levels(pairs, int(asked.get("runs", MOST_PAIRS)), alpha) if asked.get("until_decided") else None


def _outcome_findings(tried: Sequence[Slot], label: str) -> list[Finding]:
    """What all attempts at both arms say: failed runs, and crash rates that differ."""
    outcomes: dict[str, list[str]] = {"before": [], label: []}
    for slot in tried:
        if slot.arm in outcomes:
            broken = slot.outcome == Outcome.COMPLETE and slot.run.state != Run.State.COMPLETE
            outcomes[slot.arm].append(Outcome.BROKEN.value if broken else slot.outcome)

    def rate(arm: str) -> tuple[int, int]:
        judged = [o for o in outcomes[arm] if o != Outcome.SKIPPED]
        return sum(o != Outcome.COMPLETE for o in judged), len(judged)

    return [*failed_runs([o for arm in outcomes.values() for o in arm]), *crash_rates(rate("before"), rate(label))]


@in_transaction
def _write_recording(
    recording_id: UUID,
    labels: Sequence[str],
    made: Sequence[Made],
    why: str,
) -> Entry | None:
    """Finish a recording with what was made of it, or with the reason why nothing was."""
    recording = Recording.objects.select_for_update().get(pk=recording_id)
    existing = entry_of_recording(recording)
    if existing is not None:
        return existing
    recording.remark = why
    recording.save(update_fields=["remark"])
    finish_recording(recording)
    comparisons = [keep(recording.book, m, recording) for m in made]
    entries = [_fill_entry(recording.book, recording, c, label) for c, label in zip(comparisons, labels, strict=False)]
    rebalance(comparisons)
    for comparison in comparisons:
        comparison_kept.send(sender=Comparison, comparison=comparison)
    return entries[0] if entries else None


def _fill_entry(book: Book, recording: Recording, comparison: Comparison, label: str) -> Entry:
    plan, wanted = recording.asked("entry"), recording.entry_number
    if wanted is not None and label == ArmLabel.AFTER:
        entry = Entry.objects.filter(book=book, number=wanted).first()
        if entry is None or entry.comparison_id is not None:
            raise conflict("entry-taken", f"Entry {wanted} is not open for a recording.")
        entry.comparison, entry.recorded_at = comparison, recording.created_at
        entry.locked_at = entry.locked_at or timezone.now()
        entry.save(update_fields=["comparison", "recorded_at", "locked_at"])
        return entry
    against = f"{arm_name(recording.plan, label)} against {arm_name(recording.plan, 'before')}"
    own = str(plan.get("title") or "") if label == ArmLabel.AFTER else ""
    return Entry.objects.create(
        book=book,
        number=next_number(book),
        title=(own or against)[:200],
        why=str(plan.get("why", "")),
        expected=str(plan.get("expected", "")),
        locked_at=recording.created_at,
        comparison=comparison,
        recorded_at=recording.created_at,
    )


# -- an upgrade


def outdated(untried: bool = False) -> list[int]:
    """Comparisons that an earlier core made, oldest first; ``untried`` leaves out those that this core could
    not make anew."""
    found = list(Comparison.objects.exclude(core_version=CORE_VERSION).order_by("pk").values_list("pk", flat=True))
    if found and untried:
        tried = jobs.over(RECOMPUTE, core=CORE_VERSION)
        found = [pk for pk in found if str(pk) not in tried]
    return found


def recompute(comparison_id: int) -> bool:
    """Compute a comparison anew under this core, from the same runs in the same order; the earlier result
    stays beside it. False where this core made it already. Raises a problem where it cannot be made."""
    comparison = Comparison.objects.select_related("recording__scenario_version", "book").get(pk=comparison_id)
    if comparison.core_version == CORE_VERSION:
        return False
    arms = {label: _arm(comparison, label) for label in ("before", "after")}
    if comparison.recording is None or not comparison.order:
        sessions = comparison.result.get("sessions_of_slots")
        made = compare_runs(arms["before"], arms["after"], comparison.order, sessions)
    else:
        made = _of_recording(comparison, arms["after"][0])
    return _put_anew(comparison_id, made)


@in_transaction
def _put_anew(comparison_id: int, made: Made) -> bool:
    comparison = Comparison.objects.select_for_update().get(pk=comparison_id)
    if comparison.core_version == CORE_VERSION:
        return False
    replace(comparison, made)
    rebalance([comparison])
    comparison_kept.send(sender=Comparison, comparison=comparison)
    return True


def _arm(comparison: Comparison, label: str) -> list[Run]:
    used = ComparisonRun.objects.filter(arm__comparison=comparison, arm__label=label).order_by("position")
    return [u.run for u in used.select_related("run__scenario_version__scenario", "run__rig", "run__conditions")]


def _of_recording(comparison: Comparison, one: Run) -> Made:
    """The whole family of a recording again, from the runs that its comparisons rest on; the member asked for."""
    recording = comparison.recording
    assert recording is not None
    rested = set(ComparisonRun.objects.filter(arm__comparison__recording=recording).values_list("run_id", flat=True))
    tried = _tried(recording, recording.stopped)
    last = {slot.position: slot for slot in tried}
    order = [
        (s.arm, s.run) if s.run.pk in rested or (s.arm == EMPTY and s.run.state == Run.State.COMPLETE) else None
        for s in (last[position] for position in sorted(last))
    ]
    labels = _labels(recording)
    return _compare_recording(recording, tried, order, labels)[labels.index(one.slot.arm)]
