"""Accounts of recordings that sweep a load or a knob, on a terminal and as JSON."""

from __future__ import annotations

from typing import Any

import numpy as np
from rich.console import Console
from rich.table import Table

from vigilant.bench.errors import NoRuns
from vigilant.bench.spool import RecordingSpool
from vigilant.core import FrameSeries
from vigilant.core.series import play_mask
from vigilant.core.summary import Summary, summarize
from vigilant.core.vary import Capacity, Knob, Levels, capacity, growth, knob, knob_figure, ramp_levels, unit_cost
from vigilant.core.vary.switched import FIGURES
from vigilant.plan import EMPTY, Plan
from vigilant.wording import ramp as wording


def _recorded(
    plan: Plan, spool: RecordingSpool
) -> tuple[list[float], list[list[Summary]], list[list[FrameSeries]], list[list[int]], int]:
    """Values in their order, with summaries, series and places of their complete runs. Raises :class:`NoRuns` with under two."""
    runs, order = spool.complete_runs()
    arms = sorted((a for a in plan.arms if a.label != EMPTY and runs.get(a.label)), key=lambda a: a.value or 0.0)
    if len(arms) < 2:
        raise NoRuns(f"{len(arms)} values have a complete run; 2 are the least")
    return (
        [float(arm.value or 0.0) for arm in arms],
        [[summarize(series, plan.policy) for series in runs[arm.label]] for arm in arms],
        [runs[arm.label] for arm in arms],
        [[i for i, at in enumerate(order) if at == arm.label] for arm in arms],
        len(order),
    )


def knob_of(plan: Plan, spool: RecordingSpool) -> Knob:
    """Which value is best."""
    values, summaries, _, places, slots = _recorded(plan, spool)
    figures = [knob_figure(f, [[getattr(s, f) for s in own] for own in summaries], places, slots) for f in FIGURES]
    return knob(values, figures)


def ramp_of(plan: Plan, spool: RecordingSpool) -> tuple[Levels, Capacity, float]:
    """Levels, and what the budget carries by the mean frame. Raises :class:`NoRuns` without a target."""
    budget_ms = plan.policy.budget_ms
    if budget_ms is None:
        raise NoRuns("a ramp needs a budget: the scenario has no target")
    values, summaries, series, places, slots = _recorded(plan, spool)
    counter = str((plan.raw.get("sweep") or {}).get("counter", ""))
    seen = [_observed(own, counter, plan) for own in series]
    at = [v for v in seen if v is not None] if counter and None not in seen else values
    levels = ramp_levels(at, [[s.mean_ms for s in own] for own in summaries], places, slots)
    return levels, capacity(levels, budget_ms), budget_ms


def _observed(runs: list[FrameSeries], counter: str, plan: Plan) -> float | None:
    values = [s.counters[counter][play_mask(s, plan.warm_up_s)] for s in runs if counter in s.counters]
    known = [float(np.nanmean(v)) for v in values if np.isfinite(v).any()]
    return float(np.mean(known)) if known and len(known) == len(runs) else None


def print_ramp(console: Console, plan: Plan, found: tuple[Levels, Capacity, float]) -> None:
    levels, carried, budget_ms = found
    unit = str((plan.raw.get("sweep") or {}).get("name", ""))
    cost = unit_cost(levels, carried.bracket[0] if carried.bracket else levels.loads.size - 2)
    console.print(
        f"\n{wording.ramp_sentence(carried, 'mean_ms', unit, levels.fit.tested)}", highlight=False, style="bold"
    )
    if paper := wording.paper(levels, carried, cost, budget_ms, unit):
        console.print(paper, highlight=False)
    console.print(_table(unit, levels))
    for said in (*wording.cost_rows(cost, levels, unit), wording.growth_sentence(growth(levels))):
        console.print(said, highlight=False, style="dim")


def _table(unit: str, levels: Levels) -> Table:
    table = Table(box=None, pad_edge=False, header_style="bold", padding=(0, 2, 0, 0))
    for head in (unit, "mean ms", "runs"):
        table.add_column(head, justify="right", no_wrap=True)
    for load, ms, runs in zip(levels.loads, levels.ms, levels.fit.runs, strict=True):
        table.add_row(wording.load(float(load)), f"{ms:.3f}", str(runs))
    return table


def print_knob(console: Console, plan: Plan, found: Knob) -> None:
    name = str((plan.raw.get("sweep") or {}).get("name", ""))
    console.print(f"\n{wording.knob_sentence(found, name)}", highlight=False, style="bold")
    table = Table(box=None, pad_edge=False, header_style="bold", padding=(0, 2, 0, 0))
    for head in (name, "mean ms", "loses at most", "slowest 1 %", "loses at most"):
        table.add_column(head, justify="right", no_wrap=True)
    for i, value in enumerate(found.values):
        table.add_row(
            f"{value:g}",
            *(text for one in found.figures for text in (f"{one.level_ms[i]:.3f}", wording.lost_words(one, i))),
        )
    console.print(table)


def ramp_document(found: tuple[Levels, Capacity, float]) -> dict[str, Any]:
    levels, carried, budget_ms = found
    return {
        "budget_ms": budget_ms,
        "capacity": {"value": carried.value, "low": carried.low, "high": carried.high},
        "levels": [{"load": float(x), "ms": float(ms)} for x, ms in zip(levels.loads, levels.ms, strict=True)],
    }


def knob_document(found: Knob) -> dict[str, Any]:
    return {
        "call": found.call,
        "chosen": [found.values[i] for i in found.chosen],
        "figures": {
            one.figure: {
                "ms": one.level_ms.tolist(),
                "inside": list(one.inside),
                "lost_ln": list(one.lost),
                "flat_ln": one.flat,
            }
            for one in found.figures
        },
    }
