"""Levels of a ramp as legs of one run: the run is the unit.

Formulas: docs/statistics.md, *Levels as legs of one run*.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import pairwise

import numpy as np
from scipy.special import stdtrit

from vigilant.core.errors import InvalidComparison
from vigilant.core.scales import LOG_VARIANCE
from vigilant.core.series import FloatArray

from .ramp import HALVINGS, STEPS, Capacity

_T = 0.975
FEWEST_RUNS = 2


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

    def over(load: float) -> float:
        j = int(np.clip(np.searchsorted(x, load) - 1, 0, x.size - 2))
        u = (load - x[j]) / (x[j + 1] - x[j])
        # Weights of the mean curve in ln, as between any two levels; each run is then interpolated by them.
        means = np.exp(np.log(y[:, j : j + 2]).mean(axis=0))
        w = np.array([(1.0 - u) * means[0], u * means[1]])
        f = math.log(w.sum())
        own = np.log(y[:, j : j + 2]) @ (w / w.sum())
        g = f + own - own.mean()
        se = math.sqrt(max(float(g.var(ddof=1)), LOG_VARIANCE) / runs)
        return abs(float(g.mean()) - target) - t * se

    grid = np.unique(np.concatenate([np.linspace(a, b, STEPS + 1) for a, b in pairwise(x.tolist())]))
    level = np.log(y).mean(axis=0)
    for j in range(x.size - 1):  # what is accepted may be narrower than a step
        if level[j] < target <= level[j + 1]:
            a, b = np.exp(level[j : j + 2])
            grid = np.unique([*grid, x[j] + (math.exp(target) - a) / (b - a) * (x[j + 1] - x[j])])
    inside = [i for i, load in enumerate(grid.tolist()) if over(load) <= 0]
    if not inside:
        return None
    ends = []
    for i, step in ((inside[0], -1), (inside[-1], 1)):
        within = float(grid[i])
        if 0 <= i + step < grid.size:
            without = float(grid[i + step])
            for _ in range(HALVINGS):
                middle = (within + without) / 2.0
                within, without = (middle, without) if over(middle) <= 0 else (within, middle)
        ends.append(within)
    return ends[0], ends[1]
