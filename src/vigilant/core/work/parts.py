"""Which pieces of the work a frame is made of, and which of them changed.

Every level closes: the pieces of a part, a lane or the frame and *the rest* are together what they lie in, in each run and
so in every mean and difference. A piece that is absent from a frame took 0 ms of it.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Literal

import numpy as np
import numpy.typing as npt

from ..design import Design
from ..levels import holm_adjusted
from ..scales import LOG_SD
from ..series import FloatArray, IntArray, PartRows
from ..summary import RunFrames
from .amounts import split
from .fits import fitted_log, fitted_ms, half_of_difference, mean_over_runs

#: Lane ("" of the frame itself) and names from the outside in.
Key = tuple[str, tuple[str, ...]]
Kind = Literal["steady", "events", "only before", "only after", "rest"]

OFTEN = 0.1
LEAST_EVENTS = 5.0
OVER_WHOLE = -0.01


@dataclass(frozen=True, eq=False)
class PartsOfRun:
    """Of the frames of one run that count: how many, ms in all, of each busy lane and of each part; calls; in how many
    frames a part is; and what it took in each of those."""

    frames: int
    frame_ms: float
    lane_ms: Mapping[str, float]
    ms: Mapping[Key, float]
    calls: Mapping[Key, int]
    present: Mapping[Key, int]
    sizes: Mapping[Key, FloatArray]
    #: Of what a part handled, by name: how much of it, and the ms of the rows that say so.
    units: Mapping[Key, Mapping[str, tuple[float, float]]] = field(default_factory=dict)


@dataclass(frozen=True)
class PartOfArm:
    """Means over an arm's runs: ms and calls a frame, us a call (None without calls), the share of frames that hold it,
    and of the ms of its lane (of the frame, where it is of none); us for each of what it handled, by name."""

    ms: float
    calls: float
    us_a_call: float | None
    present: float
    share: float | None
    us_each: Mapping[str, float] = field(default_factory=dict)


@dataclass(frozen=True)
class CallsAndCost:
    """What of a part's difference more or fewer calls make, and what dearer or cheaper ones, ms a frame; each with the
    half width of its interval, None where it cannot be told. Together they are the difference."""

    calls_ms: float
    cost_ms: float
    calls_half: float | None = None
    cost_half: float | None = None


@dataclass(frozen=True)
class PartChange:
    """One row. ``path`` is () for what a lane or the frame is beside its parts; *rest* closes the level under ``path``.
    The interval and p (by Holm within the level) are None where nothing can be tested, ``untested`` says why; ``over`` says
    that the pieces are more than the whole; ``summed`` that the part was not timed itself."""

    lane: str
    path: tuple[str, ...]
    kind: Kind
    before: PartOfArm
    after: PartOfArm
    d_ms: float
    low_ms: float | None = None
    high_ms: float | None = None
    p_value: float | None = None
    untested: str = ""
    over: bool = False
    summed: bool = False
    split: CallsAndCost | None = None


def calls_and_cost(design: Design, ms: FloatArray, calls: FloatArray) -> CallsAndCost | None:
    """Split the difference of a part from ``ms`` and ``calls`` a frame of each run (N,), before runs first; the intervals
    by linearised values of the runs. None where no arm reports calls."""
    kb = design.k_before
    (m0, m1), (u0, u1) = ((float(v[:kb].mean()), float(v[kb:].mean())) for v in (ms, calls))
    if not u0 or not u1:
        return CallsAndCost(m1 - m0, 0.0) if u0 or u1 else None
    from_calls, from_cost = split((m0, u0), (m1, u1))
    c0, c1 = m0 / u0, m1 / u1
    more = u1 - u0
    of_calls = np.array([-(c0 + c1) / 2.0 - more * c0 / (2.0 * u0), (c0 + c1) / 2.0 - more * c1 / (2.0 * u1)])
    of_ms = np.array([more / (2.0 * u0), more / (2.0 * u1)])

    def half(g_calls: FloatArray, g_ms: FloatArray) -> float | None:
        z = [
            sign * (g_calls[arm] * (calls[at] - u) + g_ms[arm] * (ms[at] - m))
            for arm, (sign, at, u, m) in enumerate(((-1.0, slice(0, kb), u0, m0), (1.0, slice(kb, None), u1, m1)))
        ]
        return half_of_difference(design, np.concatenate(z))

    return CallsAndCost(from_calls, from_cost, half(of_calls, of_ms), half(-of_calls, np.array([-1.0, 1.0]) - of_ms))


def children(keys: Collection[Key], lane: str, path: tuple[str, ...]) -> list[Key]:
    """What lies directly in a part, or in a lane; also what was not timed itself but holds something."""
    depth = len(path) + 1
    found = dict.fromkeys(
        k[1][:depth] for k in keys if k[0] == lane and len(k[1]) >= depth and k[1][: depth - 1] == path
    )
    return [(lane, one) for one in found]


#: So many cells of parts by frames are held at once.
MOST_CELLS = 20_000_000


def _by_key(
    rows: PartRows, place: IntArray, frames: int
) -> Iterator[tuple[Key, FloatArray, npt.NDArray[np.bool_], int]]:
    """Of each part its ms (frames,), whether it is there (frames,), and its calls; ``place`` (n,) is where a frame of the
    run stands among them, -1 where it does not. Some parts at a time, so that many parts of a long run fit."""
    keys = list(dict.fromkeys((part.lane, tuple(part.path)) for part in rows.parts))
    number = {key: i for i, key in enumerate(keys)}
    of = np.array([number[part.lane, tuple(part.path)] for part in rows.parts], dtype=np.int64)
    at, key_of, ms, calls = place[rows.frame], of[rows.part], rows.ms, rows.calls
    if at.size and int(at.min()) < 0:
        inside = at >= 0
        at, key_of, ms, calls = at[inside], key_of[inside], ms[inside], calls[inside]
    if not np.isfinite(ms).all():
        ms = np.nan_to_num(ms)
    together = max(1, MOST_CELLS // max(frames, 1))
    for first in range(0, len(keys), together):
        some = keys[first : first + together]
        mine: slice | npt.NDArray[np.bool_] = slice(None)
        if len(some) < len(keys):
            mine = (key_of >= first) & (key_of < first + len(some))
        cell = (key_of[mine] - first) * frames + at[mine]
        size = len(some) * frames
        took = np.bincount(cell, ms[mine], size).astype(np.float64, copy=False).reshape(len(some), frames)
        seen = np.zeros(size, dtype=np.bool_)
        seen[cell] = True
        there = seen.reshape(len(some), frames)
        called = np.bincount(key_of[mine] - first, calls[mine], len(some))
        for i, key in enumerate(some):
            yield key, took[i], there[i], int(called[i])


def ms_by_frame(view: RunFrames, rows: PartRows) -> dict[Key, FloatArray]:
    """Ms (n,) of each part in every frame that counts, 0 where it is absent; several rows of one frame are summed."""
    place = np.full(view.series.frame_ms.size, -1, dtype=np.int64)
    place[view.played.index] = np.arange(view.n)
    return {key: ms for key, ms, *_ in _by_key(rows, place, view.n)}


#: A part is below the resolution where its median reading is so many steps of the clock at most.
LEAST_STEPS = 2.0


def below_resolution(ms: Sequence[FloatArray], step_ms: float) -> bool:
    """Whether what a part takes in single frames, ``ms`` (n,) of each run, cannot be told by a clock of this step: its mean may be (errors
    telescope), but no percentile, excess, allowance or bound."""
    there = np.concatenate([v[v > 0] for v in ms]) if ms else np.empty(0)
    return bool(step_ms > 0 and there.size and np.median(there) <= LEAST_STEPS * step_ms)


def parts_of_run(view: RunFrames, rows: PartRows, within: tuple[int, int] | None = None) -> PartsOfRun:
    """Sum a run's rows over the frames that count, of a stretch of the run (``within``, from and up to) or of all; several
    of one part in a frame are one."""
    at = view.played.index
    if within is not None:
        at = at[(at >= within[0]) & (at < within[1])]
    place = np.full(view.series.frame_ms.size, -1, dtype=np.int64)
    place[at] = np.arange(at.size)
    ms, calls, sizes = {}, {}, {}
    for key, took, there, called in _by_key(rows, place, at.size):
        ms[key], calls[key], sizes[key] = float(took.sum()), called, took[there]
    return PartsOfRun(
        frames=int(at.size),
        frame_ms=float(view.series.frame_ms[at].sum()),
        lane_ms={
            name: float(np.nansum(view.series.busy_ms(name)[at]))
            for name in view.series.lanes
            if view.series.lane_roles.get(name) not in ("waiting", "blocked")
        },
        ms=ms,
        calls=calls,
        present={key: int(values.size) for key, values in sizes.items()},
        sizes=sizes,
        units=_units(rows, place),
    )


def _units(rows: PartRows, place: IntArray) -> dict[Key, dict[str, tuple[float, float]]]:
    """What each part handled in the frames that count, and the ms of the rows that say so."""
    found: dict[Key, dict[str, tuple[float, float]]] = {}
    inside = place[rows.frame] >= 0
    for name, counts in rows.counts.items():
        known = inside & np.isfinite(counts) & np.isfinite(rows.ms)
        size = len(rows.parts)
        much = np.bincount(rows.part[known], counts[known], size)
        took = np.bincount(rows.part[known], rows.ms[known], size)
        for part, amount, ms in zip(rows.parts, much, took, strict=True):
            if amount > 0:
                own = found.setdefault((part.lane, tuple(part.path)), {})
                before = own.get(name, (0.0, 0.0))
                own[name] = before[0] + float(amount), before[1] + float(ms)
    return found


def part_changes(runs: Sequence[PartsOfRun], design: Design) -> tuple[PartChange, ...]:
    """Every part of both arms, before runs first, each under what it lies in and every level closed by its rest."""
    keys = {key for run in runs for key in run.ms}
    rows: list[PartChange] = []
    for lane in sorted({key[0] for key in keys}):
        rows += _level(runs, design, lane, (), keys)
    return tuple(rows)


def part_table(runs: Sequence[PartsOfRun]) -> tuple[PartChange, ...]:
    """The parts of one arm, as a comparison with itself: both sides are the same, and nothing is tested."""
    return part_changes([*runs, *runs], Design("single", len(runs), len(runs)))


def _level(
    runs: Sequence[PartsOfRun], design: Design, lane: str, path: tuple[str, ...], keys: set[Key]
) -> list[PartChange]:
    """The rows directly under a place, each followed by its own level."""
    own = sorted(one for _, one in children(keys, lane, path))
    if not own:
        return []
    values = {one: _ms_a_frame(runs, lane, one, keys) for one in own}
    values = {one: ms for one, ms in values.items() if ms.any()}  # what was nowhere has no row
    if not values:
        return []
    whole = _whole(runs, lane, path, keys)
    made = [_change(runs, design, (lane, one), values[one], (lane, one) in keys) for one in values]
    if whole is not None:
        rest = whole - np.sum(list(values.values()), axis=0)
        made.append(_rest(runs, design, (lane, path), rest, whole))
    told = [i for i, row in enumerate(made) if row.p_value is not None]
    adjusted = dict(zip(told, holm_adjusted([made[i].p_value or 0.0 for i in told]), strict=True))
    made = [_with_p(row, adjusted.get(i)) for i, row in enumerate(made)]
    parts, rest_rows = (made[:-1], made[-1:]) if whole is not None else (made, [])
    rows: list[PartChange] = []
    for row in sorted(parts, key=lambda row: -max(row.before.ms, row.after.ms)):
        rows += [row, *_level(runs, design, lane, row.path, keys)]
    return rows + rest_rows


def _with_p(row: PartChange, p: float | None) -> PartChange:
    return row if p is None else replace(row, p_value=p)


def _ms_a_frame(runs: Sequence[PartsOfRun], lane: str, path: tuple[str, ...], keys: set[Key]) -> FloatArray:
    """Mean ms a frame of each run (N,); of a part that was not timed itself that of the pieces in it."""
    if (lane, path) in keys:
        return np.array([run.ms.get((lane, path), 0.0) / run.frames for run in runs])
    total: FloatArray = np.sum([_ms_a_frame(runs, *one, keys) for one in children(keys, lane, path)], axis=0)
    return total


def _whole(runs: Sequence[PartsOfRun], lane: str, path: tuple[str, ...], keys: set[Key]) -> FloatArray | None:
    """What a level is held against: its part, its lane, or the frame; None where that was not timed itself."""
    if path:
        return _ms_a_frame(runs, lane, path, keys) if (lane, path) in keys else None
    if not lane:
        return np.array([run.frame_ms / run.frames for run in runs])
    if not all(lane in run.lane_ms for run in runs):
        return None
    return np.array([run.lane_ms[lane] / run.frames for run in runs])


def _of_arm(runs: Sequence[PartsOfRun], key: Key, ms: FloatArray) -> PartOfArm:
    calls = float(np.mean([run.calls.get(key, 0) / run.frames for run in runs]))
    present = sum(run.present.get(key, 0) for run in runs) / sum(run.frames for run in runs)
    wholes = [run.lane_ms.get(key[0], 0.0) if key[0] else run.frame_ms for run in runs]
    mean, whole = float(ms.mean()), float(np.mean([w / run.frames for w, run in zip(wholes, runs, strict=True)]))
    each = {
        name: 1000.0 * sum(run.units.get(key, {}).get(name, (0.0, 0.0))[1] for run in runs) / amount
        for name in dict.fromkeys(name for run in runs for name in run.units.get(key, {}))
        if (amount := sum(run.units.get(key, {}).get(name, (0.0, 0.0))[0] for run in runs)) > 0
    }
    us_a_call = 1000.0 * mean / calls if calls else None
    return PartOfArm(mean, calls, us_a_call, present, mean / whole if whole else None, each)


def _change(runs: Sequence[PartsOfRun], design: Design, key: Key, y: FloatArray, timed: bool) -> PartChange:
    kb = design.k_before
    arms = _of_arm(runs[:kb], key, y[:kb]), _of_arm(runs[kb:], key, y[kb:])
    d = float(y[kb:].mean() - y[:kb].mean())
    calls = np.array([run.calls.get(key, 0) / run.frames for run in runs])
    parted = calls_and_cost(design, y, calls) if timed else None
    there = y > 0
    if min(kb, y.size - kb) >= 2 and there[kb:].all() and not there[:kb].any():
        return _only("only after", key, arms, y[kb:], min(kb, y.size - kb), timed)
    if min(kb, y.size - kb) >= 2 and there[:kb].all() and not there[kb:].any():
        return _only("only before", key, arms, y[:kb], min(kb, y.size - kb), timed)
    often = min(arm.present for arm in arms) >= OFTEN
    if there.all() and (often or not timed):
        low, high, p = fitted_log(design, y)
        return PartChange(
            *key, "steady", *arms, d, low, high, p, "" if p is not None else "no-runs", summed=not timed, split=parted
        )
    events = np.concatenate([run.sizes.get(key, np.empty(0)) for run in runs])
    effective = float(events.sum() ** 2 / (events**2).sum()) if (events > 0).any() else 0.0
    if effective < LEAST_EVENTS:
        return PartChange(*key, "events", *arms, d, untested="too-few-events", summed=not timed, split=parted)
    ((_, low, high, p),) = fitted_ms(design, y[:, None])
    return PartChange(
        *key, "events", *arms, d, low, high, p, "" if p is not None else "no-runs", summed=not timed, split=parted
    )


def _only(
    kind: Literal["only before", "only after"],
    key: Key,
    arms: tuple[PartOfArm, PartOfArm],
    own: FloatArray,
    k: int,
    timed: bool,
) -> PartChange:
    """Here and nowhere there: its size by its own runs; p is the most that any chance of being in a run can give."""
    mean, half = mean_over_runs(own.tolist(), LOG_SD * float(own.mean()))
    sign = 1.0 if kind == "only after" else -1.0
    ends = sorted((sign * (mean - (half or 0.0)), sign * (mean + (half or 0.0))))
    return PartChange(key[0], key[1], kind, *arms, sign * mean, ends[0], ends[1], 2.0 / 4.0**k, summed=not timed)


def kind_of(key: Key, said: Mapping[Key, str]) -> str:
    """What a part is about: as it says, or the nearest part around it that does; "" where none says."""
    lane, path = key
    return next((said[lane, path[:i]] for i in range(len(path), 0, -1) if said.get((lane, path[:i]))), "")


@dataclass(frozen=True)
class KindTotal:
    """Parts of one kind over all lanes, ms a frame of both arms, and what the others take that are then hidden. Of parts that lie
    in each other the outer one counts."""

    kind: str
    before_ms: float
    after_ms: float
    hidden_before_ms: float
    hidden_after_ms: float


def kind_totals(rows: Sequence[PartChange], said: Mapping[Key, str]) -> tuple[KindTotal, ...]:
    """Every kind that a part says, by name."""
    parts = [row for row in rows if row.kind != "rest"]
    tops = [row for row in parts if len(row.path) == 1]
    whole = [sum(arm) for arm in zip(*((r.before.ms, r.after.ms) for r in tops), strict=True)] if tops else [0.0, 0.0]
    found = []
    for kind in sorted(set(said.values()) - {""}):
        own = [
            row for row in parts
            if kind_of((row.lane, row.path), said) == kind and kind_of((row.lane, row.path[:-1]), said) != kind
        ]  # fmt: skip
        ms = [float(sum(row.before.ms for row in own)), float(sum(row.after.ms for row in own))]
        found.append(KindTotal(kind, ms[0], ms[1], float(whole[0] - ms[0]), float(whole[1] - ms[1])))
    return tuple(found)


#: A part that went and one that came are alike where their sizes differ by less.
ALIKE = 0.2


def renamed(rows: Sequence[PartChange]) -> list[tuple[PartChange, PartChange]]:
    """Parts that may be one under two names: of each part that is only before the one that is only after, in the same lane
    and parent, whose size is nearest and within a fifth of its own. Nothing is taken together by it."""
    found = []
    left = [row for row in rows if row.kind == "only after"]
    for gone in (row for row in rows if row.kind == "only before"):
        beside = [r for r in left if r.lane == gone.lane and r.path[:-1] == gone.path[:-1]
                  and abs(r.after.ms - gone.before.ms) < ALIKE * gone.before.ms]  # fmt: skip
        if beside:
            new = min(beside, key=lambda row: abs(row.after.ms - gone.before.ms))
            left.remove(new)
            found.append((gone, new))
    return found


def _rest(runs: Sequence[PartsOfRun], design: Design, key: Key, rest: FloatArray, whole: FloatArray) -> PartChange:
    kb = design.k_before
    ((_, low, high, p),) = fitted_ms(design, rest[:, None])
    lane_ms = [run.lane_ms.get(key[0], 0.0) if key[0] else run.frame_ms for run in runs]
    of = np.array([ms / run.frames for ms, run in zip(lane_ms, runs, strict=True)])

    def arm(at: slice) -> PartOfArm:
        whole_ms = float(of[at].mean())
        return PartOfArm(
            float(rest[at].mean()), 0.0, None, 1.0, float(rest[at].mean()) / whole_ms if whole_ms else None
        )

    return PartChange(
        key[0], key[1], "rest", arm(slice(0, kb)), arm(slice(kb, None)), float(rest[kb:].mean() - rest[:kb].mean()),
        low, high, p, "" if p is not None else "no-runs", over=bool(rest.mean() < OVER_WHOLE * whole.mean()),
    )  # fmt: skip
