"""Which counters and events late frames go with: rotations against chance, and how many late frames they hold.

A counter is turned circularly against the late frames, within pieces of about 200 frames of each leg and over the whole
run; neither alone holds its level (docs/statistics.md, *What late frames go with*). A longer frame holds more of whatever
arrives by the clock: a second null turns events round the clock. None of it says what causes what.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Literal, get_args

import numpy as np
import numpy.typing as npt
from scipy import fft
from scipy.special import stdtrit

from ..levels import holm_adjusted
from ..series import FloatArray, IntArray
from ..stutter import WINDOW

Call = Literal["goes with late frames", "no more than such long frames would hold", "not shown", "seen in one run only"]
CALLS: tuple[Call, ...] = get_args(Call)
PIECE, DRAWS, LEAST_CELL_MS, MOST_CELLS = 200, 1_999, 1.0, 2**20
LAGS = (0, 1, -1)
EVENTS, LEAST_LATE, LEVEL = 0.8, 10, 0.05
_SAME = 1e-6
_HIGH = 0.9


@dataclass(frozen=True, eq=False)
class LateRun:
    """One run: ``frame_ms`` (n,) that count, ``late`` (f,) numbers among them, ``legs`` (m + 1,) bounds of the legs, and
    ``series`` (n,) each, NaN where a value is not fresh."""

    frame_ms: FloatArray
    late: IntArray
    legs: IntArray
    series: Mapping[str, FloatArray]


@dataclass(frozen=True)
class Association:
    """A counter at a lag (frames before the late one). ``held`` is the share of late frames that hold it, ``others`` of
    the other frames, ``beyond`` the share beyond chance with its half width; ``runs`` of how many it is seen in;
    ``adds`` the late frames it holds of those that no better one holds, as a share of all; ``least`` the smallest share
    that would have been seen."""

    name: str
    lag: int
    events: bool
    p_frames: float
    p_length: float
    held: float
    others: float
    beyond: float
    half: float | None
    runs: int
    of: int
    call: Call
    adds: float | None = None
    least: float | None = None


class Turned:
    """Late frames, or cells of a clock, against which series are turned circularly."""

    def __init__(self, late: FloatArray) -> None:
        self.n = late.size
        self.any = bool(late.any())
        self._late = np.conj(fft.rfft(late))

    def against(self, series: FloatArray) -> FloatArray:
        """Sum over late frames of the series turned by every rotation s (n,): series j + s against late j."""
        turned: FloatArray = fft.irfft(self._late * fft.rfft(series), self.n)
        return turned


class Clock:
    """A stretch of frames as cells of one length; an event is at the middle of its frame."""

    def __init__(self, frame_ms: FloatArray, late: FloatArray) -> None:
        edges = np.concatenate(([0.0], np.cumsum(frame_ms)))
        total = max(float(edges[-1]), 1e-9)
        self.cells = min(MOST_CELLS, 2 ** int(np.ceil(np.log2(max(total / LEAST_CELL_MS, 2.0)))))
        starts = (np.arange(self.cells) + 0.5) * (total / self.cells)
        frame = np.clip(np.searchsorted(edges, starts, "right") - 1, 0, frame_ms.size - 1)
        middle = 0.5 * (edges[:-1] + edges[1:])
        self._cell = np.minimum((middle / total * self.cells).astype(np.int64), self.cells - 1)
        self._turned = Turned(late[frame])

    def against(self, events: npt.NDArray[np.bool_]) -> FloatArray:
        """As :meth:`Turned.against`, of events (frames,) turned round the clock."""
        if not self._turned.any or not events.any():
            return np.zeros(1)
        at = np.bincount(self._cell[events], minlength=self.cells)
        return np.round(self._turned.against(at.astype(np.float64)))


def is_events(values: Sequence[FloatArray]) -> bool:
    """Zero in 80 % of the frames that are known, or more."""
    known = sum(int(np.isfinite(v).sum()) for v in values)
    zero = sum(int((v == 0).sum()) for v in values)
    return known > 0 and zero >= EVENTS * known


def _pieces(legs: IntArray) -> IntArray:
    bounds = [0]
    for a, b in pairwise(legs):
        count = max(1, round((b - a) / PIECE))
        bounds += [a + round((b - a) * (i + 1) / count) for i in range(count)]
    return np.unique(np.array(bounds, dtype=np.int64))


def _windows(values: FloatArray, legs: IntArray) -> list[tuple[slice, FloatArray, IntArray]]:
    """Per leg: its frames, all windows of it (v, w), and which window (n,) each frame looks at."""
    found = []
    for a, b in pairwise(legs):
        n = int(b - a)
        if n == 0:
            continue
        size = min(WINDOW, n)
        views = np.lib.stride_tricks.sliding_window_view(values[a:b], size)
        found.append((slice(int(a), int(b)), views, np.clip(np.arange(n) - size // 2, 0, n - size)))
    return found


def ranks(values: FloatArray, legs: IntArray) -> FloatArray:
    """Rank (n,) of each value within the 31 frames around it, -0.5 to 0.5, ties half; 0 where it is not known."""
    out = np.zeros(values.size)
    for s, views, start in _windows(values, legs):
        own = values[s]
        low, same, known = np.zeros(own.size), np.zeros(own.size), np.zeros(own.size)
        for column in range(views.shape[1]):
            other = views[start, column]
            low += other < own
            same += other == own
            known += np.isfinite(other)
        out[s] = np.where(np.isfinite(own), (low + 0.5 * same) / np.maximum(known, 1) - 0.5, 0.0)
    return out


def _per_ms(values: FloatArray, frame_ms: FloatArray, legs: IntArray) -> FloatArray:
    """The series a ms of its frame, less that of the window around it."""
    known = np.isfinite(values)
    total, length = np.where(known, values, 0.0), np.where(known, frame_ms, 0.0)
    out = np.zeros(values.size)
    for (s, views, start), (_, spans, _) in zip(_windows(total, legs), _windows(length, legs), strict=True):
        rate = views.sum(axis=1) / np.maximum(spans.sum(axis=1), 1e-12)
        own = total[s] / np.maximum(frame_ms[s], 1e-12) - rate[start]
        out[s] = np.where(known[s], own, 0.0)
    return out


def _lagged(values: FloatArray, lag: int, legs: IntArray) -> FloatArray:
    """The series as it was ``lag`` frames before each frame; unknown beyond a leg's ends."""
    if lag == 0:
        return values
    out = np.full(values.size, np.nan)
    for a, b in pairwise(legs):
        if b - a > abs(lag):
            if lag > 0:
                out[a + lag : b] = values[a : b - lag]
            else:
                out[a : b + lag] = values[a - lag : b]
    return out


