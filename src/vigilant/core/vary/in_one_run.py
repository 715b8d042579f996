"""Levels of a ramp as legs of one run: the run is the unit.

Formulas: docs/statistics.md, *Levels as legs of one run*.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from scipy.special import stdtrit

from vigilant.core.errors import InvalidComparison
from vigilant.core.scales import LOG_VARIANCE
from vigilant.core.series import FloatArray

from .ramp import Capacity, stretch

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
