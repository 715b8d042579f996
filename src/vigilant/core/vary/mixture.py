"""Few rich against many simple, and a mix of loads against the sum of its parts.

Formulas: docs/statistics.md, *A trade and a mixture*.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from scipy.special import fdtrc, stdtrit

from vigilant.core.errors import InvalidComparison

from .cells import Contrast, fit_cells, fit_law, student
from .ramp import ArmRuns, Capacity, Levels, arms_levels, capacity

Call = Literal["adds up", "more than the sum", "less than the sum", "cannot be told"]
#: What the mix may differ by from its sum, as a share of its own net cost, and still add up.
MARGIN = 0.02


@dataclass(frozen=True, eq=False)
class Mixture:
    """``beyond`` is what the mix costs over the sum of its parts, ms; ``share`` of the mix's net cost."""

    beyond: Contrast
    parts_ms: tuple[float, ...]
    mix_ms: float
    empty_ms: float
    runs: int

    @property
    def net_ms(self) -> float:
        return self.mix_ms - self.empty_ms

    @property
    def share(self) -> float:
        return self.beyond.value / self.net_ms if self.net_ms else 0.0

    @property
    def call(self) -> Call:
        found = self.beyond
        if found.low is None or found.high is None:
            return "cannot be told"
        if abs(found.value) + self._one_sided < MARGIN * self.net_ms:
            return "adds up"
        if found.low <= 0 <= found.high:
            return "cannot be told"
        return "more than the sum" if found.low > 0 else "less than the sum"

    @property
    def _one_sided(self) -> float:
        assert self.beyond.se is not None
        assert self.beyond.df is not None
        return float(stdtrit(self.beyond.df, 0.95)) * self.beyond.se

    @property
    def runs_needed(self) -> int | None:
        """Runs of all scenes together with which a true sum would be called one about as often as not; None where nothing is tested."""
        if self.beyond.se is None or self.net_ms <= 0:
            return None
        return math.ceil(self.runs * (self._one_sided / (MARGIN * self.net_ms)) ** 2)


def mixture(
    empty_ms: Sequence[float], parts_ms: Sequence[Sequence[float]], mix_ms: Sequence[float],
    slots_of: Sequence[Sequence[int]] | None, slots: int,
) -> Mixture:  # fmt: skip
    """Judge a mix: one value a run of the empty scene, of each part alone and of all of them together; ``slots_of`` in that order.
    Beyond the sum: (mix - empty) - sum of (part - empty). Raises :class:`InvalidComparison`."""
    scenes = [empty_ms, *parts_ms, mix_ms]
    if len(parts_ms) < 2 or not all(len(own) for own in scenes):
        raise InvalidComparison(f"a mixture has two parts or more, a run of each, got {len(parts_ms)} parts")
    y = np.array([v for own in scenes for v in own], dtype=np.float64)
    if not bool((y > 0).all()):
        raise InvalidComparison(f"frames take more than 0 ms, got {float(y.min()):g}")
    cell = [i for i, own in enumerate(scenes) for _ in own]
    fit = fit_cells(np.log(y), cell, None if slots_of is None else [s for own in slots_of for s in own], slots)
    n = len(parts_ms)
    beyond = fit.over({0: n - 1.0, n + 1: 1.0, **dict.fromkeys(range(1, n + 1), -1.0)}, ms=True)
    ms = np.exp(fit.level).tolist()
    return Mixture(beyond, tuple(ms[1 : n + 1]), ms[-1], ms[0], y.size)


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
    if len(richness) < 2 or len(set(richness)) < len(richness) or len(richness) != len(ramps):
        raise InvalidComparison(f"a ramp at each of two richnesses or more, got {len(ramps)} at {list(richness)}")
    levels = arms_levels(ramps, slots)
    carried = tuple(capacity(found, budget_ms, alpha=0.05 / len(ramps)) for found in levels)
    return Trade(tuple(richness), carried, *_factor(richness, levels))


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
