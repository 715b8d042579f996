"""Recordings that a visitor's own browser plays: the link, which page comes next, and what that page may deliver.

A page's token is good for the one run that it was made for, while that run is open, and from the origins that the plan
names; there is nothing else that it can do.
"""

from __future__ import annotations

import base64
import json
import secrets
from collections.abc import Mapping
from dataclasses import asdict, dataclass
from datetime import timedelta
from typing import Any
from uuid import UUID, uuid4

from django.core import signing
from django.shortcuts import get_object_or_404
from django.utils import timezone

from vigilant.core.schedule import draw_order
from vigilant.plan import Plan, page_origin
from vigilant.server.database import in_transaction
from vigilant.server.entries.comparing import complete_recording
from vigilant.server.problems import Problem, conflict
from vigilant.server.runs import batches, closing, ingest
from vigilant.server.runs.models import Outcome, Recording, Run, Slot
from vigilant.server.runs.plans import checked_plan
from vigilant.server.scenarios import services as scenarios
from vigilant.server.wake import tell

from .models import Live, Visit

#: Of letters and digits that nobody takes for another.
LETTERS = "23456789ABCDEFGHJKMNPQRSTVWXYZ"
GOOD_FOR = timedelta(days=2)
#: A place whose page was left, or broke, so often is given up.
MOST_ATTEMPTS = 3
MOST_SEED = 10_000
ALIAS = "a visitor's browser"
MOST_FACTS = 20
LEFT = "the page was left before its run was over"
_SALT = "a page's run"


def invite(recording: Recording, plan: Plan) -> Visit:
    """The link of a recording just planned, whose arms are pages."""
    code = "-".join("".join(secrets.choice(LETTERS) for _ in range(4)) for _ in range(2))
    origins = sorted({page_origin(arm.page) for arm in plan.arms})
    return Visit.objects.create(recording=recording, code=code, origins=origins, expires_at=timezone.now() + GOOD_FOR)


def visit_of(code: str) -> Visit:
    """The visit of a code as somebody typed it; 404 where there is none, or none any more."""
    plain = "".join(c for c in code[:20].upper() if c in LETTERS)
    found = Visit.objects.filter(code=f"{plain[:4]}-{plain[4:]}", expires_at__gt=timezone.now())
    return get_object_or_404(found.select_related("recording__scenario_version__scenario"))


@dataclass(frozen=True)
class Standing:
    """How far a visit is: ``done`` of ``places`` have a run that is over."""

    places: int
    done: int
    over: bool


def standing(recording: Recording) -> Standing:
    plan = checked_plan(recording.plan)
    last = _last_attempts(recording)
    done = sum(_is_over(slot) and not _may_try_again(slot, plan) for slot in last)
    over = recording.state in (Recording.State.FINISHED, Recording.State.REFUSED) or recording.completed_at is not None
    return Standing(len(last) or plan.runs * len(plan.arms), done, over)


@in_transaction
def next_address(visit: Visit, server: str) -> str | None:
    """The page that plays next, with what it needs in its # part; None once all have played, or it was called off.

    ``server`` is this server's address as the visitor reaches it. A page that was left before its run was over has its
    attempt closed as broken, and its place is tried again.
    """
    recording = Recording.objects.select_for_update().get(pk=visit.pk)
    plan = checked_plan(recording.plan)
    if recording.state not in (Recording.State.PLANNED, Recording.State.RECORDING):
        return None
    if recording.state == Recording.State.PLANNED:
        _begin(recording, plan)
    for slot in _last_attempts(recording):
        if slot.run is not None and slot.run.state == Run.State.RECEIVING:
            _give_up(slot)
        if _may_try_again(slot, plan):
            slot = Slot.objects.create(
                recording=recording, position=slot.position, attempt=slot.attempt + 1, arm=slot.arm, run_uuid=uuid4()
            )
        if slot.run_id is None:
            return _address(visit, plan, slot, server)
    return None


def _begin(recording: Recording, plan: Plan) -> None:
    seed = plan.order_seed if plan.order_seed is not None else secrets.randbelow(MOST_SEED)
    order = draw_order(plan.runs, seed, plan.order, [arm.label for arm in plan.arms])
    Slot.objects.bulk_create(
        Slot(recording=recording, position=i, arm=arm, run_uuid=uuid4()) for i, arm in enumerate(order)
    )
    recording.state, recording.order_seed = Recording.State.RECORDING, seed
    recording.save(update_fields=["state", "order_seed"])
    Live.objects.get_or_create(recording=recording)


def _last_attempts(recording: Recording) -> list[Slot]:
    """The last attempt at each place, in order."""
    slots = recording.slots.select_related("run").order_by("position", "attempt")
    return list({slot.position: slot for slot in slots}.values())


def _is_over(slot: Slot) -> bool:
    return slot.run is not None and slot.run.state != Run.State.RECEIVING


def _may_try_again(slot: Slot, plan: Plan) -> bool:
    """What came of a page that was left, or of one that broke, is no run: its place is played again."""
    broken = _is_over(slot) and slot.outcome not in (Outcome.PLANNED, Outcome.COMPLETE)
    return broken and slot.attempt < max(MOST_ATTEMPTS, plan.bench.retries + 1)


def _give_up(slot: Slot) -> None:
    run = slot.run
    assert run is not None
    run.outcome, run.detail = Outcome.BROKEN, LEFT
    run.save(update_fields=["outcome", "detail"])
    slot.outcome, slot.detail = Outcome.BROKEN, LEFT
    slot.save(update_fields=["outcome", "detail"])
    closing.begin_closing(run.pk)
    run.refresh_from_db()


