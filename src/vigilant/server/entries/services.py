"""Comparing stored runs, writing entries, deciding, and the balance that follows."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any
from uuid import UUID

from django.db.models import Max, Prefetch, Q
from django.db.models.functions import Lower
from django.utils import timezone

from vigilant.core import CORE_VERSION, CoreError, Finding, FrameSeries, compare, failed_runs
from vigilant.server.books.models import Book
from vigilant.server.database import in_transaction
from vigilant.server.problems import conflict, unprocessable
from vigilant.server.runs.ingest import finish_recording, policy_of
from vigilant.server.runs.models import FrameChunk, Outcome, Recording, Run
from vigilant.server.runs.store import read_series
from vigilant.wording import comparison_document
from vigilant.wording.change import number

from .ledger_line import ledger_line
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
    recording: Recording | None = None,
    findings: Sequence[Finding] = (),
) -> Comparison:
    """Compare stored runs under the newest of their scenario versions and keep the full result."""
    runs = [*before, *after]
    bad = [run for run in runs if run.state != Run.State.COMPLETE or run.excluded_at]
    if bad:
        raise unprocessable("run-not-complete", f"Run {bad[0].pk} is {bad[0].state} and enters no arm.")
    versions = {run.scenario_version_id: run.scenario_version for run in runs}
    version = versions[max(versions)]
    found = list(findings)
    if len(versions) > 1:
        named = [f"{v.scenario.name} {v.number}" for v in versions.values()]
        found.append(Finding("scenario-versions-differ", "void", {"versions": named}))
    if len({run.rig_id for run in runs}) > 1:
        rigs = [sorted({str(run.rig) for run in arm}) for arm in (before, after)]
        difference = {"condition": "rig", "before": rigs[0], "after": rigs[1]}
        found.append(Finding("conditions-differ", "void", {"differences": [difference]}))
    try:
        result = compare(_series(before), _series(after), policy_of(version.definition), order, found)
    except CoreError as error:
        raise unprocessable(error.code, str(error)) from error
    document = comparison_document(result)
    comparison = Comparison.objects.create(
        book=book,
        scenario_version=version,
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


def _series(runs: Sequence[Run]) -> list[FrameSeries]:
    return [read_series(run) for run in runs]


def runs_by_id(book: Book, ids: Sequence[UUID]) -> list[Run]:
    """Runs of a book in the order asked for. Raises a problem for one that is not there."""
    found = {
        run.pk: run
        for run in Run.objects.filter(book=book, pk__in=ids).select_related(
            "scenario_version__scenario", "rig", "conditions"
        )
    }
    missing = [str(i) for i in ids if i not in found]
    if missing:
        raise unprocessable("run-unknown", f"Run {missing[0]} is not in this book.")
    return [found[i] for i in ids]


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


@in_transaction
def complete_recording(book: Book, recording_id: UUID) -> Entry:
    """All of a recording was delivered: compare its arms and write (or fill) its entry. Repeatable."""
    recording = Recording.objects.select_for_update().filter(pk=recording_id, book=book).first()
    if recording is None:
        raise conflict("recording-unknown", f"Recording {recording_id} was not registered in this book.")
    existing = Entry.objects.filter(comparison__recording=recording).first()
    if existing is not None:
        return existing
    slots = list(recording.slots.select_related("run__scenario_version__scenario", "run__rig", "run__conditions"))
    missing = [s.position for s in slots if s.run is None or s.run.state == Run.State.RECEIVING]
    if missing:
        raise conflict("runs-missing", f"Slot {missing[0]} of {len(slots)} was not delivered yet.", missing=missing)
    complete = [s for s in slots if s.run.state == Run.State.COMPLETE and not s.run.excluded_at]
    arms = {label: [s.run for s in complete if s.arm == label] for label in ("before", "after")}
    empty = [label for label, runs in arms.items() if not runs]
    if empty:
        raise unprocessable("arm-empty", f"No run of arm {empty[0]} is complete; the runs are kept.")
    order = [s.arm if s in complete else None for s in slots]
    outcomes = [s.outcome if s in complete or s.outcome != Outcome.COMPLETE else Outcome.BROKEN for s in slots]
    comparison = compare_runs(book, arms["before"], arms["after"], order, recording, failed_runs(outcomes))
    finish_recording(recording)
    return _fill_entry(book, recording, comparison)


def _fill_entry(book: Book, recording: Recording, comparison: Comparison) -> Entry:
    plan = recording.plan.get("entry", {})
    wanted = plan.get("number")
    if wanted is not None:
        entry = Entry.objects.filter(book=book, number=wanted).first()
        if entry is None or entry.comparison_id is not None:
            raise conflict("entry-taken", f"Entry {wanted} is not open for a recording.")
        entry.comparison, entry.recorded_at = comparison, recording.created_at
        entry.locked_at = entry.locked_at or timezone.now()
        entry.save(update_fields=["comparison", "recorded_at", "locked_at"])
        return entry
    arms = [str(a.get("name", "")) for a in recording.plan.get("arm", [])]
    return Entry.objects.create(
        book=book,
        number=next_number(book),
        title=str(plan.get("title") or " against ".join(reversed(arms)) or "Recording")[:200],
        why=str(plan.get("why", "")),
        expected=str(plan.get("expected", "")),
        locked_at=recording.created_at,
        comparison=comparison,
        recorded_at=recording.created_at,
    )


@in_transaction
def decide(entry: Entry, choice: str, why: str, user: Any) -> Decision:
    """Write a decision; earlier ones stay in the history."""
    if entry.comparison_id is None:
        raise conflict("nothing-recorded", "An entry is decided after its runs were recorded.")
    return Decision.objects.create(entry=entry, choice=choice, why=why, decided_by=user)


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


def balance(entries: Sequence[Entry]) -> dict[int, Line]:
    """For entries in rising order: the standing after each and the gap before it, by entry id.

    A decided entry moves the standing to its after level if kept, to its before level if
    dropped; a void entry moves nothing. The gap between the standing and an entry's before
    level is *unaccounted*.
    """
    standing: dict[tuple[int, int], Level] = {}
    lines: dict[int, Line] = {}
    for entry in entries:
        key = line_of(entry)
        if key is None or entry.comparison.verdict == Comparison.Verdict.VOID:
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
