"""The newest build against its line: whether it is worse or better, at a stated rate of false alarms.

Formulas: docs/statistics.md, *The newest build*.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from scipy.special import stdtr

from vigilant.core.errors import InvalidComparison
from vigilant.core.scales import LOG_VARIANCE

from .line import Line, line

#: Builds before the newest one that an alert needs; the builds that creep together; and the share of nu that its test has.
BEFORE, CREEPING, DF_SHARE = 8, 4, 0.7
#: False alarms a build and line: one in so many builds.
RATE, LEAST_RATE, MOST_RATE = 0.005, 0.001, 0.02
Call = Literal["", "sudden", "creeping"]


@dataclass(frozen=True)
class Held:
    """Something held against a level: the difference on the figure's scale, in standard errors, and its p value."""

    d: float
    t: float
    nu: int
    p: float


@dataclass(frozen=True, eq=False)
class Alert:
    """``sudden`` is the newest build against the line before it, ``creeping`` the newest four against the line before them and ``last``
    the newest of these against it alone (None where that is too short); ``limit`` what p has to be under; ``before`` the line without the
    newest build."""

    sudden: Held
    creeping: Held | None
    last: Held | None
    limit: float
    before: Line

    @property
    def call(self) -> Call:
        if self.sudden.p < self.limit:
            return "sudden"
        return "creeping" if self.creeping is not None and self.creeping.p < self.limit else ""

    @property
    def d(self) -> float:
        """The difference that is called, on the figure's scale."""
        return self.creeping.d if self.call == "creeping" and self.creeping is not None else self.sudden.d


def alert(
    runs: Sequence[Sequence[float]],
    newest: Sequence[float],
    figures: int = 1,
    rate: float = RATE,
    breaks: Collection[int] = (),
    floor: float = LOG_VARIANCE,
    sessions: Sequence[int] | None = None,
) -> Alert:
    """Hold the runs of the newest build against those of the builds before it, in build order. ``sessions`` that the runs of each come
    from, the newest build's last (None: one each). Raises :class:`InvalidComparison` for fewer than eight builds before, and a rate that is none."""
    if not LEAST_RATE <= rate <= MOST_RATE:
        raise InvalidComparison(
            f"a false alarm in {1 / MOST_RATE:g} to {1 / LEAST_RATE:g} builds, got {rate:g} a build"
        )
    if len(runs) < BEFORE:
        raise InvalidComparison(f"an alert needs {BEFORE} builds before the newest one, got {len(runs)}")
    taken = [1] * (len(runs) + 1) if sessions is None else list(sessions)
    if not newest or len(taken) != len(runs) + 1:
        raise InvalidComparison("the newest build has a run at least, and every measurement a number of sessions")
    before = line(runs, figures, breaks, floor, taken[:-1])
    limit = rate / (2.0 * figures)
    sudden = _sudden(before, newest, taken[-1], floor)
    creeping, last = _creeping(runs, newest, figures, breaks, floor, taken)
    return Alert(sudden, creeping, last, limit, before)


def _sudden(before: Line, newest: Sequence[float], sessions: int, floor: float) -> Held:
    n = before.noise.m.size
    expected, variance = before.expected(n)
    own = before.tau2 / sessions + max(before.noise.s2, floor) / len(newest)
    d = float(np.mean(newest)) - expected
    return _held(d, own + variance, before.nu)


def _creeping(
    runs: Sequence[Sequence[float]],
    newest: Sequence[float],
    figures: int,
    breaks: Collection[int],
    floor: float,
    sessions: Sequence[int],
) -> tuple[Held | None, Held | None]:
    """The mean of the newest four against a line without them, and the newest one alone."""
    earlier = [*runs[: len(runs) - CREEPING + 1]]
    last = [*runs[len(earlier) :], newest]
    if len(earlier) < BEFORE or any(b >= len(earlier) for b in breaks):
        return None, None
    found = line(earlier, figures, breaks, floor, sessions[: len(earlier)])
    levels = [found.expected(len(earlier) + i) for i in range(CREEPING)]
    d = float(np.mean([np.mean(own) for own in last])) - float(np.mean([level for level, _ in levels]))
    own = [
        found.tau2 / taken + max(found.noise.s2, floor) / len(one)
        for one, taken in zip(last, sessions[len(earlier) :], strict=True)
    ]
    four = _held(d, sum(own) / CREEPING**2 + float(np.mean([variance for _, variance in levels])), found.nu)
    level, variance = levels[-1]
    return four, _held(float(np.mean(newest)) - level, own[-1] + variance, found.nu)


def _held(d: float, variance: float, nu: int) -> Held:
    t = abs(d) / math.sqrt(variance) if variance > 0 else math.inf * abs(d) if d else 0.0
    return Held(d, t, nu, 2.0 * float(stdtr(DF_SHARE * nu, -t)))
