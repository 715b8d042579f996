"""Hunts for the build that a change begins with: where it may lie, from the stored figures of the builds that were recorded."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from vigilant.core import CoreError
from vigilant.core.trend import Where, hunted
from vigilant.core.trend.hunt import MOST_RUNS
from vigilant.plan.tables import SPREAD_PCT
from vigilant.server.problems import unprocessable
from vigilant.server.runs.models import Outcome, Recording, Run
from vigilant.server.runs.plans import arm_table
from vigilant.wording import hunt as wording
from vigilant.wording.trend import figure_name

from .passes import comparable, passes_of


def hunt_account(recording: Recording) -> dict[str, Any]:
    """Where the step may lie, and what was recorded so far. Raises a problem for a recording that is no hunt, and for runs that cannot be
    set against each other."""
    if recording.account != "hunt":
        raise unprocessable("no-account", "This recording hunts for no build.")
    hunt = recording.asked("hunt")
    builds, figure = list(map(str, hunt["builds"])), str(hunt.get("figure", "mean_ms"))
    passes = passes_of(recording)
    comparable(recording, [run for runs in passes.runs.values() for run in runs])
    placed = {label: int(arm_table(recording.plan, label).get("value") or 0) for label in _labels(recording)}
    runs = {placed[label]: own for label, own in passes.runs.items()}
    values = {place: [math.log(run.figures.values[figure]) for run in own] for place, own in runs.items()}
    left_out = [place for label, place in placed.items() if place not in runs and _tried(recording, label)]
    try:
        found = hunted(
            len(builds), values, float(hunt.get("build_spread_pct", SPREAD_PCT)) / 100.0, bool(hunt.get("neighbours")),
            int(hunt.get("most_runs") or MOST_RUNS), left_out,
        )  # fmt: skip
    except CoreError as error:
        raise unprocessable(error.code, str(error)) from error
    return _said(recording, found, builds, figure, runs, values, left_out)


def _said(
    recording: Recording, found: Where, builds: Sequence[str], figure: str, runs: Mapping[int, Sequence[Run]],
    values: Mapping[int, Sequence[float]], left_out: Sequence[int],
) -> dict[str, Any]:  # fmt: skip
    last, after = len(builds) - 1, found.after
    change = math.expm1(float(np.mean(values[last]) - np.mean(values[0]))) if {0, last} <= values.keys() else None
    low, high = found.held()
    spent = sum(map(len, values.values()))
    over = recording.state == Recording.State.FINISHED
    told = {
        "figure": figure,
        "name": figure_name(figure),
        "sentence": wording.sentence(found, builds, change, spent),
        "builds": builds,
        "chances": [0.0, *(float(p) for p in found.posterior)],
        "first": low,
        "last": high,
        "next": None if over or found.next is None else builds[found.next],
        "recorded": [
            {
                "place": place,
                "build": builds[place],
                "ms": float(np.exp(np.mean(values[place]))),
                "runs": [{"run": str(run.pk), "ms": float(run.figures.values[figure])} for run in runs[place]],
                "after": float(after[place]),
            }
            for place in sorted(runs)
        ],
        "notes": wording.notes(found, [builds[place] for place in left_out]),
    }
    return {"figures": [told]}


def _labels(recording: Recording) -> set[str]:
    return set(recording.slots.values_list("arm", flat=True))


def _tried(recording: Recording, label: str) -> bool:
    return recording.slots.filter(arm=label).exclude(outcome__in=(Outcome.PLANNED, Outcome.SKIPPED)).exists()
