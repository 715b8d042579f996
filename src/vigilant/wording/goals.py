"""Goals in words: what must hold, where it stands, and how far away it is."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from vigilant.core.goals import MOST, ArmLevel, higher_is_better

from .change import decimals_for, number
from .figures import FIGURE_TEXTS

#: An interval that rests on fewer events says so.
FEW_EVENTS = 10
STATES = {
    "met": "met",
    "not met": "not met",
    "unclear": "not shown either way",
    "extrapolated": "extrapolated from another rig, never proof",
    "other rig": "another rig",
    "not judged": "not judged",
}


def _unit(figure: str) -> str:
    if figure.startswith(MOST):
        return ""
    return " %" if figure.endswith("_share") else f" {FIGURE_TEXTS[figure].unit}"


def _shown(figure: str, value: float, width: float | None = None) -> str:
    scaled = 100.0 if figure.endswith("_share") else 1.0
    if figure.startswith(MOST) or (width is None and float(value * scaled).is_integer()):
        return f"{value * scaled:,.6g}"
    return number(value * scaled, decimals_for(None if width is None else width * scaled, 3))


def axis(figure: str) -> tuple[str, float]:
    """What stands beside a goal's levels where they are drawn, and what they are multiplied by."""
    if figure.startswith(MOST):
        return figure.removeprefix(MOST), 1.0
    return f"{FIGURE_TEXTS[figure].label},{_unit(figure)}", 100.0 if figure.endswith("_share") else 1.0


def threshold(figure: str, value: float) -> str:
    """ "at most 0.5 %", "at least 72 fps"."""
    word = "at least" if higher_is_better(figure) else "at most"
    scaled = value * (100.0 if figure.endswith("_share") else 1.0)
    return f"{word} {scaled:,.6g}{_unit(figure)}"


def goal_sentence(figure: str, value: float, legs: Sequence[str], load: str, rig: str) -> str:
    """ "Slowest second: at least 72 fps, in fireworks, on the thin laptop"."""
    label = f"{figure.removeprefix(MOST)} in any frame" if figure.startswith(MOST) else FIGURE_TEXTS[figure].label
    where = [f"in {' and '.join(legs)}"] if legs else []
    where += [f"at load {load}"] if load else []
    where += [f"on {rig}"] if rig else []
    return ", ".join([f"{label}: {threshold(figure, value)}", *where])


def level_words(level: ArmLevel, value: float) -> dict[str, Any]:
    """The level, its interval and the distance to the threshold, the good way positive."""
    width = None if level.low is None or level.high is None or level.extreme else (level.high - level.low) / 2.0
    figure = level.figure
    text = f"{_shown(figure, level.value, width)}{_unit(figure)}"
    if level.extreme:
        interval = f"the worst of {level.runs} {'run' if level.runs == 1 else 'runs'}"
    elif level.low is None or level.high is None:
        interval = "one run: no interval"
    else:
        interval = f"{_shown(figure, level.low, width)} to {_shown(figure, level.high, width)}"
        if level.events is not None and level.events < FEW_EVENTS:
            seen = {0: "none was seen", 1: "one event was seen"}.get(level.events, f"{level.events} events were seen")
            interval += f" ({seen})"
    gap = level.value - value if higher_is_better(figure) else value - level.value
    word = "to spare" if gap >= 0 else "missing"
    unit = " points" if figure.endswith("_share") else _unit(figure)
    return {"level": text, "interval": interval, "distance": f"{_shown(figure, abs(gap), width)}{unit} {word}"}
