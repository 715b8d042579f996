"""Closing a run: its batches become columns and figures, and its end is said."""

from __future__ import annotations

import logging
from datetime import datetime
from uuid import UUID

import zstandard
from django.db import OperationalError, transaction

from vigilant.core.sheet import AWAY
from vigilant.formats import FormatError, limits
from vigilant.formats.frames import FramesParser
from vigilant.formats.run import ReadRun
from vigilant.server.books.models import Book
from vigilant.server.database import in_transaction
from vigilant.server.jobs import services as jobs
from vigilant.server.problems import conflict
from vigilant.server.scenarios import services as scenarios

from .batches import lines_of
from .figures import runs_changed, store_read_run
from .models import Outcome, Run, RunBatch, Slot

log = logging.getLogger(__name__)
#: The kind of job that closes a run.
CLOSE_RUN = "close run"


def complete_run(book: Book, run_id: UUID, stated_frames: int) -> Run:
    """Close a run: its frames go into columns and its figures are computed, as a job.

    A frame count that does not fit leaves the run broken, with both counts; the frames stay.
    """
    if not Run.objects.filter(pk=run_id, book=book).exists():
        raise conflict("run-unknown", f"Run {run_id} was not opened in this book.")
    begin_closing(run_id, stated_frames=stated_frames)
    return Run.objects.get(pk=run_id)


@in_transaction
def begin_closing(run_id: UUID, stated_frames: int | None = None, unreached_since: datetime | None = None) -> bool:
    """An open run takes no more batches from now on, and a job closes it. ``unreached_since`` closes it only where
    nothing has reached it since then. False where it is not open."""
    still = Run.objects.filter(pk=run_id, state=Run.State.RECEIVING)
    if unreached_since is not None:
        still = still.filter(reached_at__lt=unreached_since)
    if not still.update(state=Run.State.CLOSING):
        return False
    book = Book.objects.get(runs=run_id)
    jobs.start(CLOSE_RUN, run_id, book, frames=stated_frames, given_up=unreached_since is not None)
    return True


def close_run(run_id: UUID, stated_frames: int | None, given_up: bool) -> None:
    """Close a run that takes no more batches; again does nothing. ``given_up`` where nobody came back to it."""
    run = Run.objects.select_related("scenario_version", "conditions", "book").get(pk=run_id)
    if run.state != Run.State.CLOSING:
        return
    if given_up:
        run.given_up = run.outcome
    _close_with(run, stated_frames, keep=given_up)


def give_up_closing(run_id: UUID, why: str) -> None:
    """No job could close the run: it is broken, and its batches stay as they came."""
    run = Run.objects.get(pk=run_id)
    if run.state == Run.State.CLOSING:
        _close(run, Run.State.BROKEN, f"it could not be closed: {why}"[: limits.DETAIL], keep=True)


def _close_with(run: Run, stated_frames: int | None, keep: bool = False) -> Run:
    """Close a run with the batches that are there; ``stated_frames`` is None where nobody stated any.

    Whatever can only be known now makes the run broken, with the reason: no run stays open because
    of what it holds. What was received is then kept as it came.
    """
    received = run.frames
    try:
        read, unfit = _assemble(run)
        if read is None:
            return _close(run, Run.State.BROKEN, unfit or "the run holds no frame", keep=keep or bool(unfit))
        seen = {k: read.series.conditions[k] for k in AWAY if k in read.series.conditions}
        if seen:
            run.conditions = scenarios.conditions(run.book, {**run.conditions.facts, **seen})
        with transaction.atomic():
            store_read_run(run, read)
    except OperationalError:
        raise  # a conflict or a database that went away: the job is tried again
    except Exception as error:
        log.exception("run %s cannot be closed", run.pk)
        return _close(run, Run.State.BROKEN, f"its frames cannot be stored: {error}"[: limits.DETAIL], keep=True)
    if unfit:
        return _close(run, Run.State.BROKEN, unfit[: limits.DETAIL], keep=True)
    if stated_frames is not None and received != stated_frames:
        return _close(run, Run.State.BROKEN, f"the recorder states {stated_frames} frames, {received} arrived", keep)
    if not read.complete:
        return _close(run, Run.State.BROKEN, run.detail or f"{read.broken}; every whole line was kept", keep)
    state = Run.State.COMPLETE if run.outcome == Outcome.COMPLETE else Run.State.BROKEN
    return _close(run, state, run.detail, keep)


@in_transaction
def _close(run: Run, state: str, detail: str, keep: bool = False) -> Run:
    if run.given_up:
        state = Run.State.BROKEN
        detail = f"nothing of it arrived since {run.reached_at:%Y-%m-%d %H:%M} UTC; what had come is kept"
    run.state, run.detail = state, detail
    if state == Run.State.BROKEN and run.outcome == Outcome.COMPLETE:
        run.outcome = Outcome.BROKEN
    run.save()
    Slot.objects.filter(run=run).update(outcome=run.outcome, detail=detail)
    runs_changed.send(sender=Run, runs=[run])
    if not keep:
        RunBatch.objects.filter(run=run).update(body=None)
    return run


def _assemble(run: Run) -> tuple[ReadRun | None, str]:
    """The run as received, and why it is not all of it: then it is what is valid of it, None if nothing is."""
    try:
        return _parsed(run, keep_valid=False), ""
    except FormatError as error:
        unfit = str(error)
    try:
        return _parsed(run, keep_valid=True), unfit
    except FormatError as error:
        return None, unfit or str(error)


def _parsed(run: Run, keep_valid: bool) -> ReadRun | None:
    parser = FramesParser(run.head, str(run.pk), keep_valid)
    for batch in run.batches.order_by("number").iterator(chunk_size=4):
        parser.feed_lines(lines_of(zstandard.decompress(bytes(batch.body))))
    return parser.finish() if len(parser.frame_ms) else None


def close_unreached(before: datetime) -> list[UUID]:
    """Close as broken every run that nothing reached since ``before``; the runs. A recorder that
    comes back to one finds it open again (:func:`ingest.create_run`)."""
    stale = Run.objects.filter(state=Run.State.RECEIVING, reached_at__lt=before).values_list("pk", flat=True)
    return [pk for pk in stale if begin_closing(pk, unreached_since=before)]
