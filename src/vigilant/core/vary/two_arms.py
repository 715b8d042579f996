"""Two arms over the same settings: what they differ by at equal load, a unit, and in capacity; where their curves cross.

Formulas: docs/statistics.md, *Two arms of a ramp* and *Where two curves cross*.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

import numpy as np
from scipy.special import stdtrit

from vigilant.core.errors import InvalidComparison
from vigilant.core.levels import even, holm
from vigilant.core.series import FloatArray

from .cells import Cells, Contrast, fit_cells
from .ramp import ArmRuns, Capacity, Levels, arms_levels, stretch

#: Levels of two arms are at one load where their loads differ by no more than this.
EQUAL_LOAD = 0.01
_T = 0.975


@dataclass(frozen=True)
class Interval:
    """A value with its 95 % interval; an open end is None."""

    value: float
    low: float | None
    high: float | None


@dataclass(frozen=True)
class AtLoad:
    """What the second arm takes more at one ``load`` (ms), and as a ratio less 1 (``share``); ``shown`` by Holm over the loads."""

    load: float
    ms: Contrast
    share: float
    shown: bool


@dataclass(frozen=True, eq=False)
class TwoRamps:
    """Both arms in one fit. ``equal`` are the loads that both have; ``apart`` those, by their number in the first arm, that only it
    has."""

    before: Levels
    after: Levels
    equal: tuple[AtLoad, ...]
    apart: tuple[int, ...]
    whole: Cells

    def per_unit(self, level: int) -> Interval | None:
        """What a unit costs in the second arm over what it costs in the first, net of each one's empty scene, at a level of the
        first (Fieller); None without an empty scene, without that load in both, and where the first cost cannot be told from 0."""
        match = _match(self.before, self.after, level)
        if match is None or level == 0 or self.before.loads[0] != 0 or self.after.loads[0] != 0:
            return None
        k = self.before.loads.size
        ms = np.exp(self.whole.level)
        a, b = np.zeros(ms.size), np.zeros(ms.size)
        a[[level, 0]] = ms[[level, 0]] * [1.0, -1.0]
        b[[k + match, k]] = ms[[k + match, k]] * [1.0, -1.0]
        return _ratio(self, a, b)


def two_ramps(before: ArmRuns, after: ArmRuns, slots: int, alpha: float = 0.05) -> TwoRamps:
    """Fit both arms of a ramp together and set them against each other. Raises :class:`InvalidComparison`."""
    first, second = arms_levels([before, after], slots)
    return against(first, second, alpha)


def against(first: Levels, second: Levels, alpha: float = 0.05) -> TwoRamps:
    """Two arms that were fitted together, set against each other."""
    whole = _joined(first, second)
    k = first.loads.size
    found, apart = [], []
    for i, load in enumerate(first.loads.tolist()):
        match = _match(first, second, i)
        if match is None:
            apart.append(i)
            continue
        weights = {k + match: 1.0, i: -1.0}
        near = [*first.neighbours(i), *(k + c for c in second.neighbours(match))]
        share = math.expm1(float(whole.level[k + match] - whole.level[i]))
        found.append(AtLoad(load, whole.over(weights, ms=True, cells=near), share, False))
    yes = holm([1.0 if f.ms.p_value is None else f.ms.p_value for f in found], even(alpha).of)
    equal = tuple(AtLoad(f.load, f.ms, f.share, shown) for f, shown in zip(found, yes, strict=True))
    return TwoRamps(first, second, equal, tuple(apart), whole)


def _joined(first: Levels, second: Levels) -> Cells:
    """The fit that both arms were cut from."""
    assert first.whole is second.whole
    return first.whole


def _match(first: Levels, second: Levels, level: int) -> int | None:
    """The level of the second arm at the load of one of the first."""
    off = np.abs(second.loads - first.loads[level])
    nearest = int(np.argmin(off))
    return nearest if off[nearest] <= EQUAL_LOAD * first.loads[level] else None


def _ratio(found: TwoRamps, a: FloatArray, b: FloatArray) -> Interval | None:
    """b over a (Fieller, 1954), each level's variance local to it and its neighbours."""
    whole = found.whole
    k = found.before.loads.size
    local = [
        whole.local([*found.before.neighbours(c)] if c < k else [k + n for n in found.after.neighbours(c - k)])
        for c in range(whole.level.size)
    ]
    value = float(b.sum() / a.sum())
    if not whole.tested or any(df <= 0 for _, df in local):
        return Interval(value, None, None)
    spread = np.sqrt([s2 for s2, _ in local])
    covariance = whole.shape * np.outer(spread, spread)
    off = b - value * a
    parts = off**2 * np.diag(covariance)
    df = float(parts.sum() ** 2 / sum(p**2 / d for p, (_, d) in zip(parts.tolist(), local, strict=True)))
    v_aa, v_ab, v_bb = (float(x @ covariance @ y) for x, y in ((a, a), (a, b), (b, b)))
    ends = fieller(float(a.sum()), float(b.sum()), v_aa, v_ab, v_bb, df)
    return None if ends is None else Interval(value, *ends)


def fieller(a: float, b: float, v_aa: float, v_ab: float, v_bb: float, df: float) -> tuple[float, float] | None:
    """Ends of the 95 % interval of b / a (Fieller, 1954); None where ``a`` cannot be told from 0."""
    t2 = float(stdtrit(df, _T)) ** 2
    square, linear, fixed = a * a - t2 * v_aa, a * b - t2 * v_ab, b * b - t2 * v_bb
    if square <= 0:
        return None
    half = math.sqrt(max(0.0, linear * linear - square * fixed))
    return (linear - half) / square, (linear + half) / square


