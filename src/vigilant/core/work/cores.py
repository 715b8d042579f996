"""Processor time added up over cores: how much of it a frame asks for, how many cores it keeps busy, and the least time
it needs on those there are.

Core-ms may exceed the frame; they take no part in what limits a frame. Two percents of a processor at different rates are
never compared, only their core-ms.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from ..design import Design
from ..levels import holm_adjusted
from ..series import FloatArray
from ..summary import RunFrames
from .fits import fitted_log

#: The counter in which the recorder lays what a subject's processes used along its frames.
SAMPLED = "subject cores busy"
Unit = Literal["of the whole machine", "of one core"]


def core_ms_a_frame(percent: float, rate_fps: float, unit: Unit, cores: int) -> float:
    """Core-ms a frame of a percentage of processor at a rate: u/100 c 1000/r of the whole machine, u/100 1000/r of one
    core. Which of them it is must be said: the one is the other times the cores."""
    return percent / 100.0 * (cores if unit == "of the whole machine" else 1) * 1000.0 / rate_fps


@dataclass(frozen=True)
class CoreTime:
    """Processor time of both arms, core-ms a frame; the interval of the difference by the logarithm and p (by Holm over
    such rows) are None where nothing can be tested. ``busy`` cores on average, ``least_ms`` the least time a frame needs
    on all cores (the longest chain, where a lane is marked as one), None where their number is not known."""

    name: str
    sampled: bool
    before_ms: float
    after_ms: float
    d_ms: float
    low_ms: float | None
    high_ms: float | None
    p_value: float | None
    busy: tuple[float, float]
    chain_ms: tuple[float, float] | None = None
    least_ms: tuple[float, float] | None = None


def core_times(
    before: Sequence[RunFrames], after: Sequence[RunFrames], design: Design, cores: int | None
) -> tuple[CoreTime, ...]:
    """Every lane with the role *summed* of all runs, and the recorder's samples where all have them."""
    views = [*before, *after]
    names = [n for n, role in views[0].series.lane_roles.items() if role == "summed"]
    names = [n for n in names if all(v.series.lane_roles.get(n) == "summed" for v in views)]
    frame_ms = np.array([v.x.mean() for v in views])
    chain = _chain(views)
    rows = [_row(n, False, _means(views, n), frame_ms, design, chain, cores) for n in names]
    if all(SAMPLED in v.series.counters for v in views):
        rows.append(_row(SAMPLED, True, np.array([_sampled(v) for v in views]), frame_ms, design, None, cores))
    found = [row for row in rows if row is not None]
    told = [i for i, row in enumerate(found) if row.p_value is not None]
    for i, p in zip(told, holm_adjusted([found[i].p_value or 0.0 for i in told]), strict=True):
        found[i] = replace(found[i], p_value=p)
    return tuple(found)


def _means(views: Sequence[RunFrames], lane: str) -> FloatArray:
    return np.array([_mean(v.series.lanes[lane][v.played.index]) for v in views])


def _mean(values: FloatArray) -> float:
    known = values[np.isfinite(values)]
    return float(known.mean()) if known.size else float("nan")


def _sampled(view: RunFrames) -> float:
    """Core-ms a frame from cores busy: each known sample over its frame's time."""
    values = view.series.counters[SAMPLED][view.played.index]
    known = np.isfinite(values)
    return float((values[known] * view.x[known]).sum() / known.sum()) if known.any() else float("nan")


def _chain(views: Sequence[RunFrames]) -> FloatArray | None:
    """The longest serial chain of each run (N,), where every run marks one lane as it."""
    found = []
    for view in views:
        mine = [n for n, role in view.series.lane_roles.items() if role == "chain"]
        if len(mine) != 1:
            return None
        found.append(_mean(view.series.lanes[mine[0]][view.played.index]))
    return np.array(found)


def _row(
    name: str,
    sampled: bool,
    ms: FloatArray,
    frame_ms: FloatArray,
    design: Design,
    chain: FloatArray | None,
    cores: int | None,
) -> CoreTime | None:
    if not (np.isfinite(ms) & (ms > 0)).all():
        return None
    kb = design.k_before
    low, high, p = fitted_log(design, ms)

    def arms(values: FloatArray) -> tuple[float, float]:
        return float(values[:kb].mean()), float(values[kb:].mean())

    b, a = arms(ms)
    least = None
    if cores:
        shared = ms / cores
        least = arms(np.maximum(shared, chain) if chain is not None else shared)
    return CoreTime(
        name, sampled, b, a, a - b, low, high, p, arms(ms / frame_ms), arms(chain) if chain is not None else None, least
    )
