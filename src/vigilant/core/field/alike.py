"""Two builds, or groups, in the field: as they are, and class by class with one mix of classes.

Formulas: docs/statistics.md, *Field: like with like*.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from scipy.special import stdtr, stdtrit

from vigilant.core.errors import InvalidComparison

from .shares import Share, share

#: Sessions of a class on both sides; the share of frames that must be covered; what counts as a mix that moved.
LEAST, LEAST_COVERED, MOVED = 20, 0.8, 0.1
#: A difference within which both are alike: points of the share, or half the level before.
MARGIN = 0.005
Sessions = tuple[Sequence[float], Sequence[float]]
Call = Literal["higher", "lower", "alike", "unclear"]


@dataclass(frozen=True)
class Difference:
    """After less before, with its 95 % interval and p by t on ``df``."""

    before: float
    after: float
    d: float
    low: float
    high: float
    p: float
    df: float
    se: float

    def call(self) -> Call:
        """Never a verdict: people choose when they update."""
        if self.p < 0.05:
            return "higher" if self.d > 0 else "lower"
        reach = abs(self.d) + float(stdtrit(self.df, 0.95)) * self.se
        return "alike" if reach < max(MARGIN, 0.5 * self.before) else "unclear"


@dataclass(frozen=True)
class Compared:
    """``crude`` over everything; ``alike`` over classes with sessions on both sides, at one mix (None without any); ``covered`` the frames
    of these, ``mix_shift`` how far their mix moved: half the sum of what their shares of all frames differ by."""

    crude: Difference
    alike: Difference | None
    covered: float
    mix_shift: float

    @property
    def findings(self) -> tuple[str, ...]:
        named = ("mix-uncovered", self.covered < LEAST_COVERED), ("mix-moved", self.mix_shift > MOVED)
        return tuple(name for name, found in named if found)

    def call(self) -> Call | Literal[""]:
        """Like with like; "" where too little is covered."""
        return "" if self.alike is None or self.covered < LEAST_COVERED else self.alike.call()


def compared(
    before: Mapping[str, Sessions], after: Mapping[str, Sessions], least: int = LEAST, of: Collection[str] | None = None
) -> Compared:
    """Late frames and frames of each session, by class; ``of`` are the classes with sessions enough, where groups of installations stand in
    for sessions (None: those with ``least`` on both sides). Raises :class:`InvalidComparison`."""
    crude = _difference([(1.0, _all(before), _all(after))])
    frames = {c: float(sum(before.get(c, ((), ()))[1])) + float(sum(after.get(c, ((), ()))[1])) for c in {*before, *after}}  # fmt: skip
    total = sum(frames.values())
    need = max(2, least) if of is None else 2
    both = {*before} & {*after} if of is None else {*before} & {*after} & {*of}
    used = sorted(c for c in both if min(len(before[c][1]), len(after[c][1])) >= need)
    kept = sum(frames[c] for c in used)
    alike = _difference([(frames[c] / kept, share(*before[c]), share(*after[c])) for c in used]) if used else None
    b, a = (float(sum(sum(own[1]) for own in side.values())) for side in (before, after))
    shift = 0.5 * sum(abs(float(sum(after[c][1])) / a - float(sum(before[c][1])) / b) for c in used)
    return Compared(crude, alike, kept / total, shift)


def _all(side: Mapping[str, Sessions]) -> Share:
    if not side:
        raise InvalidComparison("both sides have a session")
    late = [c for own in side.values() for c in own[0]]
    return share(late, [n for own in side.values() for n in own[1]])


def _difference(parts: Sequence[tuple[float, Share, Share]]) -> Difference:
    """Weighted shares of both sides; variances added, degrees of freedom by Satterthwaite over all parts."""
    b = sum(w * one.p for w, one, _ in parts)
    a = sum(w * one.p for w, _, one in parts)
    variances = [(w**2 * one.variance, one.df) for w, *both in parts for one in both]
    variance = sum(v for v, _ in variances)
    d = a - b
    if variance <= 0:
        return Difference(b, a, d, d, d, 1.0 if d == 0 else 0.0, math.inf, 0.0)
    df = variance**2 / sum(v**2 / own for v, own in variances if v > 0)
    se = math.sqrt(variance)
    half = float(stdtrit(df, 0.975)) * se
    return Difference(b, a, d, d - half, d + half, 2.0 * float(stdtr(df, -abs(d) / se)), df, se)
