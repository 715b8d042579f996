"""Levels of significance, and Holm's procedure over a family."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass


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
