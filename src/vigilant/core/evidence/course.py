"""Frame times along the course, their difference, and a band that holds for all of it at once.

The critical value is the 95 % point of the largest |d| / se over refits of the runs' residual rows, permuted whole with
their signs drawn: what hangs together along the course stays so (Westfall and Young, 1993; Freedman and Lane, 1983).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..design import Design, fit_design, refitted
from ..scales import LOG_VARIANCE
from ..series import FloatArray, IntArray
from ..summary import RunFrames
from .place import Placing, bin_edges, bin_numbers

FRAMES_A_BIN = 30
MANY_PAIRS = 8
MOST_BINS, MOST_BINS_FEW = 150, 60
LEAST_RUNS = 4
REFITS = 999
SIMULTANEOUS = 0.95
LEAST_LEFT = 0.05


@dataclass(frozen=True)
class Stretch:
    """Neighbouring bins, two or more, in which the band leaves out nothing changed: from, to in seconds of the course,
    the least and the largest difference of a bin in ms (after less before)."""

    leg: str
    from_s: float
    to_s: float
    least_ms: float
    most_ms: float


@dataclass(frozen=True, eq=False)
class Course:
    """B bins over the course. ``edges_s`` (B + 1,) seconds; ``leg`` (B,) numbers of ``legs``; ``ms`` (N, B) each run's
    time a frame in a bin, before runs first, NaN where a run has no frame there; ``late`` (N, B) its late frames;
    ``before_ms``, ``d`` and ``se`` (B,) of ln ms, NaN in a bin that some run lacks; ``low`` and ``high`` (B,) the
    band, None without one. ``typical`` are the run of each arm nearest to its arm's mean. ``fewer`` says that bins were
    made wider because time drifts against the course."""

    by: str
    legs: tuple[str, ...]
    leg: IntArray
    edges_s: FloatArray
    ms: FloatArray
    late: IntArray
    before_ms: FloatArray
    d: FloatArray
    se: FloatArray | None
    df: float | None
    low: FloatArray | None
    high: FloatArray | None
    typical: tuple[int, int]
    stretches: tuple[Stretch, ...]
    drift_s: float
    fewer: bool
    unshared: tuple[str, ...]


def course(views: Sequence[RunFrames], design: Design, placing: Placing, step_ms: float = 0.0, seed: int = 0) -> Course:
    """The course of both arms, before runs first; ``step_ms`` is the clock's step that lateness allows for.

    As many bins as leave 30 frames a bin in the median run, at most 60 with fewer than 8 pairs, else 150.
    """
    pairs = min(design.k_before, design.k_after)
    counted = float(np.median([np.isfinite(at).sum() for at in placing.at]))
    most = MOST_BINS if pairs >= MANY_PAIRS else MOST_BINS_FEW
    bins = int(max(1, min(most, counted // FRAMES_A_BIN)))
    fewer = placing.drift_s > 0 and placing.drift_s > placing.length_s / bins / 2
    if fewer:
        bins = max(1, int(placing.length_s / (2 * placing.drift_s)))
    edges, leg = bin_edges(placing, bins)
    number = bin_numbers(placing, edges)
    count = leg.size
    ms, late = np.full((len(views), count), np.nan), np.zeros((len(views), count), np.int64)
    for row, (view, at) in enumerate(zip(views, number, strict=True)):
        inside = at >= 0
        frames = np.bincount(at[inside], minlength=count)
        total = np.bincount(at[inside], view.x[inside], minlength=count)
        ms[row] = np.where(frames > 0, total / np.maximum(frames, 1), np.nan)
        limit = view.late_from_ms(step_ms)
        if limit is not None:
            late[row] = np.bincount(at[inside & (view.x > limit)], minlength=count)
    whole = np.isfinite(ms).all(axis=0) & (ms > 0).all(axis=0)
    kb = design.k_before
    d, before = np.full(count, np.nan), np.full(count, np.nan)
    se, df, low, high = None, None, None, None
    edges_s = edges * placing.length_s
    if whole.any():
        y = np.log(ms[:, whole])
        floors = np.full((2, y.shape[1]), LOG_VARIANCE)
        fit = fit_design(design, y, floors)
        d[whole], before[whole] = fit.d, np.exp(y[:kb].mean(axis=0))
        if fit.se is not None and fit.df is not None:
            se = np.full(count, np.nan)
            se[whole], df = fit.se, float(np.min(fit.df))
            if pairs >= LEAST_RUNS:
                reach = critical(design, y, floors, seed) * se
                low, high = d - reach, d + reach
    legs = tuple(section.name for section in placing.sections)
    return Course(
        placing.by, legs, leg, edges_s, ms, late, before, d, se, df, low, high,
        _typical(ms[:, whole], kb), _stretches(legs, leg, edges_s, before, d, low, high), placing.drift_s, fewer,
        placing.unshared,
    )  # fmt: skip


def critical(design: Design, y: FloatArray, floors: FloatArray, seed: int = 0) -> float:
    """The 95 % point of max |d| / se under no change: residual rows over sqrt(1 - leverage), permuted, signs drawn."""
    kb, ka = design.k_before, design.k_after
    if design.matrix is not None:
        x = design.matrix
        hat = x @ np.linalg.pinv(x)
        residual = y - hat @ y
        leverage = np.diag(hat)
    else:
        means = np.concatenate([np.repeat(part.mean(axis=0)[None], len(part), axis=0) for part in (y[:kb], y[kb:])])
        residual = y - means
        leverage = np.repeat([1.0 / kb, 1.0 / ka], [kb, ka])
    residual = residual / np.sqrt(np.maximum(1.0 - leverage, LEAST_LEFT))[:, None]
    rng = np.random.default_rng(seed)
    order = rng.permuted(np.tile(np.arange(kb + ka), (REFITS, 1)), axis=1)
    signs = rng.choice((-1.0, 1.0), order.shape)
    maxima = refitted(design, residual, floors, order, signs).max(axis=1)
    return float(np.sort(maxima)[int(np.ceil(SIMULTANEOUS * REFITS)) - 1])


def _typical(ms: FloatArray, kb: int) -> tuple[int, int]:
    """The run of each arm whose bins are nearest to its arm's mean."""

    def nearest(part: FloatArray) -> int:
        return int(((part - part.mean(axis=0)) ** 2).sum(axis=1).argmin()) if part.size else 0

    return nearest(ms[:kb]), kb + nearest(ms[kb:])


def _stretches(
    legs: tuple[str, ...],
    leg: IntArray,
    edges_s: FloatArray,
    before: FloatArray,
    d: FloatArray,
    low: FloatArray | None,
    high: FloatArray | None,
) -> tuple[Stretch, ...]:
    if low is None or high is None:
        return ()
    side = np.where(low > 0, 1, 0) - np.where(high < 0, 1, 0)
    change_ms = before * np.expm1(d)
    # A stretch ends with its leg.
    edges = np.flatnonzero((np.diff(side) != 0) | (np.diff(leg) != 0)) + 1
    found = []
    for start, stop in zip(np.concatenate(([0], edges)), np.concatenate((edges, [side.size])), strict=True):
        if side[start] and stop - start >= 2:
            part = change_ms[start:stop]
            least, most = sorted((float(part.min()), float(part.max())), key=abs)
            found.append(Stretch(legs[leg[start]], float(edges_s[start]), float(edges_s[stop]), least, most))
    return tuple(found)
