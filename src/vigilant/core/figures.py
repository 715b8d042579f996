"""The figures of a run: which way is better, on what scale they are compared, their margins."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np

from .scales import COUNT, LATE, LOG, SHARE, Scale
from .series import FloatArray
from .timer import COARSE_STEP_MS


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
        return self.scale.margin(mean_y_before, self.margin if override is None else override)


def _quantiles(work: bool) -> list[FigureKind]:
    margins = {"p50_ms": 0.02, "p75_ms": 0.02, "p90_ms": 0.05, "p95_ms": 0.05, "p99_ms": 0.15, "p999_ms": 0.15}
    at = (0.5, 0.75, 0.9, 0.95, 0.99, 0.999)
    prefix = "work_" if work else ""
    return [
        FigureKind(prefix + name, "ms", LOG, margin, quantile=p, work=work)
        for (name, margin), p in zip(margins.items(), at, strict=True)
    ]


FIGURES: dict[str, FigureKind] = {
    kind.name: kind
    for kind in [
        FigureKind("mean_ms", "ms", LOG, 0.02),
        FigureKind("slowest_1pct_ms", "ms", LOG, 0.15),
        FigureKind("late_share", "share", LATE, 0.005, needs_target=True),
        FigureKind("stutters_per_min", "per_min", COUNT, 3.0),
        FigureKind("rate_fps", "fps", LOG, 0.02, higher_is_better=True),
        *_quantiles(work=False),
        FigureKind("slowest_01pct_ms", "ms", LOG, 0.15),
        FigureKind("worst_ms", "ms", LOG, 0.15),
        FigureKind("best_ms", "ms", LOG, 0.15),
        FigureKind("overrun_share", "share", SHARE, 0.005, needs_target=True),
        FigureKind("stutter_share", "share", SHARE, 0.005),
        FigureKind("freezes_per_min", "per_min", COUNT, 3.0),
        FigureKind("jitter_ms", "ms", LOG, 0.15),
        FigureKind("slowest_second_fps", "fps", LOG, 0.15, higher_is_better=True),
        FigureKind("work_mean_ms", "ms", LOG, 0.02, work=True),
        *_quantiles(work=True),
        FigureKind("work_slowest_1pct_ms", "ms", LOG, 0.15, work=True),
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
