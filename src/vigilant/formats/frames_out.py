"""Writing ``vigilant-frames`` so that it reads back bit for bit."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any, TextIO

import numpy as np

from vigilant.core import FrameSeries, Part
from vigilant.core.gaps import gap_states
from vigilant.core.series import FloatArray, PartRows

from .head import VERSION

_OWN = ("vigilant_frames", "columns", "unit", "lanes", "counters")
_WRITTEN = {"missing": "null", "stale": '"stale"', "below": '"below"'}


def _line(value: Mapping[str, Any]) -> str:
    return json.dumps(value, ensure_ascii=False) + "\n"


def _cells(values: FloatArray) -> list[str]:
    cells = [repr(v) for v in values.tolist()]
    for state, at in gap_states(values).items():
        for i in at:
            cells[i] = _WRITTEN[state]
    return cells


def write(stream: TextIO, series: FrameSeries, head: Mapping[str, Any] | None = None, complete: bool = True) -> None:
    """Write a series with its marks and parts; ``complete`` writes the end."""
    full = {
        "vigilant_frames": VERSION,
        "columns": ["frame", *series.lanes],
        "unit": "ms",
        "lanes": dict(series.lane_roles),
        "counters": list(series.counters),
        "conditions": dict(series.conditions),
        **{k: v for k, v in (head or {}).items() if k not in _OWN},
    }
    stream.write(json.dumps(full, separators=(",", ":"), ensure_ascii=False) + "\n")
    columns = [_cells(c) for c in (series.frame_ms, *series.lanes.values(), *series.counters.values())]
    marks = list(series.marks)
    of_frame = _part_lines(series.part_rows)
    for i, row in enumerate(zip(*columns, strict=True)):
        while marks and marks[0].index <= i:
            mark = marks.pop(0)
            stream.write(_line({"mark": mark.name, "play": mark.play}))
        stream.write("[" + ",".join(row) + "]\n")
        stream.writelines(of_frame.get(i, ()))
    for part, ms, calls in _beyond_rows(series):
        stream.write(_line({**_named(part), "ms": ms, "calls": calls, "frame": None}))
    for name, value in series.figures.items():
        stream.write(_line({"figure": name, "value": value}))
    if complete:
        stream.write(_line({"end": {"frames": int(series.frame_ms.size), "ms": float(series.frame_ms.sum())}}))


def _named(part: Part) -> dict[str, Any]:
    error = {} if part.error_ms is None else {"error_ms": part.error_ms}
    return {"part": list(part.path), **({"lane": part.lane} if part.lane else {}), **error}


def _part_lines(rows: PartRows | None) -> dict[int, list[str]]:
    """The part lines of each frame that has any."""
    found: dict[int, list[str]] = {}
    if rows is None:
        return found
    below = set(gap_states(rows.ms).get("below", np.empty(0)).tolist())
    for i, frame in enumerate(rows.frame.tolist()):
        line = {
            **_named(rows.parts[rows.part[i]]),
            "frame": frame,
            "ms": "below" if i in below else float(rows.ms[i]),
            "calls": int(rows.calls[i]),
        }
        if np.isfinite(rows.at_ms[i]):
            line["at"] = float(rows.at_ms[i])
        counts = {name: float(c[i]) for name, c in rows.counts.items() if np.isfinite(c[i])}
        found.setdefault(frame, []).append(_line({**line, **({"counts": counts} if counts else {})}))
    return found


def _beyond_rows(series: FrameSeries) -> list[tuple[Part, float, int]]:
    """What the totals hold beyond the rows: parts of no frame."""
    rows = series.part_rows
    if rows is None:
        return [(p, p.ms, p.calls) for p in series.parts]
    ms = np.bincount(rows.part, np.where(np.isfinite(rows.ms), rows.ms, 0.0), len(rows.parts))
    calls = np.bincount(rows.part, rows.calls.astype(np.float64), len(rows.parts))
    of = {(p.lane, p.path): (float(ms[i]), int(calls[i])) for i, p in enumerate(rows.parts)}
    left = []
    for part in series.parts:
        placed = of.get((part.lane, part.path))
        placed_ms, placed_calls = placed or (0.0, 0)
        if placed is None or part.calls > placed_calls:
            left.append((part, max(0.0, part.ms - placed_ms), part.calls - placed_calls))
    return left
