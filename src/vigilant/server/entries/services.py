"""Comparing stored runs, writing entries, deciding, and the balance that follows."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any
from uuid import UUID

from django.db.models import Max, Prefetch, Q
from django.db.models.functions import Lower
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
from vigilant.core import Comparison as CoreComparison
from vigilant.core.levels import Levels
from vigilant.core.looks import MOST_PAIRS
from vigilant.core.verdict import CHANGED
from vigilant.formats.plan import EMPTY
from vigilant.server.books.models import Book, LogLine
from vigilant.server.database import in_transaction
from vigilant.server.problems import Problem, conflict, unprocessable
from vigilant.server.runs.ingest import arm_name, finish_recording, policy_of
from vigilant.server.runs.models import ArmLabel, FrameChunk, Outcome, Recording, Run, Slot
from vigilant.wording import comparison_document
from vigilant.wording.change import number
from vigilant.wording.claim import Answer, check_claim
from vigilant.wording.outlook import blank_sentence

from .arms import kept_figures, placed, read_runs, recorded_order, runs_by_id, unlike, usable
from .ledger_line import is_blank, ledger_line
from .models import Comparison, ComparisonArm, ComparisonRun, Decision, Entry

#: A gap between one entry's after and the next one's before is written from this share of the level on.
UNACCOUNTED_SHARE = 0.005


def _fingerprint(runs: Sequence[Run], order: Any) -> str:
    sums = dict.fromkeys((run.pk for run in runs), "")
    chunks = FrameChunk.objects.filter(run__in=runs).order_by("run_id", "column", "number")
    for run_id, checksum in chunks.values_list("run_id", "checksum"):
        sums[run_id] += checksum
    return hashlib.sha256(repr(([sums[r.pk] for r in runs], order)).encode()).hexdigest()


def compare_runs(
    book: Book,
    before: Sequence[Run],
    after: Sequence[Run],
    order: Sequence[str | None] | None,
) -> Comparison:
    """Compare stored runs under the newest of their scenario versions and keep the full result.

    Without an ``order`` the one they were recorded in counts, if all were recorded."""
    arms = {"before": before, "after": after}
    sessions = None
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
    more = {} if sessions is None else {"sessions_of_slots": sessions}
    return _kept(book, arms["before"], arms["after"], order, None, result, more)


def _kept(
    book: Book,
    before: Sequence[Run],
    after: Sequence[Run],
    order: Sequence[str | None] | None,
    recording: Recording | None,
    result: CoreComparison,
    more: Mapping[str, Any],
) -> Comparison:
    """Keep a result, in numbers and words, with the runs it rests on."""
    runs = [*before, *after]
    document = {**comparison_document(result), **more}
    if recording is not None and recording.asked("recording").get("blank"):
        said = blank_sentence(result.runs, result.verdict in CHANGED)
        document |= {"blank": True, "sentence": f"{said} {document['sentence']}"}
    comparison = Comparison.objects.create(
        book=book,
        scenario_version=max((run.scenario_version for run in runs), key=lambda v: v.pk),
        rig=runs[-1].rig,
        recording=recording,
        order=None if order is None else list(order),
        verdict=result.verdict,
        result=document,
        ledger_line=ledger_line(document),
        core_version=CORE_VERSION,
        fingerprint=_fingerprint(runs, order),
    )
    for label, arm_runs in (("before", before), ("after", after)):
        arm = ComparisonArm.objects.create(comparison=comparison, label=label)
        slots = [i for i, name in enumerate(order) if name == label] if order else range(len(arm_runs))
        ComparisonRun.objects.bulk_create(
            ComparisonRun(arm=arm, run=run, position=position) for run, position in zip(arm_runs, slots, strict=True)
        )
    return comparison


def _look_levels(recording: Recording, pairs: int, alpha: float) -> Levels | None:
    """A recording that went on until it was decided is tested at its last look's levels."""
    asked = recording.asked("recording")
    return look_levels(pairs, int(asked.get("runs", MOST_PAIRS)), alpha) if asked.get("until_decided") else None


def next_number(book: Book) -> int:
    """The next entry's number; the book's row is locked so that two writers get two numbers."""
    Book.objects.select_for_update().get(pk=book.pk)
    return (Entry.objects.filter(book=book).aggregate(Max("number"))["number__max"] or 0) + 1


@in_transaction
def open_entry(book: Book, title: str, why: str, expected: str) -> Entry:
    """A new entry, before anything is recorded."""
    return Entry.objects.create(book=book, number=next_number(book), title=title, why=why, expected=expected)


