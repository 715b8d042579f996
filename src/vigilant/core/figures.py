"""The figures of a run: which way is better, on what scale they are compared, their margins.

Scales: ``log`` y = ln(figure); ``late`` y = ln((c + 0.5) / (n - c + 0.5)); ``share``
y = sqrt(1000 share); ``count`` y = 2 sqrt(c / T + 3 / (8 Tbar)).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np

from .series import FloatArray
from .timer import COARSE_STEP_MS

#: Half the level is a margin where there is little of it; where there is much, no more than this: five
#: points of a late share, one event a second. A margin of a policy's own is not bounded by it.
MOST_SHARE, MOST_A_MINUTE = 0.05, 60.0
Scale = Literal["log", "late", "share", "count"]


@dataclass(frozen=True)
class FigureKind:
    """One figure: its unit, direction, scale, default margin, and whether the budget defines it."""

    name: str
    unit: Literal["ms", "fps", "share", "per_min", "stated"]
    scale: Scale
    margin: float
    higher_is_better: bool = False
    needs_target: bool = False
    quantile: float | None = None
    work: bool = False

    def margin_y(self, mean_y_before: float, override: float | None) -> float:
        """The margin on the figure's scale, the same size both ways, from the before level."""
        size = self.margin if override is None else override
        if self.scale == "log":
            return float(np.log1p(size))
        if self.scale == "late":
            p = 1.0 / (1.0 + np.exp(-mean_y_before))
            low = min(p, 1.0 - p)
            high = low + max(size, min(0.5 * low, MOST_SHARE))
            if high >= 1.0:
                high = 1.0 - 1e-9
            return float(np.log(high / (1.0 - high)) - np.log(low / (1.0 - low)))
        if self.scale == "count":
            level = (mean_y_before / 2.0) ** 2
            return float(2.0 * np.sqrt(level + max(size, min(0.5 * level, MOST_A_MINUTE))) - 2.0 * np.sqrt(level))
        level = mean_y_before**2 / 1000.0
        return float(np.sqrt(1000.0 * (level + max(size, 0.5 * level))) - np.sqrt(1000.0 * level))

    def back(self, y: float, mean_minutes: float) -> float:
        """From the comparison's scale to the figure's unit; roots clip at zero."""
        if self.scale == "log":
            return float(np.exp(min(y, 700.0)))
        if self.scale == "late":
            return float(1.0 / (1.0 + np.exp(-np.clip(y, -700.0, 700.0))))
        root = max(y, 0.0)
        if self.scale == "count":
            return max(0.0, root**2 / 4.0 - 3.0 / (8.0 * mean_minutes))
        return root**2 / 1000.0


def _quantiles(work: bool) -> list[FigureKind]:
    margins = {"p50_ms": 0.02, "p75_ms": 0.02, "p90_ms": 0.05, "p95_ms": 0.05, "p99_ms": 0.15, "p999_ms": 0.15}
    at = (0.5, 0.75, 0.9, 0.95, 0.99, 0.999)
    prefix = "work_" if work else ""
    return [
        FigureKind(prefix + name, "ms", "log", margin, quantile=p, work=work)
        for (name, margin), p in zip(margins.items(), at, strict=True)
    ]


FIGURES: dict[str, FigureKind] = {
    kind.name: kind
    for kind in [
        FigureKind("mean_ms", "ms", "log", 0.02),
        FigureKind("slowest_1pct_ms", "ms", "log", 0.15),
        FigureKind("late_share", "share", "late", 0.005, needs_target=True),
        FigureKind("stutters_per_min", "per_min", "count", 3.0),
        FigureKind("rate_fps", "fps", "log", 0.02, higher_is_better=True),
        *_quantiles(work=False),
        FigureKind("slowest_01pct_ms", "ms", "log", 0.15),
        FigureKind("worst_ms", "ms", "log", 0.15),
        FigureKind("best_ms", "ms", "log", 0.15),
        FigureKind("overrun_share", "share", "share", 0.005, needs_target=True),
        FigureKind("stutter_share", "share", "share", 0.005),
        FigureKind("freezes_per_min", "per_min", "count", 3.0),
        FigureKind("jitter_ms", "ms", "log", 0.15),
        FigureKind("slowest_second_fps", "fps", "log", 0.15, higher_is_better=True),
        FigureKind("work_mean_ms", "ms", "log", 0.02, work=True),
        *_quantiles(work=True),
        FigureKind("work_slowest_1pct_ms", "ms", "log", 0.15, work=True),
    ]
}
QUANTILES: dict[str, float] = {k.name: k.quantile for k in FIGURES.values() if k.quantile is not None and not k.work}


def quantiles(ordered: FloatArray, at: FloatArray) -> FloatArray:
    """Quantiles of a sorted sample, linear interpolation at h = p (n - 1)."""
    h = at * (ordered.size - 1)
    low = np.floor(h).astype(np.int64)
    high = np.minimum(low + 1, ordered.size - 1)
    result: FloatArray = ordered[low] + (h - low) * (ordered[high] - ordered[low])
    return result


def quantiles_of(ordered: FloatArray, at: FloatArray, step: float) -> FloatArray:
    """Quantiles of a sorted sample: grouped where the clock's step is coarse, else plain."""
    return grouped_quantiles(ordered, at, step) if step >= COARSE_STEP_MS else quantiles(ordered, at)


def grouped_quantiles(ordered: FloatArray, at: FloatArray, step: float) -> FloatArray:
    """Quantiles of a sorted sample from a clock of ``step``: v - q/2 + q (p n - F) / c.

    v is the lowest multiple of the step with F + c >= p n, F frames lie below it and c in it. The
    frames of a cell are taken to be spread evenly over it; the cell at zero has only its upper half.
    """
    cells = np.round(ordered / step)
    starts = np.flatnonzero(np.diff(cells, prepend=cells[0] - 1.0))
    ends = np.append(starts[1:], ordered.size)
    wanted = at * ordered.size
    i = np.minimum(np.searchsorted(ends, wanted - 1e-9, "left"), ends.size - 1)
    share = (wanted - starts[i]) / (ends[i] - starts[i])
    middle = cells[starts[i]] * step
    low = np.maximum(0.0, middle - step / 2.0)
    result: FloatArray = low + (middle + step / 2.0 - low) * share
    return result


def slowest_mean(ordered: FloatArray, per: int) -> float:
    """Mean of the ceil(n / per) largest of a sorted sample."""
    count = math.ceil(ordered.size / per)
    return float(ordered[ordered.size - count :].mean())
