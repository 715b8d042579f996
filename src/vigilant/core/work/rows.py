"""The rows of an account of frames: lanes, the parts in them, what no part names, waiting, and the rest of the frame."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from ..design import Design
from ..levels import holm_adjusted
from ..series import FloatArray
from .fits import fitted_ms
from .parts import Key, children

RowKind = Literal["part", "rest", "lane", "slack", "waiting", "rest of the frame"]
#: Kind, lane ("" of the frame), names from the outside in.
RowKey = tuple[RowKind, str, tuple[str, ...]]
Rows = dict[RowKey, FloatArray]
WAITING: RowKey = ("waiting", "", ())
REST: RowKey = ("rest of the frame", "", ())
#: What a column (n,) comes to in each of f frames.
Value = Callable[[FloatArray], FloatArray]


def lane_rows(
    rows: Rows,
    parts: Mapping[Key, FloatArray],
    name: str,
    whole: FloatArray | None,
    value: Value,
    weight: FloatArray,
) -> None:
    """A lane's parts and its rest; the lane as one row where it has no parts."""
    own = children(parts, name, ())
    for path in own:
        part_rows(rows, parts, path, value, weight)
    if whole is None:
        return
    timed = sum((rows["part", name, path[1]] for path in own), start=np.zeros(weight.size))
    rows["rest" if own else "lane", name, ()] = np.nan_to_num(whole) * weight - timed


def part_rows(rows: Rows, parts: Mapping[Key, FloatArray], key: Key, value: Value, weight: FloatArray) -> None:
    """A part, what lies in it, and its rest; of one that was not timed itself the sum of what lies in it."""
    below = children(parts, *key)
    for path in below:
        part_rows(rows, parts, path, value, weight)
    inside = sum((rows["part", key[0], path[1]] for path in below), start=np.zeros(weight.size))
    if key not in parts:
        rows["part", key[0], key[1]] = inside
        return
    rows["part", key[0], key[1]] = value(parts[key]) * weight
    if below:
        rows["rest", key[0], key[1]] = rows["part", key[0], key[1]] - inside


def ordered_keys(size: Mapping[RowKey, float]) -> list[RowKey]:
    """Rows in the order of an account: each lane's parts, the largest first, and its rest; then what is of the frame."""

    def level(lane: str, path: tuple[str, ...]) -> list[RowKey]:
        own = [k for k in size if k[0] == "part" and k[1] == lane and k[2][:-1] == path and k[2]]
        found: list[RowKey] = []
        for key in sorted(own, key=lambda k: -size[k]):
            found += [key, *level(lane, key[2])]
        closing: RowKey = ("rest", lane, path)
        return [*found, *([closing] if closing in size else [])]

    ordered: list[RowKey] = []
    for lane in dict.fromkeys(k[1] for k in size):
        ordered += level(lane, ())
        ordered += [k for k in size if k[1] == lane and k[0] in ("lane", "slack")]
    return [*ordered, *(k for k in (WAITING, REST) if k in size)]


def top(key: RowKey) -> bool:
    """Whether a row is of the level that adds up to the whole."""
    return len(key[2]) == 1 if key[0] == "part" else not key[2]


@dataclass(frozen=True)
class RowChange:
    """A row of two arms: ms a frame, over all frames; the interval and p (by Holm within its level) are None where
    nothing can be tested, ``untested`` says why."""

    kind: RowKind
    lane: str
    path: tuple[str, ...]
    before_ms: float
    after_ms: float
    d_ms: float
    low_ms: float | None = None
    high_ms: float | None = None
    p_value: float | None = None
    untested: str = ""

    @property
    def key(self) -> RowKey:
        return self.kind, self.lane, self.path


def row_changes(
    keys: Sequence[RowKey], y: FloatArray, design: Design, refused: Callable[[RowKey], str] = lambda _: ""
) -> tuple[RowChange, ...]:
    """Rows of both arms from ``y`` (N, rows), ms a frame of each run, before runs first: linear, so that differences add
    up as the rows do. ``refused`` says why a row is not tested, "" where it is."""
    if not keys:
        return ()
    kb = design.k_before
    made = []
    for column, (key, (d, low, high, p)) in enumerate(zip(keys, fitted_ms(design, y), strict=True)):
        arms = float(y[:kb, column].mean()), float(y[kb:, column].mean())
        why = refused(key) or ("no-runs" if p is None else "")
        made.append(RowChange(*key, *arms, d, untested=why) if why else RowChange(*key, *arms, d, low, high, p))
    return _by_level(made)


def _by_level(made: list[RowChange]) -> tuple[RowChange, ...]:
    """p by Holm over the rows of one level: what lies in one part, or what is of the frame."""
    levels: dict[tuple[str, tuple[str, ...]], list[int]] = {}
    for i, row in enumerate(made):
        of = ("", ()) if top(row.key) else (row.lane, row.path[:-1] if row.kind == "part" else row.path)
        if row.p_value is not None:
            levels.setdefault(of, []).append(i)
    for rows in levels.values():
        for i, p in zip(rows, holm_adjusted([made[i].p_value or 0.0 for i in rows]), strict=True):
            made[i] = replace(made[i], p_value=p)
    return tuple(made)
