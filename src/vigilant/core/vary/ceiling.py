"""What a budget carries where something other than time ends the ramp: runs that fail above a load, and a refresh cap.

Formulas: docs/statistics.md, *Ceilings that are no time* and *Held levels*.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from vigilant.core.errors import InvalidComparison

from .ramp import Capacity


@dataclass(frozen=True)
class LevelTries:
    """How often a level was tried, and how often it failed, with the reason that most of them had."""

    load: float
    attempts: int
    failures: int
    reason: str = ""


@dataclass(frozen=True)
class Ceiling:
    """Below ``load``, where runs fail for this ``reason``; ``at_least`` is the highest load without a failure (None where there is
    none), whose failure rate may still be up to ``rate`` (95 %)."""

    load: float
    reason: str
    failures: int
    attempts: int
    at_least: float | None
    rate: float | None


def failure_rate(attempts: int) -> float:
    """The highest rate of failures (0..1) that so many attempts without one leave at 95 %: 1 - 0.05^(1/k)."""
    if attempts < 1:
        raise InvalidComparison(f"a rate needs an attempt, got {attempts}")
    return 1.0 - float(0.05 ** (1.0 / attempts))


def ceiling(levels: Sequence[LevelTries]) -> Ceiling | None:
    """The lowest load at which a run failed; None where none did."""
    failing = [one for one in levels if one.failures]
    if not failing:
        return None
    lowest = min(failing, key=lambda one: one.load)
    below = [one for one in levels if one.load < lowest.load and one.attempts]
    highest = max(below, key=lambda one: one.load, default=None)
    return Ceiling(
        lowest.load,
        lowest.reason,
        lowest.failures,
        lowest.attempts,
        None if highest is None else highest.load,
        None if highest is None else failure_rate(highest.attempts),
    )


def under(found: Capacity, above: Ceiling | None) -> Capacity:
    """A capacity by time, read below a ceiling: one that is not met below it is *at least* the highest load without a failure."""
    if above is None or (found.value is not None and found.value < above.load):
        return found
    return Capacity(None, above.at_least, None, None)


@dataclass(frozen=True)
class HeldLevel:
    """A level whose frames a refresh cap holds, and its share of late frames (0..1)."""

    load: float
    late_share: float


def past_held(
    found: Capacity | None, free: Sequence[float], held: Sequence[HeldLevel], late_at_most: float
) -> Capacity:
    """What held levels add: of such a level it is known only that its frame fits the cap. Without a free level above it the budget
    carries *at least* the highest held load that keeps the late share; where the next free level is over the budget, the capacity
    lies between: an interval without a value. ``found`` is what the free levels say (None with fewer than two)."""
    fits = [one.load for one in held if one.late_share <= late_at_most]
    highest = max(fits, default=None)
    if highest is None:
        return found or Capacity(None, None, None, None)
    above = [load for load in free if load > highest]
    if not above:
        return Capacity(None, highest, None, None)
    if found is None or (found.value is None and found.high is not None):
        return Capacity(None, highest, min(above), None)
    return found
