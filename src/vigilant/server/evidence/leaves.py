"""The leaves: each is a document of numbers and words, made of the runs by the core."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Mapping
from dataclasses import asdict, replace
from typing import Any

import numpy as np

from vigilant.core import CORE_VERSION, CoreError
from vigilant.core.band import quantile_band
from vigilant.core.evidence import (
    Course,
    LegTable,
    Placing,
    SpreadFound,
    course,
    curve,
    left_out,
    leg_table,
    naive_readings,
    over_budget,
    place,
    recurring,
    regular_arm,
    share_axis,
    spread_found,
    stutter_figures,
)
from vigilant.core.evidence.place import bin_numbers
from vigilant.core.evidence.spread import LEAST_SHARE
from vigilant.core.series import FloatArray
from vigilant.server.database import in_transaction
from vigilant.server.entries.keeping import kept_figures
from vigilant.server.entries.models import Comparison
from vigilant.server.problems import unprocessable
from vigilant.wording import evidence as wording
from vigilant.wording.report import figure_document

from .counters_leaf import counters_leaf
from .free_leaf import free_leaf
from .late_leaf import goes_with, late_leaf
from .models import Found
from .rested import Rested, columns_of, rested, waiting_of
from .runs_leaf import runs_leaf
from .work_leaf import work_leaf

#: What a leaf was asked by is kept as it is, or where it is longer as its digest.
LONGEST_KEY = 120
#: Stutters that are listed; of more the largest.
MOST_STUTTERS = 3000
#: Lanes and counters laid under the course at once.
MOST_COLUMNS = 4


def leaf_of(comparison: Comparison, leaf: str, asked: Mapping[str, str]) -> dict[str, Any]:
    """The leaf's document, as it was kept or made now. Raises a problem for what cannot be shown."""
    kept = kept_leaf(comparison, leaf, asked)
    if kept is not None:
        return kept
    try:
        document = LEAVES[leaf](comparison, asked)
    except CoreError as error:
        raise unprocessable(error.code, f"{str(error)[0].upper()}{str(error)[1:]}.") from error
    keep(comparison, leaf, _key(asked), document)
    return document


def kept_leaf(comparison: Comparison, leaf: str, asked: Mapping[str, str]) -> dict[str, Any] | None:
    """The leaf's document as it was kept, where it still holds."""
    kept = Found.objects.filter(comparison=comparison, leaf=leaf, asked=_key(asked)).first()
    if kept and (kept.core_version, kept.fingerprint) == (CORE_VERSION, comparison.fingerprint):
        return dict(kept.document)
    return None


def _key(asked: Mapping[str, str]) -> str:
    key = "&".join(f"{k}={v}" for k, v in sorted(asked.items()) if v)
    return key if len(key) <= LONGEST_KEY else hashlib.sha256(key.encode()).hexdigest()


@in_transaction
def keep(comparison: Comparison, leaf: str, key: str, document: dict[str, Any]) -> None:
    """Keep what a leaf was found to say in the place of what it said before."""
    Found.objects.update_or_create(
        comparison=comparison,
        leaf=leaf,
        asked=key,
        defaults={"core_version": CORE_VERSION, "fingerprint": comparison.fingerprint, "document": document},
    )


def _list(values: FloatArray | None, digits: int = 5) -> list[float | None] | None:
    """Rounded, None where there is no number."""
    if values is None:
        return None
    return [round(v, digits) if np.isfinite(v) else None for v in np.asarray(values, float).tolist()]


def course_leaf(comparison: Comparison, asked: Mapping[str, str]) -> dict[str, Any]:
    """Frame times of both arms along the course, their difference with its band, and the table of legs."""
    offered = columns_of(comparison)
    shown = [name for name in asked.get("with", "").split(",") if name]
    position = asked.get("position") or None
    wanted = [*shown, *([f"counter:{position}"] if position else []), *waiting_of(comparison)]
    stand = rested(comparison, wanted)
    placing = place(stand.views, position) if position else stand.placing
    found = course(stand.views, stand.design, placing, stand.arms.step_ms, stand.policy.seed)
    if not stand.judged:
        found = replace(found, low=None, high=None, stretches=())
    table = leg_table(stand.before, stand.after, stand.policy, stand.order, stand.policy.primaries, stand.sessions)
    kb = stand.design.k_before
    return {
        "judged": stand.judged,
        "sentence": wording.course_sentence(found, stand.counts) if stand.judged else wording.NOT_JUDGED,
        "notes": wording.course_notes(found),
        **_picture(found, kb),
        "columns": offered,
        "beside": [_beside(stand, found, placing, name) for name in shown],
        "typical": {"before": str(stand.runs[found.typical[0]].pk), "after": str(stand.runs[found.typical[1]].pk)},
        "budget_ms": stand.policy.budget_ms,
        "legs": _legs(table, stand.policy.target_fps),
        "left_out": _left_out(stand),
        "said": {f: wording.legs_sentences(table, f) for f in table.worst} if stand.judged else {},
    }


