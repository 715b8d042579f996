"""The budget split: allowances by part, each set on a day for a reason, and the parts of an entry held against them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from vigilant.core import CoreError, FigureResult
from vigilant.core.series import FloatArray
from vigilant.core.work import Key, below_resolution, late_frames
from vigilant.core.work.budget import around_95, check_allowances, over_changes, over_from_ms, part_budget, proposed_ms
from vigilant.formats import limits
from vigilant.server.books.models import name_of
from vigilant.server.database import in_transaction
from vigilant.server.entries.models import Comparison
from vigilant.server.evidence.arm_work import ARMS, ArmWork, arm_work
from vigilant.server.evidence.free_leaf import lanes_of, ms_of, parts_of_lanes
from vigilant.server.evidence.rested import Rested
from vigilant.server.problems import conflict, unprocessable
from vigilant.server.scenarios.models import Scenario
from vigilant.wording import budget as wording

from .models import Allowance


def standing(scenario: Scenario, rig: str) -> dict[Key, Allowance]:
    """The allowances that hold on a rig: its own, else those of every rig."""
    found: dict[Key, Allowance] = {}
    for of in ("", rig):
        newest: dict[Key, Allowance] = {}
        for one in Allowance.objects.filter(scenario=scenario, rig=of).select_related("set_by"):
            newest.setdefault((one.lane, tuple(one.path)), one)
        found |= {key: one for key, one in newest.items() if one.ms is not None or key in found}
    return {key: one for key, one in found.items() if one.ms is not None}


def budget_page(comparison: Comparison, label: str) -> dict[str, Any]:
    """Every part of an arm against its allowance. Raises a problem without a target or lanes."""
    stand, arm, lanes = lanes_of(comparison, label)
    budget = stand.policy.budget_ms
    if budget is None:
        raise unprocessable("no-target", "A budget needs a target: the scenario has none.")
    assert arm.overlap is not None
    together = arm.overlap.call == "serial"
    parts = [arm.parts(run) for run in range(len(arm.runs))]
    keys = parts_of_lanes(parts, lanes[0].names)
    held = standing(comparison.scenario_version.scenario, comparison.rig.alias)
    late = [late_frames(view, stand.arms.step_ms) for view in arm.views]
    around = [around_95(view.x) for view in arm.views]
    changed = _changes(stand, arm, parts, {key: held[key].ms for key in keys if key in held})
    rows = []
    for key in keys:
        ms = [ms_of(own, key, view.n) for own, view in zip(parts, arm.views, strict=True)]
        number = lanes[0].names.index(key[0])
        whole = [run.summed if together else run.busy[number] for run in lanes]
        one = held.get(key) if not below_resolution(ms, stand.arms.step_ms) else None
        found = part_budget(key, one.ms, ms, late, stand.arms.step_ms) if one and one.ms is not None else None
        rows.append({
            "lane": key[0],
            "path": list(key[1]),
            "depth": len(key[1]) - 1,
            "name": key[1][-1],
            "allowed_ms": one.ms if one else None,
            "for_rig": one.rig if one else "",
            "said": wording.set_sentence(one.reason, name_of(one.set_by)) if one else "",
            "set_at": one.set_at if one else None,
            "proposed_ms": proposed_ms(ms, whole, around, budget),
            "mean_ms": float(sum(v.mean() for v in ms) / len(ms)),
            "words": wording.row_words(found) | {"change": wording.change_words(changed.get(key))},
            "over": found.over if found else None,
        })  # fmt: skip
    allowed = {key: one.ms for key, one in held.items() if one.ms is not None and key[0] in lanes[0].names}
    try:
        left = check_allowances(allowed, budget, together)
        note = ""
    except CoreError as error:  # the target was raised since
        left, note = {}, f"{str(error)[0].upper()}{str(error)[1:]}."
    return {
        "arm": label,
        "budget_ms": budget,
        "rig": comparison.rig.alias,
        "together": together,
        "note": note,
        "unassigned": [{"lane": lane, "ms": ms} for lane, ms in left.items()],
        "rows": rows,
    }


def _changes(
    stand: Rested, arm: ArmWork, parts: Sequence[Mapping[Key, FloatArray]], held: Mapping[Key, float | None]
) -> dict[Key, FigureResult]:
    """Frames over in both arms, of the parts that have an allowance; nothing where there is none."""
    if not held:
        return {}
    other = arm_work(stand, next(label for label in ARMS if label != arm.label))
    others = [other.parts(run) for run in range(len(other.runs))]
    pair = [(arm, parts), (other, others)]
    over: dict[Key, list[int]] = {key: [] for key in held}
    for one, own in sorted(pair, key=lambda p: ARMS.index(p[0].label)):
        for view, ms in zip(one.views, own, strict=True):
            for key, allowed in held.items():
                there = ms_of(ms, key, view.n) > over_from_ms(allowed or 0.0, stand.arms.step_ms)
                over[key].append(int(there.sum()))
    return over_changes(stand.arms, stand.design, over, stand.policy.alpha)


@in_transaction
def allow(
    comparison: Comparison, asked: Sequence[Mapping[str, Any]], rig: str, reason: str, together: bool, user: Any
) -> None:
    """Set allowances, or take them back (None). Raises a problem where more is allowed than there is."""
    version = comparison.scenario_version
    Scenario.objects.select_for_update().get(pk=version.scenario_id)
    if Allowance.objects.filter(scenario=version.scenario).count() + len(asked) > limits.ALLOWANCES:
        raise conflict(
            "allowances-too-many",
            f"A scenario holds {limits.ALLOWANCES:,} allowances, those that were changed with them.",
        )
    held = {key: one.ms for key, one in standing(version.scenario, rig).items()}
    for one in asked:
        key = (one["lane"], tuple(one["path"]))
        held[key] = one["ms"]
    budget = 1000.0 / version.target_fps if version.target_fps else None
    if budget is None:
        raise unprocessable("no-target", "A budget needs a target: the scenario has none.")
    try:
        check_allowances({key: ms for key, ms in held.items() if ms is not None}, budget, together)
    except CoreError as error:
        raise unprocessable(error.code, f"{str(error)[0].upper()}{str(error)[1:]}.") from error
    Allowance.objects.bulk_create(
        Allowance(
            scenario=version.scenario, rig=rig, lane=o["lane"], path=o["path"], ms=o["ms"], reason=reason, set_by=user
        )
        for o in asked
    )
