"""Same work? Each witness per leg, and a change of time split into less work and cheaper work.

With u units of work a frame at c ms each, a change splits exactly into (u1 - u0)(c0 + c1) / 2 from
the amount of work and (c1 - c0)(u0 + u1) / 2 from its cost.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from scipy.special import stdtrit

from ..design import Design, fit_design, p_values
from ..levels import even, holm
from ..scales import LOG_VARIANCE
from ..series import FloatArray, IntArray, counter_mean
from ..summary import RunFrames

WorkAmount = Literal["same", "less", "more", "unknown"]
#: A witness that differs by less is the same.
SAME = 0.005


@dataclass(frozen=True)
class WorkShare:
    """One witness over one leg ("" is the whole course): how the amount of work compares.

    ``change`` is the share more (or less, negative) with its 95 % interval, None where it cannot be
    tested; ``amount_ms`` and ``cost_ms`` are the parts of the mean frame's change that more work and
    dearer work make, negative for less and cheaper; together they are the whole change.
    """

    witness: str
    leg: str
    amount: WorkAmount
    change: float
    low: float | None
    high: float | None
    amount_ms: float
    cost_ms: float


def split(before: tuple[float, float], after: tuple[float, float]) -> tuple[float, float]:
    """(from the amount, from the cost) in ms of a change between two (ms a frame, units a frame)."""
    (t0, u0), (t1, u1) = before, after
    c0, c1 = t0 / u0, t1 / u1
    return (u1 - u0) * (c0 + c1) / 2.0, (c1 - c0) * (u0 + u1) / 2.0


def work_shares(
    views: Sequence[RunFrames], runs_before: int, design: Design, witnesses: Sequence[str], alpha: float
) -> tuple[WorkShare, ...]:
    """Every witness that all runs report above zero, over the course and over each leg; Holm over them."""
    rows: list[tuple[str, str, FloatArray, FloatArray]] = []
    if not witnesses:
        return ()
    for leg in ("", *_legs(views)):
        inside = [_frames(v, leg) for v in views]
        if any(index.size == 0 for index in inside):
            continue
        times = np.array([v.series.frame_ms[i].mean() for v, i in zip(views, inside, strict=True)])
        for name in witnesses:
            units = [counter_mean(v.series, i, name) for v, i in zip(views, inside, strict=True)]
            if all(u is not None and u > 0 for u in units):
                rows.append((name, leg, np.array(units, dtype=np.float64), times))
    if not rows:
        return ()
    fit = fit_design(design, np.log(np.array([r[2] for r in rows])).T, np.full((2, len(rows)), LOG_VARIANCE))
    found = [False] * len(rows)
    half: FloatArray = np.full(len(rows), np.inf)
    if fit.se is not None and fit.df is not None:
        found = holm(p_values(fit.d, fit.se, fit.df).tolist(), even(alpha).of)
        half = stdtrit(fit.df, 1.0 - alpha / 2.0) * fit.se
    return tuple(
        _share(row, float(d), float(h), rejected, runs_before)
        for row, d, h, rejected in zip(rows, fit.d, half, found, strict=True)
    )


def _share(
    row: tuple[str, str, FloatArray, FloatArray], d: float, half: float, rejected: bool, runs_before: int
) -> WorkShare:
    name, leg, units, times = row
    arms = [(float(times[part].mean()), float(units[part].mean())) for part in _sides(runs_before)]
    amount_ms, cost_ms = split(arms[0], arms[1])
    tested = bool(np.isfinite(half))
    return WorkShare(
        witness=name,
        leg=leg,
        amount=_amount(d, half, rejected),
        change=float(np.expm1(d)),
        low=float(np.expm1(d - half)) if tested else None,
        high=float(np.expm1(d + half)) if tested else None,
        amount_ms=amount_ms,
        cost_ms=cost_ms,
    )


def _amount(d: float, half: float, rejected: bool) -> WorkAmount:
    if rejected and abs(d) > SAME:
        return "less" if d < 0 else "more"
    return "same" if abs(d) + half < 2 * SAME else "unknown"


def _sides(runs_before: int) -> tuple[slice, slice]:
    return slice(0, runs_before), slice(runs_before, None)


def _legs(views: Sequence[RunFrames]) -> list[str]:
    """The names of legs that are play in every run, in the order of the course."""
    named = [[m.name for m in v.series.marks if m.play and m.name] for v in views]
    return [n for n in dict.fromkeys(named[0]) if all(n in other for other in named)] if named else []


def _frames(view: RunFrames, leg: str) -> IntArray:
    """The frames of a leg that count; all that count for ""."""
    index = view.played.index
    if not leg:
        return index
    marks = [*view.series.marks]
    edges = [m.index for m in marks] + [view.series.frame_ms.size]
    inside = np.zeros(view.series.frame_ms.size, dtype=np.bool_)
    for mark, start, stop in zip(marks, edges[:-1], edges[1:], strict=True):
        if mark.name == leg:
            inside[start:stop] = True
    return index[inside[index]]