def _picture(found: Course, kb: int) -> dict[str, Any]:
    sections = []
    for number, name in enumerate(found.legs):
        bins = np.flatnonzero(found.leg == number)
        sections.append({"name": name, "from_s": float(found.edges_s[bins[0]]), "to_s": float(found.edges_s[bins[-1] + 1])})  # fmt: skip
    arms = {}
    for arm, rows, typical in (("before", slice(0, kb), found.typical[0]), ("after", slice(kb, None), found.typical[1])):  # fmt: skip
        own = found.ms[rows]
        some = np.isfinite(own).any(axis=0)
        low, high = np.full(some.size, np.nan), np.full(some.size, np.nan)
        low[some], high[some] = np.nanmin(own[:, some], axis=0), np.nanmax(own[:, some], axis=0)
        arms[arm] = {
            "typical_ms": _list(found.ms[typical]),
            "low_ms": _list(low),
            "high_ms": _list(high),
            "late": [int(n) for n in found.late[rows].sum(axis=0)],
        }
    change = {
        key: None if d is None else _list(found.before_ms * np.expm1(d))
        for key, d in (("difference_ms", found.d), ("band_low_ms", found.low), ("band_high_ms", found.high))
    }
    return {
        "by": found.by,
        "sections": sections,
        "edges_s": _list(found.edges_s),
        **arms,
        **change,
        "stretches": [{**asdict(s), "said": wording.stretch_sentence(s)} for s in found.stretches],
    }


def asked_columns(comparison: Comparison, wanted: str) -> str:
    """The lanes and counters of ``wanted`` (parted by commas) that every run has, four at most, in their own order."""
    names = set(wanted.split(","))
    return ",".join([name for name in columns_of(comparison) if name in names][:MOST_COLUMNS])


def _beside(stand: Rested, found: Course, placing: Placing, name: str) -> dict[str, Any]:
    """The mean of a lane or a counter in each bin of the course, by arm."""
    kind, _, path = name.partition(":")
    numbers = bin_numbers(placing, found.edges_s / placing.length_s)
    arms: dict[str, Any] = {}
    for arm, rows in (("before", range(stand.design.k_before)), ("after", range(stand.design.k_before, len(stand.views)))):  # fmt: skip
        total, count = np.zeros(found.leg.size), np.zeros(found.leg.size)
        for row in rows:
            view = stand.views[row]
            values = (view.series.lanes if kind == "lane" else view.series.counters)[path][view.played.index]
            known = np.isfinite(values) & (numbers[row] >= 0)
            total += np.bincount(numbers[row][known], values[known], found.leg.size)
            count += np.bincount(numbers[row][known], minlength=found.leg.size)
        arms[arm] = _list(np.where(count > 0, total / np.maximum(count, 1), np.nan))
    return {"name": path, "kind": kind, **arms}


def _legs(table: LegTable, target_fps: float | None) -> list[dict[str, Any]]:
    return [
        {
            "name": leg.name,
            "before": leg.runs[0],
            "after": leg.runs[1],
            "figures": {name: figure_document(f, target_fps) for name, f in leg.figures.items()},
            "untested": leg.untested,
        }
        for leg in table.legs
    ]


def _left_out(stand: Rested) -> list[dict[str, Any]]:
    """The stretches that do not count, by themselves."""
    rows = []
    for out in left_out(stand.before, stand.after, stand.policy, stand.order, stand.sessions):
        name = out.name or wording.WARM_UP
        figures = []
        for figure, result in out.figures.items():
            document = figure_document(result, None)
            figures.append({**document, "words": {**document["words"], "label": wording.left_out_label(figure)}})
        rows.append({"name": name, "before": out.runs[0], "after": out.runs[1], "figures": figures})
    return rows


