"""Labels of seconds of play: how late parts share out over exact sets of them, and what a label goes with like with like.

Formulas: docs/statistics.md, *Field: labels*.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from scipy.special import stdtr, stdtrit

from vigilant.core.errors import InvalidComparison

from .shares import spread_of

#: Labels that a program may name, and so exact sets of them twice as many each.
MOST = 6
#: What of the labelled frames must be held against the same without the label.
LEAST_USED = 0.8


@dataclass(frozen=True)
class SetOf:
    """Seconds with exactly one set of labels: their share of play, of all late frames, their own late share, and the part of all late frames
    that is beyond what unlabelled play would have had (None without any)."""

    play: float
    late: float
    share: float
    excess: float | None


@dataclass(frozen=True)
class Label:
    """Of one label: the late part of seconds that have it alone, that of seconds that have others too, and its share of play. Shared parts
    are not dealt out."""

    only: float
    shared: float
    play: float


@dataclass(frozen=True)
class Labelled:
    """The account of late frames by exact set (a bit a label), which adds up to 1; each label's; the unlabelled part."""

    sets: Mapping[int, SetOf]
    labels: tuple[Label, ...]
    unlabelled: float


def labelled(sets: Mapping[int, tuple[float, int, int]], labels: int) -> Labelled:
    """Seconds, frames and late frames of each exact set. Raises :class:`InvalidComparison`."""
    if not 0 < labels <= MOST or any(not 0 <= one < 2**labels for one in sets):
        raise InvalidComparison(f"sets are of 1 to {MOST} labels")
    if any(seconds <= 0 or frames <= 0 or not 0 <= late <= frames for seconds, frames, late in sets.values()):
        raise InvalidComparison("a set has seconds, frames, and no more late ones than those")
    seconds, late = sum(s for s, _, _ in sets.values()), sum(c for _, _, c in sets.values())
    base = sets[0][2] / sets[0][1] if 0 in sets else None

    def part(count: float) -> float:
        return count / late if late else 0.0

    found = {
        one: SetOf(s / seconds, part(c), c / n, None if base is None else part(c - base * n))
        for one, (s, n, c) in sorted(sets.items())
    }
    return Labelled(found, tuple(_label(found, i) for i in range(labels)), found[0].late if 0 in found else 0.0)


def _label(found: Mapping[int, SetOf], i: int) -> Label:
    bit = 1 << i
    own = {one: told for one, told in found.items() if one & bit}
    only = own[bit].late if bit in own else 0.0
    return Label(only, sum(t.late for t in own.values()) - only, sum(t.play for t in own.values()))


@dataclass(frozen=True)
class GoesWith:
    """What the late share of seconds with a label is more than without it, in the same place, tier and class: ``d`` with its 95 % interval
    and p; ``used`` is the share of labelled frames that could be held against any."""

    d: float
    low: float
    high: float
    p: float
    df: float
    used: float

    @property
    def told(self) -> bool:
        return self.used >= LEAST_USED


#: Of one session and stratum: late frames and frames with the label, and without it.
Cell = tuple[float, float, float, float]


def goes_with(sessions: Sequence[Mapping[str, Cell]]) -> GoesWith | None:
    """Sessions by stratum (place, tier and class). None where no stratum has seconds of both kinds. Raises :class:`InvalidComparison`."""
    if len(sessions) < 2:
        raise InvalidComparison("what a label goes with is told by two sessions at least")
    names = sorted({stratum for one in sessions for stratum in one})
    cells = np.array([[one.get(name, (0.0, 0.0, 0.0, 0.0)) for name in names] for one in sessions], dtype=np.float64)
    if cells.size and not bool((np.isfinite(cells) & (cells >= 0)).all()):
        raise InvalidComparison("counts of frames are 0 or more")
    c1, n1, c0, n0 = (cells[:, :, i] for i in range(4))
    t1, t0 = n1.sum(axis=0), n0.sum(axis=0)
    both = (t1 > 0) & (t0 > 0)
    if not both.any():
        return None
    p1, p0 = c1.sum(axis=0)[both] / t1[both], c0.sum(axis=0)[both] / t0[both]
    w = t1[both] / t1[both].sum()
    z = ((c1[:, both] - p1 * n1[:, both]) / t1[both] - (c0[:, both] - p0 * n0[:, both]) / t0[both]) @ w
    d, m = float(w @ (p1 - p0)), len(sessions)
    variance, df = spread_of(z, m)
    variance *= (m / (m - 1.0)) ** 2  # of sessions as they are, none left out
    used = float(t1[both].sum() / t1.sum())
    if variance <= 0:
        return GoesWith(d, d, d, 1.0, df, used)
    se = float(np.sqrt(variance))
    half = float(stdtrit(df, 0.975)) * se
    return GoesWith(d, d - half, d + half, 2.0 * float(stdtr(df, -abs(d) / se)), df, used)
