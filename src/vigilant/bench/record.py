"""Record a plan: every slot in its drawn order, each run to disk before the next begins."""

from __future__ import annotations

import secrets
import time
import uuid
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path
from typing import Protocol

from vigilant.core import Comparison, compare, failed_runs

from .errors import BenchError
from .launcher import run_subject
from .machine import background_load, fingerprint, rig_facts
from .plan import Plan
from .schedule import draw_order
from .spool import RecordingSpool, SlotRecord, judge_stream


class Watcher(Protocol):
    """Told what happens while a plan is recorded."""

    def slot_started(self, slot: SlotRecord, total: int) -> None: ...

    def slot_running(self, slot: SlotRecord, seconds: float) -> None: ...

    def slot_ended(self, slot: SlotRecord) -> None: ...


def _now() -> str:
    return datetime.now(UTC).strftime("%Y-%m-%dT%H:%M:%SZ")


def prepare(plan: Plan, spool_root: Path) -> RecordingSpool:
    """Draw the order and lay out the spool."""
    order_seed = plan.order_seed if plan.order_seed is not None else secrets.randbelow(2**31)
    recording = str(uuid.uuid4())
    facts = rig_facts()
    order = draw_order(plan.runs, order_seed, plan.order)
    spool = RecordingSpool(
        directory=spool_root / recording,
        recording=recording,
        created=_now(),
        plan=dict(plan.raw),
        order_seed=order_seed,
        rig={"alias": plan.rig_alias, "facts": facts, "fingerprint": fingerprint(facts)},
        conditions=dict(plan.conditions),
        slots=[SlotRecord(i, arm, str(uuid.uuid4())) for i, arm in enumerate(order)],
    )
    spool.save()
    return spool


def record(plan: Plan, spool: RecordingSpool, watcher: Watcher, sleep: Callable[[float], None] = time.sleep) -> None:
    """Run every slot. A subject that crashes, hangs or writes nonsense is an outcome; the rest goes on."""
    arms = {arm.label: arm for arm in plan.arms}
    variables = {"VIGILANT_SECONDS": f"{plan.warm_up_s + plan.duration_s:g}", "VIGILANT_SEED": str(plan.seed)}
    for slot in spool.slots:
        slot.started, slot.background_load = _now(), background_load()
        watcher.slot_started(slot, len(spool.slots))
        stream = spool.stream_path(slot)

        def tick(seconds: float, slot: SlotRecord = slot) -> None:
            watcher.slot_running(slot, seconds)

        ended = run_subject(arms[slot.arm], stream, variables, plan.timeout_s, tick)
        slot.outcome, slot.detail = ended.outcome, ended.detail
        slot.seconds, slot.output_tail = round(ended.seconds, 3), ended.output_tail
        if stream.exists():
            judged, detail, slot.frames = judge_stream(stream)
            if slot.outcome == "complete":
                slot.outcome, slot.detail = judged, detail
        elif slot.outcome == "complete":
            slot.outcome, slot.detail = "broken", "the subject wrote no frames to the file in VIGILANT_FRAMES"
        spool.save()
        watcher.slot_ended(slot)
        if plan.cool_down_s and slot is not spool.slots[-1]:
            sleep(plan.cool_down_s)


def verdict(plan: Plan, spool: RecordingSpool) -> Comparison:
    """The comparison of a recorded plan. Raises :class:`BenchError` when an arm has no complete run."""
    before, after, order = spool.arms()
    for name, arm in (("before", before), ("after", after)):
        if not arm:
            reasons = sorted({s.detail or s.outcome for s in spool.slots if s.arm == name})
            raise BenchError(f"no run of arm {name} completed: {'; '.join(reasons)}")
    return compare(before, after, plan.policy, order, failed_runs([s.outcome for s in spool.slots]))
