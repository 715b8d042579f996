"""The scales on which figures are compared: one class each, with everything that depends on it.

A scale takes a run's value to y and back, turns a margin into a size of y, gives the least variance of one
run's y (its floor), and what y is expected to be in runs of unlike length. Formulas: docs/statistics.md,
*Scales* and *Floors*.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from .counts import count_variance, poisson_moments
from .series import FloatArray

#: Half the level is a margin where there is little of it; where there is much, no more than this: five
#: points of a late share, one event a second. A margin of a policy's own is not bounded by it.
MOST_SHARE, MOST_A_MINUTE = 0.05, 60.0
#: Least standard deviation of a logarithm from run to run.
LOG_SD = 0.0005
LOG_VARIANCE = LOG_SD**2


class LogScale:
    """y = ln(figure): times and rates. A margin is a share of the figure."""

    def y(self, value: FloatArray) -> FloatArray:
        """Of values above 0, in the figure's unit."""
        y: FloatArray = np.log(value)
        return y

    def at(self, level: float, mean_minutes: float) -> float:
        """y of a level."""
        return math.log(level)

    def back(self, y: float, mean_minutes: float) -> float:
        return float(np.exp(min(y, 700.0)))

    def margin(self, mean_y: float, size: float) -> float:
        return float(np.log1p(size))

    def floor(self, level_ms: float, step_ms: float) -> float:
        """max(0.0005, 0.05 q / level)^2, the level in ms (1000 / level for a rate)."""
        return float(max(LOG_SD, 0.05 * step_ms / level_ms) ** 2)


class LateScale:
    """y = ln((c + 0.5) / (n - c + 0.5)) of c late among n frames. A margin is in points of the share."""

    def y(self, late: FloatArray, frames: float | FloatArray) -> FloatArray:
        y: FloatArray = np.log((late + 0.5) / (frames - late + 0.5))
        return y

    def at(self, level: float, mean_minutes: float) -> float:
        return math.log(max(level / max(1e-12, 1.0 - level), 1e-12))

    def back(self, y: float, mean_minutes: float) -> float:
        return float(1.0 / (1.0 + np.exp(-np.clip(y, -700.0, 700.0))))

    def margin(self, mean_y: float, size: float) -> float:
        p = 1.0 / (1.0 + np.exp(-mean_y))
        low = min(p, 1.0 - p)
        high = low + max(size, min(0.5 * low, MOST_SHARE))
        if high >= 1.0:
            high = 1.0 - 1e-9
        return float(np.log(high / (1.0 - high)) - np.log(low / (1.0 - low)))

    def floor(self, share: float, frames: float) -> float:
        """1 / (c + 0.5) + 1 / (n - c + 0.5), c = pooled share x mean frames, at most 2."""
        c = share * frames
        return min(2.0, 1.0 / (c + 0.5) + 1.0 / (frames - c + 0.5))

    def expected(self, share: float, frames: float) -> float:
        """Expectation of y in a run of so many frames under one share."""
        return poisson_moments(share * frames, lambda c: self.y(np.minimum(c, frames), frames))[0]


class ShareScale:
    """y = sqrt(1000 share) of a share made of events. A margin is in points of the share."""

    def y(self, share: FloatArray) -> FloatArray:
        y: FloatArray = np.sqrt(1000.0 * share)
        return y

    def at(self, level: float, mean_minutes: float) -> float:
        return math.sqrt(1000.0 * level)

    def back(self, y: float, mean_minutes: float) -> float:
        return max(y, 0.0) ** 2 / 1000.0

    def margin(self, mean_y: float, size: float) -> float:
        level = mean_y**2 / 1000.0
        return float(np.sqrt(1000.0 * (level + max(size, 0.5 * level))) - np.sqrt(1000.0 * level))

    def floor(self, w_ms: float, whole_ms: float, mean_s: float, runs: int) -> float:
        """w / (4 S) countvar((N + 1) / runs), N = whole / w events of the effective size w, S mean seconds a run."""
        return w_ms / (4.0 * mean_s) * count_variance((whole_ms / w_ms + 1.0) / runs) if w_ms > 0 else 0.0

    def expected(self, events_a_s: float, w_ms: float, seconds: float) -> float:
        """Expectation of y in a run of so many seconds under one rate of events of the size w."""
        return poisson_moments(events_a_s * seconds, lambda c: np.sqrt(w_ms * c / seconds))[0]


class CountScale:
    """y = 2 sqrt(c / T + 3 / (8 Tbar)) of c events in T minutes, Tbar the mean. A margin is in events a minute."""

    def y(self, rate: FloatArray, mean_minutes: float) -> FloatArray:
        """Of events a minute."""
        y: FloatArray = 2.0 * np.sqrt(rate + 3.0 / (8.0 * mean_minutes))
        return y

    def at(self, level: float, mean_minutes: float) -> float:
        return 2.0 * math.sqrt(level + 3.0 / (8.0 * mean_minutes))

    def back(self, y: float, mean_minutes: float) -> float:
        return max(0.0, max(y, 0.0) ** 2 / 4.0 - 3.0 / (8.0 * mean_minutes))

    def margin(self, mean_y: float, size: float) -> float:
        level = (mean_y / 2.0) ** 2
        return float(2.0 * np.sqrt(level + max(size, min(0.5 * level, MOST_A_MINUTE))) - 2.0 * np.sqrt(level))

    def floor(self, rate: float, minutes: FloatArray, runs: int) -> float:
        """Mean of countvar(rate T_i + 1 / runs) / T_i over an arm's runs. ``rate`` is pooled over all ``runs``, those
        of the other arm too where there is one."""
        return float(np.mean([count_variance(rate * t + 1.0 / runs) / t for t in minutes]))

    def expected(self, rate: float, minutes: float, mean_minutes: float) -> float:
        """Expectation of y in a run of so many minutes under one rate."""
        return poisson_moments(rate * minutes, lambda c: self.y(c / minutes, mean_minutes))[0]


LOG, LATE, SHARE, COUNT = LogScale(), LateScale(), ShareScale(), CountScale()
Scale = LogScale | LateScale | ShareScale | CountScale


def effective_event(events: Sequence[FloatArray]) -> float:
    """w = sum e^2 / sum e over all events of all runs, in their unit; 0 where there is none."""
    whole = float(sum(e.sum() for e in events))
    return float(sum((e**2).sum() for e in events)) / whole if whole > 0 else 0.0
