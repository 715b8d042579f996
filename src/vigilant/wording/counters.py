"""Counters beside time, in words: facts as facts, and no more than the runs show."""

from __future__ import annotations

from collections.abc import Sequence

from vigilant.core.work.counter_limits import Drawn, Limited, StepRow
from vigilant.core.work.counters import Active, Flat, Slope, States, Zero

from .change import decimals_for, number
from .lanes import share_percent


def states_sentence(found: States) -> str:
    """ "" where every value is fresh."""
    if found.fresh == 1.0:
        return ""
    parts = [
        f"{share_percent(share)} % {name}"
        for share, name in (
            (found.stale, "not refreshed"),
            (found.missing, "missing"),
            (found.below, "below the resolution"),
        )
        if share > 0
    ]
    said = (
        f"{share_percent(found.fresh)} % fresh, {', '.join(parts)}; {found.age_frames:,} frames at most without a value"
    )
    return f"{said}; sampled every {found.every_frames} frames" if found.every_frames else said


def zero_sentence(zero: Zero, constant: Zero, after_s: float) -> str:
    """None in so many frames; or constant; or the first that is not."""
    when = f" after {number(after_s, 1)} s" if after_s else ""
    if not zero.known:
        return f"no value{when}"
    left = f"; not told in {zero.not_told:,}" if zero.not_told else ""
    small = f"; below the resolution in {zero.below:,}" if zero.below else ""
    if zero.holds:
        most = zero.most_a_minute
        bound = f": under {number(most, 2)} a minute at 95 %, if they come by chance" if most else ""
        return f"none{when} in {zero.known:,} frames, {number(zero.minutes, 1)} minutes{bound}{left}{small}"
    if constant.holds:
        return f"constant{when} in {constant.known:,} frames{left}{small}"
    return f"not zero{when} in {zero.frames:,} of {zero.known:,} frames{left}{small}"


def flat_sentence(flat: Flat) -> str:
    if flat.call == "too-few-collections":
        return f"falls back {number(flat.collections, 1)} times a run: too few to tell whether what is left rises; record longer"
    teeth = (
        f", by what is left after each of {number(flat.collections, 0)} collections a run" if flat.collections else ""
    )
    if flat.half is None or flat.slope is None:
        return f"cannot be told from one run{teeth}"
    digits = decimals_for(flat.half, 3)
    size = f"{number(flat.slope, digits)} a minute (± {number(flat.half, digits)})"
    if flat.call == "cannot be told":
        return f"cannot be told: {size}{teeth}; {number(flat.least or 0.0, digits)} a minute would have shown"
    return f"{flat.call}: {size}{teeth}"


def active_sentence(found: Active) -> str:
    over = (
        ""
        if found.over_ms is None
        else f"; the mean frame then is {number(abs(found.over_ms), 2)} ms {'longer' if found.over_ms > 0 else 'shorter'} than the others of its leg"
    )
    return f"active in {share_percent(found.share)} % of frames, {number(found.changes_a_minute, 1)} changes a minute, {number(found.longest_s, 2)} s at longest{over}"


#: Of a counter of steps: a long frame holds more of them by itself.
STEPS = "counts steps: they grow with the frame's own length"


def steps_sentence(rows: Sequence[StepRow]) -> str:
    """ "" where the counter does not count steps."""
    return (
        ""
        if not rows
        else "a frame holds "
        + ", ".join(f"{row.steps} in {share_percent(row.share)} % ({number(row.mean_ms, 2)} ms)" for row in rows)
    )


def limit_sentence(found: Limited | None, most: float) -> str:
    if found is None:
        return "no frame tells it"
    if not found.frames:
        return f"held: {_count(found.largest)} at most, {_count(most - found.largest)} left"
    interval = (
        ""
        if found.low is None or found.high is None
        else f" ({share_percent(found.low)} to {share_percent(found.high)})"
    )
    return f"over in {share_percent(found.share)} %{interval} of frames, by {_count(found.largest - most)} at most"


def drawn_sentence(found: Drawn | None, check: str) -> str:
    """What is drawn at a fixed view against what is expected, and what finding it out costs."""
    if found is None:
        return "no frame tells it"
    half = "" if found.half is None else f" (± {_count(found.half)})"
    said = f"{_count(found.mean)}{half} for {_count(found.expected)} expected"
    if found.call == "more":
        said += f": {_count(found.over)} too many" + (
            f", {number(100 * found.over / found.expected, 0)} %" if found.expected else ""
        )
    elif found.call == "less":
        said += f": {_count(-found.over)} fewer"
    else:
        said += f": {found.call}"
    if found.cost_ms is not None:
        cost = "" if found.cost_half_ms is None else f" (± {number(found.cost_half_ms, 3)})"
        said += f"; {check} itself takes {number(found.cost_ms, 3)} ms{cost} a frame there"
    return said


def _count(value: float) -> str:
    return number(value, 0 if abs(value) >= 100 or value == round(value) else 1)


def _slope(found: Slope) -> str:
    if found.ms is None:
        return ""
    if found.half is None:
        return f"{number(found.ms, 4)} ms a unit"
    digits = decimals_for(found.half, 6)
    return f"{number(found.ms, digits)} ms a unit (± {number(found.half, digits)})"


def along_sentence(found: Slope) -> str:
    """Never called significant: the course is common to all runs."""
    return f"{_slope(found)}: same place, not same cause" if found.ms is not None else ""


def place_sentence(found: Slope) -> str:
    """What differs between runs at one place; the only one of the two that is."""
    if found.refused == "no-variation":
        return "runs hardly differ in it: vary it on purpose"
    if found.refused or found.ms is None or found.half is None:
        return "needs three runs"
    shown = abs(found.ms) > found.half
    return f"{_slope(found)}{'' if shown else ', not shown'}"
