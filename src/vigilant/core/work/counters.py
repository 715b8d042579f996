"""Counters beside time: which of their values are fresh, whether they stay at zero or flat, and how frames go with them.

The run is the unit of evidence. A counter that follows the course goes with every frame time that follows it too: only
what differs between runs at one and the same place is called significant.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from scipy.special import stdtrit

from ..gaps import gap_states
from ..scales import LOG_SD
from ..series import FloatArray, IntArray
from .fits import mean_over_runs

FlatCall = Literal["flat", "rising", "falling", "cannot be told", "too-few-collections"]
#: What may rise in a minute and still be flat, as a share of the level.
FLAT_SHARE = 0.01
#: A fall by so much of the 1 to 99 % range in one frame is a collection; so many are needed, so many frames apart.
COLLECTED, LEAST_COLLECTIONS, LEAST_APART = 0.25, 6, 3
SAMPLED_SHARE, MOST_BINS, LEAST_BIN_S = 0.2, 100, 0.4
#: Less natural variation between runs at one place than this share of the level shows nothing.
LEAST_VARIATION = 0.01
#: At most so many a minute at 95 %, if none was seen in T minutes and they come by chance: 3 / T.
NONE_SEEN = 3.0


@dataclass(frozen=True, eq=False)
class CounterRun:
    """A counter over the frames of one run that count: ``values`` (n,), NaN of a state of its own where they are not fresh;
    ``frame_ms`` (n,), ``start_s`` (n,) since the first of them, ``at`` (n,) where on the course, 0 to 1, ``leg`` (n,)."""

    values: FloatArray
    frame_ms: FloatArray
    start_s: FloatArray
    at: FloatArray
    leg: IntArray


@dataclass(frozen=True)
class States:
    """Shares of the frames, 0..1; ``age_frames`` the longest unbroken stretch without a fresh value; ``every_frames`` the
    median gap between fresh ones where over a fifth are stale."""

    fresh: float
    stale: float
    missing: float
    below: float
    age_frames: int
    every_frames: int | None = None


def states(runs: Sequence[CounterRun]) -> States:
    total = sum(run.values.size for run in runs)
    count = {"stale": 0, "missing": 0, "below": 0}
    age, gaps = 0, []
    for run in runs:
        for name, at in gap_states(run.values).items():
            count[name] += at.size
        fresh = np.flatnonzero(np.isfinite(run.values))
        edges = np.concatenate(([-1], fresh, [run.values.size]))
        age = max(age, int(np.diff(edges).max()) - 1)
        gaps.append(np.diff(fresh))
    share = {name: c / total for name, c in count.items()}
    every = None
    all_gaps = np.concatenate(gaps)
    if share["stale"] > SAMPLED_SHARE and all_gaps.size:
        every = int(np.median(all_gaps))
    return States(1.0 - sum(share.values()), share["stale"], share["missing"], share["below"], age, every)


@dataclass(frozen=True)
class Zero:
    """Whether a counter is zero (or constant) in every known frame after a time: a matter of fact. ``first`` is (run,
    frame among those that count) of the first that is not; ``frames`` and ``amount`` of those; ``known`` frames over
    ``minutes`` were looked at, ``not_told`` were not; ``below`` hold something too small to tell."""

    holds: bool
    known: int
    minutes: float
    not_told: int
    below: int
    frames: int = 0
    amount: float = 0.0
    first: tuple[int, int] | None = None

    @property
    def most_a_minute(self) -> float | None:
        """At 95 %, if they come by chance."""
        return NONE_SEEN / self.minutes if self.holds and self.minutes > 0 else None


def zero_after(runs: Sequence[CounterRun], after_s: float = 0.0, constant: bool = False) -> Zero:
    """Is the counter zero from ``after_s`` on; ``constant``: is it what it is in the median then."""
    known = not_told = below = frames = 0
    amount = minutes = 0.0
    first = None
    for number, run in enumerate(runs):
        late = run.start_s >= after_s
        fresh = late & np.isfinite(run.values)
        small = gap_states(run.values).get("below", np.empty(0, dtype=np.int64))
        below += int(late[small].sum())
        not_told += int(late.sum() - fresh.sum()) - int(late[small].sum())
        known += int(fresh.sum())
        minutes += float(run.frame_ms[late].sum()) / 60_000.0
        values = np.where(fresh, run.values, 0.0)
        if constant and fresh.any():
            values = np.where(fresh, values - np.median(run.values[fresh]), 0.0)
        hits = np.flatnonzero(values)
        frames += hits.size
        amount += float(np.abs(values).sum())
        if hits.size and first is None:
            first = number, int(hits[0])
    return Zero(frames == 0 and known > 0, known, minutes, not_told, below, frames, amount, first)


@dataclass(frozen=True)
class Flat:
    """The slope in units a minute over runs with its half width; ``level`` the mean; ``collections`` a run on average,
    0 where the slope is of all values, else of those right after them; ``least`` the smallest slope that would have
    shown where nothing can be told."""

    call: FlatCall
    slope: float | None
    half: float | None
    level: float
    collections: float = 0.0
    least: float | None = None


def collections(values: FloatArray) -> IntArray:
    """Numbers of the frames right after a fall of a quarter of the 1 to 99 % range within one frame."""
    known = values[np.isfinite(values)]
    if known.size < 3:
        return np.empty(0, dtype=np.int64)
    low, high = np.quantile(known, (0.01, 0.99))
    if high <= low:
        return np.empty(0, dtype=np.int64)
    with np.errstate(invalid="ignore"):
        fell = np.flatnonzero(np.diff(values) <= -COLLECTED * (high - low)) + 1
    return fell.astype(np.int64)


def _slope(start_s: FloatArray, values: FloatArray) -> float:
    t = (start_s - start_s.mean()) / 60.0
    spread = float(t @ t)
    return float(t @ (values - values.mean())) / spread if spread > 0 else 0.0


def flat_after(runs: Sequence[CounterRun], after_s: float = 0.0) -> Flat | None:
    """Does a counter stay where it is from ``after_s`` on? Where it is collected, its troughs. None without values."""
    parts = []
    for run in runs:
        late = (run.start_s >= after_s) & np.isfinite(run.values)
        if late.sum() < 3:
            return None
        parts.append((run.start_s[late], run.values[late]))
    level = float(np.mean([v.mean() for _, v in parts]))
    fallen = [collections(v) for _, v in parts]
    apart = [np.diff(f) for f in fallen if f.size > 1]
    teeth = any(f.size for f in fallen) and (not apart or float(np.median(np.concatenate(apart))) > LEAST_APART)
    mean_count = float(np.mean([f.size for f in fallen])) if teeth else 0.0
    if teeth:
        if min(f.size for f in fallen) < LEAST_COLLECTIONS:
            return Flat("too-few-collections", None, None, level, mean_count)
        parts = [(t[f], v[f]) for (t, v), f in zip(parts, fallen, strict=True)]
    slope, half = mean_over_runs([_slope(t, v) for t, v in parts], LOG_SD * abs(level))
    return Flat(*_flat_call(slope, half, level), level, mean_count, None if half is None else half)


def _flat_call(slope: float, half: float | None, level: float) -> tuple[FlatCall, float, float | None]:
    if half is None:
        return "cannot be told", slope, None
    if abs(slope) + half <= FLAT_SHARE * abs(level):
        return "flat", slope, half
    if abs(slope) > half:
        return ("rising" if slope > 0 else "falling"), slope, half
    return "cannot be told", slope, half


@dataclass(frozen=True)
class Active:
    """Where a counter is above 0: share of the known frames, changes a minute, the longest stretch in s, and the mean
    frame when active less when idle within legs, ms (None where no leg has both)."""

    share: float
    changes_a_minute: float
    longest_s: float
    over_ms: float | None


def active(runs: Sequence[CounterRun], threshold: float = 0.0) -> Active:
    on = known = changes = 0
    minutes = longest = 0.0
    differences, weights = [], []
    for run in runs:
        fresh = np.isfinite(run.values)
        up = np.where(fresh, run.values > threshold, False)
        on, known = on + int(up.sum()), known + int(fresh.sum())
        minutes += float(run.frame_ms.sum()) / 60_000.0
        changes += int((np.diff(up[fresh].astype(np.int8)) != 0).sum())
        edges = np.flatnonzero(np.diff(np.concatenate(([0], up.astype(np.int8), [0]))))
        for a, b in zip(edges[::2], edges[1::2], strict=True):
            longest = max(longest, float(run.frame_ms[a:b].sum()) / 1000.0)
        for leg in np.unique(run.leg):
            here = (run.leg == leg) & fresh
            both = here & up, here & ~up
            if all(mask.any() for mask in both):
                differences.append(float(run.frame_ms[both[0]].mean() - run.frame_ms[both[1]].mean()))
                weights.append(float(min(mask.sum() for mask in both)))
    over = float(np.average(differences, weights=weights)) if differences else None
    return Active(on / known if known else 0.0, changes / minutes if minutes else 0.0, longest, over)


@dataclass(frozen=True)
class Slope:
    """Ms a unit of the counter with the half width of its interval; None where it cannot be told, ``refused`` says why:
    *no-variation*, *too-few-runs*."""

    ms: float | None
    half: float | None
    refused: str = ""


def along_the_course(runs: Sequence[CounterRun]) -> Slope:
    """Do frames and the counter go together along the course? The course is common to all runs: same place, not same
    cause."""
    slopes = []
    for run in runs:
        known = np.isfinite(run.values)
        c = run.values[known] - run.values[known].mean() if known.any() else np.empty(0)
        spread = float(c @ c)
        if spread <= 0:
            return Slope(None, None, "no-variation")
        slopes.append(float(c @ (run.frame_ms[known] - run.frame_ms[known].mean())) / spread)
    return Slope(*mean_over_runs(slopes, 0.0))


def at_one_place(runs: Sequence[CounterRun], length_s: float) -> Slope:
    """Of runs with more of the counter at a place, are frames there longer than in the others? The only one of the two
    that is called significant."""
    if len(runs) < 3:
        return Slope(None, None, "too-few-runs")
    bins = int(np.clip(length_s / LEAST_BIN_S, 1, MOST_BINS))
    tables = [_binned(run, bins) for run in runs]
    c, x = (np.array([table[i] for table in tables]) for i in (0, 1))
    known = np.isfinite(c).all(axis=0) & np.isfinite(x).all(axis=0)
    c, x = c[:, known], x[:, known]
    if c.shape[1] < 2:
        return Slope(None, None, "no-variation")
    spread = float(np.sqrt(np.mean(c.var(axis=0, ddof=1))))
    if spread < LEAST_VARIATION * abs(float(c.mean())) or spread == 0:
        return Slope(None, None, "no-variation")
    whole = _pooled(c, x)
    k = len(runs)
    without = np.array([_pooled(np.delete(c, i, axis=0), np.delete(x, i, axis=0)) for i in range(k)])
    error = float(np.sqrt((k - 1) / k * ((without - without.mean()) ** 2).sum()))
    return Slope(whole, float(stdtrit(k - 1, 0.975)) * error)


def _pooled(c: FloatArray, x: FloatArray) -> float:
    def left(table: FloatArray) -> FloatArray:
        own = table - table.mean(axis=0)
        centred: FloatArray = own - own.mean(axis=1, keepdims=True)
        return centred

    a, b = left(c), left(x)
    spread = float((a * a).sum())
    return float((a * b).sum()) / spread if spread > 0 else 0.0


def _binned(run: CounterRun, bins: int) -> tuple[FloatArray, FloatArray]:
    """Means of the counter and of the frame in each bin of the course."""
    known = np.isfinite(run.values) & np.isfinite(run.at)
    of = np.minimum((run.at[known] * bins).astype(np.int64), bins - 1)
    count = np.bincount(of, minlength=bins).astype(np.float64)
    with np.errstate(invalid="ignore", divide="ignore"):
        c, x = (np.bincount(of, v[known], bins) / count for v in (run.values, run.frame_ms))
    return c, x
