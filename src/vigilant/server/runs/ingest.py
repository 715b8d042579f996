"""Receiving runs: every write is whole or not at all, and repeating it is harmless."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime, timedelta
from typing import Any
from uuid import UUID

from django.dispatch import Signal
from django.utils import timezone

from vigilant.formats import FormatError, limits
from vigilant.formats.frames import StreamState
from vigilant.formats.head import check_head, head_conditions
from vigilant.server.books.models import Book
from vigilant.server.database import in_transaction
from vigilant.server.problems import Problem, conflict, unprocessable
from vigilant.server.scenarios import services as scenarios
from vigilant.server.wake import tell

from .figures import runs_changed
from .models import Recording, Run, RunFigures, Slot
from .plans import arm_name, checked_plan, definition_of
from .store import forget_series

#: Sent with ``recording`` when a run is opened: its expectation is locked from then on.
run_opened = Signal()
#: Sent with ``recording`` within the transaction that finishes it.
recording_finished = Signal()


@in_transaction
def create_recording(book: Book, data: Mapping[str, Any]) -> tuple[Recording, bool]:
    """Register a recording and its slots, or take one that was planned here; again adds new attempts."""
    found = Recording.objects.select_for_update().filter(pk=data["id"]).first()
    if found is not None and found.book_id != book.pk:
        raise conflict("recording-elsewhere", "A recording with this id belongs to another book.")
    if found is not None and found.state != Recording.State.PLANNED:
        _check_same(found, data)
        _take_levels(found, data["plan"])
        _add_slots(found, data["slots"])
        return found, False
    checked = checked_plan(data["plan"])
    plan, name = checked.raw, checked.scenario
    definition = definition_of(plan)
    rig = data["rig"]
    values = {
        "book": book,
        "scenario_version": scenarios.scenario_version(book, name, definition),
        "rig": scenarios.rig(book, str(rig.get("alias", "")), rig.get("facts", {}), rig.get("speed"), data["created"]),
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


def _take_levels(recording: Recording, plan: Mapping[str, Any]) -> None:
    """A ramp that chooses its levels, and a hunt that chooses its builds, has arms that its plan had not: those come to it, and nothing
    else of it changes. A plan that is not read is left to the first registration's checks."""
    sent, own = plan.get("arm"), recording.plan.get("arm")
    if not isinstance(sent, list) or not isinstance(own, list) or len(sent) <= len(own):
        return
    grown = checked_plan(plan)
    kept = [table for table in sent if table in own] == own
    if (
        (grown.choosing is None and grown.account != "hunt")
        or not kept
        or any(grown.raw.get(k) != recording.plan.get(k) for k in ("scenario", "sweep", "hunt"))
    ):
        raise unprocessable(
            "plan-changed",
            "A recording that is under way keeps its plan, but for the levels that a ramp chooses and the builds that a hunt does.",
        )
    recording.plan = {**recording.plan, "arm": sent}
    recording.save(update_fields=["plan"])


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
    if run.state == Run.State.BROKEN:
        runs_changed.send(sender=Run, runs=[run])
    return run, True


def _reopen(run: Run) -> None:
    """A run that was given up goes on where it stood; it enters an arm only when it is complete."""
    forget_series(run)
    RunFigures.objects.filter(run=run).delete()
    run.state, run.outcome, run.given_up, run.detail = Run.State.RECEIVING, run.given_up, "", ""
    run.frames, run.seconds, run.noted, run.marks = StreamState(**run.stream).frames, 0.0, {}, []
    run.reached_at = timezone.now()
    run.save()
    runs_changed.send(sender=Run, runs=[run])
    Slot.objects.filter(run=run).update(outcome=run.outcome, detail="")


def finish_recording(recording: Recording, now: datetime | None = None) -> None:
    recording.completed_at = now or timezone.now()
    recording.state = Recording.State.FINISHED
    recording.save(update_fields=["completed_at", "state"])
    recording_finished.send(sender=Recording, recording=recording)
    tell(recording.pk)
