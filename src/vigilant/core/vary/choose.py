"""Which levels of a ramp to record next, around the budget, and when there are enough.

Formulas and what it costs in coverage: docs/statistics.md, *Levels chosen one after the other*.
"""

from __future__ import annotations

import math
import random
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from vigilant.core.errors import InvalidComparison
from vigilant.core.series import FloatArray

from .ramp import Levels, capacity, pooled_capacity

#: Runs of each level to begin with, and runs before the interval is looked at.
FIRST_PASSES, FIRST_LOOK = 2, 16
BATCH = 4
#: Half of the interval, in per cent of the capacity, at which it is narrow enough; and the most runs, where nothing is said.
WISH_PCT, MOST_RUNS = 2.0, 40
#: Where the new levels lie on either side of the budget (ln): so much at least, or so many standard deviations of a run.
LEAST_REACH, REACH_S = 0.03, 3.0
WIDE = 2.5
#: An old level so near to a wanted one, as a share of the reach in ln time, takes its place.
NEAR = 1.0 / 3.0


@dataclass(frozen=True)
class Step:
    """What the runs so far say: half of the interval in per cent (None without one); whether it is enough; and the loads to record
    next, in the order in which they are recorded (none when it is enough, or nothing higher may be tried)."""

    half_pct: float | None
    enough: bool
    loads: tuple[float, ...]
    why: str = ""


def next_step(
    found: Levels, commanded: Sequence[float], budget_ms: float, rng: random.Random, most_load: float = math.inf,
    wish_pct: float = WISH_PCT, most_runs: int = MOST_RUNS,
) -> Step:  # fmt: skip
    """What to do after a batch. ``commanded`` (k,) are the loads that were asked for at each level of ``found``: new ones are
    asked for on that scale. Raises :class:`InvalidComparison` for commanded loads that are not one a level."""
    asked = np.asarray(commanded, dtype=np.float64)
    if asked.shape != found.loads.shape:
        raise InvalidComparison(f"one commanded load a level, got {asked.size} for {found.loads.size}")
    runs = int(found.fit.runs.sum())
    half = half_width_pct(found, budget_ms)
    if runs >= FIRST_LOOK and half is not None and half <= wish_pct:
        return Step(half, True, (), "narrow enough")
    left = most_runs - runs
    if left <= 0:
        return Step(half, True, (), "the runs are spent")
    target = math.log(budget_ms)
    if found.level[-1] < target:
        top = float(asked[-1])
        if top >= most_load:
            return Step(half, True, (), "the highest load that may be tried is within the budget")
        higher = min(2.0 * top if top > 0 else 1.0, most_load)
        return Step(half, False, (higher, higher)[:left])
    if found.level[0] > target:
        lowest = float(asked[0])
        if lowest <= 0:
            return Step(half, True, (), "nothing loaded is over the budget already")
        lower = whole(lowest / 2.0)
        return Step(half, False, (lower if lower < lowest else 0.0,) * min(2, left))
    wanted = _around(found, asked, target)
    batch = (wanted * BATCH)[: min(BATCH, left)]
    rng.shuffle(batch)
    return Step(half, False, tuple(batch))


def half_width_pct(found: Levels, budget_ms: float) -> float | None:
    """Half of the pooled interval of the capacity, in per cent of it; None where it has an open end, or no value."""
    carried = pooled_capacity(found, budget_ms)
    if carried.value is None or carried.low is None or carried.high is None:
        return None
    return 100.0 * (carried.high - carried.low) / 2.0 / carried.value


def _around(found: Levels, asked: FloatArray, target: float) -> list[float]:
    """Two loads: below and above the budget by the reach while the bracket is wide, then the ends of the bracket, the one with
    fewer runs first."""
    reach = max(LEAST_REACH, REACH_S * math.sqrt(found.fit.s2))
    carried = capacity(found, math.exp(target), bends=False)
    assert carried.bracket is not None
    low, high = carried.bracket
    if found.level[high] - found.level[low] <= WIDE * reach:
        ends = sorted((low, high), key=lambda level: int(found.fit.runs[level]))
        return [float(asked[level]) for level in ends]
    return [_wanted(found, asked, target + side, reach) for side in (-reach, reach)]


def _wanted(found: Levels, asked: FloatArray, target: float, reach: float) -> float:
    """The commanded load at which the fitted curve has this ln ms; an old level near it in time takes its place."""
    off = np.abs(found.level - target)
    if off.min() <= NEAR * reach:
        return float(asked[int(np.argmin(off))])
    j = int(np.clip(np.searchsorted(found.level, target) - 1, 0, found.loads.size - 2))
    a, b = np.exp(found.level[j : j + 2])
    u = float(np.clip((math.exp(target) - a) / (b - a), 0.0, 1.0)) if b > a else 0.5
    load = whole(float((1.0 - u) * asked[j] + u * asked[j + 1]))
    # Rounded to whole units it may be an old one.
    return load if asked[j] < load < asked[j + 1] else float(asked[j] if u < 0.5 else asked[j + 1])


def whole(load: float) -> float:
    """A load in whole units; under ten it keeps two digits."""
    return float(round(load)) if abs(load) >= 10.0 else float(f"{load:.2g}")
