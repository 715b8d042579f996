"""Few rich against many simple: what the budget carries at each richness, and what richness costs.

Formulas: docs/statistics.md, *A trade and a mixture*.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.special import fdtrc

from vigilant.core.errors import InvalidComparison

from .cells import Contrast, fit_law, student
from .ramp import ArmRuns, Capacity, Levels, arms_levels, capacity
from .sweep import LevelRuns, RampArm, ramp_arms


@dataclass(frozen=True, eq=False)
class Trade:
    """Few rich against many simple: what the budget carries at each richness, all intervals holding together, and whether the cost of
    an object grows in a straight line with its richness: ``per_richness`` ms an object and step (None with under 4 degrees of
    freedom), ``lack_of_fit`` the p of the law t = a + b N + c N R."""

    richness: tuple[float, ...]
    capacities: tuple[Capacity, ...]
    per_richness: Contrast | None
    lack_of_fit: float | None

    @property
    def straight(self) -> bool:
        """Whether it may be said that an object's cost grows in a straight line with its richness."""
        if self.per_richness is None or self.lack_of_fit is None:
            return False
        low, high = self.per_richness.low, self.per_richness.high
        return self.lack_of_fit >= 0.05 and low is not None and high is not None and not low <= 0 <= high


def trade(richness: Sequence[float], ramps: Sequence[ArmRuns], slots: int, budget_ms: float) -> Trade:
    """A ramp of objects at each richness, all in one set of passes. Raises :class:`InvalidComparison`."""
    _check(richness, len(ramps))
    levels = arms_levels(ramps, slots)
    carried = tuple(capacity(found, budget_ms, alpha=0.05 / len(ramps)) for found in levels)
    return Trade(tuple(richness), carried, *_factor(richness, levels))


def recorded_trade(
    richness: Sequence[float], ramps: Sequence[Sequence[LevelRuns]], figure: str, slots: int, budget_ms: float
) -> tuple[list[RampArm], Trade]:
    """The same of ramps as they were recorded, with what :func:`ramp_arms` sees to: ceilings, caps, and the loads that were there. A
    richness with under two levels that count is in no fit. Raises :class:`InvalidComparison`."""
    _check(richness, len(ramps))
    arms, _ = ramp_arms(ramps, figure, slots, budget_ms, alpha=0.05 / len(ramps))
    fitted = [(rich, arm.levels) for rich, arm in zip(richness, arms, strict=True) if arm.levels is not None]
    cost: tuple[Contrast | None, float | None] = (None, None)
    if len(fitted) > 1:
        cost = _factor([rich for rich, _ in fitted], [levels for _, levels in fitted])
    return arms, Trade(tuple(richness), tuple(arm.capacity for arm in arms), *cost)


def _check(richness: Sequence[float], ramps: int) -> None:
    if len(richness) < 2 or len(set(richness)) < len(richness) or len(richness) != ramps:
        raise InvalidComparison(f"a ramp at each of two richnesses or more, got {ramps} at {list(richness)}")


def _factor(richness: Sequence[float], levels: Sequence[Levels]) -> tuple[Contrast | None, float | None]:
    """t = a + b N + c N R by weights runs / fit^2, three rounds."""
    whole = levels[0].whole
    t, n = np.exp(whole.level), whole.runs.astype(np.float64)
    loads = np.concatenate([found.loads for found in levels])
    rich = np.repeat(np.asarray(richness, dtype=np.float64), [found.loads.size for found in levels])
    x = np.column_stack([np.ones(t.size), loads, loads * rich])
    k = t.size
    if not whole.tested or k <= 3 or np.linalg.matrix_rank(x) < 3:
        return None, None
    law = fit_law(x, t, n)
    lack = float(fdtrc(k - 3, whole.df, law.left / (k - 3) / whole.s2))
    return student(float(law.found[2]), math.sqrt(whole.s2 * law.inverse[2, 2]), float(whole.df)), lack
