"""Whether a chain of steps closes, in words."""

from __future__ import annotations

from vigilant.core import FigureResult, Remainder

from .change import number, percent


def factor(result: FigureResult) -> str:
    """A step as a factor on a time: "0.842"."""
    return "" if result.ratio is None else number(result.ratio, 3)


def _written(ratio: float) -> str:
    return f"{number(ratio, 3)} ({percent(ratio - 1.0)} time)"


def remainder_words(remainder: Remainder, apart: bool, measured: bool) -> dict[str, str]:
    """What the steps make together, what the way from first to last makes, the gap, and what it means.

    ``apart``: no run is in two of them; ``measured``: the total was recorded on its own.
    """
    tested = remainder.low is not None and remainder.high is not None
    return {
        "product": _written(remainder.product),
        "total": _written(remainder.total),
        "remainder": percent(remainder.remainder),
        "interval": f"{percent(remainder.low)} to {percent(remainder.high)}" if remainder.low is not None and remainder.high is not None else "",
        "meaning": _meaning(remainder) if tested else _untested(apart, measured),
    }  # fmt: skip


def _meaning(remainder: Remainder) -> str:
    if (remainder.low or 0.0) > 0 or (remainder.high or 0.0) < 0:
        return "Something else changed between the steps, or they act on each other."
    return "Within what chance does: the chain closes."


def _untested(apart: bool, measured: bool) -> str:
    if not apart:
        return "Steps that share runs close nearly by themselves, so this shows little."
    if measured:
        return "A step was not tested, so whether the gap is chance cannot be told."
    return "First and last were recorded apart: drift between the recordings is in the gap. Record both interleaved to tell."
