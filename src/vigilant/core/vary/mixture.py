"""A mix of loads against the sum of its parts.

Formulas: docs/statistics.md, *A trade and a mixture*.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from scipy.special import stdtrit

from vigilant.core.errors import InvalidComparison

from .cells import Contrast, fit_cells

Call = Literal["adds up", "more than the sum", "less than the sum", "cannot be told"]
#: What the mix may differ by from its sum, as a share of its own net cost, and still add up.
MARGIN = 0.02


@dataclass(frozen=True, eq=False)
class Mixture:
    """``beyond`` is what the mix costs over the sum of its parts, ms; ``share`` of the mix's net cost."""

    figure: str
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
    figure: str, empty_ms: Sequence[float], parts_ms: Sequence[Sequence[float]], mix_ms: Sequence[float],
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
    return Mixture(figure, beyond, tuple(ms[1 : n + 1]), ms[-1], ms[0], y.size)