class _Null:
    """Draws of the rotated sum over runs, within pieces and over whole runs; p is the larger of the two."""

    def __init__(self, draws: int, rng: np.random.Generator) -> None:
        self.draws, self.rng = draws, rng
        self.within, self.whole = np.zeros(draws), np.zeros(draws)
        self.observed = 0.0

    def add(self, observed: float, pieces: Sequence[FloatArray], whole: FloatArray) -> None:
        """Of one run: every rotation's sum within each piece, and over the run."""
        self.observed += observed
        for turned in pieces:
            if turned.any():
                self.within += turned[self.rng.integers(turned.size, size=self.draws)]
        self.whole += whole[self.rng.integers(whole.size, size=self.draws)]

    def p_value(self) -> float:
        reached = (int((drawn >= self.observed - _SAME).sum()) for drawn in (self.within, self.whole))
        return (1 + max(reached)) / (self.draws + 1)


class _Late:
    """The late frames of a run, ready for every series to be turned against: whole, and in pieces of its legs."""

    def __init__(self, run: LateRun) -> None:
        self.late = np.zeros(run.frame_ms.size)
        self.late[run.late] = 1.0
        bounds = _pieces(run.legs)
        self._pieces = [slice(a, b) for a, b in pairwise(bounds.tolist())]
        self._frames = [Turned(self.late[s]) for s in self._pieces]
        self._whole = Turned(self.late)
        self._clocks = [Clock(run.frame_ms[s], self.late[s]) for s in self._pieces]
        self._clock = Clock(run.frame_ms, self.late)

    def by_frames(self, g: FloatArray) -> tuple[float, list[FloatArray], FloatArray]:
        """What :class:`_Null` adds of a series turned by frames."""
        cut = [t.against(g[s]) if t.any else np.zeros(1) for t, s in zip(self._frames, self._pieces, strict=True)]
        return float(self.late @ g), cut, self._whole.against(g)

    def by_clock(self, events: npt.NDArray[np.bool_]) -> tuple[float, list[FloatArray], FloatArray]:
        """The same of events turned round the clock."""
        cut = [clock.against(events[s]) for clock, s in zip(self._clocks, self._pieces, strict=True)]
        return float((self.late * events).sum()), cut, self._clock.against(events)


def associations(runs: Sequence[LateRun], seed: int = 0, draws: int = DRAWS) -> tuple[Association, ...]:
    """Every series that all runs have, in the late frame, in the frame before and in the frame after; those that go with
    late frames first, the surest first."""
    if sum(run.late.size for run in runs) < LEAST_LATE or sum(run.late.size > 0 for run in runs) < 2:
        return ()
    names = [n for n in runs[0].series if all(n in run.series for run in runs)]
    names = [n for n in names if any(_moves(run.series[n]) for run in runs)]
    family = len(names) * len(LAGS)
    draws = max(draws, 40 * family)
    late = [_Late(run) for run in runs]
    found: list[tuple[Association, list[npt.NDArray[np.bool_]]]] = []
    for number, name in enumerate(names):
        for lag in LAGS:
            rng = np.random.default_rng([seed, number, lag + 1])
            values = [_lagged(run.series[name], lag, run.legs) for run in runs]
            found.append(_tested(name, lag, runs, late, values, rng, draws))
    return _called(found, [run.late for run in runs])


