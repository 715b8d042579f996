"""Accounts of loads that were ramped at several richnesses: few rich against many simple."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from vigilant.core import CoreError
from vigilant.core.vary import LevelRuns, recorded_trade
from vigilant.server.problems import unprocessable
from vigilant.server.runs.models import Recording
from vigilant.wording import ramp as ramp_wording
from vigilant.wording import trade as wording

from .sweeps import RAMP_FIGURES, Swept, ramp_arm, ramps_of, swept


def trade_account(recording: Recording) -> dict[str, Any]:
    """What the budget carries at each richness, in each figure. Raises a problem."""
    found = swept(recording, "trade")
    if len(found.sides) < 2:
        raise unprocessable("values-missing", "One richness has runs yet; two are the least.")
    lines, budget_ms = ramps_of(found)
    return {
        "unit": found.setting,
        "richness": str(found.table["richness"]["name"]),
        "figures": [_figure(found, lines, figure, share * budget_ms) for figure, share in RAMP_FIGURES],
    }


def _figure(found: Swept, lines: Sequence[Sequence[LevelRuns]], figure: str, budget_ms: float) -> dict[str, Any]:
    values = [float(line) for line in found.sides]
    unit, richness = found.setting, str(found.table["richness"]["name"])
    try:
        arms, told = recorded_trade(values, lines, figure, found.passes.slots, budget_ms)
    except CoreError as error:
        raise unprocessable(error.code, str(error)) from error
    return {
        "figure": figure,
        "name": ramp_wording.FIGURES[figure],
        "budget_ms": budget_ms,
        "sentence": wording.sentence(told, figure, unit, richness),
        "factor": wording.factor_sentence(told, unit, richness),
        "note": wording.note(told),
        "arms": [
            {"richness": value, **ramp_arm(found, line, arm, figure, budget_ms)}
            for value, line, arm in zip(values, found.sides, arms, strict=True)
        ],
    }
