"""One frame beside the typical frame around it: each column and part, what it took and what it usually takes there."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from ..series import FloatArray, IntArray, PartRows
from ..summary import RunFrames
from .parts import Key
from .typical import Typical, typical_around


@dataclass(frozen=True, eq=False)
class Around:
    """The frames a frame is held against: ``first`` to ``stop`` of the run, and the typical frame among them."""

    first: int
    stop: int
    counted: bool
    typical: Typical

    def of(self, column: FloatArray) -> float | None:
        """The typical value of a column (first..stop), None where one of its frames is not told."""
        value = float(self.typical.of(column)[0])
        return value if np.isfinite(value) else None


def around(view: RunFrames, frame: int) -> Around:
    """What ``frame`` (0-based, of the run) is held against. One that does not count (warm-up, a leg that is no play) is
    held against its neighbours that do not count either."""
    x = view.series.frame_ms
    place = int(np.searchsorted(view.played.index, frame))
    counted = place < view.n and int(view.played.index[place]) == frame
    if counted:
        stretch = int(np.searchsorted(view.played.bounds, place, "right")) - 1
        a, b = (int(v) for v in view.played.bounds[stretch : stretch + 2])
        bounds: IntArray = np.array([view.played.index[a], view.played.index[b - 1] + 1])
    else:
        before = view.played.index[place - 1] + 1 if place > 0 else 0
        after = view.played.index[place] if place < view.n else x.size
        bounds = np.array([before, after])
    typical = typical_around(x, np.concatenate([[0], bounds]) if bounds[0] else bounds, np.array([frame]))
    used = typical.frames[0][typical.weights[0] > 0]
    first, stop = int(min(used.min(), frame)), int(max(used.max(), frame)) + 1
    local = Typical(np.clip(typical.frames - first, 0, stop - first - 1), typical.weights)
    return Around(first, stop, counted, local)


@dataclass(frozen=True)
class PartOfFrame:
    """A part in a frame: ms and calls summed over its rows, ``at_ms`` of the first where it was said; ``below`` its
    clock's step. ``usual_ms`` is what it typically takes there, 0 where it is typically absent."""

    key: Key
    at_ms: float | None
    ms: float
    calls: int
    below: bool
    usual_ms: float


def parts_of_frame(rows: PartRows, frame: int, near: Around) -> list[PartOfFrame]:
    """Every part of the frame, and those it typically has but lacks, in the order of time: by when they began, else by
    the order they were reported in; what lies in a part after it."""
    order: dict[Key, int] = {}
    mine: dict[Key, list[int]] = {}
    usual: dict[Key, FloatArray] = {}
    for i in range(rows.frame.size):
        part = rows.parts[int(rows.part[i])]
        key = (part.lane, tuple(part.path))
        order.setdefault(key, len(order))
        if int(rows.frame[i]) == frame:
            mine.setdefault(key, []).append(i)
        ms = usual.setdefault(key, np.zeros(near.stop - near.first))
        ms[int(rows.frame[i]) - near.first] += float(np.nan_to_num(rows.ms[i]))
    found = []
    for key, at in mine.items():
        starts = [float(rows.at_ms[i]) for i in at if np.isfinite(rows.at_ms[i])]
        took = [float(rows.ms[i]) for i in at]
        found.append(
            PartOfFrame(
                key, min(starts) if starts else None, float(np.nansum(took)), sum(int(rows.calls[i]) for i in at),
                all(not np.isfinite(v) for v in took), near.of(usual[key]) or 0.0,
            )
        )  # fmt: skip
    absent = [(key, near.of(usual[key]) or 0.0) for key in usual if key not in mine]
    found += [PartOfFrame(key, None, 0.0, 0, False, ms) for key, ms in absent if ms > 0]
    return _in_order(found, order)


def _in_order(found: list[PartOfFrame], order: Mapping[Key, int]) -> list[PartOfFrame]:
    when = {one.key: (one.at_ms if one.at_ms is not None else np.inf, order[one.key]) for one in found}

    def place(one: PartOfFrame) -> tuple[tuple[float, int], ...]:
        lane, path = one.key
        return tuple(when.get((lane, path[: i + 1]), (np.inf, order[one.key])) for i in range(len(path)))

    return sorted(found, key=place)