@in_transaction
def compare_into_entry(
    book: Book, before: Sequence[UUID], after: Sequence[UUID], order: Sequence[str | None] | None, title: str
) -> Entry:
    """Compare runs that are there already; the entry is marked *after the fact*."""
    comparison = compare_runs(book, runs_by_id(book, before), runs_by_id(book, after), order)
    return Entry.objects.create(
        book=book,
        number=next_number(book),
        title=title,
        after_the_fact=True,
        locked_at=timezone.now(),
        comparison=comparison,
        recorded_at=timezone.now(),
    )


def complete_recording(
    book: Book, recording_id: UUID, stopped: bool = False, looks: Sequence[Mapping[str, Any]] = ()
) -> Entry:
    """All of a recording was delivered: compare each arm with the first and write (or fill) an entry
    for each. Repeatable; the entry of the second arm is returned. A recording that was ``stopped``
    by hand leaves the rest of its slots unrecorded. One that leaves an arm without a complete run, or
    runs that cannot be compared, is finished without a verdict, and its entry stays open.
    """
    entry, why = _complete(book, recording_id, stopped, looks)
    if entry is None:
        raise unprocessable("no-verdict", f"{why[0].upper()}{why[1:].rstrip('.')}; the runs are kept.")
    return entry


@in_transaction
def _complete(
    book: Book, recording_id: UUID, stopped: bool, looks: Sequence[Mapping[str, Any]]
) -> tuple[Entry | None, str]:
    recording = Recording.objects.select_for_update().filter(pk=recording_id, book=book).first()
    if recording is None:
        raise conflict("recording-unknown", f"Recording {recording_id} was not registered in this book.")
    existing = Entry.objects.filter(comparison__recording=recording).order_by("number").first()
    if existing is not None:
        return existing, ""
    slots = list(recording.slots.select_related("run__scenario_version__scenario", "run__rig", "run__conditions"))
    tried = [s for s in slots if s.run is not None or not stopped]
    missing = [s.position for s in tried if s.run is None or s.run.state == Run.State.RECEIVING]
    if missing:
        raise conflict("runs-missing", f"Slot {missing[0]} of {len(slots)} was not delivered yet.", missing=missing)
    labels = sorted({s.arm for s in slots} - {ArmLabel.BEFORE.value, EMPTY}, key=lambda a: (len(a), a))
    arms = [ArmLabel.BEFORE.value, *labels]
    empty = [a for a in arms if not any(s.arm == a and s.run.state == Run.State.COMPLETE for s in tried)]
    recording.stopped = stopped
    recording.looks = [dict(look) for look in looks]
    recording.remark = f"no run of arm {empty[0]} is complete" if empty else ""
    recording.save(update_fields=["stopped", "looks", "remark"])
    finish_recording(recording)
    if empty:
        return None, recording.remark
    try:
        comparisons = _compare_arms(book, recording, tried, labels)
    except Problem as problem:
        recording.remark = str(problem.detail)
        recording.save(update_fields=["remark"])
        return None, recording.remark
    entries = [_fill_entry(book, recording, c, label) for c, label in zip(comparisons, labels, strict=True)]
    return entries[0], ""


def _compare_arms(book: Book, recording: Recording, tried: Sequence[Slot], labels: Sequence[str]) -> list[Comparison]:
    """Every arm of a recording against its first, in one family. The last attempt at a place counts;
    failed slots, and those of other arms, keep their place in the order."""
    last = {slot.position: slot for slot in tried}
    places = [last[position] for position in sorted(last)]
    order = [s.arm if s.run.state == Run.State.COMPLETE and not s.run.excluded_at else None for s in places]
    arms: dict[str, list[Run]] = {}
    for slot, arm in zip(places, order, strict=True):
        if arm:
            arms.setdefault(arm, []).append(slot.run)
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
            order,
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
    made = []
    for label in labels:
        named = {"before": "before", label: "after"}
        own = [named.get(o or "") for o in order]
        result = several.pairs["before", label]
        made.append(_kept(book, arms["before"], arms[label], own, recording, result, more))
    return made


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


def lock_expectation(recording: Recording) -> None:
    """The first run has arrived: what the entry expects can no longer change."""
    if recording.entry_number is not None:
        entries = Entry.objects.filter(book=recording.book_id, number=recording.entry_number, locked_at=None)
        entries.update(locked_at=timezone.now())


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


def claim(entry: Entry, sentence: str) -> Answer:
    """What an entry's runs say of a spoken sentence. Raises a problem where nothing is recorded."""
    if entry.comparison is None:
        raise conflict("nothing-recorded", "A claim is held against runs, and none were recorded.")
    return check_claim(sentence, entry.comparison.verdict, kept_figures(entry.comparison))


