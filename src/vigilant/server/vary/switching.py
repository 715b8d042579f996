"""Accounts of features switched off one at a time, and of changes in combinations: made from the stored figures of their runs."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from vigilant.core import CoreError
from vigilant.core.vary import Cure, Screening, Switched, Untangled, configurations, screened, untangled
from vigilant.core.vary.switched import FIGURES
from vigilant.plan.armref import EMPTY, REFERENCE, in_order
from vigilant.server.problems import unprocessable
from vigilant.server.runs.models import Recording
from vigilant.server.runs.plans import arm_name, arm_table
from vigilant.wording import switched as wording
from vigilant.wording import untangled as wording_of

from .passes import arm_of, comparable, is_held, passes_of, same_work, values_of


def switched_account(recording: Recording) -> dict[str, Any]:
    """The account of a screening, in each of its figures. Raises a problem for a recording that is none, one that has no
    run with everything on yet, and runs that cannot be set against each other."""
    if recording.account != "switched":
        raise unprocessable("no-account", "This recording switches nothing off one at a time.")
    passes = passes_of(recording)
    labels = in_order(recording.slots.values_list("arm", flat=True))
    held = [label for label, runs in passes.runs.items() if is_held(runs)]
    if not passes.runs.get(REFERENCE) or REFERENCE in held:
        why = "is held by a refresh cap" if REFERENCE in held else "has no complete run yet"
        raise unprocessable("nothing-on", f"The arm with everything on {why}; nothing can be set against it.")
    used = [label for label in labels if label in passes.runs and label not in held]
    comparable(recording, [run for label in used for run in passes.runs[label]])
    tables = {label: arm_table(recording.plan, label) for label in used}
    off = {label: str(table["off"]) for label, table in tables.items() if table.get("off")}
    cures = {label: (str(table.get("name", label)), str(table["cures"])) for label, table in tables.items() if table.get("cures")}  # fmt: skip
    if not off and not cures:
        raise unprocessable("nothing-off", "No arm with a switch off has a complete run yet.")
    figures = []
    for figure in FIGURES:
        values = {label: values_of(passes.runs[label], figure) for label in used}
        try:
            found = screened(figure, values, passes.places, passes.slots, REFERENCE, off, cures, EMPTY if EMPTY in used else None)  # fmt: skip
        except CoreError as error:
            raise unprocessable(error.code, str(error)) from error
        named = {kind: [arm_name(recording.plan, label) for label in these] for kind, these in
                 (("missing", [label for label in labels if label not in passes.runs]), ("held", held))}  # fmt: skip
        figures.append(_document(found, named))
    return {"figures": figures, "arms": [arm_of(recording, label, passes) for label in labels]}


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
    held = [label for label in labels if label not in missing and is_held(passes.runs[label])]
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
    comparable(recording, [run for label in labels for run in passes.runs[label]])
    if not recording.asked("recording").get("less_work"):
        same_work(recording, labels, passes)
    config = {label: tuple(name in on[label] for name in names) for label in labels}
    figures = []
    for figure in FIGURES:
        values = {config[label]: values_of(passes.runs[label], figure) for label in labels}
        places = {config[label]: passes.places[label] for label in labels}
        try:
            found = untangled(figure, values, places, passes.slots)
        except CoreError as error:
            raise unprocessable(error.code, str(error)) from error
        few = min(len(passes.runs[label]) for label in labels)
        figures.append(
            _untangled(found, names, few, {config[label]: arm_name(recording.plan, label) for label in labels})
        )
    return {"changes": names, "figures": figures, "arms": [arm_of(recording, label, passes) for label in labels]}


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
