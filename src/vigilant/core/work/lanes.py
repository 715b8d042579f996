"""What limits a frame: lanes that overlap or follow each other, the lane each frame waits for, and what is left.

Per frame: x its time, w what it waited (lanes of the role *waiting*), D = x - w; of the busy lanes M the longest and S
their sum. The run is the unit of evidence: one value a run, and Student's t over them.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
import numpy.typing as npt

from ..design import Design
from ..levels import half_of_mean, holm_adjusted
from ..scales import LATE, LOG_SD
from ..series import BUSY_ROLES, FloatArray, IntArray
from ..summary import RunFrames
from .fits import fitted_ms, mean_over_runs

BoolArray = npt.NDArray[np.bool_]
Call = Literal["overlap", "serial", "partly", "cannot be told", "one lane"]
#: Codes of a frame that no lane limits, beside the lanes' own numbers.
BALANCED, PACED, NONE, NOT_TOLD = -1, -2, -3, -4

MOST_LAG, CLEARLY_STRONGER = 2, 0.1
#: Frames of a block; its odd ones and its even ones are read by themselves.
BLOCK = 16
#: Least standard deviation of phi from run to run, and the widest interval that calls it.
PHI_SD, PHI_TOLD = 0.02, 0.25
OVERLAPS, FOLLOWS = 0.2, 0.8
ON_GRID = 0.03
FEW_FRAMES = 10.0
#: Seen in none of so many frames over all runs: at most this many by chance, two-sided at 95 %.
NONE_SEEN = 6.0
LIMIT_UNKNOWN, MOST_NOT_TOLD = 0.2, 0.5


@dataclass(frozen=True, eq=False)
class RunLanes:
    """The frames of one run that count. ``busy`` (L, n) and ``waiting`` (n,) in ms, NaN where they are not told;
    ``bounds`` (s + 1,) of the stretches of neighbouring frames; ``names`` and ``graphics`` (L,) of the busy lanes."""

    names: tuple[str, ...]
    graphics: tuple[bool, ...]
    frame_ms: FloatArray
    busy: FloatArray
    waiting: FloatArray
    waits: bool
    bounds: IntArray
    step_ms: float = 0.0
    period_ms: float | None = None

    @property
    def longest(self) -> FloatArray:
        m: FloatArray = self.busy.max(axis=0)
        return m

    @property
    def summed(self) -> FloatArray:
        s: FloatArray = self.busy.sum(axis=0)
        return s

    @property
    def told(self) -> BoolArray:
        """Mask (n,) of the frames whose lanes are all known."""
        known: BoolArray = np.isfinite(self.busy).all(axis=0) & np.isfinite(self.waiting)
        return known


@dataclass(frozen=True)
class Overlap:
    """How lanes add up: D = M + phi (S - M). ``phi`` with its half width, None where it has none."""

    call: Call
    phi: float | None = None
    half: float | None = None

    def model_ms(self, busy: FloatArray) -> FloatArray:
        """E (n,): what frames of so much work (L, n) would take if they never waited. Of *cannot be told* that of overlap,
        the least."""
        longest, summed = busy.max(axis=0), busy.sum(axis=0)
        e: FloatArray = longest + self.beside * (summed - longest)
        return e

    @property
    def beside(self) -> float:
        """What share of the work beside the busiest lane lengthens a frame, 0 to 1."""
        if self.call == "partly" and self.phi is not None:
            return self.phi
        return 1.0 if self.call == "serial" else 0.0


@dataclass(frozen=True)
class Limit:
    """Share of the frames that can be told which one lane limits, or a code; with its interval from two runs on."""

    code: int
    name: str
    share: float
    low: float | None
    high: float | None


@dataclass(frozen=True)
class Headroom:
    """Budget less what frames would take without waiting, ms; of the mean frame and of the 99th percentile. Where the
    model cannot be told the values are of lanes that overlap, ``worst`` of lanes one after the other. ``refused`` says why
    there is none."""

    mean_ms: float | None = None
    mean_half: float | None = None
    p99_ms: float | None = None
    p99_half: float | None = None
    worst_mean_ms: float | None = None
    refused: str = ""


@dataclass(frozen=True)
class LanesFound:
    """One arm. ``lags`` are the lanes that are reported late, in frames. ``limits`` are empty where no lane limits (one
    after the other); ``rounded`` is the share of frames whose
    work was over a whole period; ``not_told`` of frames whose lanes are not all known."""

    lags: Mapping[str, int]
    overlap: Overlap
    limits: tuple[Limit, ...]
    rounded: float
    not_told: float
    headroom: Headroom


def run_lanes(view: RunFrames) -> RunLanes | None:
    """The lanes of a run; None where it has no busy one. Values missing, stale or below are not told."""
    at, roles, lanes = view.played.index, view.series.lane_roles, view.series.lanes
    names = tuple(name for name in lanes if roles.get(name) in BUSY_ROLES)
    waits = [lanes[name][at] for name in lanes if roles.get(name) == "waiting"]
    if not names:
        return None
    return RunLanes(
        names=names,
        graphics=tuple(roles.get(name) == "graphics" for name in names),
        frame_ms=view.x,
        busy=np.stack([view.series.busy_ms(name)[at] for name in names]),
        waiting=np.sum(waits, axis=0) if waits else np.zeros(view.n),
        waits=bool(waits),
        bounds=view.played.bounds,
        step_ms=view.timer_step,
        period_ms=view.cap_ms,
    )


def _within(run: RunLanes) -> list[slice]:
    return [slice(a, b) for a, b in zip(run.bounds[:-1], run.bounds[1:], strict=True)]


def _winsorised(values: FloatArray) -> FloatArray:
    low, high = np.quantile(values, (0.01, 0.99))
    return np.clip(values, low, high)


def lag_frames(run: RunLanes, lane: int) -> int:
    """How many frames late a lane is reported, 0 to 2: the shift under which its steps follow the frames' best. 0 unless
    another is clearly stronger."""
    strength = []
    for lag in range(MOST_LAG + 1):
        pairs = [
            (np.diff(run.frame_ms[s][: x.size - lag]), np.diff(x[lag:]))
            for s in _within(run)
            if (x := run.busy[lane][s]).size > lag + 2
        ]
        if not pairs:
            return 0
        frame, busy = (np.concatenate([pair[i] for pair in pairs]) for i in (0, 1))
        known = np.isfinite(frame) & np.isfinite(busy)
        if known.sum() < 8 or np.ptp(frame[known]) == 0 or np.ptp(busy[known]) == 0:
            return 0
        strength.append(float(np.corrcoef(_winsorised(frame[known]), _winsorised(busy[known]))[0, 1]))
    best = int(np.argmax(strength))
    return best if strength[best] > strength[0] + CLEARLY_STRONGER else 0


def _shifted(run: RunLanes, lags: Sequence[int]) -> RunLanes:
    """Each lane told where it was done; a stretch's last frames are then not told."""
    return replace(run, busy=np.stack([earlier(b, run.bounds, lag) for b, lag in zip(run.busy, lags, strict=True)]))