_HELD = {
    "holds": Decision.Expectation.SUPPORTED,
    "at least that much": Decision.Expectation.EXCEEDED,
    "does not hold": Decision.Expectation.NOT_SUPPORTED,
    "cannot be told": Decision.Expectation.UNDECIDED,
}


def held_expectation(entry: Entry) -> tuple[str, str]:
    """What the runs make of the expectation where it can be read as a claim, and why; ("", "") elsewhere."""
    if entry.comparison is None or not entry.expected:
        return "", ""
    answer = claim(entry, entry.expected)
    return (_HELD[answer.state].value, answer.sentence) if answer.state in _HELD else ("", "")


@in_transaction
def decide(entry: Entry, choice: str, why: str, user: Any, expectation: str = "") -> Decision:
    """Write a decision; earlier ones stay in the history. ``expectation`` says what became of it."""
    if entry.comparison_id is None:
        raise conflict("nothing-recorded", "An entry is decided after its runs were recorded.")
    LogLine.write("decided", f"entry {entry.number}: {choice}", by=user, book=entry.book)
    return Decision.objects.create(entry=entry, choice=choice, why=why, decided_by=user, expectation=expectation)


# -- the balance


@dataclass
class Level:
    """Where a scenario line stands: ms, and the entry that put it there."""

    entry: int
    mean_ms: float
    slowest_1pct_ms: float | None
    late_share: float | None
    stutters_per_min: float | None


def entries_of(book: Book) -> Any:
    """Entries with all that a ledger line shows, without a query per row or the whole results."""
    return (
        Entry.objects.filter(book=book)
        .select_related("comparison__scenario_version__scenario", "comparison__rig")
        .defer("comparison__result", "comparison__order")
        .prefetch_related(Prefetch("decisions", Decision.objects.select_related("decided_by")))
    )


def found_in(entries: Any, text: str) -> Any:
    """Entries whose title, reason or number say ``text``; case is made alike since the collation is binary."""
    said = text.lower()
    where = Q(title_lower__contains=said) | Q(why_lower__contains=said)
    if text.isdecimal() and len(text) < 10:
        where |= Q(number=int(text))
    return entries.annotate(title_lower=Lower("title"), why_lower=Lower("why")).filter(where)


def _level(entry: Entry, side: str) -> Level:
    return Level(entry.number, **entry.comparison.ledger_line["levels"][side])


def line_of(entry: Entry) -> tuple[int, int] | None:
    """The scenario and rig that an entry belongs to."""
    c = entry.comparison
    return None if c is None else (c.scenario_version.scenario_id, c.rig_id)


@dataclass
class Line:
    """One entry's effect on the balance of its scenario line."""

    standing: Level | None
    unaccounted_ms: float | None
    unaccounted_since: int | None


def moves(entry: Entry) -> bool:
    """Can the entry move a standing? A void one and a blank test cannot."""
    c = entry.comparison
    return c is not None and c.verdict != Comparison.Verdict.VOID and not is_blank(c)


def balance(entries: Sequence[Entry]) -> dict[int, Line]:
    """For entries in rising order: the standing after each and the gap before it, by entry id.

    A decided entry moves the standing to its after level if kept, to its before level if
    dropped; a void entry and a blank test move nothing. The gap between the standing and an entry's before
    level is *unaccounted*.
    """
    standing: dict[tuple[int, int], Level] = {}
    lines: dict[int, Line] = {}
    for entry in entries:
        key = line_of(entry)
        if key is None or not moves(entry):
            lines[entry.pk] = Line(standing.get(key) if key else None, None, None)
            continue
        before = _level(entry, "before")
        old = standing.get(key)
        gap = since = None
        if old is not None:
            difference = before.mean_ms - old.mean_ms
            if abs(difference) >= UNACCOUNTED_SHARE * old.mean_ms:
                gap, since = difference, old.entry
        decisions = list(entry.decisions.all())
        choice = decisions[0].choice if decisions else None
        if choice in (Decision.Choice.KEPT, Decision.Choice.DROPPED):
            moved = _level(entry, "after" if choice == Decision.Choice.KEPT else "before")
            standing[key] = moved
        lines[entry.pk] = Line(standing.get(key), gap, since)
    return lines


def unaccounted_sentence(line: Line) -> str:
    """The ledger's line for a gap."""
    if line.unaccounted_ms is None:
        return ""
    word = "spent" if line.unaccounted_ms > 0 else "saved"
    size = number(abs(line.unaccounted_ms), 2)
    return f'Unaccounted since no. {line.unaccounted_since}: {size} ms {word} between its level and this "before"'
