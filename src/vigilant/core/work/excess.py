"""What late frames have more of than the frames around them: one account that closes.

A row's excess in a late frame is its value less its typical value (:mod:`.typical`); all columns use the same typical
frames, so rows add up to the frame's own excess. Where lanes overlap, only what the busiest lane did lengthened the
frame: its rows count, less the *slack* it had to fill before it was the busiest.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from scipy.special import stdtrit

from ..design import Design
from ..series import FloatArray, IntArray
from ..stutter import LEAST_EXCESS_MS, exceedances
from ..summary import RunFrames
from .lanes import Overlap, RunLanes
from .parts import LEAST_EVENTS, Key, children
from .rows import REST, WAITING, RowChange, RowKey, RowKind, Rows, lane_rows, ordered_keys, part_rows, row_changes, top
from .typical import events_of, typical_around

LEAST_LATE = 10
#: By level from this share of the late frames on: the leg is slow, and nothing is ranked.
MOSTLY_LEVEL = 0.5


@dataclass(frozen=True, eq=False)
class ExcessOfRun:
    """A set of frames of one run that counts ``frames``: ``at`` (f,) their numbers among those that count, ``event`` (f,)
    the event of each; ``rows`` each row's excess (f,) and ``total`` the frames' own, ms; ``by_level`` (f,) whether the
    typical frame itself is late; ``level_ms`` and ``over_ms`` what typical frames and frames are over the budget in all;
    ``not_told`` frames whose lanes are not all known."""

    frames: int
    at: IntArray
    event: IntArray
    rows: Mapping[RowKey, FloatArray]
    total: FloatArray
    by_level: IntArray
    over_ms: float = 0.0
    level_ms: float = 0.0
    not_told: int = 0

    @property
    def events(self) -> int:
        return int(self.event[-1]) + 1 if self.event.size else 0

    def by_event(self, values: FloatArray) -> FloatArray:
        summed: FloatArray = np.bincount(self.event, values, self.events).astype(np.float64)
        return summed

    def row(self, key: RowKey) -> FloatArray:
        return self.rows.get(key, np.zeros(self.at.size))


def late_frames(view: RunFrames, step_ms: float) -> IntArray:
    """Numbers of the late frames among those that count; none without a target."""
    limit = view.late_from_ms(step_ms)
    return np.flatnonzero(view.x > limit) if limit is not None else np.empty(0, dtype=np.int64)


def spike_frames(view: RunFrames, allowance_ratio: float = 1.0, spread_ms: float = 0.0) -> IntArray:
    """Numbers of the frames above the stutter allowance max(0.75 r m, 4 ms, 6 s) that both arms share."""
    least = max(LEAST_EXCESS_MS, 6.0 * spread_ms)
    starts = view.played.bounds[:-1]
    found = [a + exceedances(x, allowance_ratio, least)[0] for a, x in zip(starts, view.stretches, strict=True)]
    return np.concatenate(found).astype(np.int64)


def excess_of_run(
    frame_ms: FloatArray,
    bounds: IntArray,
    at: IntArray,
    lanes: RunLanes | None,
    overlap: Overlap | None,
    parts: Mapping[Key, FloatArray],
    late_from_ms: float = math.inf,
    budget_ms: float = 0.0,
) -> ExcessOfRun:
    """The excess of the frames ``at`` (f,) by rows. ``parts`` are ms a frame (n,) of each part; ``lanes`` without lags."""
    typical = typical_around(frame_ms, bounds, at)
    x, level = frame_ms[at], typical.of(frame_ms)
    total = x - level

    def excess(column: FloatArray) -> FloatArray:
        return column[at] - typical.of(column)

    rows: Rows = {}
    told = np.ones(at.size, dtype=np.bool_)
    if lanes is None or overlap is None or overlap.call == "serial":
        for key in children(parts, "", ()) if lanes is None else ():
            part_rows(rows, parts, key, excess, np.ones(at.size))
        names = lanes.names if lanes is not None else sorted({lane for lane, _ in parts if lane})
        for number, name in enumerate(names):
            whole = excess(lanes.busy[number]) if lanes is not None else None
            lane_rows(rows, parts, name, whole, excess, np.ones(at.size))
        if lanes is not None:
            rows[WAITING] = excess(lanes.waiting)
    else:
        busy = lanes.busy[:, at]
        usual = np.stack([typical.of(b) for b in lanes.busy])
        told = np.isfinite(busy).all(axis=0) & np.isfinite(usual).all(axis=0) & np.isfinite(lanes.waiting[at])
        busiest = np.where(told, np.nan_to_num(busy, nan=-1.0).argmax(axis=0), -1)
        most = usual.max(axis=0)
        phi = overlap.beside
        for number, name in enumerate(lanes.names):
            weight = np.where(busiest == number, 1.0, phi) * told
            lane_rows(rows, parts, name, busy[number] - usual[number], excess, weight)
            rows["slack", name, ()] = np.where(busiest == number, (1.0 - phi) * (usual[number] - most), 0.0)
        rows[WAITING] = excess(lanes.waiting) * told
    rows = {key: np.where(told, np.nan_to_num(values), 0.0) for key, values in rows.items()}
    rows[REST] = total - sum((values for key, values in rows.items() if top(key)), start=np.zeros(at.size))
    return ExcessOfRun(
        frames=frame_ms.size,
        at=at,
        event=events_of(at, bounds),
        rows=rows,
        total=total,
        by_level=(level > late_from_ms).astype(np.int64),
        over_ms=float((x - budget_ms).sum()),
        level_ms=float((level - budget_ms).sum()),
        not_told=int((~told).sum()),
    )


@dataclass(frozen=True)
class ExcessRow:
    """Of the excess of an arm's set: ms in all, its share with the half width of the 95 % interval, the share less the
    slack its lane had to fill first, and of how many frames it was the largest row."""

    kind: RowKind
    lane: str
    path: tuple[str, ...]
    ms: float
    share: float
    half: float | None
    net: float
    main: int

    @property
    def key(self) -> RowKey:
        return self.kind, self.lane, self.path


@dataclass(frozen=True)
class ExcessAccount:
    """One arm. ``refused`` says why no shares are given: *too-few-late*, *by-level*, *not-told*."""

    frames: int
    events: int
    runs: int
    by_level: int
    over_ms: float
    level_ms: float
    total_ms: float
    not_told: int
    rows: tuple[ExcessRow, ...]
    refused: str = ""


def excess_account(runs: Sequence[ExcessOfRun]) -> ExcessAccount:
    """The rows of an arm's runs, in the order lanes and parts were given, each under what it lies in."""
    frames, events = sum(r.at.size for r in runs), sum(r.events for r in runs)
    seen = sum(r.events > 0 for r in runs)
    level, not_told = sum(int(r.by_level.sum()) for r in runs), sum(r.not_told for r in runs)
    total = float(sum(r.total.sum() for r in runs))
    refused = (
        "by-level" if level > MOSTLY_LEVEL * frames and frames >= LEAST_LATE
        else "too-few-late" if events < LEAST_LATE or seen < 2 or total <= 0
        else "not-told" if not_told > 0.5 * frames
        else ""
    )  # fmt: skip
    rows = () if refused else _account_rows(runs, total)
    return ExcessAccount(
        frames, events, seen, level, sum(r.over_ms for r in runs), sum(r.level_ms for r in runs), total, not_told, rows,
        refused,
    )  # fmt: skip


