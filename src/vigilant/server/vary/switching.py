"""Accounts of features switched off one at a time, of changes in combinations, and of loads alone and together: made from the stored figures of their runs."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from vigilant.core import CoreError
from vigilant.core.vary import (
    Cure,
    Mixture,
    Screening,
    Switched,
    Untangled,
    configurations,
    mixture,
    screened,
    untangled,
)
from vigilant.core.vary.switched import FIGURES
from vigilant.plan.armref import EMPTY, REFERENCE, in_order
from vigilant.plan.switches import scenes
from vigilant.server.problems import unprocessable
from vigilant.server.runs.models import Recording
from vigilant.server.runs.plans import arm_name, arm_table
from vigilant.wording import mixture as mixture_wording
from vigilant.wording import switched as wording
from vigilant.wording import untangled as wording_of

from .passes import Passes, arm_of, comparable, is_held, passes_of, same_work, values_of


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
    """The account of changes in combinations, in each of its figures. Raises a problem for a recording that is none, and as
    :func:`_configured`."""
    if recording.account != "untangled":
        raise unprocessable("no-account", "This recording has no changes in combinations.")
    found = _configured(recording)
    if not recording.asked("recording").get("less_work"):
        same_work(recording, found.labels, found.passes)
    figures = []
    for figure in FIGURES:
        try:
            told = untangled(figure, found.values(figure), found.places, found.passes.slots)
        except CoreError as error:
            raise unprocessable(error.code, str(error)) from error
        few = min(len(found.passes.runs[label]) for label in found.labels)
        figures.append(_untangled(told, found.names, few, found.named()))
    return {"changes": found.names, "figures": figures, "arms": found.arms()}


def mixture_account(recording: Recording) -> dict[str, Any]:
    """What several loads take together beyond the sum of each by itself. Raises a problem as :func:`untangled_account`."""
    if recording.account != "mixture":
        raise unprocessable("no-account", "This recording has no loads alone and together.")
    found = _configured(recording)
    nothing, *parts, together = scenes(len(found.names))
    slots_of = [found.places[scene] for scene in (nothing, *parts, together)]
    figures = []
    for figure in FIGURES:
        own = found.values(figure)
        try:
            told = mixture(
                figure, own[nothing], [own[part] for part in parts], own[together], slots_of, found.passes.slots
            )
        except CoreError as error:
            raise unprocessable(error.code, str(error)) from error
        figures.append(_mixture(told, found.names))
    return {"parts": found.names, "figures": figures, "arms": found.arms()}


def _mixture(found: Mixture, names: Sequence[str]) -> dict[str, Any]:
    return {
        "figure": found.figure,
        "name": wording.figure_name(found.figure),
        "sentence": mixture_wording.sentence(found, names),
        "call": found.call,
        "empty_ms": found.empty_ms,
        "parts": [
            {"name": name, "ms": ms, "net_ms": ms - found.empty_ms}
            for name, ms in zip(names, found.parts_ms, strict=True)
        ],
        "sum_ms": found.empty_ms + sum(ms - found.empty_ms for ms in found.parts_ms),
        "together_ms": found.mix_ms,
        "beyond": wording_of.words_of(found.beyond, found.mix_ms - found.beyond.value),
        "beyond_ms": found.beyond.value,
        "low_ms": found.beyond.low,
        "high_ms": found.beyond.high,
        "notes": mixture_wording.notes(found),
    }


@dataclass(frozen=True)
class Configured:
    """A recording of switches in configurations: ``names`` of what is switched, and which of them are on in the arm of each label."""

    recording: Recording
    passes: Passes
    labels: Sequence[str]
    names: Sequence[str]
    config: Mapping[str, tuple[bool, ...]]

    def values(self, figure: str) -> dict[tuple[bool, ...], list[float]]:
        """One value a run of each configuration."""
        return {self.config[label]: values_of(self.passes.runs[label], figure) for label in self.labels}

    @property
    def places(self) -> dict[tuple[bool, ...], Sequence[int]]:
        return {self.config[label]: self.passes.places[label] for label in self.labels}

    def named(self) -> dict[tuple[bool, ...], str]:
        return {self.config[label]: arm_name(self.recording.plan, label) for label in self.labels}

    def arms(self) -> list[dict[str, Any]]:
        return [arm_of(self.recording, label, self.passes) for label in self.labels]


def _configured(recording: Recording) -> Configured:
    """Raises a problem for a recording that has not a run of every configuration yet, for configurations that a cap holds, and runs that
    cannot be set against each other."""
    passes = passes_of(recording)
    labels = [label for label in in_order(recording.slots.values_list("arm", flat=True)) if label != EMPTY]
    on = {label: list(arm_table(recording.plan, label).get("on") or []) for label in labels}
    names = list(dict.fromkeys(name for label in labels for name in on[label]))
    missing = [label for label in labels if not passes.runs.get(label)]
    held = [label for label in labels if label not in missing and is_held(passes.runs[label])]
    if not labels or missing:
        named = ", ".join(arm_name(recording.plan, label) for label in missing[:3]) or "any"
        raise unprocessable(
            "configuration-missing", f"No complete run yet of: {named}. Without one of them nothing adds up."
        )
    if held:
        raise unprocessable(
            "configuration-held",
            f"A refresh cap holds the frames of {arm_name(recording.plan, held[0])}: nothing can be told apart there.",
        )
    comparable(recording, [run for label in labels for run in passes.runs[label]])
    config = {label: tuple(name in on[label] for name in names) for label in labels}
    return Configured(recording, passes, labels, names, config)


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
