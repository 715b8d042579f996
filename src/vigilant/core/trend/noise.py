"""What separates the measurements of a line: the runs' own variance, and that of sessions beside it.

Formulas: docs/statistics.md, *A line over builds*.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from scipy.optimize import brentq

from vigilant.core.errors import InvalidComparison
from vigilant.core.scales import LOG_VARIANCE
from vigilant.core.series import FloatArray, IntArray

#: A measurement's variance counts up to so many medians of all; squares of residuals up to the second; and what a median of |z| is.
CUT_MEDIANS, MOST_SQUARE, MEDIAN_Z = 9.0, 6.25, 0.674490
#: The mean of min(z^2, 6.25) for a normal z.
MEAN_CUT_SQUARE = 0.977560


@dataclass(frozen=True, eq=False)
class Measured:
    """Measurements of one figure in build order: mean (n,) of each one's run values on the figure's scale, runs (n,) and the sessions (n,)
    that they come from, and the runs' own variance ``s2``, pooled."""

    m: FloatArray
    k: IntArray
    s2: float
    sessions: IntArray

    @property
    def c(self) -> FloatArray:
        """What the runs leave of each mean's variance (n,)."""
        found: FloatArray = self.s2 / self.k
        return found

    def v(self, tau2: float) -> FloatArray:
        """The variance of each measurement (n,), by that of sessions."""
        found: FloatArray = tau2 / self.sessions + self.c
        return found


def measured(
    runs: Sequence[Sequence[float]], floor: float = LOG_VARIANCE, sessions: Sequence[int] | None = None
) -> Measured:
    """One value a run of each measurement, in build order, of one session each or of so many; the variance is never under ``floor``.
    Raises :class:`InvalidComparison`."""
    if not runs or not all(len(own) for own in runs):
        raise InvalidComparison("a line is of measurements with a run each at least")
    own = [np.asarray(values, dtype=np.float64) for values in runs]
    if not all(bool(np.isfinite(values).all()) for values in own):
        raise InvalidComparison("run values of a line are finite")
    k = np.array([values.size for values in own], dtype=np.int64)
    taken = np.ones(k.size, dtype=np.int64) if sessions is None else np.array(sessions, dtype=np.int64)
    if taken.shape != k.shape or (taken < 1).any() or (taken > k).any():
        raise InvalidComparison("a measurement comes from a session at least, and no more of them than it has runs")
    return Measured(np.array([values.mean() for values in own]), k, _within(own, floor), taken)


def _within(own: Sequence[FloatArray], floor: float) -> float:
    several = [values for values in own if values.size > 1]
    if not several:
        return floor
    squares = np.array([values.var(ddof=1) for values in several])
    free = np.array([values.size - 1 for values in several], dtype=np.float64)
    cut = np.minimum(squares, CUT_MEDIANS * float(np.median(squares)))
    return max(float((free * cut).sum() / free.sum()), floor)


def first_guess(found: Measured) -> float:
    """The variance of sessions by neighbours' differences: blind to steps and odd builds."""
    if found.m.size < 2:
        return 0.0
    apart = np.abs(np.diff(found.m))

    def over(tau2: float) -> float:
        v = found.v(tau2)
        return float(np.median(apart / np.sqrt(v[1:] + v[:-1]))) - MEDIAN_Z

    return _solved(over, apart)


def by_residuals(residuals: FloatArray, found: Measured, nu: int) -> float:
    """The variance of sessions by what is left around steps and drifts, on ``nu`` degrees of freedom."""
    squares = residuals**2
    return _solved(
        lambda tau2: float(np.minimum(squares / found.v(tau2), MOST_SQUARE).sum()) - MEAN_CUT_SQUARE * nu, residuals
    )


def _solved(over: Callable[[float], float], scale: FloatArray) -> float:
    """Where a falling function meets 0; 0 where it is under it there already."""
    if over(0.0) <= 0.0:
        return 0.0
    high = max(float((scale**2).max()), 1e-12)
    while over(high) > 0.0:
        high *= 4.0
    return float(brentq(over, 0.0, high, xtol=1e-14 * high, rtol=1e-12))
