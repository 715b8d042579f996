"""Levels of significance, Holm's procedure over a family, and the interval of a mean."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from scipy.special import stdtrit

from .series import FloatArray


@dataclass(frozen=True)
class AlphaLevels:
    """What a comparison is tested at.

    ``of`` gives the two-sided level of a hypothesis when so many are left in Holm's procedure,
    ``inside`` is the one-sided level of equivalence; ``look`` is (pairs so far, most pairs) where a
    recording goes on until it is decided.
    """

    of: Callable[[int], float]
    inside: float
    look: tuple[int, int] | None = None

    @property
    def interval(self) -> float:
        """Level of a figure on its own, and of its interval."""
        return self.of(1)


def even(alpha: float) -> AlphaLevels:
    """One look at the end: alpha divided evenly, as Holm (1979) does."""
    return AlphaLevels(lambda left: alpha / left, alpha)


def holm(p_values: Sequence[float], level: Callable[[int], float]) -> list[bool]:
    """Which hypotheses Holm's step-down procedure (1979) rejects; ``level`` as in :class:`AlphaLevels`."""
    rejected = [False] * len(p_values)
    for step, i in enumerate(sorted(range(len(p_values)), key=lambda i: p_values[i])):
        if p_values[i] > level(len(p_values) - step):
            break
        rejected[i] = True
    return rejected


def holm_adjusted(p_values: Sequence[float]) -> list[float]:
    """Each p as Holm's procedure holds it against one level."""
    adjusted = [0.0] * len(p_values)
    least = 0.0
    for rank, i in enumerate(sorted(range(len(p_values)), key=lambda i: p_values[i])):
        least = max(least, min(1.0, (len(p_values) - rank) * p_values[i]))
        adjusted[i] = least
    return adjusted


def half_of_mean(y: FloatArray, least_variance: float) -> float | None:
    """Half of the 95 % interval of the mean of one value a run, by Student's t; None of a single run."""
    if y.size < 2:
        return None
    return float(stdtrit(y.size - 1, 0.975)) * math.sqrt(max(float(y.var(ddof=1)), least_variance) / y.size)
