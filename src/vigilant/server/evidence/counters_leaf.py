"""Counters beside time: each counter of an arm, whether it stays at zero or flat, and how frames go with it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from vigilant.core.evidence import Placing
from vigilant.core.series import FloatArray
from vigilant.core.summary import RunFrames
from vigilant.core.work.counter_limits import steps_a_frame
from vigilant.core.work.counters import (
    CounterRun,
    active,
    along_the_course,
    at_one_place,
    flat_after,
    states,
    zero_after,
)
from vigilant.server.entries.models import Comparison
from vigilant.wording import counters as wording

from .rested import columns_of, rested

#: Counters that are active in some frames and idle in others, in so many of both at least.
LEAST_BOTH = 0.001


def counters_leaf(comparison: Comparison, asked: Mapping[str, str]) -> dict[str, Any]:
    """Every counter that all runs have, of one arm, from so many seconds on ("after")."""
    arm, after_s = asked.get("arm", "after"), float(asked.get("from", "0") or 0.0)
    keys = [name for name in columns_of(comparison) if name.startswith("counter:")]
    stand = rested(comparison, keys)
    kb = stand.design.k_before
    at = slice(0, kb) if arm == "before" else slice(kb, None)
    views, places = stand.views[at], stand.placing.at[at]
    return {
        "arm": arm,
        "after_s": after_s,
        "length_s": stand.placing.length_s,
        "runs": [str(run.pk) for run in stand.runs[at]],
        "rows": [_row(key.partition(":")[2], views, places, stand.placing, after_s) for key in keys],
    }


def _row(
    name: str, views: Sequence[RunFrames], places: Sequence[FloatArray], placing: Placing, after_s: float
) -> dict[str, Any]:
    runs = [counter_run(view, name, at, placing) for view, at in zip(views, places, strict=True)]
    known = [run.values[np.isfinite(run.values)] for run in runs]
    told = [v for v in known if v.size]
    zero, constant, flat = (
        zero_after(runs, after_s),
        zero_after(runs, after_s, constant=True),
        flat_after(runs, after_s),
    )
    moves = any(v.size and v.min() < v.max() for v in known)
    on = active(runs)
    course, place = along_the_course(runs), at_one_place(runs, placing.length_s)
    first = zero.first if not zero.holds else None
    steps = steps_a_frame(runs)
    return {
        "name": name,
        "mean": float(np.mean([v.mean() for v in told])) if told else None,
        "most": float(max(v.max() for v in told)) if told else None,
        "states": wording.states_sentence(states(runs)),
        "zero": zero.holds,
        "constant": constant.holds,
        "zero_said": wording.zero_sentence(zero, constant, after_s),
        "first_run": first[0] if first else None,
        "first_frame": int(views[first[0]].played.index[first[1]]) if first else None,
        "flat": flat.call if flat else "",
        "flat_said": wording.flat_sentence(flat) if flat and moves and not steps else "",
        "steps_said": wording.steps_sentence(steps),
        "active_said": wording.active_sentence(on) if LEAST_BOTH < on.share < 1.0 - LEAST_BOTH else "",
        "along_said": "" if steps else wording.along_sentence(course),
        "place_said": wording.STEPS if steps else wording.place_sentence(place),
        "place_ms": place.ms,
        "place_half": place.half,
    }


def counter_run(view: RunFrames, name: str, at: FloatArray, placing: Placing) -> CounterRun:
    """A counter over the frames of a run that count."""
    index = view.played.index
    starts = np.concatenate(([0.0], np.cumsum(view.x)[:-1])) / 1000.0
    marks = np.array([m.index for m in view.series.marks], dtype=np.int64)
    leg = np.searchsorted(marks, index, "right") if marks.size else np.zeros(view.n, dtype=np.int64)
    return CounterRun(view.series.counters[name][index], view.x, starts, _by_frame(at, placing), leg)


def _by_frame(at: FloatArray, placing: Placing) -> FloatArray:
    """The place by the frame's number within its section: by time a long frame would move those after it."""
    out = np.full(at.size, np.nan)
    for section in placing.sections:
        here = np.flatnonzero((at >= section.start) & (at < section.stop))
        if here.size:
            out[here] = section.start + (section.stop - section.start) * (np.arange(here.size) + 0.5) / here.size
    return out
