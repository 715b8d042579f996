"""Two arms of a ramp or a knob in words: at equal load, a unit, in capacity, and where they cross."""

from __future__ import annotations

import math
from collections.abc import Sequence

from vigilant.core.vary import Capacity, Crossings, Interval, TwoRamps

from .change import number, percent
from .ramp import FIGURES, capacity_words, load


def capacities_sentence(
    names: Sequence[str], found: Sequence[Capacity], ratio: Interval | None, figure: str, unit: str
) -> str:
    """What the budget carries in each arm, and the ratio of the two."""
    first, second = (capacity_words(one, unit) for one in found)
    said = f"By {FIGURES[figure]} {names[0]} carries {first}, {names[1]} {second}"
    return f"{said}." if ratio is None else f"{said}: {ratio_words(ratio)}."


def ratio_words(ratio: Interval) -> str:
    """ "5.1 % more (3.5 to 6.9)", "cannot be told apart (-1.2 % to +0.4 %)"."""
    low, high = (None if end is None else math.expm1(end) for end in (ratio.low, ratio.high))
    if low is None or high is None:
        ends = (
            f"at least {percent(low)}"
            if low is not None
            else f"at most {percent(high)}"
            if high is not None
            else "without an interval"
        )
        return f"{percent(math.expm1(ratio.value))}, {ends}"
    if low <= 0 <= high:
        return f"the two cannot be told apart ({percent(low)} to {percent(high)})"
    word = "more" if low > 0 else "fewer"
    near, far = sorted((abs(low), abs(high)))
    return (
        f"{number(100 * abs(math.expm1(ratio.value)), 1)} % {word} ({number(100 * near, 1)} to {number(100 * far, 1)})"
    )


def unit_sentence(ratio: Interval | None, at: float, unit: str) -> str:
    """What one costs in the second arm over what it costs in the first."""
    if ratio is None:
        return "What one more costs in either is not set against the other: there is no empty scene, or no load that both have."
    at_load = f"At {load(at)} {unit}, less the empty scene, each costs"
    if ratio.low is None or ratio.high is None:
        return f"{at_load} {percent(ratio.value - 1.0)}, without an interval."
    low, high = ratio.low - 1.0, ratio.high - 1.0
    if low <= 0 <= high:
        return f"{at_load} what cannot be told from the same ({percent(low)} to {percent(high)})."
    near, far = sorted((abs(low), abs(high)))
    word = "more" if low > 0 else "less"
    return f"{at_load} {number(100 * abs(ratio.value - 1.0), 1)} % {word} ({number(100 * near, 1)} to {number(100 * far, 1)})."


def apart_sentence(found: TwoRamps) -> str:
    if not found.apart:
        return ""
    at = ", ".join(load(float(found.before.loads[i])) for i in found.apart)
    return f"At {at} the two arms had loads more than 1 % apart: no difference is tested there."


def crossing_sentence(found: Crossings | None, names: Sequence[str], setting: str, values: Sequence[float]) -> str:
    """Where the second arm stops being the dearer one, or the cheaper one."""
    if found is None:
        return "Two runs of every value in both arms are the least to tell where they cross."
    if found.proven:
        sides = [s for s in found.sign if s]
        said = [f"{load(c.value)} ({load(c.low)} to {load(c.high)})" for c in found.proven]
        first, second = ("dearer", "cheaper") if sides[0] > 0 else ("cheaper", "dearer")
        if len(said) == 1:
            return f"{names[1]} is {first} than {names[0]} below {setting} {said[0]}, and {second} above."
        return f"{names[1]} and {names[0]} cross at {setting} {', '.join(said)}; lowest, {names[1]} is {first}."
    if all(found.sign) and len(set(found.sign)) == 1:
        word = "dearer" if found.sign[0] > 0 else "cheaper"
        return f"No crossing at the values run: {names[1]} is {word} than {names[0]} at every one of them."
    if found.could is not None:
        low, high = found.could
        if low <= values[0] and high >= values[-1]:
            return f"No crossing is shown; {names[0]} and {names[1]} could cross anywhere from {load(low)} to {load(high)}."
        return f"No crossing is shown; they could cross between {setting} {load(low)} and {load(high)}."
    return "No crossing is shown."
