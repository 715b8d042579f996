"""Do sessions end more within seconds after a late burst? Each is held against its own past.

Formulas: docs/statistics.md, *Field: left early*.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from scipy.special import ndtr, ndtri

from vigilant.core.errors import InvalidComparison

#: Seconds after a burst, and before, that are held against each other; minutes since the start that a stratum spans.
AFTER_S, BEFORE_S = 10, 30
MINUTES = (2, 10, 30)
#: Pairs under which nothing is told, and those that are asked for.
LEAST_PAIRS, ASKED_PAIRS = 10, 50


@dataclass(frozen=True)
class Stratum:
    """Of one place and so many minutes since the start: endings exposed now only (a) and then only (b), and at all other seconds the same
    (A, B)."""

    a: float
    b: float
    others_a: float
    others_b: float


@dataclass(frozen=True)
class LeftEarly:
    """How many times as often sessions end after a burst, with its 95 % interval, p and the pairs that tell it. None where they are too
    few. It goes with a burst; it is not because of it."""

    ratio: float | None
    low: float | None
    high: float | None
    p: float | None
    pairs: float

    @property
    def few(self) -> bool:
        return self.pairs < ASKED_PAIRS


def left_early(strata: Sequence[Stratum]) -> LeftEarly:
    """Raises :class:`InvalidComparison` for counts under 0."""
    if any(min(s.a, s.b, s.others_a, s.others_b) < 0 for s in strata):
        raise InvalidComparison("counts of seconds and endings are 0 or more")
    pairs = float(sum(s.a + s.b for s in strata))
    told = [(s, (s.others_a + 0.5) / (s.others_a + s.others_b + 1.0)) for s in strata]
    top, foot = sum(s.a * (1 - q) for s, q in told), sum(s.b * q for s, q in told)
    if pairs < LEAST_PAIRS or top <= 0 or foot <= 0:
        return LeftEarly(None, None, None, None, pairs)
    ratio = top / foot
    se = math.sqrt(sum(s.a * (1 - q) ** 2 + ratio**2 * s.b * q**2 for s, q in told)) / top
    half = float(ndtri(0.975)) * se
    z = sum(s.a - (s.a + s.b) * q for s, q in told) / math.sqrt(sum((s.a + s.b) * q * (1 - q) for s, q in told))
    return LeftEarly(ratio, ratio * math.exp(-half), ratio * math.exp(half), 2.0 * float(ndtr(-abs(z))), pairs)