def _phi(run: RunLanes) -> float | None:
    """phi of one run, over the steps between blocks of frames; None where S - M does not move with itself.

    Each block is read twice, by its odd and by its even frames: the one is the instrument of the other (Wald, 1940), so
    that what lanes are misread by, frame by frame, cancels. Plain least squares takes it for work that does not lengthen
    frames, and calls lanes one after the other overlapping where they vary slowly and are read with 5 % noise.
    """
    steps: list[FloatArray] = []
    for s in _within(run):
        m = run.longest[s]
        blocks = m.size // BLOCK
        if blocks < 2:
            continue
        rest, room = (run.frame_ms - run.waiting)[s] - m, run.summed[s] - m
        halves = np.stack(
            [v[: blocks * BLOCK].reshape(-1, BLOCK)[:, i::2].mean(axis=1) for v in (room, rest) for i in (0, 1)]
        )
        steps.append(np.diff(halves, axis=1))
    if not steps:
        return None
    all_steps = np.concatenate(steps, axis=1)
    all_steps = all_steps[:, np.isfinite(all_steps).all(axis=0)]
    if all_steps.shape[1] < 4:
        return None
    centred = [w - w.mean() for w in map(_winsorised, all_steps)]
    odd, even, rest_odd, rest_even = centred
    moved = float(2.0 * odd @ even)
    return float(rest_odd @ even + rest_even @ odd) / moved if moved > 0 else None


