"""One frame of a run as a page of the day book: lane by lane, part by part, beside the typical frame around it."""

from __future__ import annotations

from typing import Any

import numpy as np

from vigilant.core import CoreError, FrameSeries, Mark
from vigilant.core.gaps import gap_states
from vigilant.core.series import FloatArray
from vigilant.core.summary import RunFrames
from vigilant.core.work import Around, PartOfFrame, around, late_frames, parts_of_frame
from vigilant.server.problems import unprocessable
from vigilant.wording import one_frame as wording

from .models import Run, RunColumn
from .plans import policy_of
from .store import FRAME, read_parts, read_windows


def frame_page(run: Run, frame: int) -> dict[str, Any]:
    """The page. Raises a problem for a frame that the run does not hold."""
    if not 0 <= frame < run.frames:
        raise unprocessable("frame-unknown", f"The run holds the frames 0 to {run.frames - 1}; got {frame}.")
    x = read_windows(run, [], 0, run.frames)[0][FRAME]
    marks = [Mark(m["index"], m["name"], m["play"]) for m in run.marks]
    try:
        view = RunFrames(FrameSeries(x, marks=marks), policy_of(run.scenario_version.definition))
    except CoreError as error:
        raise unprocessable(error.code, f"{error}") from error
    near = around(view, frame)
    columns = list(RunColumn.objects.filter(run=run).exclude(kind=RunColumn.Kind.FRAME))
    values, _ = read_windows(run, [c.key for c in columns], near.first, near.stop)
    rows = read_parts(run, near.first, near.stop)
    parts = parts_of_frame(rows, frame, near) if rows is not None else []
    late, step = view.late_from_ms(view.timer_step), view.timer_step
    ms, typical = float(x[frame]), near.of(x[near.first : near.stop])
    lanes = [_lane(c, values[c.key], frame, near, parts) for c in columns if c.kind == RunColumn.Kind.LANE and c.key in values]  # fmt: skip
    of_frame = [_part(one) for one in parts if one.key[0] not in {c.path for c in columns if c.kind == RunColumn.Kind.LANE}]  # fmt: skip
    worst = view.played.index[view.stutter().worst]
    lates = view.played.index[late_frames(view, step)]
    return {
        "run": str(run.pk),
        "frame": frame,
        "frames": run.frames,
        "frame_ms": ms,
        "typical_ms": typical,
        "counted": near.counted,
        "at_s": float(x[:frame].sum()) / 1000.0,
        "leg": next((m.name for m in reversed(view.series.marks) if m.index <= frame), ""),
        "budget_ms": view.policy.budget_ms,
        "late": bool(late is not None and ms > late),
        "sentence": wording.frame_sentence(frame, ms, typical, near.counted, parts, late is not None and ms > late),
        "lanes": lanes,
        "parts": of_frame,
        "counters": [
            {"name": c.path, **_reading(values[c.key], frame - near.first), "typical": near.of(values[c.key])}
            for c in columns
            if c.kind == RunColumn.Kind.COUNTER and c.key in values
        ],
        "late_before": _before(lates, frame),
        "late_after": _after(lates, frame),
        "stutter_before": _before(worst, frame),
        "stutter_after": _after(worst, frame),
    }


def _before(at: Any, frame: int) -> int | None:
    place = int(np.searchsorted(at, frame, "left"))
    return int(at[place - 1]) if place > 0 else None


def _after(at: Any, frame: int) -> int | None:
    place = int(np.searchsorted(at, frame, "right"))
    return int(at[place]) if place < at.size else None


def _reading(column: FloatArray, at: int) -> dict[str, Any]:
    """The value, or which state stands in its place."""
    value = float(column[at])
    if np.isfinite(value):
        return {"value": value, "state": ""}
    return {"value": None, "state": next(name for name, where in gap_states(column).items() if at in where)}


def _lane(column: RunColumn, values: FloatArray, frame: int, near: Around, parts: list[PartOfFrame]) -> dict[str, Any]:
    reading = _reading(values, frame - near.first)
    own = [_part(one) for one in parts if one.key[0] == column.path]
    timed = sum(part["ms"] for part in own if part["depth"] == 0)
    usually = sum(part["usual_ms"] for part in own if part["depth"] == 0)
    usual = near.of(values)
    known = reading["value"] is not None and usual is not None
    return {
        "name": column.path,
        "role": column.role,
        "ms": reading["value"],
        "state": reading["state"],
        "usual_ms": usual,
        "parts": own,
        "rest_ms": reading["value"] - timed if own and known else None,
        "usual_rest_ms": usual - usually if own and known and usual is not None else None,
    }


def _part(one: PartOfFrame) -> dict[str, Any]:
    return {
        "path": list(one.key[1]),
        "name": one.key[1][-1],
        "depth": len(one.key[1]) - 1,
        "at_ms": one.at_ms,
        "ms": one.ms,
        "calls": one.calls,
        "below": one.below,
        "usual_ms": one.usual_ms,
    }
