"""A ramp whose runs hold every load in a leg of their own, in words."""

from __future__ import annotations

import numpy as np

from vigilant.core.vary import LegRamp
from vigilant.core.vary.in_one_run import FEWEST_RUNS

from .change import number
from .ramp import FIGURES, WITHHELD, capacity_words


def sentence(found: LegRamp, figure: str, unit: str) -> str:
    said = f"By {FIGURES[figure]} the budget carries {capacity_words(found.capacity, unit)}"
    return f"{said}, shown and not tested." if found.confounded else f"{said}."


def paper(found: LegRamp, budget_ms: float, unit: str) -> str:
    """The sum on paper: as of any ramp, of an empty scene in every run."""
    value = found.capacity.value
    if value is None or found.asked[0] != 0:
        return ""
    empty = float(np.exp(np.log(found.values_ms[:, 0]).mean()))
    each = (budget_ms - empty) / value
    return (
        f"{number(budget_ms, 2)} ms budget, less {number(empty, 2)} for nothing loaded, leaves {number(budget_ms - empty, 2)};"
        f" at {number(each, 4)} ms each there, that is {number(value, 0)} {unit}."
    )


def notes(found: LegRamp, left_out: int) -> list[str]:
    runs = found.values_ms.shape[0]
    said = ["The run is the unit: legs of one are no repeats of each other."]
    if found.confounded:
        said.append(
            "Every run played its loads in one order: what a load costs cannot be told from how far the run had come, with the heat of it."
        )
    if runs < FEWEST_RUNS:
        said.append("One run has no interval. Record more.")
    if left_out:
        said.append(f"{left_out} runs lack a leg, or have one twice, and are left out: marks are named by their loads.")
    if not found.seen:
        said.append("The load is as it was asked for; no counter says what there really was.")
    return ([WITHHELD["few frames"]] if found.few_frames else []) + said
