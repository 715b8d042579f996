"""A recorded ramp as a whole: which of its levels count, where they stand, what they carry; and how its levels were chosen."""

from __future__ import annotations

import math
import random
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from scipy.special import stdtrit

from vigilant.core.edges import at_edge
from vigilant.core.series import FloatArray
from vigilant.core.timer import timer_step_ms

from .ceiling import Ceiling, HeldLevel, LevelTries, ceiling, past_held, under
from .choose import MOST_RUNS, WISH_PCT, Step, next_step
from .loads import Placed, RunLoad, moved, placed
from .ramp import FEWEST, ArmRuns, Capacity, Levels, arms_levels, capacity, segment_variance
from .two_arms import TwoRamps, against

#: Frames that must lie beyond a quantile in every run of the bracket, and the share that lies beyond, of figures that are quantiles.
LEAST_BEYOND = 10.0
BEYOND = {"p99_ms": 0.01}
#: The share of late frames that a held level may have, for a ramp that is read by late frames.
LATE_AT_MOST = 0.01


Withheld = Literal["", "few frames", "at edge"]


@dataclass(frozen=True)
class LevelRuns:
    """What was recorded at one level: the load asked for, one value a complete run of each figure, ms, their slots, what each shows of its
    load; ``attempts`` and ``failures`` with the reason most of them had; whether a refresh cap holds it, and its late share."""

    value: float
    figures: Mapping[str, Sequence[float]]
    slots: Sequence[int]
    loads: Sequence[RunLoad]
    attempts: int
    failures: int = 0
    reason: str = ""
    held: bool = False
    late_share: float = 0.0
    #: Of its shortest run.
    frames: int = 0
    #: Figures that are quantiles, and lie between the body of the frames and their pauses.
    at_edge: tuple[str, ...] = ()


@dataclass(frozen=True, eq=False)
class RampArm:
    """One arm, read by one figure. ``levels`` is None with fewer than two that count; ``asked`` (k,) what was asked for at each."""

    capacity: Capacity
    levels: Levels | None
    asked: tuple[float, ...]
    placed: Placed | None
    ceiling: Ceiling | None
    held: tuple[float, ...]
    #: Why no capacity is said of the quantile that it is read by; "" where one is, or none is wanted.
    withheld: Withheld = ""


def ramp_arms(
    arms: Sequence[Sequence[LevelRuns]], figure: str, slots: int, budget_ms: float, alpha: float = 0.05
) -> tuple[list[RampArm], TwoRamps | None]:
    """Read arms by a figure, each capacity at level ``alpha``; of two, what they differ by as well (None where either has fewer than two
    levels that count). Raises :class:`InvalidComparison`."""
    counting = [_counting(levels) for levels in arms]
    places = [_placed(levels, figure) if len(levels) >= FEWEST else None for levels in counting]
    placed_arms = [place.arm for place in places if place is not None and len(place.arm.loads) >= FEWEST]
    fitted = iter(arms_levels(placed_arms, slots) if placed_arms else [])
    fits: list[Levels | None] = [
        next(fitted) if place is not None and len(place.arm.loads) >= FEWEST else None for place in places
    ]
    again = [_moved(fit, place, levels) for fit, place, levels in zip(fits, places, counting, strict=True)]
    if any(arm is not None for arm in again):
        used = [
            arm or place.arm
            for arm, place, fit in zip(again, places, fits, strict=True)
            if fit is not None and place is not None
        ]
        refitted = iter(arms_levels(used, slots))
        fits = [None if fit is None else next(refitted) for fit in fits]
    found = [
        _arm(levels, fit, place, budget_ms, figure, alpha)
        for levels, fit, place in zip(arms, fits, places, strict=True)
    ]
    two = None
    if len(arms) == 2 and fits[0] is not None and fits[1] is not None:
        two = against(fits[0], fits[1])
    return found, two


def _counting(levels: Sequence[LevelRuns]) -> list[LevelRuns]:
    """Those of the curve: free of a cap, complete, and below the first at which a run failed; by the load asked for."""
    above = _ceiling(levels)
    limit = math.inf if above is None else above.load
    return sorted((o for o in levels if o.slots and not o.held and o.value < limit), key=lambda o: o.value)


def _ceiling(levels: Sequence[LevelRuns]) -> Ceiling | None:
    return ceiling([LevelTries(one.value, one.attempts, one.failures, one.reason) for one in levels])


def _placed(levels: Sequence[LevelRuns], figure: str) -> Placed:
    asked = [one.value for one in levels]
    given = ArmRuns(asked, [one.figures[figure] for one in levels], [one.slots for one in levels])
    return placed(asked, given, [one.loads for one in levels])


def _moved(fit: Levels | None, place: Placed | None, levels: Sequence[LevelRuns]) -> ArmRuns | None:
    """The arm with runs moved to their level's mean load, where loads spread within one."""
    if fit is None or place is None or not place.observed:
        return None
    own = [[r.mean or 0.0 for i in members for r in levels[i].loads] for members in place.members]
    return moved(fit, place.arm, own)


