"""Receiving runs: every write is whole or not at all, and repeating it is harmless."""

from __future__ import annotations

import base64
import hashlib
import io
import logging
import re
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any
from uuid import UUID

import zstandard
from django.db import OperationalError, transaction
from django.dispatch import Signal
from django.utils import timezone

from vigilant.core import CORE_VERSION, CoreError, FrameSeries, Policy
from vigilant.core.summary import RunView, figure_values, leg_summaries, summarize_view
from vigilant.formats import FormatError, limits
from vigilant.formats.errors import PlanError
from vigilant.formats.frames import FramesParser, StreamState
from vigilant.formats.head import check_head, head_conditions
from vigilant.formats.opening import DAMAGED, decoded
from vigilant.formats.run import ReadRun
from vigilant.plan import ArmRef, Plan, parse_plan, plan_policy
from vigilant.plan.armref import Role
from vigilant.server.books.models import Book, RecorderToken
from vigilant.server.database import in_transaction
from vigilant.server.jobs import services as jobs
from vigilant.server.problems import Problem, conflict, unprocessable
from vigilant.server.scenarios import services as scenarios
from vigilant.server.wake import tell

from .models import FigureValue, Outcome, Recording, Run, RunBatch, RunFigures, Slot
from .store import forget_series, read_series, write_series

log = logging.getLogger(__name__)
MOST_STUTTERS = 200
_MOST_HEADER = 1000
_DIGEST = re.compile(r"sha-256=:([A-Za-z0-9+/=]+):")
#: The kind of job that closes a run.
CLOSE_RUN = "close run"
#: Sent with ``recording`` when a run is opened: its expectation is locked from then on.
run_opened = Signal()


def definition_of(plan: Mapping[str, Any]) -> dict[str, Any]:
    """The part of a plan that makes a scenario version."""
    scenario = plan.get("scenario", {})
    return {**{k: scenario[k] for k in sorted(scenarios.DEFINED) if k in scenario}, "policy": plan.get("policy", {})}


def policy_of(definition: Mapping[str, Any]) -> Policy:
    """The policy of a scenario version. Raises a problem."""
    try:
        return plan_policy(definition, definition.get("policy", {}), "The plan cannot be judged by")
    except PlanError as error:
        raise unprocessable(error.code, str(error)) from error


def checked_plan(raw: Any) -> Plan:
    """A plan as its recorder will read it: what cannot be read is not stored. Raises a problem."""
    try:
        return parse_plan(raw, Path(), "the plan")
    except PlanError as error:
        raise unprocessable(error.code, str(error)) from error


@in_transaction
def create_recording(book: Book, data: Mapping[str, Any]) -> tuple[Recording, bool]:
    """Register a recording and its slots, or take one that was planned here; again adds new attempts."""
    found = Recording.objects.select_for_update().filter(pk=data["id"]).first()
    if found is not None and found.book_id != book.pk:
        raise conflict("recording-elsewhere", "A recording with this id belongs to another book.")
    if found is not None and found.state != Recording.State.PLANNED:
        _check_same(found, data)
        _add_slots(found, data["slots"])
        return found, False
    plan = data["plan"]
    name = checked_plan(plan).scenario
    definition = definition_of(plan)
    rig = data["rig"]
    values = {
        "book": book,
        "scenario_version": scenarios.scenario_version(book, name, definition),
        "rig": scenarios.rig(book, str(rig.get("alias", "")), rig.get("facts", {}), rig.get("speed")),
        "plan": plan,
        "conditions": data["conditions"],
        "order_seed": data["order_seed"],
        "created_at": data["created"],
        "state": Recording.State.RECORDING,
    }
    recording, _ = Recording.objects.update_or_create(pk=data["id"], defaults=values)
    _add_slots(recording, data["slots"])
    return recording, True


def _check_same(recording: Recording, data: Mapping[str, Any]) -> None:
    """Another recorder with the same planned recording comes too late."""
    first = recording.slots.filter(position=0, attempt=1).values_list("run_uuid", flat=True).first()
    sent = next((s["run"] for s in data["slots"] if s["position"] == 0 and s.get("attempt", 1) == 1), None)
    if first is not None and str(first) != str(sent):
        raise conflict("recording-taken", "Another recorder has taken this recording.")