def stutters_leaf(comparison: Comparison, asked: Mapping[str, str]) -> dict[str, Any]:
    """Every stutter of every run by place, size and arm; those that recur apart from those that do not."""
    offered = columns_of(comparison)
    stand = rested(comparison, [name for name in offered if name.startswith("lane:")])
    placing, kb = stand.placing, stand.design.k_before
    edges = np.array([0.0, *(s.stop for s in placing.sections)])
    events = stand.arms.stutters
    at = [placing.at[i][e.worst] for i, e in enumerate(events)]
    places = [p[np.isfinite(p)] for p in at]
    found = recurring(places[:kb], places[kb:], edges, placing.length_s, stand.policy.alpha, stand.policy.seed)
    rows = []
    for i, (view, own, where) in enumerate(zip(stand.views, events, at, strict=True)):
        frames = view.played.index[own.worst]
        begins_s = (np.cumsum(view.series.frame_ms) - view.series.frame_ms)[frames] / 1000.0
        lanes = _lanes_over(view, frames)
        for j, place_ in enumerate(where.tolist()):
            known = np.isfinite(place_)
            rows.append({
                "run": i,
                "frame": int(frames[j]),
                "at": round(place_, 6) if known else None,
                "at_s": round(float(begins_s[j]), 3),
                "leg": _leg_at(view, int(frames[j])),
                "size_ms": round(float(own.size_ms[j]), 3),
                "longest_ms": round(float(own.longest_ms[j]), 3),
                "recurring": next((k for k, p in enumerate(found.places) if known and abs(p.at - place_) <= found.width), None),
                "stood_out": lanes[j],
            })  # fmt: skip
    rows.sort(key=lambda row: -row["size_ms"])
    figures = kept_figures(comparison)
    return {
        "judged": stand.judged,
        "sentence": wording.recurring_sentence(found),
        "length_s": placing.length_s,
        "by": placing.by,
        "sections": [
            {"name": s.name, "from_s": s.start * placing.length_s, "to_s": s.stop * placing.length_s}
            for s in placing.sections
        ],
        "runs": [
            {"id": str(run.pk), "arm": "before" if i < kb else "after", "stutters": len(events[i])}
            for i, run in enumerate(stand.runs)
        ],
        "places": [
            {
                "at": p.at,
                "at_s": p.at * placing.length_s,
                "leg": _section_at(placing.sections, p.at),
                "before": p.runs[0],
                "after": p.runs[1],
                "p_value": p.p_value,
                "differs": p.differs and stand.judged,
                "said": wording.place_sentence(
                    p, p.at * placing.length_s, _section_at(placing.sections, p.at), stand.judged
                ),
            }
            for p in found.places
        ],
        "stutters": rows[:MOST_STUTTERS],
        "count": len(rows),
        "figures": {
            name: figure_document(figures[name], stand.policy.target_fps)
            for name in ("stutters_per_min", "stutter_share", "freezes_per_min")
            if name in figures
        },
        "shape": _shape(stand),
        "regular": _regular(stand, rows),
        "rates": _rates(stand, rows),
    }


def _shape(stand: Rested) -> list[dict[str, Any]]:
    """How large the stutters of a run are and how far apart, each by itself; of what cannot be judged no call."""
    found = stutter_figures(stand.before, stand.after, stand.arms.stutters, stand.policy, stand.order, stand.sessions)
    rows = []
    for name, result in found.items():
        if not stand.judged:
            result = replace(result, call="not certifiable", p_value=None, ci_low=None, ci_high=None)
        document = figure_document(result, None)
        rows.append({**document, "words": {**document["words"], **wording.STUTTER_TEXTS[name]}})
    return rows


