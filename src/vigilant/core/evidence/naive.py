"""What readings that are common and wrong would have made of the same runs (docs/statistics.md, *The evidence*)."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from scipy.special import stdtr

from ..series import FloatArray
from ..summary import RunFrames


@dataclass(frozen=True)
class NaiveReading:
    """``name`` says how it is read; both arms in ``unit`` ("ms" or "fps"); ``p_value`` where it has one. More is better
    for a rate, less for a time."""

    name: str
    unit: str
    before: float
    after: float
    p_value: float | None = None

    @property
    def claims_better(self) -> bool:
        return self.after > self.before if self.unit == "fps" else self.after < self.before


def naive_readings(before: Sequence[RunFrames], after: Sequence[RunFrames]) -> list[NaiveReading]:
    """Mean of momentary rates, mean rates, the first run of each arm, the worst and the last frame of all, the best of
    the tries, and all frames pooled with Welch's t as if they were independent."""

    def both(name: str, unit: str, of: Callable[[Sequence[RunFrames]], float], p: float | None = None) -> NaiveReading:
        return NaiveReading(name, unit, of(before), of(after), p)

    return [
        both("momentary rates", "fps", lambda arm: _mean([float((1000.0 / v.x).mean()) for v in arm])),
        both("difference of rates", "fps", lambda arm: _mean([1000.0 * v.n / float(v.x.sum()) for v in arm])),
        both("first run", "ms", lambda arm: float(arm[0].x.mean())),
        both("worst frame", "ms", lambda arm: max(float(v.ordered[-1]) for v in arm)),
        both("last frame", "ms", lambda arm: float(arm[-1].x[-1])),
        both("best try", "ms", lambda arm: min(float(v.x.mean()) for v in arm)),
        both("pooled frames", "ms", _pooled, _welch(_moments(before), _moments(after))),
    ]


def _mean(values: Sequence[float]) -> float:
    return float(np.mean(values))


def _pooled(arm: Sequence[RunFrames]) -> float:
    return float(sum(float(v.x.sum()) for v in arm) / sum(v.n for v in arm))


def _moments(arm: Sequence[RunFrames]) -> tuple[float, float, int]:
    """Mean, variance and number of all frames together."""
    n = sum(v.n for v in arm)
    mean = _pooled(arm)
    parts: list[FloatArray] = [v.x - mean for v in arm]
    return mean, float(sum(float(np.dot(d, d)) for d in parts)) / max(n - 1, 1), n


def _welch(a: tuple[float, float, int], b: tuple[float, float, int]) -> float | None:
    """Two-sided p of Welch's t test (1947)."""
    va, vb = a[1] / a[2], b[1] / b[2]
    if va + vb == 0 or min(a[2], b[2]) < 2:
        return None
    df = (va + vb) ** 2 / (va**2 / (a[2] - 1) + vb**2 / (b[2] - 1))
    return min(1.0, 2.0 * float(stdtr(df, -abs(a[0] - b[0]) / np.sqrt(va + vb))))