def _add_slots(recording: Recording, slots: Sequence[Mapping[str, Any]]) -> None:
    there = set(recording.slots.values_list("position", "attempt"))
    Slot.objects.bulk_create(
        Slot(
            recording=recording,
            position=slot["position"],
            attempt=slot.get("attempt", 1),
            arm=slot["arm"],
            run_uuid=slot["run"],
            outcome=slot["outcome"],
            detail=slot.get("detail", ""),
        )
        for slot in slots
        if (slot["position"], slot.get("attempt", 1)) not in there
    )


def arm_name(plan: Mapping[str, Any], label: str) -> str:
    """The name the plan gives an arm (the plan package numbers them in the plan's order)."""
    listed = plan.get("arm") if isinstance(plan, dict) else None
    tables = [table for table in listed if isinstance(table, dict)] if isinstance(listed, list) else []
    ref = ArmRef.of(label)
    own = [table for table in tables if bool(table.get("empty")) == (ref.role == Role.EMPTY)]
    index = max(ref.index, 0)
    return str(own[index].get("name", label)) if index < len(own) else label


@in_transaction
def create_run(book: Book, run_id: UUID, data: Mapping[str, Any]) -> tuple[Run, bool]:
    """Open a run for its batches; one without a readable stream is stored as broken, with its outcome."""
    found = Run.objects.select_for_update().filter(pk=run_id).first()
    if found is not None:
        if found.book_id != book.pk:
            raise conflict("run-elsewhere", "A run with this id belongs to another book.")
        if found.state == Run.State.CLOSING and found.reached_at < timezone.now() - timedelta(hours=1):
            # Perhaps given up for silence a moment ago: then it opens again once it is closed.
            raise Problem(503, "run-closing", f"Run {run_id} is being closed; try again in a moment.")
        if found.given_up:
            _reopen(found)
        return found, False
    slot = (
        Slot.objects.select_for_update()
        .select_related("recording")
        .filter(
            recording_id=data["recording"],
            recording__book=book,
            position=data["position"],
            attempt=data.get("attempt", 1),
        )
        .first()
    )
    if slot is None or slot.run_uuid != run_id:
        raise unprocessable("slot-unknown", f"Run {run_id} is in no slot {data['position']} of this recording.")
    head = data.get("head")
    if head is not None:
        try:
            head = check_head(head)
        except FormatError as error:
            raise unprocessable(error.code, str(error), line=error.line) from error
    recording = slot.recording
    sheet = {
        **{str(k): str(v) for k, v in recording.conditions.items()},
        **data.get("conditions", {}),
        **(head_conditions(head) if head else {}),
    }
    if len(sheet) > limits.SHEET_KEYS:
        raise unprocessable("conditions-too-many", f"{len(sheet)} conditions; {limits.SHEET_KEYS} are allowed.")
    run = Run.objects.create(
        id=run_id,
        book=book,
        scenario_version=recording.scenario_version,
        rig=recording.rig,
        conditions=scenarios.conditions(book, sheet),
        build=scenarios.build(book, arm_name(recording.plan, slot.arm), data.get("revision", {})),
        state=Run.State.RECEIVING if head is not None else Run.State.BROKEN,
        outcome=data["outcome"],
        detail=data.get("detail", ""),
        output_tail=data.get("output_tail", ""),
        head=head,
        started_at=data.get("started"),
        measured=data.get("measured", {}),
    )
    slot.run, slot.outcome, slot.detail = run, data["outcome"], data.get("detail", "")
    slot.save(update_fields=["run", "outcome", "detail"])
    run_opened.send(sender=Run, recording=recording)
    return run, True


def _check_digest(header: str | None, body: bytes) -> str:
    digest = hashlib.sha256(body)
    match = _DIGEST.search((header or "")[:_MOST_HEADER])
    if match is None:
        raise unprocessable("digest-missing", "Content-Digest with sha-256 is needed.")
    if match.group(1) != base64.b64encode(digest.digest()).decode():
        raise unprocessable("digest-differs", "The body does not fit its Content-Digest; nothing was stored.")
    return digest.hexdigest()


def decompress(body: bytes, encoding: str | None) -> bytes:
    """The decoded body, bounded: all its members or frames, each whole. Raises a problem."""
    if encoding in (None, "", "identity"):
        return body
    if encoding not in ("gzip", "zstd"):
        raise unprocessable("encoding-unknown", f"Content-Encoding {encoding[:40]!r} is not known; use gzip or zstd.")
    try:
        plain = decoded(io.BytesIO(body), encoding).read(limits.BATCH_BYTES + 1)
    except DAMAGED as error:
        raise unprocessable("encoding-damaged", f"The body is no whole {encoding}: {error}.") from error
    if len(plain) > limits.BATCH_BYTES:
        raise unprocessable("batch-too-large", f"The lines of a batch may have {limits.BATCH_BYTES} bytes.")
    return plain