def _moves(values: FloatArray) -> bool:
    known = values[np.isfinite(values)]
    return known.size > 0 and bool(known.min() < known.max())


def _tested(
    name: str,
    lag: int,
    runs: Sequence[LateRun],
    late: Sequence[_Late],
    values: Sequence[FloatArray],
    rng: np.random.Generator,
    draws: int,
) -> tuple[Association, list[npt.NDArray[np.bool_]]]:
    events = is_events(values)
    by_frame, by_length = _Null(draws, rng), _Null(draws, rng)
    holds: list[npt.NDArray[np.bool_]] = []
    for run, against, v in zip(runs, late, values, strict=True):
        there = np.nan_to_num(v) > 0
        g = there.astype(np.float64) if events else ranks(v, run.legs)
        by_frame.add(*against.by_frames(g))
        by_length.add(*(against.by_clock(there) if events else against.by_frames(_per_ms(v, run.frame_ms, run.legs))))
        holds.append(there if events else _high(v, against.late, run.legs))
    held, others, beyond, half, seen = how_much([run.late for run in runs], holds)
    made = Association(
        name, lag, events, by_frame.p_value(), by_length.p_value(), held, others, beyond, half, seen, len(runs), "not shown"
    )  # fmt: skip
    return made, holds


def _high(values: FloatArray, late: FloatArray, legs: IntArray) -> npt.NDArray[np.bool_]:
    """Above the 90th percentile of the other frames of its leg."""
    out = np.zeros(values.size, dtype=np.bool_)
    for a, b in pairwise(legs):
        own = values[a:b]
        others = own[(late[a:b] == 0) & np.isfinite(own)]
        if others.size:
            out[a:b] = np.nan_to_num(own, nan=-np.inf) > np.quantile(others, _HIGH)
    return out


def how_much(
    late: Sequence[IntArray], holds: Sequence[npt.NDArray[np.bool_]]
) -> tuple[float, float, float, float | None, int]:
    """(share of late frames that hold it, of the others, beyond chance, its half width, runs in which it is more)."""
    c = np.array([h[at].sum() for at, h in zip(late, holds, strict=True)], dtype=np.float64)
    n = np.array([at.size for at in late], dtype=np.float64)
    d = np.array([h.sum() for h in holds], dtype=np.float64) - c
    m = np.array([h.size for h in holds], dtype=np.float64) - n

    def beyond(keep: npt.NDArray[np.bool_]) -> tuple[float, float, float]:
        a = float(c[keep].sum() / max(n[keep].sum(), 1.0))
        e = float(d[keep].sum() / max(m[keep].sum(), 1.0))
        return a, e, (a - e) / (1.0 - e) if e < 1 else 0.0

    k = n.size
    a, e, b = beyond(np.ones(k, dtype=np.bool_))
    more = int(((c / np.maximum(n, 1)) > (d / np.maximum(m, 1))).sum())
    if k < 2:
        return a, e, b, None, more
    without = np.array([beyond(np.arange(k) != i)[2] for i in range(k)])
    error = float(np.sqrt((k - 1) / k * ((without - without.mean()) ** 2).sum()))
    total = max(float(n.sum()), 1.0)
    least = 1.96 * float(np.sqrt(max(a * (1.0 - a), 1.0 / total) / total))
    return a, e, b, max(float(stdtrit(k - 1, 0.975)) * error, least), more


def _called(
    found: Sequence[tuple[Association, list[npt.NDArray[np.bool_]]]], late: Sequence[IntArray]
) -> tuple[Association, ...]:
    """The calls, by Holm over the family, in order; and what each adds to the ones before it."""
    adjusted = holm_adjusted([one.p_frames for one, _ in found])
    rows = [(_call(one, p), holds) for (one, holds), p in zip(found, adjusted, strict=True)]
    rows.sort(key=lambda row: (CALLS.index(row[0].call), (row[0].half or 0.0) - row[0].beyond))
    left = [np.ones(at.size, dtype=np.bool_) for at in late]
    total = max(sum(at.size for at in late), 1)
    made = []
    for one, holds in rows:
        if one.call == "goes with late frames" and one.lag >= 0:
            new = [free & h[at] for free, h, at in zip(left, holds, late, strict=True)]
            left = [free & ~n for free, n in zip(left, new, strict=True)]
            one = replace(one, adds=sum(int(n.sum()) for n in new) / total)
        made.append(one)
    return tuple(made)


def _call(one: Association, p_frames: float) -> Association:
    call: Call = "not shown"
    if one.runs == 1:
        call = "seen in one run only"
    elif p_frames < LEVEL:
        call = "goes with late frames" if one.p_length < LEVEL else "no more than such long frames would hold"
    least = 2.5 * one.half if call == "not shown" and one.half is not None else None
    return replace(one, p_frames=p_frames, call=call, least=least)
