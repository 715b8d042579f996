"""What a sweep has recorded so far, level by level; and, of a ramp that chooses its levels, what to record next."""

from __future__ import annotations

import uuid
from collections import Counter
from collections.abc import Sequence
from pathlib import Path

import numpy as np

from vigilant.core import FrameSeries
from vigilant.core.schedule import draw_order
from vigilant.core.series import legs_among, play_mask
from vigilant.core.sheet import RECORDER_ENDED
from vigilant.core.summary import summarize
from vigilant.core.vary import LevelRuns, RunLegs, RunLoad, Step, chosen_next, edges_of, run_legs, run_load
from vigilant.plan import EMPTY, Arm, Plan, parse_plan, with_build, with_level

from .hunting import hunted
from .spool import PLANNED, RecordingSpool, SlotRecord, with_sheet

#: What a sweep is read by.
FIGURES = ("mean_ms", "slowest_1pct_ms", "p99_ms")


def levels_of(plan: Plan, spool: RecordingSpool) -> dict[str, list[LevelRuns]]:
    """The levels of each line (a side, a richness, "" of one arm) by the value asked for."""
    found: dict[str, list[LevelRuns]] = {}
    for arm in parse_plan(spool.plan, Path()).arms:  # levels may have been added since the plan was read
        if arm.label != EMPTY and arm.value is not None:
            found.setdefault(arm.line, []).append(_level(plan, spool, arm))
    return {line: sorted(levels, key=lambda one: one.value) for line, levels in found.items()}


def _level(plan: Plan, spool: RecordingSpool, arm: Arm) -> LevelRuns:
    tried = [
        s
        for s in spool.slots
        if s.arm == arm.label and s.outcome not in (PLANNED, "skipped") and s.detail != RECORDER_ENDED
    ]
    whole = [s for s in spool.counting() if s.arm == arm.label and s.outcome == "complete"]
    runs = [with_sheet(spool.read(s).series, {**spool.conditions, **s.conditions}, s.measured) for s in whole]
    summaries = [summarize(series, plan.policy) for series in runs]
    reasons = Counter(s.outcome for s in tried if s.outcome != "complete")
    return LevelRuns(
        value=float(arm.value or 0.0),
        figures={name: [float(getattr(s, name)) for s in summaries] for name in FIGURES},
        slots=[s.position for s in whole],
        loads=[_load(plan, series) for series in runs],
        attempts=len(tried),
        failures=sum(reasons.values()),
        reason=reasons.most_common(1)[0][0] if reasons else "",
        held=bool(runs) and 2 * sum(s.cap_ms is not None for s in summaries) > len(runs),
        at_edge=edges_of([series.frame_ms[play_mask(series, plan.warm_up_s)] for series in runs]),
        frames=min((s.frames for s in summaries), default=0),
        late_share=float(np.mean([s.late_share or 0.0 for s in summaries])) if summaries else 0.0,
    )


def _load(plan: Plan, series: FrameSeries) -> RunLoad:
    counter = str((plan.raw.get("sweep") or {}).get("counter", ""))
    counts = play_mask(series, plan.warm_up_s)
    seen = series.counters[counter][counts] if counter in series.counters else None
    return run_load(series.frame_ms[counts], seen, legs_among(series, counts))


def places_of(spool: RecordingSpool) -> int:
    """How many slots a session has; a failed one keeps its place."""
    return 1 + max((s.position for s in spool.slots), default=0)


def loads_of(plan: Plan, spool: RecordingSpool, slot: SlotRecord) -> list[float]:
    """The loads of a run that plays all of them, in its own order; every attempt at a place has the same."""
    drawn = draw_order(plan.runs, spool.order_seed, plan.order, [f"{value:.12g}" for value in plan.in_one_run])
    count = len(plan.in_one_run)
    return [float(load) for load in drawn[slot.position * count : (slot.position + 1) * count]]


def legs_of(plan: Plan, spool: RecordingSpool) -> list[RunLegs | None]:
    """What each complete run holds of its loads; None of one that lacks a leg."""
    counter = str(plan.raw["sweep"].get("counter", ""))
    return [
        run_legs(spool.read(slot).series, plan.in_one_run, counter, plan.bench.discard_s, plan.policy)
        for slot in spool.counting() if slot.outcome == "complete"
    ]  # fmt: skip


def what_next(plan: Plan, spool: RecordingSpool) -> Step | None:
    """What a ramp that chooses its levels records next, once all that was planned is recorded; None of any other recording."""
    if plan.account == "hunt":
        found = hunted(plan, spool)
        return Step(None, found.next is None, () if found.next is None else (float(found.next),), found.why)
    if plan.choosing is None or plan.policy.budget_ms is None:
        return None
    (levels,) = levels_of(plan, spool).values()
    return chosen_next(
        levels, "mean_ms", places_of(spool), plan.policy.budget_ms, spool.order_seed,
        plan.choosing.wish_pct, plan.choosing.most_runs, plan.choosing.most_load,
    )  # fmt: skip


def choose(plan: Plan, spool: RecordingSpool, loads: Sequence[float]) -> Plan:
    """Lay out the slots of a batch, with arms for levels that are new; the plan that has them. Raises :class:`PlanError`."""
    for load in loads:
        label = next((a.label for a in plan.arms if a.value == load), None)
        if label is None:
            plan, label = with_build(plan, int(load)) if plan.account == "hunt" else with_level(plan, load)
        spool.slots.append(SlotRecord(places_of(spool), label, str(uuid.uuid4())))
    spool.plan = dict(plan.raw)
    spool.save()
    return plan
