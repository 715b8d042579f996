"""Ramps and knobs in words: what the budget carries, the sum on paper, what a unit costs, which value is best."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Mapping, Sequence

from vigilant.core.vary import Capacity, Contrast, Growth, Knob, KnobFigure, Levels, RampArm, Step, UnitCost
from vigilant.core.vary.cells import LEAST_DF

from . import switched
from .change import decimals_for, number

FIGURES = {**switched.FIGURES, "p99_ms": "one frame in a hundred late"}


def load(value: float | None) -> str:
    """A load, with as many digits as are worth saying."""
    return "" if value is None else number(value, 0 if abs(value) >= 100 or value == round(value) else 1)


def capacity_words(found: Capacity, unit: str) -> str:
    """ "1,170 boats (1,156 to 1,185)", "at least 1,600 boats"."""
    if found.value is None:
        if found.low is not None and found.high is not None:
            return f"between {load(found.low)} and {load(found.high)} {unit}"
        if found.low is not None:
            return f"at least {load(found.low)} {unit}"
        return f"less than {load(found.high)} {unit}" if found.high is not None else f"no {unit} that can be told"
    said = f"{load(found.value)} {unit}"
    if found.low is not None and found.high is not None:
        return f"{said} ({load(found.low)} to {load(found.high)})"
    if found.low is not None:
        return f"{said} (at least {load(found.low)})"
    return f"{said} (at most {load(found.high)})" if found.high is not None else said


def _ms(value: float, half: float | None = None, most: int = 3) -> str:
    return number(value, decimals_for(half, most) if half else 2)


def paper(levels: Levels, found: Capacity, cost: UnitCost | None, budget_ms: float, unit: str) -> str:
    """The sum that a person would do: budget, less the empty scene, over the cost of a unit there. "" where there is no sum."""
    if found.value is None or levels.loads[0] != 0 or cost is None or found.bracket is None:
        return ""
    empty = float(levels.ms[0])
    left = budget_ms - empty
    each = left / found.value
    digits = max(2, 3 - math.floor(math.log10(each)))
    return (
        f"{number(budget_ms, 2)} ms budget, less {number(empty, 2)} for nothing loaded, leaves {number(left, 2)};"
        f" at {number(each, digits)} ms each there, that is {load(found.value)} {unit}."
    )


def cost_rows(cost: UnitCost, levels: Levels, unit: str) -> list[str]:
    """Three readings, always with what was subtracted."""
    said = []
    if cost.net is None:
        said.append(f"Not net of an empty scene: no level without {unit} was recorded.")
    else:
        said.append(
            f"At {load(float(levels.loads[cost.net_level]))} {unit}, less the empty scene: {each_words(cost.net)} ms each."
        )
    j = cost.slope_level
    between = f"{load(float(levels.loads[j]))} and {load(float(levels.loads[j + 1]))}"
    said.append(f"From one to the next between {between}: {each_words(cost.slope)} ms each.")
    if cost.lack_of_fit is not None and cost.lack_of_fit < 0.05:
        said.append("A straight line does not fit: no single cost a unit holds over the whole ramp.")
    elif cost.line_se is not None:
        half = 2 * cost.line_se
        said.append(
            f"By a straight line over all levels: {number(cost.line_ms, _digits(half))} ms each on top of {number(cost.fixed_ms, 2)} ms."
        )
    return said


def _digits(half: float) -> int:
    return max(0, 1 - math.floor(math.log10(half))) if half > 0 else 4


def each_words(found: Contrast) -> str:
    if found.low is None or found.high is None:
        return number(found.value, 4)
    digits = _digits((found.high - found.low) / 2)
    return f"{number(found.value, digits)} ({number(found.low, digits)} to {number(found.high, digits)})"


def growth_sentence(found: Growth | None) -> str:
    if found is None:
        return "How the time grows is not told: it takes five levels, four to one apart, and runs to test."
    said = f"Time grows with the load to the power {number(found.exponent, 2)} ({number(found.low, 2)} to {number(found.high, 2)})"
    calls = {
        "worse than linear": "it scales worse than linearly",
        "better than linear": "it scales better than linearly",
        "cannot be told from linear": "it cannot be told from linear",
    }
    over = " over this range" if found.lack_of_fit is not None and found.lack_of_fit < 0.05 else ""
    return f"{said}{over}: {calls[found.call]}."


def ramp_sentence(arm: RampArm, figure: str, unit: str) -> str:
    if arm.levels is not None and not arm.levels.fit.tested:
        return f"Too few runs to test anything: {LEAST_DF} degrees of freedom are the least. Record more passes."
    failing = (
        "" if arm.ceiling is None or arm.capacity.value is not None else f", where runs fail ({arm.ceiling.reason})"
    )
    return f"By {FIGURES[figure]} the budget carries {capacity_words(arm.capacity, unit)}{failing}."


def step_sentence(step: Step, runs: int) -> str:
    """What a ramp that chooses its levels does after so many runs."""
    width = "its interval is open" if step.half_pct is None else f"half of the interval {number(step.half_pct, 1)} %"
    if step.enough:
        return f"After {runs} runs: {width}; {step.why}."
    counts = Counter(step.loads)
    times = {1: "once", 2: "twice"}
    listed = [f"{load(one)} {times.get(n, f'{n} times')}" for one, n in sorted(counts.items())]
    return f"After {runs} runs: {width}; next {' and '.join(listed)}."


def knob_sentence(found: Knob, name: str) -> str:
    """What mean and tail say together; the smallest alone is never called best."""

    def said(numbers: Sequence[int]) -> str:
        named = [f"{found.values[i]:g}" for i in numbers]
        return named[0] if len(named) == 1 else f"{', '.join(named[:-1])} or {named[-1]}"

    name = f"{name[:1].upper()}{name[1:]}"
    if found.call == "cannot be told":
        return "Two runs of every value are the least to tell them apart. Record more passes."
    if all(not f.matters for f in found.figures):
        return f"{name} does not matter: no value is shown to differ by 2 % from another."
    if found.call == "best":
        beyond = " It is at the end of what was run: the best may lie outside." if found.at_end else ""
        return f"{name} is best at {said(found.chosen)}, by mean and by the slowest 1 %.{beyond}"
    if found.call == "one of":
        return f"{name} at {said(found.chosen)}: no matter which, none of them is shown to be worse than another."
    best = [f"{said([i for i, inside in enumerate(f.inside) if inside])} by {FIGURES[f.figure]}" for f in found.figures]
    return f"A trade: no value of {name[:1].lower()}{name[1:]} is best for both. Best is {' and '.join(best)}."


def flat_words(found: KnobFigure) -> str:
    return "" if found.flat is None else f"flat within {number(100 * math.expm1(found.flat), 1)} %"


def lost_words(found: KnobFigure, i: int) -> str:
    """What is lost at most by choosing this value."""
    lost = found.lost[i]
    return "" if lost is None else "nothing" if lost <= 0 else f"{number(100 * math.expm1(lost), 1)} %"


WITHHELD: Mapping[str, str] = {
    "few frames": "No capacity is told: of one frame in a hundred fewer than ten lie beyond in a run. Record longer runs.",
    "at edge": "No capacity is told: one frame in a hundred lies between the body of the frames and their pauses, so that a run falls on"
    " one side or the other. Record longer runs, or read the slowest 1 %.",
}
_SAID: Mapping[str, str] = {
    "load-not-seen": "The load is as it was asked for; no counter says what there really was.",
    "load-differs": "What was there differs from what was asked for by over 1 % at {at}: levels stand where they really were.",
    "load-saturates": "At {at} there was no more load than the level before: they are one level.",
    "load-leaves": "At {at} some of the load left while the run went on: the last fifth of the frames has over 2 % less than the first.",
    "load-settles": "At {at} the frames change over a run although the load stays: units settle or sleep, or the machine heats.",
    "load-reordered": "Some level asked for as more was less: levels stand in the order of what was there.",
}


def ramp_notes(arm: RampArm) -> list[str]:
    """What is to be known before the capacity is believed."""
    said = [WITHHELD[arm.withheld]] if arm.withheld else []
    said += [_SAID[code].format(at=_listed(at)) for code, at in (arm.placed.said if arm.placed else ())]
    if arm.capacity.coarse and arm.capacity.value is not None:
        said.append(
            f"The levels around it are far apart: a bend between them could move it. Record a level at {load(arm.capacity.value)}."
        )
    if arm.levels is not None:
        said += [
            f"At {load(float(arm.levels.loads[i]))} something else changed: the time there lies apart from its neighbours."
            for i in arm.levels.not_monotone
        ]
    if arm.held:
        said.append(
            f"At {_listed(arm.held)} a refresh cap holds the frames: all that is known there is that they fit it."
        )
    if (above := arm.ceiling) is not None:
        said.append(
            f"At {load(above.load)} {above.failures} of {above.attempts} runs failed ({above.reason}): a ceiling that is no time."
        )
        if above.at_least is not None and above.rate is not None:
            said.append(
                f"At {load(above.at_least)} none did; so few attempts leave a rate of failures of up to {number(100 * above.rate, 0)} %."
            )
    if arm.levels is not None and arm.levels.fit.df < 8:
        said.append("With fewer than 8 degrees of freedom a capacity is not certified: record more passes.")
    return said


def _listed(values: Sequence[float]) -> str:
    named = [load(v) for v in values]
    return named[0] if len(named) == 1 else f"{', '.join(named[:-1])} and {named[-1]}" if named else "every level"
