"""Across a break: what two set-ups differ by, from builds that were recorded on both, and the change beside it.

Formulas: docs/statistics.md, *Breaks and bridges*.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.special import stdtrit

from vigilant.core.errors import InvalidComparison

from .alert import DF_SHARE
from .line import Line

#: Builds recorded on both sides from which their own scatter gives the degrees of freedom.
SCATTERED = 4


@dataclass(frozen=True)
class Bridge:
    """The second set-up less the first, on the figure's scale, with its variance, degrees of freedom, and how many builds tell it."""

    offset: float
    variance: float
    df: float
    builds: int

    def interval(self) -> tuple[float, float]:
        half = float(stdtrit(self.df, 0.975)) * math.sqrt(self.variance)
        return self.offset - half, self.offset + half


@dataclass(frozen=True)
class Across:
    """What the program changed across a break, beside the set-ups' offset; ``exceeds`` is what it would have had to be over."""

    d: float
    low: float
    high: float

    @property
    def shown(self) -> bool:
        return not self.low <= 0.0 <= self.high

    @property
    def exceeds(self) -> float:
        return (self.high - self.low) / 2.0


def bridge(
    left: Sequence[Sequence[float]], right: Sequence[Sequence[float]], tau2: float, s2: float, nu: float
) -> Bridge:
    """From the runs of each common build on both set-ups, in one order. Raises :class:`InvalidComparison` without any."""
    if not left or len(left) != len(right) or not all(len(own) for own in (*left, *right)):
        raise InvalidComparison("a bridge is of builds with runs on both set-ups")
    offsets = np.array([np.mean(b) - np.mean(a) for a, b in zip(left, right, strict=True)])
    w = 1.0 / np.array([2.0 * tau2 + s2 * (1.0 / len(a) + 1.0 / len(b)) for a, b in zip(left, right, strict=True)])
    offset = float((w * offsets).sum() / w.sum())
    scatter = float((w * (offsets - offset) ** 2).sum() / (offsets.size - 1)) if offsets.size > 1 else 0.0
    scattered = scatter > 1.0
    df = offsets.size - 1.0 if scattered and offsets.size >= SCATTERED else float(nu)
    return Bridge(offset, max(1.0, scatter) / float(w.sum()), df, offsets.size)


def across(before: Line, after: Line, found: Bridge) -> Across:
    """The first level after the break less the last one before it, less the offset; both lines are of one set-up each."""
    last, last_variance = before.expected(before.noise.m.size - 1)
    a, b = 0, after.steps[0].at if after.steps else after.noise.m.size
    weight = float((1.0 / after.v[a:b]).sum())
    d = float(after.fitted[0]) - last - found.offset
    parts = ((last_variance, before.nu), (1.0 / weight, after.nu), (found.variance, found.df))
    variance = sum(part for part, _ in parts)
    df = DF_SHARE * variance**2 / sum(part**2 / own for part, own in parts if own > 0)
    half = float(stdtrit(df, 0.975)) * math.sqrt(variance)
    return Across(d, d - half, d + half)
