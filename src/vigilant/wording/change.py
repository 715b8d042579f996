"""Every change is written here: quantity, base and direction, digits that follow the interval."""

from __future__ import annotations

import math
from dataclasses import dataclass

from vigilant.core import FigureResult

_MOST_DECIMALS = 4


def decimals_for(width: float | None, most: int = _MOST_DECIMALS) -> int:
    """Decimals an interval of this half width deserves: two digits of it where it begins with 1 or 2,
    else one; 2 without an interval."""
    if width is None or not math.isfinite(width) or width <= 0:
        return 2
    place = math.floor(math.log10(width))
    leading = round(width / 10.0**place, 9)  # 0.3 begins with 3, whatever a float makes of it
    return max(0, min(most, (1 if leading < 3 else 0) - place))


def number(value: float, decimals: int) -> str:
    """A number with thousands separated, never "-0"."""
    text = f"{value:,.{decimals}f}"
    return text[1:] if text.startswith("-") and not any(c in "123456789" for c in text) else text


def percent(share: float) -> str:
    """A signed percentage with digits by its size: +11.6 %, -0.42 %."""
    size = abs(share) * 100
    decimals = 0 if size >= 100 else 1 if size >= 1 else 2
    text = number(abs(share) * 100, decimals)
    sign = "" if not any(c in "123456789" for c in text) else "+" if share > 0 else "-"
    return f"{sign}{text} %"


def _shown(unit: str, value: float) -> float:
    return value * 100.0 if unit == "share" else value


def _unit(unit: str, of_difference: bool) -> str:
    return {"ms": " ms", "fps": " fps", "share": " points" if of_difference else " %", "per_min": " a minute"}.get(
        unit, ""
    )


@dataclass(frozen=True)
class Amount:
    """A figure's numbers ready to print, all with the same decimals: ``before``, ``after``, the
    size of the ``difference`` and whether it is ``saved`` or ``spent`` ("" where it is neither). ``interval`` is
    written in the direction of its column ("0.20 to 0.60" beside 0.40 saved), and names its sides where it holds
    zero; ``of`` is the unit of the difference. ``margin`` is the change upwards that still counts as none, from the
    level before."""

    before: str
    after: str
    difference: str
    column: str
    decimals: int
    low: str | None
    high: str | None
    interval: str
    of: str
    margin: str = ""


def half_width(result: FigureResult) -> float | None:
    """Half the interval's width in the figure's unit."""
    if result.ci_low is None or result.ci_high is None:
        return None
    return (result.ci_high - result.ci_low) / 2.0


def _decimals(result: FigureResult) -> int:
    width = half_width(result)
    return decimals_for(None if width is None else _shown(result.unit, width), 3 if result.unit == "ms" else 2)


def _directed(result: FigureResult, decimals: int) -> str:
    """An interval as its column has it: sizes on one side, or how far it reaches to either."""
    if result.ci_low is None or result.ci_high is None:
        return ""
    worse = [
        _shown(result.unit, end) * (-1 if result.higher_is_better else 1) for end in (result.ci_low, result.ci_high)
    ]
    low, high = min(worse), max(worse)
    if low >= 0 or high <= 0:
        near, far = sorted((abs(low), abs(high)))
        return f"{number(near, decimals)} to {number(far, decimals)}"
    gain, loss = ("saved", "spent") if result.unit == "ms" else ("better", "worse")
    return f"{number(-low, decimals)} {gain} to {number(high, decimals)} {loss}"


def amount(result: FigureResult, decimals: int | None = None) -> Amount:
    """The numbers of one row; a gain is positive in the saved column, a loss in the spent one. ``decimals`` where a
    column has a number of its own."""
    decimals = _decimals(result) if decimals is None else decimals
    difference = number(abs(_shown(result.unit, result.difference)), decimals)
    zero = not any(c in "123456789" for c in difference)
    better = (result.difference > 0) == result.higher_is_better
    return Amount(
        before=number(_shown(result.unit, result.before), decimals),
        after=number(_shown(result.unit, result.after), decimals),
        difference=difference,
        column="" if zero else "saved" if better else "spent",
        decimals=decimals,
        low=None if result.ci_low is None else number(_shown(result.unit, result.ci_low), decimals),
        high=None if result.ci_high is None else number(_shown(result.unit, result.ci_high), decimals),
        interval=_directed(result, decimals),
        of=_unit(result.unit, of_difference=True).strip(),
        margin=number(margin, max(decimals, decimals_for(margin, 2)))
        if (margin := _shown(result.unit, result.margin_high)) > 0
        else "",
    )


def interval_words(result: FigureResult, confidence: float = 0.95) -> str:
    """The interval in words: sizes where it lies on one side, directions where it crosses zero."""
    if result.ci_low is None or result.ci_high is None:
        return "no interval"
    decimals = _decimals(result)
    low, high = _shown(result.unit, result.ci_low), _shown(result.unit, result.ci_high)
    head = f"{confidence * 100:.0f} % interval"
    if low >= 0 or high <= 0:
        near, far = sorted((abs(low), abs(high)))
        return f"{head} {number(near, decimals)} to {number(far, decimals)}"
    return f"{head} {number(-low, decimals)} less to {number(high, decimals)} more"


def mean_change(before_ms: float, after_ms: float, decimals: int = 2, target_fps: float | None = None) -> str:
    """A change of the mean frame: "1.84 ms less a frame (-14.2 % time, +16.6 % rate; 11 % of the budget)".

    Percentages are of the before arm; reciprocals come from the unrounded values.
    """
    difference = after_ms - before_ms
    size = number(abs(difference), decimals)
    if not any(c in "123456789" for c in size):
        return f"{size} ms a frame of difference"
    word = "less" if difference < 0 else "more"
    parts = f"{percent(after_ms / before_ms - 1.0)} time, {percent(before_ms / after_ms - 1.0)} rate"
    if target_fps is not None:
        share = abs(difference) * target_fps / 10.0
        parts += f"; {number(share, 0 if share >= 2 else 1)} % of the budget"
    return f"{size} ms {word} a frame ({parts})"


def rate_step(level_ms: float, more_fps: float) -> str:
    """A step of the rate and the time it comes to, at a level: both are shown, since a step of the rate is another
    step of the time at every level."""
    rate = 1000.0 / level_ms
    after_ms = 1000.0 / (rate + more_fps)
    decimals = decimals_for((level_ms - after_ms) / 2.0, 3)
    return (
        f"{number(more_fps, 1)} frames a second more, from {number(rate, 1)}, is {number(level_ms - after_ms, decimals)} ms"
        f" less a frame, from {number(level_ms, decimals)} ({percent(after_ms / level_ms - 1.0)} time)"
    )


def figure_change(result: FigureResult, target_fps: float | None = None) -> str:
    """The change of any figure with its interval; base and direction stated."""
    row = amount(result)
    if result.name == "mean_ms":
        text = mean_change(result.before, result.after, row.decimals, target_fps)
        return f"{text}, {interval_words(result)}"
    word = "less" if result.difference < 0 else "more"
    if not row.column:
        word = "of difference"
    relative = ""
    if result.unit in ("ms", "fps", "stated") and result.ratio is not None and row.column:
        of = {"ms": " time", "fps": " rate"}.get(result.unit, "")
        relative = f"{percent(result.ratio - 1.0)}{of}, "
    unit = _unit(result.unit, of_difference=True)
    levels = f"from {row.before} to {row.after}{_unit(result.unit, of_difference=False)}"
    return f"{row.difference}{unit} {word} ({relative}{levels}), {interval_words(result)}"
