"""From one rig to another: what two rigs take for the same known work, and what follows for a level or a capacity. Always an
extrapolation, never a proof.

Formulas: docs/statistics.md, *Carrying over*.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from scipy.special import stdtrit

from .errors import InvalidComparison
from .scales import LOG_VARIANCE
from .vary.ramp import Capacity, Levels, capacity

NORMAL = 1.96


@dataclass(frozen=True)
class Yardstick:
    """Known work: ln of the other rig's time over this one's, and half of its 95 % interval."""

    name: str
    ln: float
    half: float


@dataclass(frozen=True)
class Factor:
    """How many times as long the other rig takes, by all yardsticks: ``ratio`` from ``low`` to ``high``, which holds the interval of each.
    ``apart`` says that two yardsticks exclude each other: what loads the processor alone says little of the rest."""

    ratio: float
    low: float
    high: float
    apart: bool
    by: tuple[str, ...]

    @property
    def log_error(self) -> float:
        """As a standard error of ln that reaches both ends."""
        middle = math.log(self.ratio)
        return max(math.log(self.high) - middle, middle - math.log(self.low)) / NORMAL


def timed(name: str, here_ms: Sequence[float], there_ms: Sequence[float]) -> Yardstick | None:
    """A yardstick of runs of one scenario on both rigs, one value a run (Welch); None with fewer than two on either."""
    if min(len(here_ms), len(there_ms)) < 2:
        return None
    parts = []
    for values in (here_ms, there_ms):
        y = np.log(np.asarray(values, dtype=np.float64))
        parts.append((float(y.mean()), max(float(y.var(ddof=1)), LOG_VARIANCE) / y.size, y.size - 1))
    variance = parts[0][1] + parts[1][1]
    df = variance**2 / sum(v**2 / df for _, v, df in parts)
    return Yardstick(name, parts[1][0] - parts[0][0], float(stdtrit(df, 0.975)) * math.sqrt(variance))


#: The newest timings of a rig that are held against those before, and how many of those there must be.
RECENT, LEAST_EARLIER = 3, 5
#: A change below this is none that matters; one that is shown to be within the second is said to be none.
MATTERS, STEADY = 0.02, 0.05
DRIFT_LEVEL = 0.99

RigDriftState = Literal["slower", "faster", "steady", "not told"]


@dataclass(frozen=True)
class RigDrift:
    """How many times as long a rig's newest timings of one known work take as those before: ``ratio`` from ``low`` to ``high`` (99 %), of
    ``recent`` timings against ``earlier``."""

    state: RigDriftState
    ratio: float
    low: float
    high: float
    recent: int
    earlier: int


def rig_drift(ms: Sequence[float]) -> RigDrift | None:
    """Whether a rig has slowed down, by its timings of one work in ms, oldest first; None while there are fewer than eight.

    Two samples of ln ms with one variance, floored like all of a scale: docs/statistics.md, *Carrying over*. It is asked at each
    new timing, so slower and faster are said at 99 % and beyond 2 %.
    """
    if len(ms) < RECENT + LEAST_EARLIER:
        return None
    y = np.log(np.asarray(ms, dtype=np.float64))
    before, now = y[:-RECENT], y[-RECENT:]
    df = y.size - 2
    squares = float(((before - before.mean()) ** 2).sum() + ((now - now.mean()) ** 2).sum())
    variance = max(squares / df, LOG_VARIANCE) * (1.0 / before.size + 1.0 / RECENT)
    ln, half = float(now.mean() - before.mean()), float(stdtrit(df, 0.5 + DRIFT_LEVEL / 2)) * math.sqrt(variance)
    low, high = math.exp(ln - half), math.exp(ln + half)
    state: RigDriftState = "not told"
    if low > 1.0 + MATTERS:
        state = "slower"
    elif high < 1.0 / (1.0 + MATTERS):
        state = "faster"
    elif low > 1.0 / (1.0 + STEADY) and high < 1.0 + STEADY:
        state = "steady"
    return RigDrift(state, math.exp(ln), low, high, RECENT, int(before.size))


def factor_of(yardsticks: Sequence[Yardstick]) -> Factor:
    """All of them together: the middle of their values, and every ratio that one of them allows. Raises
    :class:`InvalidComparison` for none."""
    if not yardsticks:
        raise InvalidComparison("no work is known that both rigs did")
    lows, highs = [y.ln - y.half for y in yardsticks], [y.ln + y.half for y in yardsticks]
    middle = math.fsum(y.ln for y in yardsticks) / len(yardsticks)
    apart = max(lows) > min(highs)
    return Factor(math.exp(middle), math.exp(min(lows)), math.exp(max(highs)), apart, tuple(y.name for y in yardsticks))


def capacity_elsewhere(found: Levels, budget_ms: float, factor: Factor) -> Capacity:
    """The capacity that another rig would show, if all of its work scaled alike: there the frame takes ``factor`` times as long, so
    that the budget is met where it takes so much less here. Its ends are those under the ends of the factor."""
    middle = capacity(found, budget_ms / factor.ratio)
    slow, fast = (capacity(found, budget_ms / end) for end in (factor.high, factor.low))
    return Capacity(middle.value, slow.low, fast.high, middle.bracket, middle.coarse)