def overlap(runs: Sequence[RunLanes]) -> Overlap:
    """Do the lanes overlap or follow each other? Told by how frames move as lanes do, not by which model leaves less:
    that calls a partial overlap a whole one."""
    if len(runs[0].names) == 1:
        return Overlap("one lane")
    found = [p for run in runs if (p := _phi(run)) is not None]
    phi, half = mean_over_runs(found, PHI_SD) if found else (None, None)
    over = np.median([np.mean((run.summed > 1.02 * (run.frame_ms - run.waiting))[run.told]) for run in runs])
    call = _called(phi, half, bool(over > 0.5))
    if call is None and _adds_up(runs) and phi is not None and phi + (half or 0.0) > 0.5:
        call = "serial"
    return Overlap(call or "cannot be told", phi, half)


def _called(phi: float | None, half: float | None, fills_more: bool) -> Call | None:
    if phi is None or half is None or half > PHI_TOLD:
        return None
    if phi + half < OVERLAPS or (phi < OVERLAPS and fills_more):
        return "overlap"
    if phi - half > FOLLOWS:
        return "serial"
    return "partly" if phi - half >= OVERLAPS and phi + half <= FOLLOWS else None


def _adds_up(runs: Sequence[RunLanes]) -> bool:
    """Frames are about as long as their lanes together, and well longer than the longest of them."""
    rests, above = [], []
    for run in runs:
        told = run.told
        d, x = (run.frame_ms - run.waiting)[told], run.frame_ms[told]
        if x.size:
            rests.append(np.median((d - run.summed[told]) / x))
            above.append(np.median((d - run.longest[told]) / x))
    return bool(rests) and bool(-0.02 <= np.median(rests) <= 0.06 and np.median(above) >= 0.2)


def limiting(run: RunLanes, budget_ms: float | None = None) -> tuple[IntArray, IntArray]:
    """The lane that limits each frame (n,), or a code; and which frames were rounded up to a whole period more."""
    x, w, m = run.frame_ms, run.waiting, run.longest
    tau = np.maximum(0.02 * x, max(2.0 * run.step_ms, 0.05))
    period = run.period_ms or (budget_ms if run.waits else None)
    told = run.told
    with np.errstate(invalid="ignore"):
        waits = w > tau
        paced = waits & (np.abs(x - period) <= ON_GRID * period if period else np.ones(x.size, dtype=bool))
        rounded = waits & ~paced & (np.round(x / period) >= 2) if period else np.zeros(x.size, dtype=bool)
        unexplained = x - w - m > np.maximum(0.2 * x, 4.0 * run.step_ms)
        near = (run.busy >= m - tau).sum(axis=0)
    code = np.where(told, np.nan_to_num(run.busy, nan=-1.0).argmax(axis=0), NOT_TOLD)
    code = np.where(told & (near > 1), BALANCED, code)
    code = np.where(told & unexplained, NONE, code)
    code = np.where(told & paced, PACED, code)
    return code.astype(np.int64), (rounded & told).astype(np.int64)


