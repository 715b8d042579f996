"""Where the time goes: each lane and each part of both arms, what limits their frames, and what is left under the
budget."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict
from typing import Any

from vigilant.core.sheet import CLOCK_MHZ, POWER_W, TEMPERATURE_C
from vigilant.core.work import (
    CoreTime,
    LaneChange,
    LanesFound,
    Limit,
    PartChange,
    PartsOfRun,
    RowChange,
    RowKey,
    carried,
    carried_changes,
    core_times,
    kind_of,
    kind_totals,
    lane_changes,
    lanes_found,
    limit_moved,
    part_changes,
    parts_of_run,
)
from vigilant.core.work.cores import SAMPLED
from vigilant.core.work.waits import waits
from vigilant.server.entries.models import Comparison
from vigilant.server.runs.store import read_parts
from vigilant.wording import lanes as wording
from vigilant.wording import late

from .arm_work import amounts, arms_work, row_document
from .rested import Rested, columns_of, rested

#: What limits fewer frames of both arms has no row.
LEAST_SHARE = 0.0005
#: What carries less of the frame in both arms has none either.
LEAST_MS = 0.005


def work_leaf(comparison: Comparison, asked: Mapping[str, str]) -> dict[str, Any]:
    wanted = [name for name in columns_of(comparison) if name.startswith("lane:") or name == f"counter:{SAMPLED}"]
    stand = rested(comparison, wanted)
    budget_ms = stand.policy.budget_ms
    arms = [lanes_found(views, budget_ms) for views in (stand.before, stand.after)]
    changes = lane_changes(stand.before, stand.after, stand.design)
    before, after = arms
    if before is None or after is None:
        said = {"sentence": wording.NO_LANES, "overlap": "", "notes": [], "limits": [], "headroom": [], "moved": False}
    else:
        moved = limit_moved(before, after) if stand.judged else None
        said = {
            "sentence": wording.limit_sentence(before, after, moved),
            "overlap": wording.overlap_sentence(before),
            "notes": wording.lanes_notes(before, after),
            "limits": _limits(before, after),
            "headroom": [
                {"arm": arm, "said": wording.headroom_sentence(found), **asdict(found.headroom)}
                for arm, found in (("before", before), ("after", after))
            ],
            "moved": moved is not None,
        }
    total = [float(sum(v.x.mean() for v in views) / len(views)) for views in (stand.before, stand.after)]
    return {
        "judged": stand.judged,
        "lanes": [
            {
                **asdict(change),
                "role": stand.views[0].series.lane_roles[change.name],
                **_said(stand, change, wording.lane_sentence(change)),
                "words": wording.lane_words(change),
            }
            for change in changes
        ],
        "cores": _cores(stand),
        "waits": [{**asdict(wait), "said": wording.wait_sentence(wait)} for wait in waits(stand.before, stand.after)],
        "machine": _machine(stand),
        "frame": {"before_ms": total[0], "after_ms": total[1]},
        "budget_ms": budget_ms,
        **_parts(stand, (before, after) if before and after else None),
        **said,
    }


def _said(stand: Rested, change: LaneChange | PartChange | RowChange | CoreTime, sentence: str) -> dict[str, Any]:
    """What the runs show of a lane or a part; of arms that cannot be held against each other nothing."""
    shown = change.p_value is not None and change.p_value <= wording.ALPHA
    return {"said": sentence if stand.judged else "", "shown": stand.judged and shown}


def _parts(stand: Rested, found: tuple[LanesFound, LanesFound] | None) -> dict[str, Any]:
    """The cost sheet, what of it the frame saved, and what is to be said of both; none where a run reports no parts."""
    runs: list[PartsOfRun] = []
    kinds: dict[tuple[str, tuple[str, ...]], str] = {}
    carries: list[dict[RowKey, float]] = []
    for arm in arms_work(stand):
        for number, view in enumerate(arm.views):
            rows = read_parts(arm.runs[number])
            if rows is None:
                return {"parts": [], "kinds": [], "part_notes": [], "shares": [], "carried": [], "carried_sentence": ""}
            runs.append(parts_of_run(view, rows))
            kinds |= {(part.lane, tuple(part.path)): part.kind for part in rows.parts if part.kind}
            if arm.lanes and arm.overlap and arm.overlap.call != "cannot be told":
                carries.append(carried(arm.lanes[number], arm.overlap, arm.laid(number, rows)))
    changes = part_changes(runs, stand.design)
    parts = [
        {
            "lane": row.lane,
            "path": list(row.path),
            "depth": len(row.path) - (row.kind != "rest"),
            "name": wording.part_name(row),
            "kind": row.kind,
            "about": "" if row.kind == "rest" else kind_of((row.lane, row.path), kinds),
            **amounts(row, row.before.ms, row.after.ms),
            "split": None if row.split is None else asdict(row.split),
            **_said(stand, row, wording.part_sentence(row)),
            "words": wording.part_words(row),
        }
        for row in changes
    ]
    split = carried_changes(carries, stand.design) if len(carries) == len(runs) else ()
    return {
        "parts": parts,
        "kinds": [{"name": one.kind, "said": wording.kind_sentence(one)} for one in kind_totals(changes, kinds)],
        "part_notes": wording.parts_notes(changes),
        "shares": wording.shares_sentences(changes) if stand.judged else [],
        "carried": [_carried(stand, row) for row in split if max(abs(row.before_ms), abs(row.after_ms)) >= LEAST_MS],
        "carried_sentence": wording.carried_sentence(split, *found) if stand.judged and split and found else "",
    }


#: What a recorder reads of the machine that may explain why lanes took what they took: key, name, unit, decimals.
MACHINE = ((CLOCK_MHZ, "processor clock", "MHz", 0), (TEMPERATURE_C, "temperature", "degrees", 1), (POWER_W, "power", "W", 1))  # fmt: skip


def _machine(stand: Rested) -> list[dict[str, Any]]:
    """Clock, temperature and power of both arms, where the recorder could read them in every run; a description."""
    found = []
    for key, name, unit, digits in MACHINE:
        values = [view.series.measured.get(key) for view in stand.views]
        known = [float(v) for v in values if v is not None]
        if len(known) == len(values):
            kb = stand.design.k_before
            found.append({"name": name, "unit": unit, "said": wording.machine_sentence(known[:kb], known[kb:], digits)})
    return found


def _cores(stand: Rested) -> list[dict[str, Any]]:
    """Processor time added up over cores, where the runs tell it."""
    said = str(stand.comparison.rig.facts.get("cores", ""))
    cores = int(said) if said.isdecimal() and int(said[:6]) > 0 else None
    return [
        {
            "name": "the whole subject, sampled" if row.sampled else row.name,
            "sampled": row.sampled,
            **amounts(row, row.before_ms, row.after_ms),
            "busy": list(row.busy),
            "cores": cores,
            **_said(stand, row, wording.cores_sentence(row)),
            "words": wording.cores_words(row),
        }
        for row in core_times(stand.before, stand.after, stand.design, cores)
    ]


def _carried(stand: Rested, row: RowChange) -> dict[str, Any]:
    return {**row_document(row), **_said(stand, row, late.change_sentence(row))}


def _limits(before: LanesFound, after: LanesFound) -> list[dict[str, Any]]:
    """Each lane or code that limits frames of either arm, with its share and interval in both."""
    names = {limit.code: limit.name for arm in (after, before) for limit in arm.limits if limit.share >= LEAST_SHARE}
    order = sorted(names, key=lambda code: (code < 0, abs(code)))
    return [
        {"name": names[code], "lane": code >= 0, "before": _share(before, code), "after": _share(after, code)}
        for code in order
    ]


def _share(found: LanesFound, code: int) -> dict[str, Any]:
    if not found.limits:
        words = {"share": wording.no_limit(found), "interval": ""}
        return {"share": None, "low": None, "high": None, "words": words}
    limit = next((one for one in found.limits if one.code == code), Limit(code, "", 0.0, None, None))
    return {"share": limit.share, "low": limit.low, "high": limit.high, "words": wording.share_words(limit)}
