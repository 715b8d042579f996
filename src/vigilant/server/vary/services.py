"""Accounts of recordings that vary something: made from the stored figures of their runs, whenever they are read."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from vigilant.core import CoreError
from vigilant.core.audit.conditions import differing
from vigilant.core.series import FloatArray, play_mask
from vigilant.core.vary import (
    Cure,
    Screening,
    Switched,
    Untangled,
    capacity,
    configurations,
    growth,
    knob,
    knob_figure,
    ramp_levels,
    screened,
    unit_cost,
    untangled,
)
from vigilant.core.vary.ramp import FEWEST
from vigilant.core.vary.switched import FIGURES
from vigilant.plan.armref import EMPTY, REFERENCE, in_order
from vigilant.server.problems import unprocessable
from vigilant.server.runs.models import Outcome, Recording, Run
from vigilant.server.runs.plans import arm_name, arm_table, policy_of
from vigilant.server.runs.store import read_series
from vigilant.wording import ramp as ramp_wording
from vigilant.wording import switched as wording
from vigilant.wording import untangled as wording_of


@dataclass(frozen=True)
class Passes:
    """The complete runs of each arm with their places among ``slots``; a failed slot keeps its place."""

    runs: Mapping[str, Sequence[Run]]
    places: Mapping[str, Sequence[int]]
    slots: int


def passes_of(recording: Recording) -> Passes:
    """The last attempt at a place counts; runs set aside enter nothing."""
    last = {
        slot.position: slot
        for slot in recording.slots.select_related("run__figures", "run__conditions", "run__scenario_version")
    }
    runs: dict[str, list[Run]] = {}
    places: dict[str, list[int]] = {}
    for position, slot in sorted(last.items()):
        run = slot.run
        if run is None or run.state != Run.State.COMPLETE or run.excluded_at or not hasattr(run, "figures"):
            continue
        runs.setdefault(slot.arm, []).append(run)
        places.setdefault(slot.arm, []).append(position)
    return Passes(runs, places, 1 + max(last, default=0))


def switched_account(recording: Recording) -> dict[str, Any]:
    """The account of a screening, in each of its figures. Raises a problem for a recording that is none, one that has no
    run with everything on yet, and runs that cannot be set against each other."""
    if recording.account != "switched":
        raise unprocessable("no-account", "This recording switches nothing off one at a time.")
    passes = passes_of(recording)
    labels = in_order(recording.slots.values_list("arm", flat=True))
    held = [label for label, runs in passes.runs.items() if _held(runs)]
    if not passes.runs.get(REFERENCE) or REFERENCE in held:
        why = "is held by a refresh cap" if REFERENCE in held else "has no complete run yet"
        raise unprocessable("nothing-on", f"The arm with everything on {why}; nothing can be set against it.")
    used = [label for label in labels if label in passes.runs and label not in held]
    _comparable(recording, [run for label in used for run in passes.runs[label]])
    tables = {label: arm_table(recording.plan, label) for label in used}
    off = {label: str(table["off"]) for label, table in tables.items() if table.get("off")}
    cures = {label: (str(table.get("name", label)), str(table["cures"])) for label, table in tables.items() if table.get("cures")}  # fmt: skip
    if not off and not cures:
        raise unprocessable("nothing-off", "No arm with a switch off has a complete run yet.")
    figures = []
    for figure in FIGURES:
        values = {label: _values(passes.runs[label], figure) for label in used}
        try:
            found = screened(figure, values, passes.places, passes.slots, REFERENCE, off, cures, EMPTY if EMPTY in used else None)  # fmt: skip
        except CoreError as error:
            raise unprocessable(error.code, str(error)) from error
        named = {kind: [arm_name(recording.plan, label) for label in these] for kind, these in
                 (("missing", [label for label in labels if label not in passes.runs]), ("held", held))}  # fmt: skip
        figures.append(_document(found, named))
    return {"figures": figures, "arms": [_arm(recording, label, passes) for label in labels]}


def untangled_account(recording: Recording) -> dict[str, Any]:
    """The account of changes in combinations, in each of its figures. Raises a problem for a recording that is none, for one that has not
    a run of every configuration yet, for configurations that a cap holds, and runs that cannot be set against each other."""
    if recording.account != "untangled":
        raise unprocessable("no-account", "This recording has no changes in combinations.")
    passes = passes_of(recording)
    labels = [label for label in in_order(recording.slots.values_list("arm", flat=True)) if label != EMPTY]
    on = {label: list(arm_table(recording.plan, label).get("on") or []) for label in labels}
    names = list(dict.fromkeys(name for label in labels for name in on[label]))
    missing = [label for label in labels if not passes.runs.get(label)]
    held = [label for label in labels if label not in missing and _held(passes.runs[label])]
    if not labels or missing:
        named = ", ".join(arm_name(recording.plan, label) for label in missing[:3]) or "any"
        raise unprocessable(
            "configuration-missing", f"No complete run yet of: {named}. Without one of them the design is not balanced."
        )
    if held:
        raise unprocessable(
            "configuration-held",
            f"A refresh cap holds the frames of {arm_name(recording.plan, held[0])}: the changes cannot be told apart.",
        )
    _comparable(recording, [run for label in labels for run in passes.runs[label]])
    config = {label: tuple(name in on[label] for name in names) for label in labels}
    figures = []
    for figure in FIGURES:
        values = {config[label]: _values(passes.runs[label], figure) for label in labels}
        places = {config[label]: passes.places[label] for label in labels}
        try:
            found = untangled(figure, values, places, passes.slots)
        except CoreError as error:
            raise unprocessable(error.code, str(error)) from error
        few = min(len(passes.runs[label]) for label in labels)
        figures.append(
            _untangled(found, names, few, {config[label]: arm_name(recording.plan, label) for label in labels})
        )
    return {"changes": names, "figures": figures, "arms": [_arm(recording, label, passes) for label in labels]}


def _untangled(
    found: Untangled, names: Sequence[str], few: int, named: Mapping[tuple[bool, ...], str]
) -> dict[str, Any]:
    credits = [
        {
            "name": names[effect.changes[0]],
            "ms": credit.value,
            "low_ms": credit.low,
            "high_ms": credit.high,
            "main": wording_of.words_of(effect.ms, found.off_ms),
            "share": wording_of.share_words(effect),
            "p_value": effect.ms.p_value,
            "shown": effect.shown,
            "words": wording_of.words_of(credit, found.off_ms),
        }
        for effect, credit in zip(found.effects, found.credit, strict=True)
    ]
    return {
        "figure": found.figure,
        "name": wording.figure_name(found.figure),
        "sentence": wording_of.sentence(found, names),
        "off_ms": found.off_ms,
        "credits": sorted(credits, key=lambda row: row["ms"]),
        "interactions": [
            {
                "name": wording_of.effect_name(effect, names),
                "ms": effect.ms.value,
                "low_ms": effect.ms.low,
                "high_ms": effect.ms.high,
                "shown": effect.shown,
                "said": wording_of.interaction_sentence(effect),
                "words": wording_of.words_of(effect.ms, found.off_ms),
            }
            for effect in found.interactions
        ],
        "total": None if found.total is None else wording_of.words_of(found.total, found.off_ms),
        "gap": wording_of.gap_sentence(found),
        "notes": wording_of.notes(found, few),
        "configurations": [
            {"name": named[config], "ms": float(np.exp(level))}
            for config, level in zip(configurations(len(names)), found.fit.level, strict=True)
        ],
    }


def _swept(recording: Recording, account: str) -> tuple[Passes, list[str], dict[str, float], list[str]]:
    """The passes, labels that count, the value of each, and names of arms that a cap holds. Raises a problem."""
    if recording.account != account:
        raise unprocessable("no-account", f"This recording is no {account}.")
    passes = passes_of(recording)
    labels = [label for label in in_order(recording.slots.values_list("arm", flat=True)) if label != EMPTY]
    held = [label for label in labels if passes.runs.get(label) and _held(passes.runs[label])]
    used = [label for label in labels if passes.runs.get(label) and label not in held]
    if len(used) < FEWEST:
        raise unprocessable("values-missing", f"{len(used)} values have a complete run yet; {FEWEST} are the least.")
    _comparable(recording, [run for label in used for run in passes.runs[label]])
    values = {label: float(arm_table(recording.plan, label).get("value") or 0.0) for label in used}
    return passes, sorted(used, key=values.__getitem__), values, [arm_name(recording.plan, label) for label in held]


def knob_account(recording: Recording) -> dict[str, Any]:
    """Which value of a knob is best, by mean and slowest 1 %. Raises a problem."""
    passes, labels, values, held = _swept(recording, "knob")
    name = str(recording.asked("sweep").get("name", ""))
    try:
        figures = [
            knob_figure(
                figure,
                [_values(passes.runs[label], figure) for label in labels],
                [passes.places[label] for label in labels],
                passes.slots,
            )
            for figure in FIGURES
        ]
    except CoreError as error:
        raise unprocessable(error.code, str(error)) from error
    found = knob([values[label] for label in labels], figures)
    notes = [f"{one}: a refresh cap holds most of its runs, so that it is left out." for one in held]
    return {
        "name": name,
        "sentence": ramp_wording.knob_sentence(found, name),
        "call": found.call,
        "figures": [
            {
                "figure": one.figure,
                "name": ramp_wording.FIGURES[one.figure],
                "flat": ramp_wording.flat_words(one),
                "points": _points(passes, labels, values, one.figure, one.level_ms),
                "inside": list(one.inside),
                "lost": [ramp_wording.lost_words(one, i) for i in range(len(labels))],
            }
            for one in figures
        ],
        "notes": notes,
    }


def _points(
    passes: Passes, labels: Sequence[str], at: Mapping[str, float], figure: str, levels: FloatArray
) -> list[dict[str, Any]]:
    """A point a value: where it stands, what was fitted there, and each of its runs."""
    return [
        {
            "value": at[label],
            "ms": float(level),
            "runs": [{"run": str(run.pk), "ms": float(run.figures.values[figure])} for run in passes.runs[label]],
        }
        for label, level in zip(labels, levels, strict=True)
    ]


#: By what a ramp is read: figure, and what of the budget its frames may take (late frames have a tolerance).
RAMP_FIGURES = (("mean_ms", 1.0), ("slowest_1pct_ms", 1.0), ("p99_ms", 1.05))
#: A load that is off by more than this was another.
LOAD_OFF = 0.01


def ramp_account(recording: Recording) -> dict[str, Any]:
    """How much load the budget carries. Raises a problem, for a scenario without a target too."""
    passes, labels, asked, held = _swept(recording, "ramp")
    target = recording.scenario_version.target_fps
    if not target:
        raise unprocessable("no-target", "A ramp needs a budget: the scenario has no target.")
    sweep = recording.asked("sweep")
    unit, counter = str(sweep.get("name", "")), str(sweep.get("counter", ""))
    seen = {label: _observed(passes.runs[label], counter) for label in labels} if counter else {}
    told = bool(seen) and all(value is not None for value in seen.values())
    at = {label: value if told and (value := seen[label]) is not None else asked[label] for label in labels}
    differs = told and any(asked[label] and abs(at[label] / asked[label] - 1.0) > LOAD_OFF for label in labels)
    failing = {
        s.arm for s in recording.slots.all() if s.outcome not in (Outcome.PLANNED, Outcome.COMPLETE, Outcome.SKIPPED)
    }
    failed = [arm_name(recording.plan, label) for label in labels if label in failing]
    order = sorted(labels, key=at.__getitem__)
    figures = []
    for figure, share in RAMP_FIGURES:
        budget_ms = share * 1000.0 / target
        try:
            levels = ramp_levels([at[label] for label in order], [_values(passes.runs[label], figure) for label in order],
                                 [passes.places[label] for label in order], passes.slots)  # fmt: skip
        except CoreError as error:
            raise unprocessable(error.code, str(error)) from error
        found = capacity(levels, budget_ms)
        cost = unit_cost(levels, found.bracket[0] if found.bracket else levels.loads.size - 2)
        figures.append(
            {
                "figure": figure,
                "name": ramp_wording.FIGURES[figure],
                "budget_ms": budget_ms,
                "sentence": ramp_wording.ramp_sentence(found, figure, unit, levels.fit.tested),
                "paper": ramp_wording.paper(levels, found, cost, budget_ms, unit),
                "capacity": {
                    "value": found.value,
                    "low": found.low,
                    "high": found.high,
                    "said": ramp_wording.capacity_words(found, unit),
                },
                "points": _points(passes, order, at, figure, levels.ms),
                "costs": ramp_wording.cost_rows(cost, levels, unit),
                "growth": ramp_wording.growth_sentence(growth(levels)),
                "notes": ramp_wording.ramp_notes(levels, found, told, differs, held, failed),
            }
        )
    return {"unit": unit, "counter": counter, "asked": [asked[label] for label in order], "figures": figures}


def _observed(runs: Sequence[Run], counter: str) -> float | None:
    """Mean over runs of the counter over the frames that count; None where a run does not have it."""
    means = []
    for run in runs:
        series = read_series(run, [f"counter:{counter}"])
        if counter not in series.counters:
            return None
        counts = play_mask(series, float(run.scenario_version.definition.get("warm_up_s", 0.0)))
        values = series.counters[counter][counts]
        known = values[np.isfinite(values)]
        if not known.size:
            return None
        means.append(float(known.mean()))
    return float(np.mean(means))


def _held(runs: Sequence[Run]) -> bool:
    return 2 * sum(run.figures.values.get("cap_ms") is not None for run in runs) > len(runs)


def _values(runs: Sequence[Run], figure: str) -> list[float]:
    return [float(run.figures.values[figure]) for run in runs]


def _comparable(recording: Recording, runs: Sequence[Run]) -> None:
    """Raises a problem where conditions that must match differ."""
    policy = policy_of(recording.scenario_version.definition)
    if unlike := differing([run.conditions.facts for run in runs], policy):
        raise unprocessable("conditions-differ", wording.refused(unlike))


def _arm(recording: Recording, label: str, passes: Passes) -> dict[str, Any]:
    return {
        "label": label,
        "name": arm_name(recording.plan, label),
        "runs": [str(run.pk) for run in passes.runs.get(label, [])],
    }


def _document(found: Screening, named: Mapping[str, Sequence[str]]) -> dict[str, Any]:
    rows = [_switch(row, found.on_ms) for row in sorted(found.switches, key=lambda row: -row.saved_ms.value)]
    return {
        "figure": found.figure,
        "name": wording.figure_name(found.figure),
        "sentence": wording.sentence(found),
        "on_ms": found.on_ms,
        "switches": rows,
        "cures": [_cure(row, found.on_ms) for row in sorted(found.cures, key=lambda row: -row.net_ms.value)],
        "sum": wording.words_of(found.sum_ms, found.on_ms),
        "total": None if found.total_ms is None else wording.words_of(found.total_ms, found.on_ms),
        "gap": wording.gap_sentence(found),
        "notes": wording.notes(found, named["missing"], named["held"]),
        "tested": found.fit.tested,
    }


def _switch(row: Switched, on_ms: float) -> dict[str, Any]:
    return {
        "name": row.name,
        "rank": row.rank,
        "saved_ms": row.saved_ms.value,
        "low_ms": row.saved_ms.low,
        "high_ms": row.saved_ms.high,
        "p_value": row.saved_ms.p_value,
        "shown": row.shown,
        "change": wording.ratio_words(row),
        "words": wording.words_of(row.saved_ms, on_ms),
    }


def _cure(row: Cure, on_ms: float) -> dict[str, Any]:
    return {
        "name": row.name,
        "of": row.of,
        "saved_ms": row.net_ms.value,
        "low_ms": row.net_ms.low,
        "high_ms": row.net_ms.high,
        "shown": row.shown,
        "price": wording.cure_words(row),
        "words": wording.words_of(row.net_ms, on_ms),
    }