def _regular(stand: Rested, rows: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """The arms whose stutters come at a period, with what stood out in them."""
    kb = stand.design.k_before
    made = []
    for arm, of in (("before", slice(0, kb)), ("after", slice(kb, None))):
        found = regular_arm(stand.views[of], stand.arms.stutters[of])
        if found is not None:
            own = [row["stood_out"] for row in rows if (row["run"] < kb) == (arm == "before")]
            made.append({"arm": arm, "said": wording.regular_sentence(found, arm, own)})
    return made


#: Points of a curve.
_POINTS = 161
_TICKS = (0.1, 0.25, 0.5, 0.75, 0.9, 0.95, 0.99, 0.999, 0.9999)
#: A quantile with fewer frames of a run beyond it is not drawn.
LEAST_BEYOND = 10


def spread_leaf(comparison: Comparison, asked: Mapping[str, str]) -> dict[str, Any]:
    """Both distributions on an axis whose tail is stretched, the difference at every quantile, shares over the budget."""
    stand = rested(comparison)
    least = max(1.0 / min(view.n for view in stand.views), LEAST_SHARE)
    ticks = [share for share in _TICKS if share <= 1.0 - least]
    at = np.linspace(0.0, 1.0, _POINTS)
    # The axis backwards: which share of the frames lies at each point of it.
    shares = np.where(at <= 0.5, at, 1.0 - 0.5 * (0.5 / least) ** -(2.0 * at - 1.0))
    # The quickest frame of all begins the curve.
    shares[0] = min(1.0 / max(view.n for view in stand.views), shares[1])
    band = quantile_band(stand.arms, stand.judged, stand.policy.seed)
    found = SpreadFound("untold")
    mean = kept_figures(comparison).get("mean_ms")
    quantiles = None
    if band is not None:
        found = spread_found(band.at, band.before_ms, band.d, band.low, band.high) if stand.judged else found
        drawn = band.at <= 1.0 - LEAST_BEYOND / min(view.n for view in stand.views)
        change = {
            key: None if d is None else _list((band.before_ms * np.expm1(d))[drawn])
            for key, d in (("difference_ms", band.d), ("low_ms", band.low), ("high_ms", band.high))
        }
        quantiles = {
            "share": _list(band.at[drawn]),
            "at": _list(share_axis(band.at[drawn], least)),
            "before_ms": _list(band.before_ms[drawn]),
            **change,
        }
    moved = mean is not None and mean.call.startswith(("better", "worse"))
    over = []
    for times in (1, 2):
        figure = over_budget(stand.arms, stand.design, times)
        if figure is not None:
            shown = (
                figure
                if stand.judged
                else replace(figure, call="not certifiable", p_value=None, ci_low=None, ci_high=None)
            )
            document = figure_document(shown, stand.policy.target_fps)
            said = f"Over {'the budget' if times == 1 else 'twice the budget'}"
            over.append({"times": times, "figure": {**document, "words": {**document["words"], "label": said}}})
    return {
        "judged": stand.judged,
        "sentence": wording.spread_sentence(found, moved) if stand.judged else wording.NOT_JUDGED,
        "at": _list(at),
        "shares": _list(shares, 7),
        "before_ms": _list(curve(stand.before, shares)),
        "after_ms": _list(curve(stand.after, shares)),
        "ticks": [{"share": share, "at": float(share_axis(np.array(share), least))} for share in ticks],
        "budget_ms": stand.policy.budget_ms,
        "quantiles": quantiles,
        "over": over,
    }


def naive_leaf(comparison: Comparison, asked: Mapping[str, str]) -> dict[str, Any]:
    """What common wrong readings would have made of the same runs."""
    stand = rested(comparison)
    readings = naive_readings(stand.before, stand.after)
    return {
        "readings": [
            {"name": r.name, "unit": r.unit, "better": r.claims_better, **wording.naive_reading(r)} for r in readings
        ],
        "rates": wording.NAIVE_RATES,
    }


def _rates(stand: Rested, rows: list[dict[str, Any]]) -> dict[str, Any]:
    """Stutters a minute by arm, with and without those that recur."""
    kb = stand.design.k_before
    made = {}
    for arm, of in (("before", range(kb)), ("after", range(kb, len(stand.views)))):
        minutes = sum(stand.views[i].minutes for i in of)
        own = [row for row in rows if row["run"] in of]
        once = sum(row["recurring"] is None for row in own)
        made[arm] = {"all": len(own) / minutes, "not_recurring": once / minutes}
    return made


def _lanes_over(view: Any, frames: Any) -> list[str]:
    """Of each frame the lane that took most over its own median; "" where none did."""
    lanes = view.series.lanes
    if not lanes or not len(frames):
        return [""] * len(frames)
    names = list(lanes)
    over = np.stack([lanes[n][frames] - np.nanmedian(lanes[n]) for n in names])
    over = np.where(np.isfinite(over), over, 0.0)
    best = over.argmax(axis=0)
    return [names[b] if over[b, i] >= LANE_OVER_MS else "" for i, b in enumerate(best.tolist())]


#: A lane that took no more than this over its own median did not stand out.
LANE_OVER_MS = 2.0


def _leg_at(view: Any, frame: int) -> str:
    begun = [m.name for m in view.series.marks if m.index <= frame]
    return begun[-1] if begun else ""


def _section_at(sections: Any, at: float) -> str:
    return next((s.name for s in sections if s.start <= at < s.stop), sections[-1].name)


LEAVES: dict[str, Callable[[Comparison, Mapping[str, str]], dict[str, Any]]] = {
    "course": course_leaf,
    "stutters": stutters_leaf,
    "spread": spread_leaf,
    "naive": naive_leaf,
    "runs": runs_leaf,
    "work": work_leaf,
    "late": late_leaf,
    "goes with": goes_with,
    "free": free_leaf,
    "counters": counters_leaf,
}