def share_of_frames(counts: Sequence[int], frames: Sequence[int]) -> tuple[float, float | None, float | None]:
    """Share of frames over runs, pooled, with its interval by t over ln((c + 0.5) / (n - c + 0.5)); where they are few
    (or nearly all) the union with t over the shares themselves, which bursts need."""
    c, n = np.asarray(counts, dtype=np.float64), np.asarray(frames, dtype=np.float64)
    share = float(c.sum() / n.sum())
    if c.size < 2:
        return share, None, None
    if c.sum() == 0 or c.sum() == n.sum():
        edge = NONE_SEEN / n.sum()
        return (share, 0.0, min(1.0, edge)) if c.sum() == 0 else (share, max(0.0, 1.0 - edge), 1.0)
    y = LATE.y(c, n)
    half = half_of_mean(y, LATE.floor(share, float(n.mean()))) or 0.0
    low, high = (LATE.back(float(y.mean()) + sign * half, 1.0) for sign in (-1.0, 1.0))
    rare = min(c.mean(), (n - c).mean())
    if rare < FEW_FRAMES:
        least = max(float(rare), 1.0 / c.size) / float(n.mean()) ** 2
        p = c / n
        half = half_of_mean(p, least) or 0.0
        low, high = min(low, float(p.mean()) - half), max(high, float(p.mean()) + half)
    return share, max(0.0, min(low, share)), min(1.0, max(high, share))


@dataclass(frozen=True)
class LaneChange:
    """A lane of both arms: mean ms a frame over all frames, after less before with its 95 % interval (None where
    nothing can be tested), and p by Holm over the lanes."""

    name: str
    before_ms: float
    after_ms: float
    d_ms: float
    low_ms: float | None = None
    high_ms: float | None = None
    p_value: float | None = None


def lane_changes(before: Sequence[RunFrames], after: Sequence[RunFrames], design: Design) -> tuple[LaneChange, ...]:
    """Every lane that all runs of both arms report, less its waits on others, and those that wait; ms a frame, so that rows
    add up."""
    views = [*before, *after]
    timed = {*BUSY_ROLES, "waiting"}
    names = [n for n in views[0].series.lanes if all(v.series.lane_roles.get(n) in timed for v in views)]
    values = np.array([[_lane_mean(v, n) for n in names] for v in views])
    known = np.isfinite(values).all(axis=0)
    names, y = [n for n, k in zip(names, known, strict=True) if k], values[:, known]
    if not names:
        return ()
    arms = y[: len(before)].mean(axis=0), y[len(before) :].mean(axis=0)
    found = fitted_ms(design, y)
    told = [i for i, (*_, p) in enumerate(found) if p is not None]
    adjusted = dict(zip(told, holm_adjusted([found[i][3] or 0.0 for i in told]), strict=True))
    return tuple(
        LaneChange(n, float(b), float(a), d, low, high, adjusted.get(i))
        for i, (n, b, a, (d, low, high, _)) in enumerate(zip(names, *arms, found, strict=True))
    )


def _lane_mean(view: RunFrames, name: str) -> float:
    values = view.series.busy_ms(name)[view.played.index]
    return float(np.nanmean(values)) if np.isfinite(values).any() else math.nan


def limit_moved(before: LanesFound, after: LanesFound) -> tuple[Limit, Limit] | None:
    """What limited most frames before, and what does after, where that is another and no chance of the runs: neither
    interval of the one that took over, or gave way, reaches into the other arm's."""
    if not before.limits or not after.limits:
        return None
    old, new = (max(arm.limits, key=lambda limit: limit.share) for arm in (before, after))
    was = next((limit for limit in before.limits if limit.code == new.code), None)
    still = next((limit for limit in after.limits if limit.code == old.code), None)
    if old.code == new.code or new.low is None or old.low is None:
        return None
    grew = was is None or (was.high is not None and was.high < new.low)
    fell = still is None or (still.high is not None and still.high < old.low)
    return (old, new) if grew and fell else None