def _address(visit: Visit, plan: Plan, slot: Slot, server: str) -> str:
    arm = next(arm for arm in plan.arms if arm.label == slot.arm)
    load = None if plan.load is None else plan.load.value
    fill = {"seconds": f"{plan.run_s:g}", "seed": str(plan.seed), "load": "" if load is None else f"{load:g}"}
    page = arm.page
    for name, value in fill.items():
        page = page.replace(f"{{{name}}}", value)
    told = {
        "to": f"{server}/api/visited/{slot.run_uuid}",
        "back": f"{server}/visit/{visit.code}",
        "token": signing.dumps(str(slot.run_uuid), salt=_SALT),
        "seconds": plan.run_s,
        "seed": plan.seed,
        "load": load,
    }
    asked = base64.urlsafe_b64encode(json.dumps(told).encode()).decode().rstrip("=")
    return f"{page}#vigilant={asked}"


def allows(run_id: UUID, origin: str) -> bool:
    """Whether a page of this origin may deliver to the run."""
    found = Visit.objects.filter(recording__slots__run_uuid=run_id).values_list("origins", flat=True).first()
    return found is not None and origin in found


def slot_of(run_id: UUID, token: str, origin: str) -> Slot:
    """The place that the token delivers to. Raises a problem for any other."""
    try:
        own = signing.loads(token, salt=_SALT, max_age=GOOD_FOR)
    except signing.BadSignature:
        raise Problem(401, "token-unknown", "This page's token is not good, or not any more.") from None
    if own != str(run_id):
        raise Problem(403, "token-of-another", "This page's token is of another run.")
    if not allows(run_id, origin):
        raise Problem(
            403, "origin-unlike", f"Pages of {origin[:200] or 'no origin'} may not deliver to this recording."
        )
    slot = Slot.objects.select_related("recording__visit", "recording__book", "run").get(run_uuid=run_id)
    over = slot.recording.state != Recording.State.RECORDING
    if over and (slot.run is None or slot.run.state == Run.State.RECEIVING):
        raise conflict("recording-over", "This recording is over; the run is not wanted any more.")
    return slot


@in_transaction
def open_run(run_id: UUID, token: str, origin: str, told: Mapping[str, Any]) -> Run:
    """A page has drawn its first frames and says its head and what its browser is; again is harmless."""
    slot = slot_of(run_id, token, origin)
    recording = Recording.objects.select_for_update().get(pk=slot.recording_id)
    newest = recording.slots.filter(position=slot.position).order_by("-attempt").first()
    if newest is None or newest.run_uuid != run_id:
        raise conflict("run-closed", "This page was opened again meanwhile; that one counts.")
    plan = checked_plan(recording.plan)
    if recording.rig is None:
        recording.rig = scenarios.rig(recording.book, plan.rig_alias or ALIAS, told["facts"])
        recording.save(update_fields=["rig"])
    sheet = {"recorded by": "a page in a visitor's browser", **told["facts"]}
    if plan.load is not None:
        sheet["load"] = str(plan.load)
    run, _ = ingest.create_run(
        recording.book,
        run_id,
        {
            "recording": recording.pk,
            "position": slot.position,
            "attempt": slot.attempt,
            "conditions": sheet,
            "started": timezone.now(),
            "outcome": Outcome.COMPLETE,
            "head": told["head"],
        },
    )
    _say(slot, "between")
    return run


def put_batch(run_id: UUID, token: str, origin: str, number: int, body: bytes, encoding: str | None) -> dict[str, Any]:
    """Store lines of the run, whole or not at all."""
    slot_of(run_id, token, origin)
    received = batches.put_batch(Run.objects.all(), run_id, number, body, encoding, batches.digest_of(body))
    if received is None:
        raise conflict("run-unknown", "This run was not opened yet.")
    return asdict(received)


def end_run(run_id: UUID, token: str, origin: str, frames: int, server: str) -> str | None:
    """The run is over; the page that plays next, if any. Once all are over they are compared. Again is harmless."""
    slot = slot_of(run_id, token, origin)
    if slot.run is None:
        raise conflict("run-unknown", "This run was not opened yet.")
    closing.complete_run(slot.recording.book, run_id, frames)
    _say(slot, "between")
    address = next_address(slot.recording.visit, server)
    if address is None:
        _compare(slot.recording)
    return address


def _compare(recording: Recording) -> None:
    fresh = Recording.objects.select_related("book").get(pk=recording.pk)
    if fresh.state == Recording.State.RECORDING:
        complete_recording(fresh.book, fresh.pk)


@in_transaction
def begins(run_id: UUID, token: str, origin: str) -> None:
    """A page plays from now on; its frames come when it has ended, so that nothing is sent while it is measured."""
    slot = slot_of(run_id, token, origin)
    if slot.run is not None and slot.run.state != Run.State.RECEIVING:
        raise conflict("run-closed", f"The run is {slot.run.state}; it takes nothing more.")
    _say(slot, "running")


@in_transaction
def _say(slot: Slot, phase: str) -> None:
    live, _ = Live.objects.select_for_update().get_or_create(recording=slot.recording)
    live.number += 1
    live.state = {"phase": phase, "position": slot.position, "attempt": slot.attempt, "arm": slot.arm}
    live.save()
    tell(slot.recording_id)
