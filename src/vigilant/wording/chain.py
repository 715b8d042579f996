"""Whether a chain of steps closes, in words."""

from __future__ import annotations

from vigilant.core import Closing, FigureResult

from .change import number, percent


def factor(result: FigureResult) -> str:
    """A step as a factor on a time: "0.842"."""
    return "" if result.ratio is None else number(result.ratio, 3)


def _written(ratio: float) -> str:
    return f"{number(ratio, 3)} ({percent(ratio - 1.0)} time)"


def closing_words(closing: Closing, apart: bool, measured: bool) -> dict[str, str]:
    """What the steps make together, what the way from first to last makes, the gap, and what it means.

    ``apart``: no run is in two of them; ``measured``: the total was recorded on its own.
    """
    tested = closing.low is not None and closing.high is not None
    return {
        "product": _written(closing.product),
        "total": _written(closing.total),
        "missed": percent(closing.missed),
        "interval": f"{percent(closing.low)} to {percent(closing.high)}" if closing.low is not None and closing.high is not None else "",
        "meaning": _meaning(closing) if tested else _untested(apart, measured),
    }  # fmt: skip


def _meaning(closing: Closing) -> str:
    if (closing.low or 0.0) > 0 or (closing.high or 0.0) < 0:
        return "Something else changed between the steps, or they act on each other."
    return "Within what chance does: the chain closes."


def _untested(apart: bool, measured: bool) -> str:
    if not apart:
        return "Steps that share runs close nearly by themselves, so this shows little."
    if measured:
        return "A step was not tested, so whether the gap is chance cannot be told."
    return "First and last were recorded apart: drift between the recordings is in the gap. Record both interleaved to tell."
