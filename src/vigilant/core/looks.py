"""Run until decided: a look after each added pair, at levels that keep the whole recording at 5 %.

Spending in the manner of O'Brien and Fleming (Lan and DeMets, 1983): by look k of K
a(k) = 2 (1 - Phi(z / sqrt(k / K))) of the error is spent, and the nominal level of look k is what
leaves the chance of a first crossing there at a(k) - a(k - 1), by integrating the random walk
from look to look (Armitage, McPherson and Rowe, 1969).
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from scipy.special import ndtr, ndtri

from .errors import InvalidComparison
from .levels import AlphaLevels
from .series import FloatArray

FIRST_LOOK, MOST_PAIRS = 4, 15
_GRID = 1201
_REACH = 8.0
#: Verdicts that end a recording.
DECIDED = ("gain", "regression", "trade-off", "no material change", "void")


@lru_cache(maxsize=128)
def spent_levels(alpha: float, most: int = MOST_PAIRS, sides: int = 2) -> tuple[float, ...]:
    """Nominal levels of the looks after 4..``most`` pairs that spend ``alpha`` over them, all sides together."""
    times = np.arange(FIRST_LOOK, most + 1) / most
    z = ndtri(1.0 - alpha / 2.0) if sides == 2 else ndtri(1.0 - alpha)
    spent = sides * (1.0 - ndtr(z / np.sqrt(times)))
    grid = np.linspace(-_REACH, _REACH, _GRID)
    width = grid[1] - grid[0]
    levels: list[float] = []
    density = np.empty(0)
    for i, t in enumerate(times):
        share = spent[i] - (spent[i - 1] if i else 0.0)
        if i == 0:
            density = np.exp(-0.5 * grid**2 / t) / np.sqrt(2.0 * np.pi * t)
        else:
            step = t - times[i - 1]
            kernel = np.exp(-0.5 * (grid[:, None] - grid[None, :]) ** 2 / step) / np.sqrt(2.0 * np.pi * step)
            density = kernel @ density * width
        bound = _bound(density, grid, width, share / sides)
        levels.append(float(sides * (1.0 - ndtr(bound / np.sqrt(t)))))
        # The cell that the bound cuts keeps its part, so that the integral stays smooth in it.
        inside = np.clip((bound - grid) / width + 0.5, 0.0, 1.0)
        density = density * (inside * inside[::-1] if sides == 2 else inside)
    return tuple(levels)


def _bound(density: FloatArray, grid: FloatArray, width: float, tail: float) -> float:
    """Where the upper tail of the walk's density holds ``tail``."""
    above = np.concatenate((np.cumsum(density[::-1])[::-1] * width, [0.0]))
    edges = np.concatenate((grid - width / 2.0, [grid[-1] + width / 2.0]))
    return float(np.interp(-tail, -above, edges))


def look_levels(pairs: int, most: int = MOST_PAIRS, alpha: float = 0.05) -> AlphaLevels:
    """What the look after ``pairs`` pairs of ``most`` is tested at; the smaller arm counts the pairs.

    Holm's step with j left uses the levels spent from alpha / j, not a divided level. A recording
    ended before its first look is tested at that look's level. Raises
    :class:`InvalidComparison` for more pairs than were to be looked at.
    """
    if not most > FIRST_LOOK or pairs > most:
        raise InvalidComparison(f"looks are taken from {FIRST_LOOK} pairs to {most}, not at {pairs}")
    at = max(0, pairs - FIRST_LOOK)
    return AlphaLevels(
        lambda left: spent_levels(alpha / left, most)[at],
        spent_levels(alpha, most, sides=1)[at],
        (pairs, most),
    )