def _lines(plain: bytes) -> list[bytes]:
    count = plain.count(b"\n") + (not plain.endswith(b"\n"))
    if count > limits.BATCH_LINES:
        raise unprocessable(
            "batch-too-long", f"The batch has {count} lines; {limits.BATCH_LINES} are allowed. Send several."
        )
    rows = plain.split(b"\n")
    if not rows[-1]:
        rows.pop()
    return rows


@dataclass(frozen=True)
class Received:
    """Where a run stands after a batch; ``made`` is False for one that was there."""

    state: str
    outcome: str
    detail: str
    next_batch: int
    frames: int
    made: bool


def put_batch(
    token: str, run_id: UUID, number: int, body: bytes, encoding: str | None, digest_header: str | None
) -> Received | None:
    """Store one batch, committed before the answer; None where the token (its digest) delivers to no such run.

    It is checked as the continuation of those before it, by the state of the stream that the run
    keeps: what is acknowledged can be closed. Nothing is locked while it is read; it takes its place
    only if that is still the next one. 409 ``batch-gap`` names the number expected; 409
    ``batch-differs`` meets another digest.
    """
    if len(body) > limits.BATCH_BYTES:
        raise Problem(413, "batch-too-large", f"The batch has {len(body)} bytes; {limits.BATCH_BYTES} are allowed.")
    digest = _check_digest(digest_header, body)
    while True:
        row = (
            Run.objects.filter(RecorderToken.delivers("book__tokens__"), pk=run_id, book__tokens__hash=token)
            .values_list("state", "outcome", "detail", "next_batch", "frames", "head", "stream")
            .first()
        )
        if row is None:
            return None
        state, outcome, detail, expected, frames, head, stream = row
        if number < expected:
            there = RunBatch.objects.filter(run=run_id, number=number).values_list("digest", flat=True).first()
            if there != digest:
                raise conflict("batch-differs", f"Batch {number} is stored with other content.")
            return Received(state, outcome, detail, expected, frames, made=False)
        if state != Run.State.RECEIVING:
            raise conflict("run-closed", f"The run is {state}; it takes no more batches.")
        if number > expected:
            raise conflict("batch-gap", f"Batch {number} came, {expected} is expected.", expected=expected)
        plain = decompress(body, encoding)
        parser = FramesParser(head, f"batch {number}", state=StreamState(**stream))
        try:
            parser.feed_lines(_lines(plain))
        except FormatError as error:
            raise unprocessable(error.code, f"{error}; nothing of the batch was stored.", line=error.line) from error
        batch = RunBatch(run_id=run_id, number=number, digest=digest, body=zstandard.compress(plain, 1))
        if _take_place(batch, parser):
            return Received(state, outcome, detail, number + 1, parser.frames, made=True)


@in_transaction
def _take_place(batch: RunBatch, parser: FramesParser) -> bool:
    """Store the batch if its place is still the next one of an open run; False where somebody was quicker."""
    still = Run.objects.filter(pk=batch.run_id, state=Run.State.RECEIVING, next_batch=batch.number)
    taken = still.update(
        next_batch=batch.number + 1,
        frames=parser.frames,
        stream=vars(parser.state()),
        reached_at=timezone.now(),
    )
    if taken:
        batch.save(force_insert=True)
    return bool(taken)


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
    outcome = run.outcome
    _close_with(run, stated_frames, keep=given_up)
    if given_up:
        run.detail = f"nothing of it arrived since {run.reached_at:%Y-%m-%d %H:%M} UTC; what had come is kept"
        run.state, run.given_up = Run.State.BROKEN, outcome
        run.outcome = Outcome.BROKEN if outcome == Outcome.COMPLETE else outcome
        run.save(update_fields=["state", "detail", "given_up", "outcome"])
        Slot.objects.filter(run=run).update(outcome=run.outcome, detail=run.detail)


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
        seen = {k: read.series.conditions[k] for k in ("focus", "visible") if k in read.series.conditions}
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
        return _close(run, Run.State.BROKEN, run.detail or "the stream has no end; every whole line was kept", keep)
    state = Run.State.COMPLETE if run.outcome == Outcome.COMPLETE else Run.State.BROKEN
    return _close(run, state, run.detail, keep)


