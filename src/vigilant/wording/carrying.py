"""What is carried over to another rig, in words: always as an extrapolation."""

from __future__ import annotations

from vigilant.core.carrying import Factor, RigDrift
from vigilant.core.vary import Capacity

from .change import number
from .ramp import capacity_words


def carrying_words(found: Factor, here: str) -> str:
    """ "the calibration load takes 1.70 times as long as on the laptop (within 2.1 %)"."""
    by = " and ".join(found.by)
    takes = "takes" if len(found.by) == 1 else "take"
    size = (
        f"{number(found.ratio, 2)} times as long as on {here}"
        if found.ratio >= 1
        else f"{number(found.ratio, 2)} of the time on {here}"
    )
    within = max(found.high / found.ratio, found.ratio / found.low) - 1.0
    apart = ", and do not agree" if found.apart else ""
    return f"{by} {takes} {size} (within {number(100 * within, 1)} %{apart})"


def capacity_sentence(found: Capacity, factor: Factor, there: str, here: str, unit: str) -> str:
    said = carrying_words(factor, here)
    return (
        f"On {there} it would carry {capacity_words(found, unit)}, if all of its work scaled alike: {said}."
        " An extrapolation, never a proof: record it there."
    )


def rig_drift_words(found: RigDrift | None, timings: int) -> str:
    """ "slower: the calibration load takes 1.09 times as long as before (1.07 to 1.11), the newest 3 timings against 9"."""
    if found is None:
        return (
            f"timed {timings} {'time' if timings == 1 else 'times'}, too few to say more" if timings else "never timed"
        )
    span = f"{number(found.low, 2)} to {number(found.high, 2)}"
    against = f"the newest {found.recent} timings against {found.earlier}"
    if found.state == "steady":
        return f"steady: the calibration load takes as long as before ({span}), {against}"
    if found.state == "not told":
        return f"not told: the calibration load takes {number(found.ratio, 2)} times as long as before, anything from {span}; {against}"
    return f"{found.state}: the calibration load takes {number(found.ratio, 2)} times as long as before ({span}), {against}"
