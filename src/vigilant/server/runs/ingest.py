"""Receiving runs: every write is whole or not at all, and repeating it is harmless."""

from __future__ import annotations

import base64
import gzip
import hashlib
import io
import json
import re
import zlib
from collections.abc import Mapping, Sequence
from dataclasses import asdict
from datetime import datetime
from typing import Any
from uuid import UUID

import zstandard
from django.dispatch import Signal
from django.utils import timezone

from vigilant.core import CORE_VERSION, CoreError, Policy
from vigilant.core.summary import RunView, summarize_view
from vigilant.formats import FormatError
from vigilant.formats.errors import PlanError
from vigilant.formats.frames import FramesParser, head_conditions, parse_head
from vigilant.formats.plan import EMPTY, plan_policy
from vigilant.formats.run import ReadRun
from vigilant.server.books.models import Book
from vigilant.server.database import in_transaction
from vigilant.server.problems import Problem, conflict, unprocessable
from vigilant.server.scenarios import services as scenarios

from .models import Outcome, Recording, Run, RunBatch, RunFigures, Slot
from .store import write_series

MOST_BATCH_BYTES = 8 * 1024 * 1024
MOST_STUTTERS = 200
_DIGEST = re.compile(r"sha-256=:([A-Za-z0-9+/=]+):")
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
    definition = definition_of(plan)
    policy_of(definition)
    rig = data["rig"]
    values = {
        "book": book,
        "scenario_version": scenarios.scenario_version(book, str(plan.get("scenario", {}).get("name", "")), definition),
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


def arm_name(plan: Mapping[str, Any], arm: str) -> str:
    """The name the plan gives an arm, by its label (formats.plan numbers them in the plan's order)."""
    tables = plan.get("arm", [])
    if arm == EMPTY:
        return next((str(a.get("name", arm)) for a in tables if a.get("empty")), arm)
    played = [a for a in tables if not a.get("empty")]
    index = {"before": 0, "after": 1}.get(arm) if " " not in arm else int(arm.split()[1])
    return str(played[index].get("name", arm)) if index is not None and index < len(played) else arm


@in_transaction
def create_run(book: Book, run_id: UUID, data: Mapping[str, Any]) -> tuple[Run, bool]:
    """Open a run for its batches; one without a readable stream is stored as broken, with its outcome."""
    found = Run.objects.filter(pk=run_id).first()
    if found is not None:
        if found.book_id != book.pk:
            raise conflict("run-elsewhere", "A run with this id belongs to another book.")
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
            head = parse_head(json.dumps(head).encode())
        except FormatError as error:
            raise unprocessable(error.code, str(error), line=error.line) from error
    recording = slot.recording
    sheet = {
        **{str(k): str(v) for k, v in recording.conditions.items()},
        **data.get("conditions", {}),
        **(head_conditions(head) if head else {}),
    }
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
    match = _DIGEST.search(header or "")
    if match is None:
        raise unprocessable("digest-missing", "Content-Digest with sha-256 is needed.")
    if match.group(1) != base64.b64encode(digest.digest()).decode():
        raise unprocessable("digest-differs", "The body does not fit its Content-Digest; nothing was stored.")
    return digest.hexdigest()


def decompress(body: bytes, encoding: str | None) -> bytes:
    """The decoded body, bounded. Raises a problem."""
    try:
        if encoding in (None, "", "identity"):
            plain = body
        elif encoding == "gzip":
            plain = gzip.GzipFile(fileobj=io.BytesIO(body)).read(MOST_BATCH_BYTES + 1)
        elif encoding == "zstd":
            plain = zstandard.ZstdDecompressor().stream_reader(body).read(MOST_BATCH_BYTES + 1)
        else:
            raise unprocessable("encoding-unknown", f"Content-Encoding {encoding!r} is not known; use gzip or zstd.")
    except (OSError, EOFError, zlib.error, zstandard.ZstdError) as error:
        raise unprocessable("encoding-damaged", f"The body is not {encoding}: {error}") from error
    if len(plain) > MOST_BATCH_BYTES:
        raise unprocessable("batch-too-large", f"A batch may hold {MOST_BATCH_BYTES} bytes of lines.")
    return plain


def _feed(parser: FramesParser, lines: bytes, first_line: int) -> int:
    """Feed whole lines; the number of lines fed."""
    rows = lines.split(b"\n")
    if rows and not rows[-1]:
        rows.pop()
    parser.feed_lines(rows, first_line)
    return len(rows)


@in_transaction
def put_batch(
    book: Book, run_id: UUID, number: int, body: bytes, encoding: str | None, digest_header: str | None
) -> tuple[Run, bool]:
    """Store one batch, committed before the answer; True if it is new.

    409 ``batch-gap`` names the number expected; 409 ``batch-differs`` meets another digest.
    """
    if len(body) > MOST_BATCH_BYTES:
        raise Problem(413, "batch-too-large", f"A batch may hold {MOST_BATCH_BYTES} bytes.")
    digest = _check_digest(digest_header, body)
    run = Run.objects.select_for_update().filter(pk=run_id, book=book).first()
    if run is None:
        raise conflict("run-unknown", f"Run {run_id} was not opened in this book.")
    there = RunBatch.objects.filter(run=run, number=number).values_list("digest", flat=True).first()
    if there == digest:
        return run, False
    if there is not None:
        raise conflict("batch-differs", f"Batch {number} is stored with other content.")
    if run.state != Run.State.RECEIVING:
        raise conflict("run-closed", f"The run is {run.state}; it takes no more batches.")
    if number != run.next_batch:
        raise conflict("batch-gap", f"Batch {number} came, {run.next_batch} is expected.", expected=run.next_batch)
    plain = decompress(body, encoding)
    parser = FramesParser(run.head, f"batch {number}")
    parser.continue_from(run.last_stamp_ms)
    try:
        _feed(parser, plain, 1)
    except FormatError as error:
        raise unprocessable(error.code, f"{error}; nothing of the batch was stored.", line=error.line) from error
    RunBatch.objects.create(run=run, number=number, digest=digest, body=zstandard.compress(plain, 3))
    run.next_batch = number + 1
    run.frames += len(parser.frame_ms)
    run.last_stamp_ms = parser.last_stamp_ms
    run.save(update_fields=["next_batch", "frames", "last_stamp_ms"])
    return run, True


@in_transaction
def complete_run(book: Book, run_id: UUID, stated_frames: int) -> Run:
    """Close a run: its frames go into columns, its figures are computed.

    A frame count that does not fit leaves the run broken, with both counts; the frames stay.
    """
    run = Run.objects.select_for_update().filter(pk=run_id, book=book).first()
    if run is None:
        raise conflict("run-unknown", f"Run {run_id} was not opened in this book.")
    if run.state != Run.State.RECEIVING:
        return run
    read = _assemble(run)
    if read is None:
        return _close(run, Run.State.BROKEN, "the run holds no frame")
    seen = {k: read.series.conditions[k] for k in ("focus", "visible") if k in read.series.conditions}
    if seen:
        run.conditions = scenarios.conditions(book, {**run.conditions.facts, **seen})
    store_read_run(run, read)
    frames = run.frames
    if frames != stated_frames:
        return _close(run, Run.State.BROKEN, f"the recorder states {stated_frames} frames, {frames} arrived")
    if not read.complete:
        return _close(run, Run.State.BROKEN, run.detail or "the stream has no end; every whole line was kept")
    state = Run.State.COMPLETE if run.outcome == Outcome.COMPLETE else Run.State.BROKEN
    return _close(run, state, run.detail)


def _close(run: Run, state: str, detail: str) -> Run:
    run.state, run.detail = state, detail
    if state == Run.State.BROKEN and run.outcome == Outcome.COMPLETE:
        run.outcome = Outcome.BROKEN
    run.save()
    Slot.objects.filter(run=run).update(outcome=run.outcome, detail=detail)
    RunBatch.objects.filter(run=run).update(body=None)
    return run


def _assemble(run: Run) -> ReadRun | None:
    parser = FramesParser(run.head, str(run.pk))
    line = 2
    for batch in run.batches.order_by("number").iterator(chunk_size=4):
        line += _feed(parser, zstandard.decompress(bytes(batch.body)), line)
    return parser.finish() if len(parser.frame_ms) else None


def store_read_run(run: Run, read: ReadRun) -> None:
    """Write a run's frames, legs and figures. The caller saves the run."""
    series = read.series
    run.frames = int(series.frame_ms.size)
    run.seconds = float(series.frame_ms.sum()) / 1000.0
    run.columns = {
        "lanes": list(series.lanes),
        "lane_roles": dict(series.lane_roles),
        "counters": list(series.counters),
        "figures": dict(series.figures),
        "parts": [asdict(part) for part in series.parts],
        "gaps": {k: dict(v) for k, v in read.gaps.items()},
        "skipped": dict(read.skipped),
        "zero_frames": read.zero_frames,
        "stated_s": series.stated_s,
    }
    run.marks = [{"index": m.index, "name": m.name, "play": m.play} for m in series.marks]
    write_series(run, series)
    store_figures(run, read)


def store_figures(run: Run, read: ReadRun) -> None:
    """Compute and keep the core's figures; a run with no frame left to judge keeps none."""
    policy = policy_of(run.scenario_version.definition)
    try:
        view = RunView(read.series, policy)
        summary = summarize_view(view)
    except CoreError as error:
        run.detail = run.detail or str(error)
        return
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


def finish_recording(recording: Recording, now: datetime | None = None) -> None:
    recording.completed_at = now or timezone.now()
    recording.state = Recording.State.FINISHED
    recording.save(update_fields=["completed_at", "state"])