@in_transaction
def _close(run: Run, state: str, detail: str, keep: bool = False) -> Run:
    run.state, run.detail = state, detail
    if state == Run.State.BROKEN and run.outcome == Outcome.COMPLETE:
        run.outcome = Outcome.BROKEN
    run.save()
    Slot.objects.filter(run=run).update(outcome=run.outcome, detail=detail)
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
        parser.feed_lines(_lines(zstandard.decompress(bytes(batch.body))))
    return parser.finish() if len(parser.frame_ms) else None


def close_unreached(before: datetime) -> list[UUID]:
    """Close as broken every run that nothing reached since ``before``; the runs. A recorder that
    comes back to one finds it open again (:func:`create_run`)."""
    stale = Run.objects.filter(state=Run.State.RECEIVING, reached_at__lt=before).values_list("pk", flat=True)
    return [pk for pk in stale if begin_closing(pk, unreached_since=before)]


def _reopen(run: Run) -> None:
    """A run that was given up goes on where it stood; it enters an arm only when it is complete."""
    forget_series(run)
    RunFigures.objects.filter(run=run).delete()
    run.state, run.outcome, run.given_up, run.detail = Run.State.RECEIVING, run.given_up, "", ""
    run.frames, run.seconds, run.noted, run.marks = StreamState(**run.stream).frames, 0.0, {}, []
    run.reached_at = timezone.now()
    run.save()
    Slot.objects.filter(run=run).update(outcome=run.outcome, detail="")


def store_read_run(run: Run, read: ReadRun) -> None:
    """Write a run's frames, legs and figures. The caller saves the run."""
    series = read.series
    run.frames = int(series.frame_ms.size)
    run.seconds = float(series.frame_ms.sum()) / 1000.0
    run.noted = {
        "figures": dict(series.figures),
        "skipped": dict(read.skipped),
        "zero_frames": read.zero_frames,
        "stated_s": series.stated_s,
    }
    run.marks = [{"index": m.index, "name": m.name, "play": m.play} for m in series.marks]
    write_series(run, series)
    store_figures(run, series)


def store_figures(run: Run, series: FrameSeries) -> None:
    """Compute and keep the core's figures; a run with no frame left to judge keeps none."""
    policy = policy_of(run.scenario_version.definition)
    try:
        view = RunView(series, policy)
        summary = summarize_view(view)
    except CoreError as error:
        run.detail = run.detail or str(error)
        return
    legs = {"": summary, **leg_summaries(series, policy)}
    FigureValue.objects.filter(run=run).delete()
    FigureValue.objects.bulk_create(
        FigureValue(run=run, leg=leg, figure=name, value=value, core_version=CORE_VERSION)
        for leg, found in legs.items()
        for name, value in figure_values(found).items()
    )
    events = view.stutter()
    largest = sorted(range(len(events)), key=lambda i: -events.size_ms[i])[:MOST_STUTTERS]
    index = view.played.index
    RunFigures.objects.update_or_create(
        run=run,
        defaults={
            "core_version": CORE_VERSION,
            "target_fps": policy.target_fps,
            "values": {
                **summary.__dict__,
                "few_beyond": list(summary.few_beyond),
                "work": dict(summary.work),
                "regular": None if summary.regular is None else asdict(summary.regular),
            },
            "stutters": [
                {
                    "first": int(index[events.first[i]]),
                    "worst": int(index[events.worst[i]]),
                    "size_ms": float(events.size_ms[i]),
                    "longest_ms": float(events.longest_ms[i]),
                }
                for i in sorted(largest)
            ],
        },
    )


def outdated() -> list[UUID]:
    """Runs whose figures an earlier core made."""
    return list(RunFigures.objects.exclude(core_version=CORE_VERSION).values_list("run_id", flat=True))


def recompute_figures(run_id: UUID) -> None:
    """The figures of a stored run under this core."""
    run = Run.objects.select_related("scenario_version", "conditions").get(pk=run_id)
    series = read_series(run)
    with transaction.atomic():
        store_figures(run, series)


def finish_recording(recording: Recording, now: datetime | None = None) -> None:
    recording.completed_at = now or timezone.now()
    recording.state = Recording.State.FINISHED
    recording.save(update_fields=["completed_at", "state"])
    tell(recording.pk)