def keys_of(runs: Sequence[ExcessOfRun]) -> list[RowKey]:
    """The rows of an account in its order."""
    all_keys = dict.fromkeys(key for run in runs for key in run.rows)
    return ordered_keys({key: sum(float(run.row(key).sum()) for run in runs) for key in all_keys})


def _account_rows(runs: Sequence[ExcessOfRun], total: float) -> tuple[ExcessRow, ...]:
    keys = keys_of(runs)
    whole = np.array([run.total.sum() for run in runs])
    totals = [run.by_event(run.total) for run in runs]
    by_event = {key: [run.by_event(run.row(key)) for run in runs] for key in keys}
    ranked = [key for key in keys if top(key) and key[0] != "slack"]
    main = dict.fromkeys(keys, 0)
    for run in runs:
        if run.at.size:
            for i in np.argmax([run.row(key) for key in ranked], axis=0).tolist():
                main[ranked[i]] += 1
    net = _net(keys, by_event)
    rows = []
    for key in keys:
        own = np.array([values.sum() for values in by_event[key]])
        share = float(own.sum()) / total
        rows.append(
            ExcessRow(
                *key, float(own.sum()), share, _half(own, whole, share, by_event[key], totals),
                share * net.get(key[1], 1.0) if key[0] in ("part", "rest", "lane") else share, main[key],
            )
        )  # fmt: skip
    return tuple(rows)


def _net(keys: Sequence[RowKey], by_event: Mapping[RowKey, Sequence[FloatArray]]) -> dict[str, float]:
    """What of each lane's rows is left once its slack is filled, as a share of them."""
    found = {}
    for lane in {key[1] for key in keys if key[1]}:
        own = sum(float(v.sum()) for k in keys if k[1] == lane and top(k) and k[0] != "slack" for v in by_event[k])
        slack = sum(float(v.sum()) for v in by_event.get(("slack", lane, ()), ()))
        found[lane] = (own + slack) / own if own > 0 else 1.0
    return found


def _half(
    own: FloatArray, whole: FloatArray, share: float, rows: Sequence[FloatArray], totals: Sequence[FloatArray]
) -> float | None:
    """The larger of the interval by runs, as of a ratio, and by events."""
    k, total = own.size, float(whole.sum())
    left = sum(float(((a - share * t) ** 2).sum()) for a, t in zip(rows, totals, strict=True))
    by_events = 1.96 * math.sqrt(left) / total
    if k < 2:
        return None
    spread = math.sqrt(k / (k - 1) * float(((own - share * whole) ** 2).sum()))
    return max(float(stdtrit(k - 1, 0.975)) * spread / total, by_events)


def excess_changes(runs: Sequence[ExcessOfRun], design: Design) -> tuple[RowChange, ...]:
    """The rows of both arms, before runs first, ms of excess a frame; tested like parts that come now and then: linear,
    and only where there are five effective events."""
    keys = keys_of(runs)
    y = np.array([[float(run.row(key).sum()) / run.frames for key in keys] for run in runs])

    def refused(key: RowKey) -> str:
        e = np.concatenate([run.by_event(run.row(key)) for run in runs])
        effective = float(e.sum() ** 2 / (e**2).sum()) if (e != 0).any() else 0.0
        return "too-few-events" if effective < LEAST_EVENTS else ""

    return row_changes(keys, y, design, refused)
