"""A window of a run as it is drawn: every frame, groups of frames, or a stored level; and its parts."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from typing import Any

import numpy as np

from vigilant.core import CoreError, FrameSeries, Policy, summarize
from vigilant.core.gaps import gap_states
from vigilant.core.series import FloatArray
from vigilant.server.problems import unprocessable
from vigilant.wording.run import run_rows

from .codec import GROUPED_WINDOW, MOST_POINTS, level
from .models import Run, RunColumn
from .store import FRAME, read_levels, read_parts, read_totals, read_windows

#: So many rows of parts are given at once.
MOST_PART_ROWS = 200_000
#: A stretch of so many frames has its figures told.
MOST_JUDGED = 50_000


def _rounded(values: FloatArray, digits: int = 4) -> FloatArray:
    """To 0.1 us; contiguous, as the renderer wants it. What is no number becomes null."""
    return np.ascontiguousarray(np.round(values, digits))


def trace_of(run: Run, start: int, stop: int) -> dict[str, Any]:
    """The frames start..stop with all lanes and counters, at most 4,000 points a column."""
    columns = list(RunColumn.objects.filter(run=run).exclude(kind=RunColumn.Kind.FRAME))
    keys = [c.key for c in columns]
    if stop - start > GROUPED_WINDOW:
        found = read_levels(run, keys, start, stop)
        if found is not None:
            step, first, rows = found
            return _grouped(run, columns, (start, stop), step, first, rows)
    values, starts_at = read_windows(run, keys, start, stop)
    x = values[FRAME]
    starts = starts_at + np.cumsum(x) - x
    if x.size > MOST_POINTS:
        step = -(-x.size // MOST_POINTS)
        rows = {key: level(v, step, starts if key == FRAME else None) for key, v in values.items()}
        return _grouped(run, columns, (start, stop), step, start / step, rows, _figures(run, x))
    return {
        "start": start,
        "stop": stop,
        "frames": stop - start,
        "step": 1,
        "said": f"{stop - start:,} frames, each drawn",
        "start_s": _rounded(starts / 1000.0, 7),
        "low": _rounded(x),
        "high": [],
        **_by_kind(columns, {key: _rounded(v) for key, v in values.items()}),
        "gaps": {c.key: at for c in columns if c.key in values and (at := gap_states(values[c.key]))},
        "rows": _figures(run, x),
    }


def _figures(run: Run, x: FloatArray) -> list[dict[str, Any]]:
    """The figures of a stretch, where it is short enough for a picture to wait for them."""
    if x.size > MOST_JUDGED:
        return []
    try:
        policy = Policy(target_fps=run.scenario_version.target_fps)
        return run_rows(summarize(FrameSeries(x), policy).__dict__)
    except CoreError:
        return []


def _by_kind(columns: list[RunColumn], drawn: dict[str, FloatArray]) -> dict[str, dict[str, FloatArray]]:
    def of(kind: str) -> dict[str, FloatArray]:
        return {c.path: drawn[c.key] for c in columns if c.kind == kind and c.key in drawn}

    return {"lanes": of(RunColumn.Kind.LANE), "counters": of(RunColumn.Kind.COUNTER)}


def _grouped(
    run: Run,
    columns: list[RunColumn],
    window: tuple[int, int],
    step: int,
    first: float,
    rows: dict[str, FloatArray],
    figures: Sequence[dict[str, Any]] = (),
) -> dict[str, Any]:
    start, stop = window
    frame = rows[FRAME]
    begins = round(first * step)
    return {
        "start": begins,
        "stop": min(run.frames, begins + frame.shape[1] * step),
        "frames": stop - start,
        "step": step,
        "said": f"{stop - start:,} frames as {frame.shape[1]:,} pairs of lowest and highest",
        "start_s": _rounded(frame[3] / 1000.0, 7),
        "low": _rounded(frame[0]),
        "high": _rounded(frame[1]),
        **_by_kind(columns, {key: _rounded(r[2]) for key, r in rows.items()}),
        "gaps": {},
        "rows": list(figures),
    }


def parts_of(run: Run, start: int, stop: int) -> dict[str, Any]:
    """The rows of parts of the frames start..stop (none: the totals alone). Raises a problem for too many."""
    totals = read_totals(run)
    rows = read_parts(run, start, stop) if stop > start else None
    if rows is not None and rows.frame.size > MOST_PART_ROWS:
        raise unprocessable(
            "window-too-large",
            f"The frames {start} to {stop} hold {rows.frame.size:,} rows of parts; {MOST_PART_ROWS:,} are given at once.",
        )
    named = [{**asdict(p), "path": list(p.path)} for p in totals]
    if rows is None:
        columns: dict[str, Any] = {key: [] for key in ("frame", "part", "ms", "at_ms", "calls")}
        return {"parts": named, **columns, "counts": {}, "gaps": {}}
    return {
        "parts": named,
        "frame": rows.frame,
        "part": rows.part,
        "ms": rows.ms,
        "at_ms": rows.at_ms,
        "calls": rows.calls,
        "counts": dict(rows.counts),
        "gaps": gap_states(rows.ms),
    }
