"""Whether a chain of steps closes, in words."""

from __future__ import annotations

from vigilant.core import Closing, FigureResult

from .change import number, percent


def factor(result: FigureResult) -> str:
    """A step as a factor on a time: "0.842 (-15.8 % time)"."""
    return "" if result.ratio is None else _written(result.ratio)


def _written(ratio: float) -> str:
    return f"{number(ratio, 3)} ({percent(ratio - 1.0)} time)"


def closing_sentence(closing: Closing, apart: bool, measured: bool) -> str:
    """What the steps make together, what the way from first to last makes, and what the gap may mean.

    ``apart``: no run is in two of them; ``measured``: the total was recorded on its own.
    """
    word = percent(closing.missed)
    text = (
        f"The steps together make {_written(closing.product)}, from first to last it is {_written(closing.total)}: the"
        f" product misses it by {word}"
    )
    if closing.low is not None and closing.high is not None:
        text += f" (95 % interval {percent(closing.low)} to {percent(closing.high)})"
        if closing.low > 0 or closing.high < 0:
            return f"{text}. Something else changed between the steps, or they act on each other."
        return f"{text}. That is within what chance does: the chain closes."
    if not apart:
        return f"{text}. Steps that share runs close nearly by themselves, so this shows little."
    if measured:
        return f"{text}. A step was not tested, so whether that is chance cannot be told."
    return (
        f"{text}. First and last were recorded apart, so drift between the recordings is in it; record both"
        " interleaved to tell."
    )