def _arm(
    levels: Sequence[LevelRuns], fit: Levels | None, place: Placed | None, budget_ms: float, figure: str, alpha: float
) -> RampArm:
    above = _ceiling(levels)
    held = [HeldLevel(one.value, one.late_share) for one in levels if one.held]
    by_time = None if fit is None else capacity(fit, budget_ms, alpha=alpha)
    free = [] if fit is None else fit.loads.tolist()
    carried = past_held(by_time, free, held, LATE_AT_MOST) if held else by_time or Capacity(None, None, None, None)
    asked: tuple[float, ...] = ()
    if fit is not None and place is not None:
        counting = _counting(levels)
        asked = tuple(max(counting[i].value for i in members) for members in place.members)
    held_back: Withheld = ""
    if place is not None and by_time is not None:
        bracket = [_counting(levels)[i] for level in by_time.bracket or () for i in place.members[level]]
        held_back = _withheld(bracket, figure)
    told = Capacity(None, None, None, None) if held_back else under(carried, above)
    return RampArm(told, fit, asked, place, above, tuple(one.load for one in held), held_back)


def _withheld(bracket: Sequence[LevelRuns], figure: str) -> Withheld:
    """Whether too few frames lie beyond the quantile in a level of the bracket, or it lies at an edge there."""
    beyond = BEYOND.get(figure, 0.0)
    if beyond > 0 and any(one.frames * beyond < LEAST_BEYOND for one in bracket):
        return "few frames"
    return "at edge" if any(figure in one.at_edge for one in bracket) else ""


def edges_of(runs: Sequence[FloatArray]) -> tuple[str, ...]:
    """The figures of a level that are quantiles at an edge, by the frames that count of its runs, (n,) ms each."""
    if not runs or not all(frames.size for frames in runs):
        return ()
    step_ms = float(np.median([timer_step_ms(frames, np.sort(frames)) for frames in runs]))
    return tuple(figure for figure, beyond in BEYOND.items() if at_edge(runs, 1.0 - beyond, step_ms))


def chosen_next(
    levels: Sequence[LevelRuns], figure: str, slots: int, budget_ms: float, seed: int,
    wish_pct: float = WISH_PCT, most_runs: int = MOST_RUNS, most_load: float = math.inf,
) -> Step:  # fmt: skip
    """What a ramp that chooses its levels does after the runs so far; the order of a batch is drawn from ``seed`` and the slots."""
    (arm,), _ = ramp_arms([levels], figure, slots, budget_ms)
    attempts = sum(one.attempts for one in levels)
    if arm.levels is None:
        return Step(None, True, (), "fewer than two levels have a complete run that counts")
    if attempts >= most_runs:
        return Step(None, True, (), "the runs are spent")
    top = arm.asked[-1]
    limited = top if arm.ceiling is not None else most_load
    rng = random.Random(f"{seed} {slots}")
    step = next_step(arm.levels, arm.asked, budget_ms, rng, limited, wish_pct, most_runs - attempts + _runs(arm.levels))
    if step.enough and arm.ceiling is not None and not step.loads and arm.capacity.value is None:
        return Step(step.half_pct, True, (), f"runs fail at {arm.ceiling.load:g}")
    return step


def to_confirm(arm: RampArm) -> tuple[float, ...]:
    """The loads of fresh passes that confirm a capacity: the ends of its bracket and one level on each side, as they were asked for. None
    where there is no capacity."""
    if arm.levels is None or arm.capacity.bracket is None or arm.capacity.value is None:
        return ()
    low, high = arm.capacity.bracket
    return arm.asked[max(0, low - 1) : high + 2]


def _runs(levels: Levels) -> int:
    return int(levels.fit.runs.sum())


def band(found: Levels, steps: int = 8) -> list[tuple[float, float, float, float]]:
    """The curve with its 95 % band, ms, at so many places a segment: load, fitted, low, high. Empty where nothing is tested."""
    if not found.fit.tested:
        return []
    drawn: list[tuple[float, float, float, float]] = []
    for j in range(found.loads.size - 1):
        s2, df = segment_variance(found, j)
        if df <= 0:
            continue
        t = float(stdtrit(df, 0.975))
        shape = found.fit.shape[j : j + 2, j : j + 2]
        a, b = np.exp(found.level[j : j + 2])
        for u in np.linspace(0.0, 1.0, steps + 1)[0 if not drawn else 1 :]:
            ms = float((1.0 - u) * a + u * b)
            w = np.array([(1.0 - u) * a, u * b]) / ms
            half = t * math.sqrt(s2 * float(w @ shape @ w))
            load = float((1.0 - u) * found.loads[j] + u * found.loads[j + 1])
            drawn.append((load, ms, ms * math.exp(-half), ms * math.exp(half)))
    return drawn
