"""Where the time of one run goes, or of a stretch of it: its lanes, what limits its frames, and its parts."""

from __future__ import annotations

from typing import Any

import numpy as np

from vigilant.core import CoreError
from vigilant.core.summary import RunFrames
from vigilant.core.work import lanes_found, part_table, parts_of_run
from vigilant.server.problems import unprocessable
from vigilant.wording import lanes as wording

from .models import Run, RunColumn
from .plans import policy_of
from .store import read_parts, read_series


def work_of(run: Run, start: int, stop: int) -> dict[str, Any]:
    """Of the frames start..stop that count. What limits frames is told of the whole run. Raises a problem where no frame
    of the stretch counts."""
    lanes = [c.key for c in RunColumn.objects.filter(run=run, kind=RunColumn.Kind.LANE)]
    try:
        view = RunFrames(read_series(run, lanes), policy_of(run.scenario_version.definition))
    except CoreError as error:
        raise unprocessable(error.code, str(error)) from error
    at = view.played.index
    at = at[(at >= start) & (at < stop)]
    if not at.size:
        raise unprocessable(
            "window-empty", "No frame of the stretch counts: it is warm-up, or of a leg that is no play."
        )
    found = lanes_found([view], view.policy.budget_ms)
    rows = read_parts(run, start, stop)
    table = part_table([parts_of_run(view, rows, (start, stop))]) if rows is not None else ()
    return {
        "frames": int(at.size),
        "frame_ms": float(view.series.frame_ms[at].mean()),
        "sentence": wording.run_sentence(found),
        "headroom": wording.headroom_sentence(found) if found else "",
        "lanes": [
            {"name": name, "role": view.series.lane_roles.get(name, ""), "ms": mean if np.isfinite(mean) else None}
            for name in view.series.lanes
            if (mean := _mean(view.series.busy_ms(name)[at])) is not None
        ],
        "parts": [
            {
                "lane": row.lane,
                "path": list(row.path),
                "name": wording.part_name(row),
                "kind": "rest" if row.kind == "rest" else "part",
                "depth": len(row.path) - (row.kind != "rest"),
                "ms": row.before.ms,
                "share": row.before.share,
                "present": row.before.present,
                "calls": row.before.calls,
                "us_a_call": row.before.us_a_call,
            }
            for row in table
        ],
        "notes": wording.parts_notes(table),
    }


def _mean(values: np.ndarray) -> float:
    known = values[np.isfinite(values)]
    return float(known.mean()) if known.size else float("nan")
