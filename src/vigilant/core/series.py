"""The frames, lanes, counters and marks of one run."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Literal, get_args

import numpy as np
import numpy.typing as npt

from .errors import InvalidSeries

FloatArray = npt.NDArray[np.float64]
IntArray = npt.NDArray[np.int64]
LaneRole = Literal["processor", "graphics", "waiting", "summed", "chain", "blocked"]
#: *summed* is processor time added up over several workers, *chain* its longest serial chain: neither is one worker's time.
LANE_ROLES: tuple[str, ...] = get_args(LaneRole)
#: Lanes that a frame may be waiting for.
BUSY_ROLES = ("processor", "graphics")


@dataclass(frozen=True)
class Mark:
    """A leg starts at frame ``index`` (0-based); ``play=False`` keeps it out of the figures."""

    index: int
    name: str
    play: bool = True


@dataclass(frozen=True)
class Part:
    """What one named piece of the work took over the whole run, in ms and calls.

    ``path`` names it from the outside in; ``lane`` is the lane whose time it is part of, "" for the frame's.
    ``error_ms`` is the standard error of ``ms`` where samples were counted; ``calls`` is 0 then. ``kind`` runs across lanes
    ("sound", "water"): what a part is about, wherever it is done.
    """

    path: tuple[str, ...]
    ms: float
    calls: int = 1
    lane: str = ""
    error_ms: float | None = None
    kind: str = ""


@dataclass(frozen=True, eq=False)
class PartRows:
    """Pieces of the work a frame at a time, only where they are present: m rows in order of their frames.

    ``frame`` (m,) 0-based numbers, ``part`` (m,) numbers of ``parts``; ``ms`` (m,), *below* the clock's step or
    missing as in a column (core.gaps); ``at_ms`` (m,) since the frame's start, NaN where it was not said;
    ``calls`` (m,); ``counts`` (m,) each, NaN where a row has none.
    """

    parts: Sequence[Part]
    frame: IntArray
    part: IntArray
    ms: FloatArray
    at_ms: FloatArray
    calls: IntArray
    counts: Mapping[str, FloatArray] = field(default_factory=dict)


def _column(name: str, values: Sequence[float] | FloatArray, frames: int | None) -> FloatArray:
    # One that owns its values and cannot be written to is kept as it is: of long runs a copy of all would be too much.
    if (
        isinstance(values, np.ndarray)
        and values.dtype == np.float64
        and values.flags.owndata
        and not values.flags.writeable
    ):
        array = values
    else:
        array = np.array(values, dtype=np.float64, copy=True)
    if array.ndim != 1:
        raise InvalidSeries(f"{name} must be one-dimensional, got shape {array.shape}")
    if frames is not None and array.size != frames:
        raise InvalidSeries(f"{name} has {array.size} values for {frames} frames")
    array.flags.writeable = False
    return array


@dataclass(frozen=True, eq=False)
class FrameSeries:
    """One run: ``frame_ms`` (n,) in ms, and what was reported beside each frame.

    ``part_rows`` are the parts a frame at a time, where they are asked for; ``lanes`` are per-frame times in ms and ``counters`` per-frame counts, each (n,), NaN where
    missing. ``stated_s`` is the length in seconds that a second clock gave; ``figures`` are values of
    the whole run (load time, peak of memory); ``parts`` are totals of named work; ``measured`` holds what the recorder measured of the
    machine meanwhile (shares of one core, degrees, MHz); ``source`` names what the run was read from. ``waits`` maps a lane to the
    lanes it waits for, each with the lane (of the role *blocked*) that holds the ms. Arrays are copied
    and made read-only, but those that are read-only already. Zero frames are allowed (coarse timers); NaN, infinities and negative
    times raise :class:`InvalidSeries` with the index and the value.
    """

    frame_ms: FloatArray
    lanes: Mapping[str, FloatArray] = field(default_factory=dict)
    lane_roles: Mapping[str, str] = field(default_factory=dict)
    counters: Mapping[str, FloatArray] = field(default_factory=dict)
    marks: Sequence[Mark] = ()
    conditions: Mapping[str, str] = field(default_factory=dict)
    stated_s: float | None = None
    figures: Mapping[str, float] = field(default_factory=dict)
    measured: Mapping[str, float] = field(default_factory=dict)
    parts: Sequence[Part] = ()
    part_rows: PartRows | None = None
    source: str = ""
    waits: Mapping[str, Mapping[str, str]] = field(default_factory=dict)

    def __post_init__(self) -> None:
        frames = _column("frame_ms", self.frame_ms, None)
        if frames.size == 0:
            raise InvalidSeries("a series needs at least one frame, got none")
        bad = np.flatnonzero(~(np.isfinite(frames) & (frames >= 0)))
        if bad.size:
            raise InvalidSeries(
                f"frame {bad[0]} is {float(frames[bad[0]])!r} ms; a frame time must be finite and not negative"
            )
        if not frames.sum() > 0:
            raise InvalidSeries(f"all {frames.size} frames are 0 ms")
        set_ = object.__setattr__
        set_(self, "frame_ms", frames)
        for group in ("lanes", "counters"):
            columns = {k: _column(f"{group[:-1]} {k!r}", v, frames.size) for k, v in getattr(self, group).items()}
            set_(self, group, columns)
        for lane, role in self.lane_roles.items():
            if lane not in self.lanes:
                raise InvalidSeries(f"a role was given for the unknown lane {lane!r}")
            if role not in LANE_ROLES:
                raise InvalidSeries(f"lane {lane!r} has the unknown role {role!r}; known: {', '.join(LANE_ROLES)}")
        for lane, others in self.waits.items():
            strange = [name for name in (lane, *others, *others.values()) if name not in self.lanes]
            if strange:
                raise InvalidSeries(f"waits of {lane!r} name the unknown lane {strange[0]!r}")
        marks = tuple(sorted(self.marks, key=lambda m: m.index))
        for mark in marks:
            if not 0 <= mark.index <= frames.size:
                raise InvalidSeries(f"mark {mark.name!r} at frame {mark.index} lies outside 0..{frames.size}")
        set_(self, "marks", marks)
        set_(self, "lane_roles", dict(self.lane_roles))
        set_(self, "conditions", {str(k): str(v) for k, v in self.conditions.items()})

    def busy_ms(self, lane: str) -> FloatArray:
        """A lane less what it waited for others in it (n,), at least 0; NaN where either is not told."""
        own = self.waits.get(lane)
        if not own:
            return self.lanes[lane]
        busy: FloatArray = np.maximum(
            0.0, self.lanes[lane] - np.sum([self.lanes[name] for name in own.values()], axis=0)
        )
        return busy

    def waiting_ms(self) -> FloatArray | None:
        """The summed lanes with the role *waiting* (n,), or None where there is none or it has gaps."""
        names = [k for k, role in self.lane_roles.items() if role == "waiting"]
        if not names:
            return None
        total: FloatArray = np.sum([self.lanes[k] for k in names], axis=0)
        return total if np.isfinite(total).all() else None


@dataclass(frozen=True, eq=False)
class PlayedFrames:
    """The frames that count: after the warm-up and without legs that are not play.

    ``index`` (m,) are their numbers in the run, ``bounds`` (s + 1,) delimits the stretches of
    consecutive frames; differences, windows and sliding seconds never cross a bound.
    """

    frame_ms: FloatArray
    index: IntArray
    bounds: IntArray

    def stretches(self) -> list[FloatArray]:
        return [self.frame_ms[a:b] for a, b in zip(self.bounds[:-1], self.bounds[1:], strict=True)]


def play_mask(series: FrameSeries, trim_s: float = 0.0) -> npt.NDArray[np.bool_]:
    """Which frames count (n,): those starting at or after ``trim_s`` of the recording, in play legs."""
    x = series.frame_ms
    keep = np.ones(x.size, dtype=np.bool_)
    if trim_s > 0:
        keep &= (np.cumsum(x) - x) >= trim_s * 1000.0
    edges = [m.index for m in series.marks] + [x.size]
    for mark, stop in zip(series.marks, edges[1:], strict=True):
        if not mark.play:
            keep[mark.index : stop] = False
    return keep


def legs_among(series: FrameSeries, counts: npt.NDArray[np.bool_]) -> list[int]:
    """Which of the frames that count (n,) begin a leg, by their number among those that count."""
    before = np.concatenate([[0], np.cumsum(counts)])
    return [int(before[m.index]) for m in series.marks if m.play]


def played(series: FrameSeries, trim_s: float = 0.0) -> PlayedFrames:
    """Take the frames that count. Raises :class:`InvalidSeries` when none is left, or only empty ones."""
    mask = play_mask(series, trim_s)
    if mask.all() and series.frame_ms.sum() > 0:
        bounds = np.array([0, mask.size], dtype=np.int64)
        return PlayedFrames(series.frame_ms, np.arange(mask.size), bounds)
    index = np.flatnonzero(mask)
    if index.size == 0:
        raise InvalidSeries(
            f"no frame is left of {series.frame_ms.size} after a warm-up of {trim_s} s and legs that are not play"
        )
    frame_ms = series.frame_ms[index]
    if not frame_ms.sum() > 0:
        raise InvalidSeries(f"the {index.size} frames that count are all 0 ms")
    joins = np.flatnonzero(np.diff(index) > 1) + 1
    bounds = np.concatenate(([0], joins, [index.size])).astype(np.int64)
    return PlayedFrames(frame_ms, index, bounds)


def counter_mean(series: FrameSeries, index: IntArray, name: str) -> float | None:
    """Mean of a counter over the frames ``index``, gaps left out; None where it has no value there."""
    values = series.counters.get(name)
    if values is None:
        return None
    counted = values[index]
    known = counted[np.isfinite(counted)]
    return float(known.mean()) if known.size else None


def median(values: FloatArray, scratch: bool = False) -> float:
    """Median of a one-dimensional array, which is left in disorder if it is ``scratch``. Partitioned at one place: numpy is several times slower at two,
    and its own median spends more on small arrays than they cost to sort."""
    half = values.size // 2
    parts = values
    if scratch:
        parts.partition(half)
    else:
        parts = np.partition(values, half)
    if values.size % 2:
        return float(parts[half])
    return float(0.5 * (parts[:half].max() + parts[half]))


def spread_evenly(blocks: FloatArray, most: int) -> FloatArray:
    """Rows of ``blocks`` (m, size), evenly spread, of ``most`` values at most; all of them where they fit."""
    step = -(-blocks.size // most)
    return blocks if step <= 1 else blocks[::step]
