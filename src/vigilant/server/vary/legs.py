"""Accounts of ramps whose runs hold every load in a leg of their own."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from vigilant.core import CoreError
from vigilant.core.vary import LegRamp, RunLegs, ramp_of_legs, run_legs
from vigilant.plan.armref import REFERENCE
from vigilant.server.problems import unprocessable
from vigilant.server.runs.models import Recording, Run
from vigilant.server.runs.plans import checked_plan, policy_of
from vigilant.server.runs.store import read_many
from vigilant.wording import in_one_run as wording
from vigilant.wording.ramp import FIGURES, capacity_words

from .passes import budget_of, comparable, passes_of


def legs_account(recording: Recording, figures: Sequence[tuple[str, float]]) -> dict[str, Any]:
    """As of any ramp, by ``figures`` with the share of the budget that each may take. Raises a problem."""
    plan = checked_plan(recording.plan)
    budget_ms = budget_of(recording)
    runs = passes_of(recording).runs.get(REFERENCE, [])
    comparable(recording, runs)
    counter = str(recording.asked("sweep").get("counter", ""))
    policy = policy_of(recording.scenario_version.definition)
    read = [
        (run, run_legs(series, plan.in_one_run, counter, plan.bench.discard_s, policy))
        for run, series in read_many(runs, [counter] if counter else [])
    ]
    whole = [(run, legs) for run, legs in read if legs is not None]
    if not whole:
        raise unprocessable("values-missing", "No complete run holds every load yet, in a leg that is named by it.")
    unit = str(recording.asked("sweep").get("name", ""))
    return {
        "unit": unit,
        "counter": counter,
        "in_one_run": True,
        "rigs": [],
        "steps": [],
        "figures": [
            _figure(whole, len(read) - len(whole), figure, share * budget_ms, unit) for figure, share in figures
        ],
    }


def _figure(
    runs: Sequence[tuple[Run, RunLegs]], left_out: int, figure: str, budget_ms: float, unit: str
) -> dict[str, Any]:
    try:
        found = ramp_of_legs([legs for _, legs in runs], figure, budget_ms)
    except CoreError as error:
        raise unprocessable(error.code, str(error)) from error
    carried = found.capacity
    sentence = wording.sentence(found, figure, unit)
    arm = {
        "name": "",
        "sentence": sentence,
        "paper": wording.paper(found, budget_ms, unit),
        "capacity": {
            "value": carried.value,
            "low": carried.low,
            "high": carried.high,
            "said": capacity_words(carried, unit),
        },
        "points": _points(found, [run for run, _ in runs]),
        "held": [],
        "band": [],
        "costs": [],
        "confirm": [],
        "growth": "",
        "notes": wording.notes(found, left_out),
    }
    return {
        "figure": figure,
        "name": FIGURES[figure],
        "budget_ms": budget_ms,
        "sentence": sentence,
        "elsewhere": [],
        "arms": [arm],
        "two": None,
    }


def _points(found: LegRamp, runs: Sequence[Run]) -> list[dict[str, Any]]:
    return [
        {
            "value": load,
            "asked": asked,
            "ms": float(found.level_ms[i]),
            "runs": [{"run": str(run.pk), "ms": float(found.values_ms[r, i])} for r, run in enumerate(runs)],
        }
        for i, (load, asked) in enumerate(zip(found.loads, found.asked, strict=True))
    ]