def laid(views: Sequence[RunFrames]) -> tuple[list[RunLanes], dict[str, int]] | None:
    """The lanes of an arm's runs, each told where it was done, and by how many frames the late ones were moved; None
    where the runs do not report the same busy lanes."""
    runs = [run for view in views if (run := run_lanes(view)) is not None]
    if not runs or len(runs) < len(views) or len({run.names for run in runs}) > 1:
        return None
    lags = [
        int(np.median([lag_frames(run, lane) for run in runs])) if graphics else 0
        for lane, graphics in enumerate(runs[0].graphics)
    ]
    late = {name: lag for name, lag in zip(runs[0].names, lags, strict=True) if lag}
    return [_shifted(run, lags) for run in runs], late


def earlier(column: FloatArray, bounds: IntArray, lag: int) -> FloatArray:
    """A column (n,) as it was reported ``lag`` frames later; NaN in the last frames of a stretch."""
    if lag == 0:
        return column
    own = np.full(column.size, np.nan)
    for a, b in itertools.pairwise(bounds):
        own[a : max(a, b - lag)] = column[min(a + lag, b) : b]
    return own


def lanes_found(views: Sequence[RunFrames], budget_ms: float | None) -> LanesFound | None:
    """What limits the frames of one arm; None where its runs do not report the same busy lanes."""
    arm = laid(views)
    if arm is None:
        return None
    runs, late = arm
    found = overlap(runs)
    told = [int(run.told.sum()) for run in runs]
    not_told = 1.0 - sum(told) / sum(run.frame_ms.size for run in runs)
    limits: tuple[Limit, ...] = ()
    rounded = 0.0
    unexplained = 0.0
    if found.call not in ("serial", "one lane") and not_told <= MOST_NOT_TOLD and all(told):
        codes = [limiting(run, budget_ms) for run in runs]
        limits = _limits(runs[0].names, [code for code, _ in codes], told)
        rounded = sum(int(up.sum()) for _, up in codes) / sum(told)
        unexplained = next((limit.share for limit in limits if limit.code == NONE), 0.0)
    headroom = _headroom(runs, found, budget_ms, not_told, unexplained)
    return LanesFound(late, found, limits, rounded, not_told, headroom)


_CALLED = {BALANCED: "balanced", PACED: "paced", NONE: "none of the lanes explains it"}


def _limits(names: tuple[str, ...], codes: Sequence[IntArray], told: Sequence[int]) -> tuple[Limit, ...]:
    named = {**dict(enumerate(names)), **_CALLED}
    rows = [
        Limit(code, name, *share_of_frames([int((c == code).sum()) for c in codes], told))
        for code, name in named.items()
    ]
    return tuple(row for row in rows if row.share > 0 or row.code >= 0)


def _headroom(
    runs: Sequence[RunLanes], found: Overlap, budget_ms: float | None, not_told: float, unexplained: float
) -> Headroom:
    refused = (
        "no-target" if budget_ms is None
        else "not-told" if not_told > MOST_NOT_TOLD
        else "held-by-cap" if sum(run.period_ms is not None for run in runs) * 2 > len(runs) and not runs[0].waits
        else "limit-unknown" if unexplained > LIMIT_UNKNOWN
        else ""
    )  # fmt: skip
    if refused or budget_ms is None:
        return Headroom(refused=refused)
    taken = [found.model_ms(run.busy)[run.told] for run in runs]
    if not all(e.size for e in taken):
        return Headroom(refused="not-told")
    least = LOG_SD * float(np.mean([e.mean() for e in taken]))
    mean, mean_half = mean_over_runs([budget_ms - float(e.mean()) for e in taken], least)
    p99, p99_half = mean_over_runs([budget_ms - float(np.quantile(e, 0.99)) for e in taken], least)
    worst = None
    if found.call == "cannot be told":
        worst = float(np.mean([budget_ms - float(run.summed[run.told].mean()) for run in runs]))
    return Headroom(mean, mean_half, p99, p99_half, worst)
