"""If it were free: what making parts cheaper could bring at most, frame by frame and not on means.

Each frame is computed anew with the part at a share of its cost: what its lanes then ask of it, by how they add up, and
under a cap the whole refreshes that takes. Nothing else is taken to change: the gain is an upper bound.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from ..scales import LOG_SD
from ..series import FloatArray
from .fits import mean_over_runs
from .lanes import ON_GRID, Overlap, RunLanes

#: Edges of a refresh that are tried, as shares of the period, and how many frames must be given back by the best.
EDGES = np.arange(-40, 11) / 200.0
GIVEN_BACK = 0.95
#: Lanes that jitter more from frame to frame bias the bound of balanced lanes.
MOST_JITTER = 0.03


@dataclass(frozen=True)
class Gain:
    """After less before of one figure, as what it falls by; with its half width over runs (None of a single run)."""

    value: float
    half: float | None


@dataclass(frozen=True)
class Bound:
    """What the parts would give at most: mean and 99th percentile in ms, late frames as a share 0..1; each also as it
    stands. ``refused``: *no-lane*, *held-by-cap*, *pacing-not-understood*. ``paced`` frames have a two-valued 99th
    percentile, which has no interval."""

    mean_ms: Gain | None = None
    p99_ms: Gain | None = None
    late: Gain | None = None
    now: tuple[float, float, float | None] = (0.0, 0.0, None)
    paced: bool = False
    refused: str = ""


def refresh_edge(work_ms: FloatArray, frame_ms: FloatArray, period_ms: float) -> tuple[float, float]:
    """(edge, share of frames given back): by how much of a period a frame must make or may miss the refresh, such that
    work rounded up gives back most frames within 3 % of a period; the nearest to 0 among equals."""
    best = (-1.0, 0.0, 0.0)
    for edge in sorted(EDGES.tolist(), key=abs):
        back = float(np.mean(np.abs(_held(work_ms, period_ms, edge) - frame_ms) <= ON_GRID * period_ms))
        if back > best[0] + 1e-12:
            best = (back, edge, back)
    return best[1], best[2]


def _held(work_ms: FloatArray, period_ms: float, edge: float) -> FloatArray:
    held: FloatArray = np.maximum(1.0, np.ceil((work_ms - edge * period_ms) / period_ms)) * period_ms
    return held


def without(
    run: RunLanes, overlap: Overlap, cheaper: Mapping[str, FloatArray], edge: float | None = None
) -> FloatArray:
    """Frames (n,) in ms if the lanes had so many ms (n,) less to do; ``edge`` of the refresh where frames are paced."""
    less = np.stack([b - cheaper.get(name, 0.0) for name, b in zip(run.names, run.busy, strict=True)])
    asked, then = overlap.model_ms(run.busy), overlap.model_ms(less)
    gone = np.where(np.isfinite(asked) & np.isfinite(then), np.maximum(asked - then, 0.0), 0.0)
    waiting = np.nan_to_num(run.waiting)
    if run.period_ms is not None and edge is not None:
        return _held(run.frame_ms - waiting - gone, run.period_ms, edge)
    if run.waits:  # held back by something without a grid: only frames that did not wait get shorter
        gone = np.where(waiting > 0, 0.0, gone)
    return run.frame_ms - gone


def bound(
    runs: Sequence[RunLanes], overlap: Overlap, cheaper: Sequence[Mapping[str, FloatArray]], late_from_ms: float | None
) -> Bound:
    """The gain over an arm's runs; ``cheaper`` of each run: by lane what would be saved in each frame (n,), ms. Parts
    taken together are computed together: their gains do not add."""
    capped = [run.period_ms is not None for run in runs]
    if any(capped) and not runs[0].waits:
        return Bound(refused="held-by-cap")
    if not all(any(name in less for name in run.names) for run, less in zip(runs, cheaper, strict=True)):
        return Bound(refused="no-lane")
    before, after = [], []
    for run, less in zip(runs, cheaper, strict=True):
        edge = None
        x = run.frame_ms
        if run.period_ms is not None:
            work = x - np.nan_to_num(run.waiting)
            edge, back = refresh_edge(work, x, run.period_ms)
            if back < GIVEN_BACK:
                return Bound(refused="pacing-not-understood")
            x = _held(work, run.period_ms, edge)
        before.append(x)
        after.append(without(run, overlap, less, edge))
    pairs = list(zip(before, after, strict=True))
    mean = [float(b.mean() - a.mean()) for b, a in pairs]
    p99 = [float(np.quantile(b, 0.99) - np.quantile(a, 0.99)) for b, a in pairs]
    level = float(np.mean([b.mean() for b in before])), float(np.mean([np.quantile(b, 0.99) for b in before]))
    late = now = None
    if late_from_ms is not None:
        shares = [(float((b > late_from_ms).mean()), float((a > late_from_ms).mean())) for b, a in pairs]
        now = float(np.mean([b for b, _ in shares]))
        late = Gain(*mean_over_runs([b - a for b, a in shares], 1.0 / float(np.mean([x.size for x in before]))))
    return Bound(
        mean_ms=Gain(*mean_over_runs(mean, LOG_SD * level[0])),
        p99_ms=Gain(float(np.mean(p99)), None) if any(capped) else Gain(*mean_over_runs(p99, LOG_SD * level[1])),
        late=late,
        now=(*level, now),
        paced=any(capped),
    )


def jitter(runs: Sequence[RunLanes]) -> float:
    """The largest median step of a lane from frame to frame, as a share of it."""
    steps = [
        float(np.median(np.abs(np.diff(b[np.isfinite(b)])))) / max(float(np.nanmean(b)), 1e-12)
        for run in runs
        for b in run.busy
        if np.isfinite(b).sum() > 1
    ]
    return max(steps, default=math.nan)
