"""Levels of a ramp as legs of one run: the run is the unit.

Formulas: docs/statistics.md, *Levels as legs of one run*.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from scipy.special import stdtrit

from vigilant.core.errors import InvalidComparison
from vigilant.core.policy import Policy
from vigilant.core.scales import LOG_VARIANCE
from vigilant.core.series import FloatArray, FrameSeries
from vigilant.core.summary import summarize

from .ramp import Capacity, stretch
from .sweep import BEYOND, LEAST_BEYOND

_T = 0.975
FEWEST_RUNS = 2
#: Figures that such a ramp is read by.
FIGURES = ("mean_ms", "slowest_1pct_ms", "p99_ms")


@dataclass(frozen=True)
class RunLegs:
    """One run that holds every load in a leg of its own: the loads in the order played, and by load its figures, ms, the counter's mean
    (None where it has none) and its frames."""

    order: tuple[float, ...]
    figures: Mapping[float, Mapping[str, float]]
    seen: Mapping[float, float | None]
    frames: Mapping[float, int]


@dataclass(frozen=True, eq=False)
class LegRamp:
    """A ramp of legs, read by one figure: ``loads`` (k,) where levels stand, ``asked`` (k,) what was asked for, ``values_ms`` (R, k). In
    one order in every run nothing tells load from the time in the run (*confounded*): no interval then."""

    capacity: Capacity
    loads: tuple[float, ...]
    asked: tuple[float, ...]
    values_ms: FloatArray
    seen: bool
    confounded: bool
    few_frames: bool

    @property
    def level_ms(self) -> FloatArray:
        level: FloatArray = np.exp(np.log(self.values_ms).mean(axis=0))
        return level


def run_legs(
    series: FrameSeries, values: Sequence[float], counter: str, discard_s: float, policy: Policy
) -> RunLegs | None:
    """The legs of a run whose marks are named by their loads ("400"), each without its first ``discard_s`` seconds, and none of the
    warm-up; None where a load has no leg, or more than one."""
    named = {f"{value:.12g}": value for value in values}
    plain = replace(policy, trim_s=0.0, settle=None, legs=())
    starts = np.cumsum(series.frame_ms) - series.frame_ms
    edges = [mark.index for mark in series.marks] + [series.frame_ms.size]
    order: list[float] = []
    figures: dict[float, dict[str, float]] = {}
    seen: dict[float, float | None] = {}
    frames: dict[float, int] = {}
    for mark, stop in zip(series.marks, edges[1:], strict=True):
        if mark.name not in named or not mark.play:
            continue
        value = named[mark.name]
        frame_ms = series.frame_ms[mark.index : stop]
        begins = starts[mark.index : stop]
        kept = begins >= max(1000.0 * policy.trim_s, begins[0] + 1000.0 * discard_s if begins.size else 0.0)
        if value in figures or not kept.any() or not frame_ms[kept].sum() > 0:
            return None
        told = summarize(FrameSeries(frame_ms[kept]), plain)
        order.append(value)
        figures[value] = {figure: float(getattr(told, figure)) for figure in FIGURES}
        load = series.counters[counter][mark.index : stop][kept] if counter in series.counters else np.empty(0)
        known = load[np.isfinite(load)]
        seen[value] = float(known.mean()) if known.size else None
        frames[value] = told.frames
    return RunLegs(tuple(order), figures, seen, frames) if len(order) == len(values) else None


def ramp_of_legs(runs: Sequence[RunLegs], figure: str, budget_ms: float) -> LegRamp:
    """Read runs that hold every load by a figure. Raises :class:`InvalidComparison`, without a run too."""
    if not runs:
        raise InvalidComparison("no run holds every load")
    values = sorted(runs[0].order)
    own = {value: [run.seen[value] for run in runs] for value in values}
    seen = all(load is not None for loads in own.values() for load in loads)
    at = {v: float(np.mean([load or 0.0 for load in own[v]])) if seen else v for v in values}
    asked = sorted(values, key=at.__getitem__)
    ms = np.array([[run.figures[value][figure] for value in asked] for run in runs])
    found = capacity_of_legs([at[value] for value in asked], ms, budget_ms)
    confounded = len(runs) > 1 and len({run.order for run in runs}) == 1
    bracket = [asked[i] for i in found.bracket or ()]
    few = any(run.frames[value] * BEYOND.get(figure, 1.0) < LEAST_BEYOND for run in runs for value in bracket)
    if few and figure in BEYOND:
        found = Capacity(None, None, None, None)
    elif confounded:
        found = replace(found, low=None, high=None)
    return LegRamp(found, tuple(at[v] for v in asked), tuple(asked), ms, seen, confounded, few and figure in BEYOND)


def capacity_of_legs(loads: Sequence[float], values_ms: FloatArray, budget_ms: float) -> Capacity:
    """The capacity from runs that hold every load (k,) in a leg of their own: ``values_ms`` (R, k) of each run. At every load the runs'
    own interpolated values, R of them, say whether the frame can be told from the budget. Raises :class:`InvalidComparison`."""
    x = np.asarray(loads, dtype=np.float64)
    y = np.asarray(values_ms, dtype=np.float64)
    if y.ndim != 2 or y.shape[1] != x.size or x.size < 2 or not bool((y > 0).all()):
        raise InvalidComparison(f"one time above 0 a run and load, got {y.shape} for {x.size} loads")
    if bool((np.diff(x) <= 0).any()):
        raise InvalidComparison(f"loads of legs ascend, got {x.tolist()}")
    target = math.log(budget_ms)
    level = np.log(y).mean(axis=0)
    crossing = next((j for j in range(x.size - 1) if level[j] <= target < level[j + 1]), None)
    accepted = _accepted(x, y, target) if y.shape[0] >= FEWEST_RUNS else None
    if level[0] > target:
        return Capacity(None, None, accepted[1] if accepted else float(x[0]), None)
    if crossing is None:
        return Capacity(None, accepted[0] if accepted else float(x[-1]), None, None)
    a, b = np.exp(level[crossing : crossing + 2])
    value = float(x[crossing] + (budget_ms - a) / (b - a) * (x[crossing + 1] - x[crossing]))
    if accepted is None:
        return Capacity(value, None, None, (crossing, crossing + 1))
    low, high = accepted
    return Capacity(value, None if low <= x[0] else low, None if high >= x[-1] else high, (crossing, crossing + 1))


def _accepted(x: FloatArray, y: FloatArray, target: float) -> tuple[float, float] | None:
    """The hull of the loads at which the runs' values cannot be told from the target."""
    runs = y.shape[0]
    t = float(stdtrit(runs - 1, _T))
    level = np.log(y).mean(axis=0)
    ends: list[float] = []
    for j in range(x.size - 1):
        a, b = np.exp(level[j : j + 2])
        own = np.log(y[:, j : j + 2]) - level[j : j + 2]

        def over(u: FloatArray, a: float = a, b: float = b, own: FloatArray = own) -> FloatArray:
            """Each run is interpolated by the weights of the mean curve in ln, as between any two levels."""
            ms = (1.0 - u) * a + u * b
            off = np.multiply.outer((1.0 - u) * a / ms, own[:, 0]) + np.multiply.outer(u * b / ms, own[:, 1])
            variance = np.maximum(off.var(axis=-1, ddof=1), LOG_VARIANCE)
            out: FloatArray = np.abs(np.log(ms) - target) - t * np.sqrt(variance / runs)
            return out

        meets = [float((math.exp(target) - a) / (b - a))] if level[j] < target <= level[j + 1] else []
        ends += [float(x[j] + u * (x[j + 1] - x[j])) for u in stretch(over, meets) or ()]
    return (min(ends), max(ends)) if ends else None
