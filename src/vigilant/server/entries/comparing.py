"""Comparing stored runs and recordings, and computing anew what an earlier core made."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any
from uuid import UUID

from django.dispatch import Signal
from django.utils import timezone

from vigilant.core import CORE_VERSION
from vigilant.server.books.models import Book
from vigilant.server.database import in_transaction
from vigilant.server.jobs import services as jobs
from vigilant.server.jobs.models import Job
from vigilant.server.problems import Problem, conflict, unprocessable
from vigilant.server.runs.ingest import finish_recording
from vigilant.server.runs.models import ArmLabel, Recording, Run
from vigilant.server.runs.plans import arm_name
from vigilant.server.seals.services import seal

from . import basis
from .balance import rebalance
from .deciding import next_number
from .keeping import Made, keep, replace
from .models import Comparison, Entry
from .stored_arms import runs_by_id, usable

#: The kind of job that compares a delivered recording.
COMPARE = "compare recording"
#: The kind of job that compares runs which are stored already.
COMPARE_STORED = "compare stored runs"
#: The kind of job that computes a comparison anew, with the core that it is made for.
RECOMPUTE = "recompute comparison"
#: Sent with ``comparison``, within the transaction that kept it or made it anew.
comparison_kept = Signal()


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
    found = basis.of_runs(arms[0], arms[1], asked["order"]).made()[0]
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
    seal("recorded", entry)
    comparison_kept.send(sender=Comparison, comparison=entry.comparison)
    return entry


# -- a recording


def complete_recording(
    book: Book, recording_id: UUID, stopped: bool = False, looks: Sequence[Mapping[str, Any]] = ()
) -> Job | Entry | Recording:
    """All of a recording was delivered: a job compares each arm with the first and writes (or fills) an
    entry for each. Repeatable; the entry of the second arm where it is there already. A recording that was
    ``stopped`` by hand leaves the rest of its slots unrecorded. One that has an account of its own and is finished is
    answered with itself.
    """
    recording = Recording.objects.filter(pk=recording_id, book=book).first()
    if recording is None:
        raise conflict("recording-unknown", f"Recording {recording_id} was not registered in this book.")
    entry = entry_of_recording(recording)
    if entry is not None:
        return entry
    if recording.account and recording.state == Recording.State.FINISHED:
        return recording
    tried = basis.tried(recording, stopped)
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


def compare_delivered(recording_id: UUID, work: jobs.Work) -> Entry | Recording:
    """Compare a delivered recording and write its entries; one that has an account of its own is finished, and its account
    is made when it is read (a cell of a matrix is compared, without an entry). One that leaves an arm without a complete run, or
    runs that cannot be compared, is finished without a verdict, and its entry stays open: a problem."""
    recording = Recording.objects.select_related("scenario_version", "book").get(pk=recording_id)
    entry = entry_of_recording(recording)
    if entry is not None:
        return entry
    tried = basis.tried(recording, recording.stopped)
    closing = sum(s.run is not None and s.run.state == Run.State.CLOSING for s in tried)
    if closing:
        raise jobs.NotYet(f"{closing} of {len(tried)} runs are still being closed")
    if recording.account and (recording.account != "matrix" or recording.comparisons.exists()):
        return _finish(recording.pk)
    labels = basis.labels_of(recording)
    empty = [
        a for a in (ArmLabel.BEFORE.value, *labels)
        if not any(s.arm == a and s.run and s.run.state == Run.State.COMPLETE for s in tried)
    ]  # fmt: skip
    made: list[Made] = []
    why = f"no run of arm {empty[0]} is complete" if empty else ""
    work.at(0.1, f"comparing {len(tried)} runs")
    if not why:
        try:
            made = basis.of_slots(recording, tried).made()
        except Problem as problem:
            why = str(problem.detail)
    work.at(0.9, "writing the entry")
    entry = _write_recording(recording.pk, labels, made, why)
    if entry is None and recording.account and made:
        return recording
    if entry is None:
        raise unprocessable("no-verdict", f"{why[0].upper()}{why[1:].rstrip('.')}; the runs are kept.")
    return entry


@in_transaction
def _finish(recording_id: UUID) -> Recording:
    recording = Recording.objects.select_for_update().select_related("book").get(pk=recording_id)
    if recording.state != Recording.State.FINISHED:
        finish_recording(recording)
    return recording


def entry_of_recording(recording: Recording) -> Entry | None:
    """The entry of its second arm, once it was compared."""
    return Entry.objects.filter(comparison__recording=recording).order_by("number").first()


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
    if existing is not None or recording.comparisons.exists():
        return existing
    recording.remark = why
    recording.save(update_fields=["remark"])
    finish_recording(recording)
    comparisons = [keep(recording.book, m, recording) for m in made]
    if recording.account:  # a cell of a matrix: its comparison is read there, and stands in no ledger
        return None
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
        seal("recorded", entry)
        return entry
    against = f"{arm_name(recording.plan, label)} against {arm_name(recording.plan, 'before')}"
    own = str(plan.get("title") or "") if label == ArmLabel.AFTER else ""
    entry = Entry.objects.create(
        book=book,
        number=next_number(book),
        title=(own or against)[:200],
        why=str(plan.get("why", "")),
        expected=str(plan.get("expected", "")),
        locked_at=recording.created_at,
        comparison=comparison,
        recorded_at=recording.created_at,
    )
    seal("recorded", entry)
    return entry


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
    made = basis.made_again(comparison)
    return _put_anew(comparison_id, made)


@in_transaction
def _put_anew(comparison_id: int, made: Made) -> bool:
    comparison = Comparison.objects.select_for_update().get(pk=comparison_id)
    if comparison.core_version == CORE_VERSION:
        return False
    replace(comparison, made)
    rebalance([comparison])
    for entry in Entry.objects.filter(comparison=comparison):
        seal("computed anew", entry)
        comparison_kept.send(sender=Comparison, comparison=comparison)
    return True
