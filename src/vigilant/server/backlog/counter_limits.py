"""What counters may be: limits with their source, held against the runs of an entry's arm."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from vigilant.core.series import FloatArray
from vigilant.core.summary import RunFrames
from vigilant.core.work import Key, ms_by_frame
from vigilant.core.work.counter_limits import drawn, limited
from vigilant.formats import limits
from vigilant.server.books.models import name_of
from vigilant.server.database import in_transaction
from vigilant.server.entries.models import Comparison
from vigilant.server.evidence.counters_leaf import counter_run
from vigilant.server.evidence.free_leaf import ms_of
from vigilant.server.evidence.rested import Rested, columns_of, rested
from vigilant.server.problems import conflict, unprocessable
from vigilant.server.runs.models import Run
from vigilant.server.runs.store import read_parts, read_totals
from vigilant.server.scenarios.models import Scenario
from vigilant.wording import counters as wording

from .models import CounterLimit

_Key = tuple[str, str, str]


def standing(scenario: Scenario, rig: str) -> list[CounterLimit]:
    """The limits that hold on a rig, its own before those of every rig, in the order they were first set."""
    newest: dict[tuple[str, _Key], CounterLimit] = {}
    for one in CounterLimit.objects.filter(scenario=scenario, rig__in={"", rig}).select_related("set_by"):
        newest.setdefault((one.rig, _key(one)), one)
    found: dict[_Key, CounterLimit] = {}
    for of in ("", rig):
        # A limit of every rig that is taken back on this one holds here no more.
        found |= {key: one for (where, key), one in newest.items() if where == of}
    return [one for _, one in sorted(found.items()) if one.value is not None]


def _key(one: CounterLimit) -> _Key:
    return one.counter, one.leg, one.kind


def limits_page(comparison: Comparison, arm: str) -> dict[str, Any]:
    """Every limit that holds for an arm of an entry, with what its runs say."""
    held = standing(comparison.scenario_version.scenario, comparison.rig.alias)
    known = {name.partition(":")[2] for name in columns_of(comparison) if name.startswith("counter:")}
    used = sorted({f"counter:{one.counter}" for one in held if one.counter in known})
    stand = rested(comparison, used)
    at = slice(0, stand.design.k_before) if arm == "before" else slice(stand.design.k_before, None)
    return {
        "arm": arm,
        "rig": comparison.rig.alias,
        "runs": [str(run.pk) for run in stand.runs[at]],
        "counters": sorted(known),
        "legs": list(dict.fromkeys(mark.name for view in stand.views for mark in view.series.marks if mark.play)),
        "rows": [_row(one, stand, at, known) for one in held],
    }


def _row(one: CounterLimit, stand: Rested, at: slice, known: set[str]) -> dict[str, Any]:
    row: dict[str, Any] = {
        "counter": one.counter,
        "leg": one.leg,
        "kind": one.kind,
        "value": one.value,
        "for_rig": one.rig,
        "source": one.source,
        "measured_here": one.measured_here,
        "by": name_of(one.set_by),
        "set_at": one.set_at,
        "check": " / ".join([one.check_lane, *one.check_path]) if one.check_path else "",
        "said": f"no run here has the counter {one.counter}",
        "broken": False,
        "first_run": None,
        "first_frame": None,
    }
    if one.counter not in known:
        return row
    views, runs = stand.views[at], stand.runs[at]
    masks = [leg_mask(view, one.leg) for view in views]
    if not any(mask.any() for mask in masks):
        return row | {"said": f"no run here has the leg {one.leg}"}
    assert one.value is not None
    if one.kind == CounterLimit.Kind.EXPECTED:
        values = [
            view.series.counters[one.counter][view.played.index][mask] for view, mask in zip(views, masks, strict=True)
        ]
        found = drawn(values, one.value, _cost(one, views, runs, masks))
        return row | {
            "said": wording.drawn_sentence(found, row["check"]),
            "broken": bool(found and found.call == "more"),
        }
    told = [
        counter_run(view, one.counter, place, stand.placing)
        for view, place in zip(views, stand.placing.at[at], strict=True)
    ]
    # Outside the leg a frame tells nothing of it.
    for run, mask in zip(told, masks, strict=True):
        run.values[~mask] = np.nan
    over = limited(told, one.value)
    first = over.first if over else None
    return row | {
        "said": wording.limit_sentence(over, one.value),
        "broken": bool(over and over.frames),
        "first_run": first[0] if first else None,
        "first_frame": int(views[first[0]].played.index[first[1]]) if first else None,
    }


def leg_mask(view: RunFrames, leg: str) -> FloatArray:
    """Which of the frames that count lie in a leg ("": all), (n,)."""
    if not leg:
        return np.ones(view.n, dtype=bool)
    marks = view.series.marks
    number = np.searchsorted([m.index for m in marks], view.played.index, "right") - 1
    names = np.array([m.name for m in marks] or [""], dtype=object)
    mask: FloatArray = (number >= 0) & (names[np.maximum(number, 0)] == leg)
    return mask


def _cost(
    one: CounterLimit, views: Sequence[RunFrames], runs: Sequence[Run], masks: Sequence[FloatArray]
) -> list[float] | None:
    """Ms a frame, in the frames of the view, of the part that the limit names."""
    if not one.check_path:
        return None
    key: Key = (one.check_lane, tuple(one.check_path))
    costs = []
    for view, run, mask in zip(views, runs, masks, strict=True):
        rows = read_parts(run)
        if rows is not None and mask.any():
            costs.append(float(ms_of(ms_by_frame(view, rows), key, view.n)[mask].mean()))
    return costs or None


@in_transaction
def set_limit(comparison: Comparison, data: Mapping[str, Any], rig: str, user: Any) -> None:
    """Set a counter's limit, or take it back (neither number). Raises a problem for what the runs do not have."""
    scenario = comparison.scenario_version.scenario
    Scenario.objects.select_for_update().get(pk=scenario.pk)
    if CounterLimit.objects.filter(scenario=scenario).count() >= limits.COUNTER_LIMITS:
        raise conflict("limits-too-many", f"A scenario holds {limits.COUNTER_LIMITS:,} limits of counters.")
    if f"counter:{data['counter']}" not in columns_of(comparison):
        raise unprocessable("counter-unknown", f"Not every run of this entry has a counter {data['counter']!r}.")
    lane, path = data["check_lane"], data["check_path"]
    if path:
        runs = Run.objects.filter(comparison_runs__arm__comparison=comparison)
        if not any(
            part.lane == lane and list(part.path[: len(path)]) == path for run in runs[:4] for part in read_totals(run)
        ):
            raise unprocessable("part-unknown", f"No run of this entry has a part {' / '.join([lane, *path])!r}.")
    CounterLimit.objects.create(scenario=scenario, rig=rig, set_by=user, **data)
