"""What a bench can see, in words: spread of runs, smallest visible change, chance of an answer."""

from __future__ import annotations

import math
from typing import Any

from vigilant.core import FIGURES, ComparisonResult, FigureResult
from vigilant.core.planning import MOST_RUNS, Outlook, outlooks
from vigilant.core.scales import COUNT, LOG

from .change import decimals_for, number, percent
from .figures import text_of


def _points(share: float) -> str:
    return f"{number(100.0 * share, 2 if share < 0.02 else 1)} points"


def _size(result: FigureResult, mean_minutes: float, d: float) -> str:
    """A difference of ``d`` on the figure's scale from the before level, in what a person reads."""
    kind = FIGURES[result.name]
    if kind.scale is LOG:
        return percent(math.expm1(abs(d))).lstrip("+")
    after = kind.scale.back(kind.scale.at(result.before, mean_minutes) + d, mean_minutes)
    if kind.scale is COUNT:
        return f"{number(after - result.before, decimals_for((after - result.before) / 10.0, 1))} a minute"
    return _points(after - result.before)


def outlook_document(comparison: ComparisonResult) -> list[dict[str, Any]]:
    """Per primary: the spread of runs, and for several counts of runs what they would see."""
    minutes = comparison.minutes / max(1, sum(comparison.runs))
    return [outlook_row(o, comparison.figures[o.figure], minutes) for o in outlooks(comparison)]


def outlook_row(o: Outlook, result: FigureResult, mean_minutes: float) -> dict[str, Any]:
    """An outlook in words, from the level that ``result`` has before, with runs of ``mean_minutes``."""
    margin = _size(result, mean_minutes, o.margin)
    return {
        "figure": o.figure,
        "label": text_of(o.figure).label,
        "spread": _spread(o),
        "runs": list(o.runs),
        "visible": [_size(result, mean_minutes, v) for v in o.visible],
        "chance": list(o.chance),
        "needed": o.needed,
        "needed_said": runs_said(o.needed),
        "margin": margin,
        "sentence": _sentence(o, margin),
    }


def blank_sentence(runs: tuple[int, int], alarm: bool) -> str:
    """What a blank test came to: one build as both arms."""
    said = "a difference was seen where there is none: the bench is noisy" if alarm else "nothing was called different, and nothing is"  # fmt: skip
    return f"One build as both arms, {runs[0]} + {runs[1]} runs: {said}."


def _spread(o: Outlook) -> str:
    if FIGURES[o.figure].scale is not LOG:
        return f"{o.sd:.2g} ({o.sd_low:.2g} to {o.sd_high:.2g})"
    decimals = decimals_for(100.0 * (o.sd_high - o.sd_low) / 4.0, 2)
    low, middle, high = (number(100.0 * x, decimals) for x in (o.sd_low, o.sd, o.sd_high))
    return f"{middle} % ({low} to {high} %)"


def runs_said(needed: int | None) -> str:
    """Runs an arm that a change needs, as a cell of a table says it."""
    return f"over {MOST_RUNS}" if needed is None else str(needed)


def _sentence(o: Outlook, margin: str) -> str:
    need = f"{runs_said(o.needed)} runs an arm"
    return f"{text_of(o.figure).label}: {need} show a change of {margin}, its margin, with 80 % power."