def ratio_of_capacities(before: Capacity, after: Capacity) -> Interval | None:
    """ln of the second capacity over the first, from the ends of both intervals: an open end stays open. None where either has no
    value."""
    if before.value is None or after.value is None:
        return None
    d = math.log(after.value / before.value)

    def reach(of_after: float | None, of_before: float | None) -> float | None:
        if not of_after or not of_before:
            return None
        assert before.value is not None
        assert after.value is not None
        return math.hypot(math.log(of_after / after.value), math.log(of_before / before.value))

    low, high = reach(after.low, before.high), reach(after.high, before.low)
    return Interval(d, None if low is None else d - low, None if high is None else d + high)


Sign = Literal[-1, 0, 1]


@dataclass(frozen=True)
class Crossings:
    """Where the second arm stops being dearer, or cheaper, along a knob: ``sign`` (k,) whether it is surely dearer (1), surely
    cheaper (-1) or neither at each value; every proven crossing; and the stretch in which zero cannot be excluded, None where
    there is none."""

    sign: tuple[Sign, ...]
    proven: tuple[Interval, ...]
    could: tuple[float, float] | None


def break_even(values: Sequence[float], difference: FloatArray, variance: FloatArray, df: FloatArray) -> Crossings:
    """Crossings of two curves at the same ``values`` (k,), ascending: ``difference`` (k,) of ln, its variances and degrees of
    freedom. Raises :class:`InvalidComparison` for values that do not ascend."""
    x = np.asarray(values, dtype=np.float64)
    k = x.size
    if k < 2 or bool((np.diff(x) <= 0).any()):
        raise InvalidComparison(f"two curves cross between values that ascend, got {x.tolist()}")
    t_each = stdtrit(df, 1.0 - 0.025 / k)
    sure = np.abs(difference) > t_each * np.sqrt(variance)
    signs = np.where(sure, np.sign(difference), 0).astype(int).tolist()
    known = [i for i in range(k) if signs[i]]
    proven = [_crossing(x, difference, variance, df, a, b) for a, b in pairwise(known) if signs[a] != signs[b]]
    held = _not_zero_excluded(x, difference, variance, df, 0, k - 1)
    could = (held[0], held[-1]) if held else None
    return Crossings(tuple(signs), tuple(proven), could)


def _not_zero_excluded(
    x: FloatArray, d: FloatArray, v: FloatArray, df: FloatArray, first: int, last: int
) -> list[float]:
    """Ends of the places between two values at which the difference cannot be told from 0, to the crossing of the bound itself."""
    ends: list[float] = []
    for j in range(first, last):
        t = float(stdtrit(min(df[j], df[j + 1]), _T))

        def over(u: FloatArray, j: int = j, t: float = t) -> FloatArray:
            at = (1.0 - u) * d[j] + u * d[j + 1]
            out: FloatArray = np.abs(at) - t * np.sqrt((1.0 - u) ** 2 * v[j] + u**2 * v[j + 1])
            return out

        also = [float(d[j] / (d[j] - d[j + 1]))] if d[j] * d[j + 1] < 0 else []
        ends += [float(x[j] + u * (x[j + 1] - x[j])) for u in stretch(over, also) or ()]
    return [min(ends), max(ends)] if ends else []


def _crossing(x: FloatArray, d: FloatArray, v: FloatArray, df: FloatArray, first: int, last: int) -> Interval:
    """A crossing between two values whose signs are sure: the zero (the median of several), and every place that may be it."""
    zeros = [
        float(x[j] + d[j] / (d[j] - d[j + 1]) * (x[j + 1] - x[j])) for j in range(first, last) if d[j] * d[j + 1] <= 0
    ]
    ends = _not_zero_excluded(x, d, v, df, first, last)
    return Interval(float(np.median(zeros)), ends[0], ends[1])


def arms_difference(fit: Cells, k: int) -> tuple[FloatArray, FloatArray, FloatArray]:
    """The second arm less the first at each of ``k`` values (cells 0..k-1 and k..2k-1): ln (k,), its variance pooled over the value
    and its neighbours in both arms, and the lesser degrees of freedom of the two values' own."""
    d: FloatArray = fit.level[k:] - fit.level[:k]
    v, df = np.zeros(k), np.zeros(k)
    for i in range(k):
        near = range(max(0, i - 1), min(k, i + 2))
        s2, df[i] = fit.local([*near, *(k + j for j in near)])
        v[i] = s2 * (fit.shape[i, i] + fit.shape[k + i, k + i] - 2.0 * fit.shape[i, k + i])
    return d, v, df


def two_knobs(values: Sequence[float], before: ArmRuns, after: ArmRuns, slots: int) -> tuple[Cells, Crossings | None]:
    """Both arms of a knob in one fit, and where they cross; None where nothing can be tested. Raises :class:`InvalidComparison`."""
    y = [v for arm in (before, after) for own in arm.values_ms for v in own]
    if any(len(arm.values_ms) != len(values) or not all(arm.values_ms) for arm in (before, after)):
        raise InvalidComparison("every value of a knob needs a run in both arms")
    if not min(y) > 0:
        raise InvalidComparison(f"frames take more than 0 ms, got {min(y):g}")
    k = len(values)
    cell = [a * k + i for a, arm in enumerate((before, after)) for i, own in enumerate(arm.values_ms) for _ in own]
    known = before.slots_of is not None and after.slots_of is not None
    places = [s for arm in (before, after) for own in arm.slots_of or [] for s in own]
    fit = fit_cells(np.log(np.array(y)), cell, places if known else None, slots)
    if not fit.tested or bool((fit.runs < 2).any()):
        return fit, None
    return fit, break_even(values, *arms_difference(fit, k))
