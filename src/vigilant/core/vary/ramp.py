"""A ramp: how much load the budget carries, with its interval; what a unit costs; whether that grows with the load.

Levels are cells of runs at one load; the place of a level on the axis is the load that its runs really had. Between levels the
curve is straight in ms. Formulas: docs/statistics.md, *A ramp*.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from scipy.special import fdtrc, stdtrit

from vigilant.core.errors import InvalidComparison
from vigilant.core.series import FloatArray, IntArray

from .cells import Cells, Contrast, fit_cells, fit_law, student

FEWEST, MOST_LEVELS = 2, 32
_T = 0.975
#: Steps that a segment is searched in, and halvings of a step in which the edge lies.
STEPS, HALVINGS = 64, 40
#: Levels this far apart in time (ln) may hide a bend between them.
FAR_APART = math.log(1.05)
COARSE = 0.01


@dataclass(frozen=True, eq=False)
class Levels:
    """Levels of a ramp by the load they really had, ascending; ``level`` (k,) their fitted ln ms made monotone. ``fit`` holds the
    cells of this arm, ``whole`` those of all arms that were fitted with it."""

    loads: FloatArray
    level: FloatArray
    fit: Cells
    whole: Cells
    not_monotone: tuple[int, ...] = ()

    @property
    def ms(self) -> FloatArray:
        ms: FloatArray = np.exp(self.level)
        return ms

    def neighbours(self, level: int) -> range:
        """A level and the one on each side, where there are."""
        return range(max(0, level - 1), min(self.loads.size, level + 2))


@dataclass(frozen=True)
class Capacity:
    """The load at which the frame meets the budget, None where it does not: ``low`` alone is *at least*, ``high`` alone *at most*.
    ``bracket`` are the levels that it lies between; ``coarse`` says that a bend between them may move it by over 1 %."""

    value: float | None
    low: float | None
    high: float | None
    bracket: tuple[int, int] | None
    coarse: bool = False


@dataclass(frozen=True, eq=False)
class ArmRuns:
    """One arm of a ramp: ``loads`` of its levels, one value a run of each, ms, and the slots that they were recorded in."""

    loads: Sequence[float]
    values_ms: Sequence[Sequence[float]]
    slots_of: Sequence[Sequence[int]] | None


def ramp_levels(
    loads: Sequence[float], values_ms: Sequence[Sequence[float]], slots_of: Sequence[Sequence[int]] | None, slots: int
) -> Levels:
    """Fit a ramp: ``loads`` of its levels, one value a run of each. Raises :class:`InvalidComparison` for loads that are not
    apart, and values that are no times."""
    return arms_levels([ArmRuns(loads, values_ms, slots_of)], slots)[0]


def arms_levels(arms: Sequence[ArmRuns], slots: int) -> list[Levels]:
    """The levels of each arm, all in one fit. Raises :class:`InvalidComparison`."""
    orders = [_order(arm) for arm in arms]
    y: list[float] = []
    cell: list[int] = []
    places: list[int] = []
    at, firsts = 0, []
    for arm, order in zip(arms, orders, strict=True):
        firsts.append(at)
        for i in order:
            y += arm.values_ms[i]
            cell += [at] * len(arm.values_ms[i])
            places += [] if arm.slots_of is None else arm.slots_of[i]
            at += 1
    if not min(y) > 0:
        raise InvalidComparison(f"frames take more than 0 ms, got {min(y):g}")
    known = all(arm.slots_of is not None for arm in arms)
    fit = fit_cells(np.log(np.array(y, dtype=np.float64)), cell, places if known else None, slots)
    return [
        _levels(np.asarray(arm.loads, dtype=np.float64)[order], fit.part(range(first, first + len(order))), fit)
        for arm, order, first in zip(arms, orders, firsts, strict=True)
    ]


def _order(arm: ArmRuns) -> list[int]:
    """The levels by their load."""
    loads = arm.loads
    if not FEWEST <= len(loads) <= MOST_LEVELS:
        raise InvalidComparison(f"a ramp has from {FEWEST} to {MOST_LEVELS} levels, got {len(loads)}")
    order: list[int] = np.argsort(loads, kind="stable").tolist()
    at: FloatArray = np.asarray(loads, dtype=np.float64)[order]
    if not bool(np.isfinite(at).all()) or bool((at < 0).any()) or bool((np.diff(at) <= 0).any()):
        raise InvalidComparison(f"loads of levels are 0 or more, and apart, got {at.tolist()}")
    if not all(len(own) for own in arm.values_ms):
        raise InvalidComparison("every level of a ramp needs a run")
    return order


def _levels(loads: FloatArray, fit: Cells, whole: Cells) -> Levels:
    level = pooled(fit.level, fit.runs)
    t = float(stdtrit(fit.df, _T)) if fit.df > 0 else math.inf
    off = np.abs(level - fit.level) > 2.0 * t * np.sqrt(fit.s2 * np.diag(fit.shape))
    return Levels(loads, level, fit, whole, tuple(np.flatnonzero(off).tolist()))


def pooled(values: FloatArray, weights: IntArray) -> FloatArray:
    """The nearest values that never fall (pool adjacent violators; Ayer and others, 1955)."""
    blocks: list[tuple[float, float, int]] = []
    for value, weight in zip(values.tolist(), weights.tolist(), strict=True):
        blocks.append((value, float(weight), 1))
        while len(blocks) > 1 and blocks[-2][0] > blocks[-1][0]:
            (a, wa, na), (b, wb, nb) = blocks[-2:]
            blocks[-2:] = [((a * wa + b * wb) / (wa + wb), wa + wb, na + nb)]
    return np.repeat([b[0] for b in blocks], [b[2] for b in blocks]).astype(np.float64)


def capacity(found: Levels, budget_ms: float, bends: bool = True, alpha: float = 0.05) -> Capacity:
    """Where the curve meets the budget, first from below; every load whose time cannot be told from the budget is in the interval,
    by the variance of the levels around it, with what a bend between far levels may add (``bends``)."""
    carried = _met(found, budget_ms, lambda j: segment_variance(found, j), alpha)
    if not bends or carried.bracket is None or carried.value is None or (carried.low is None and carried.high is None):
        return carried
    more = _chord(found, carried.bracket[0], budget_ms, carried.value)
    low = None if carried.low is None else carried.low + min([0.0, *more])
    high = None if carried.high is None else carried.high + max([0.0, *more])
    coarse = any(abs(one) > COARSE * carried.value for one in more)
    return replace(carried, low=low, high=high, coarse=coarse)


def pooled_capacity(found: Levels, budget_ms: float) -> Capacity:
    """The same by the variance of all levels, without bends: what a ramp whose levels are chosen one after the other stops by."""
    return _met(found, budget_ms, lambda j: (found.fit.s2, float(found.fit.df)), 0.05)


Variance = Callable[[int], tuple[float, float]]


def _met(found: Levels, budget_ms: float, variance: Variance, alpha: float) -> Capacity:
    target = math.log(budget_ms)
    accepted = _accepted(found, target, variance, alpha)
    k = found.loads.size
    if found.level[0] > target:
        return Capacity(None, None, accepted[1] if accepted else float(found.loads[0]), None)
    crossing = next((j for j in range(k - 1) if found.level[j] <= target < found.level[j + 1]), None)
    if crossing is None:
        return Capacity(None, accepted[0] if accepted else float(found.loads[-1]), None, None)
    value, bracket = _at(found, crossing, target), (crossing, crossing + 1)
    if accepted is None:
        return Capacity(value, None, None, bracket)
    low, high = accepted
    return Capacity(value, None if low <= found.loads[0] else low, None if high >= found.loads[-1] else high, bracket)


def _at(found: Levels, j: int, target: float) -> float:
    """The load in segment j at which the curve has this ln ms."""
    a, b = np.exp(found.level[j : j + 2])
    u = (math.exp(target) - a) / (b - a)
    return float((1.0 - u) * found.loads[j] + u * found.loads[j + 1])


def segment_variance(found: Levels, j: int) -> tuple[float, float]:
    """Variance and degrees of freedom of segment j: its levels and one on each side."""
    return found.fit.local(range(max(0, j - 1), min(found.loads.size, j + 3)))


def _accepted(found: Levels, target: float, variance: Variance, alpha: float) -> tuple[float, float] | None:
    """The hull of all loads at which the curve's ln ms cannot be told from the target; None where nothing is accepted, or tested."""
    if not found.fit.tested:
        return None
    ends: list[float] = []
    for j in range(found.loads.size - 1):
        s2, df = variance(j)
        if df <= 0:
            continue
        t = float(stdtrit(df, 1.0 - alpha / 2.0))

        def over(u: FloatArray, j: int = j, s2: float = s2, t: float = t) -> FloatArray:
            """How far the curve at each u of this segment lies outside: at most 0 is accepted."""
            a, b = np.exp(found.level[j : j + 2])
            ms = (1.0 - u) * a + u * b
            first, second = (1.0 - u) * a / ms, u * b / ms
            (v_aa, v_ab), (_, v_bb) = found.fit.shape[j : j + 2, j : j + 2]
            spread = first**2 * v_aa + 2.0 * first * second * v_ab + second**2 * v_bb
            out: FloatArray = np.abs(np.log(ms) - target) - t * np.sqrt(s2 * spread)
            return out

        # What is accepted may be narrower than a step: where the curve itself meets the target is looked at too.
        meets = (
            (found.loads[j : j + 2], _at(found, j, target)) if found.level[j] < target <= found.level[j + 1] else None
        )
        inside = stretch(over, [] if meets is None else [float((meets[1] - meets[0][0]) / np.ptp(meets[0]))])
        if inside is not None:
            ends += [float((1.0 - u) * found.loads[j] + u * found.loads[j + 1]) for u in inside]
    return (min(ends), max(ends)) if ends else None


def stretch(over: Callable[[FloatArray], FloatArray], also: Sequence[float]) -> tuple[float, float] | None:
    """From where to where in 0..1 ``over`` is at most 0; its outermost ends, by halving. ``also`` are looked at beside the steps."""
    grid = np.unique([*np.linspace(0.0, 1.0, STEPS + 1), *also])
    inside = np.flatnonzero(over(grid) <= 0)
    if not inside.size:
        return None
    low, high = float(grid[inside[0]]), float(grid[inside[-1]])
    if inside[0] > 0:
        low = _edge(over, float(grid[inside[0] - 1]), low)
    if inside[-1] < grid.size - 1:
        high = _edge(over, float(grid[inside[-1] + 1]), high)
    return low, high


def _edge(over: Callable[[FloatArray], FloatArray], outside: float, inside: float) -> float:
    for _ in range(HALVINGS):
        middle = (outside + inside) / 2.0
        outside, inside = (outside, middle) if float(over(np.array(middle))) <= 0 else (middle, inside)
    return inside


def _chord(found: Levels, j: int, budget_ms: float, value: float) -> list[float]:
    """How far a bend between the levels of a bracket may move the capacity: by the parabolas through it and each neighbour."""
    if found.level[j + 1] - found.level[j] <= FAR_APART:
        return []
    moved = []
    for first in (j - 1, j):
        if first < 0 or first + 2 >= found.loads.size:
            continue
        x, y = found.loads[first : first + 3], found.ms[first : first + 3]
        roots = np.roots(np.polyfit(x, y, 2) - [0.0, 0.0, budget_ms])
        real = [float(r.real) for r in roots if abs(r.imag) < 1e-9 * max(1.0, abs(r))]
        if real:
            nearest = min(real, key=lambda r: abs(r - value))
            moved.append(float(np.clip(nearest, found.loads[j], found.loads[j + 1])) - value)
    return moved


@dataclass(frozen=True)
class UnitCost:
    """Ms a unit, three ways: ``net`` at a level, less the empty scene (None without one); ``slope`` of the bracket; ``line`` over all
    levels, with what stands when nothing is loaded, and the p of its lack of fit (None where it cannot be tested)."""

    net: Contrast | None
    net_level: int
    slope: Contrast
    slope_level: int
    fixed_ms: float
    line_ms: float
    fixed_se: float | None
    line_se: float | None
    lack_of_fit: float | None


def unit_cost(found: Levels, near: int) -> UnitCost:
    """What a unit costs around the segment that begins at level ``near``."""
    j = min(near, found.loads.size - 2)
    dearer = j + 1
    slope = _near(found, {j + 1: 1.0, j: -1.0}, float(found.loads[j + 1] - found.loads[j]))
    net = None
    if found.loads[0] == 0:
        net = _near(found, {dearer: 1.0, 0: -1.0}, float(found.loads[dearer]))
    return UnitCost(net, dearer, slope, j, *_line(found))


def _near(found: Levels, weights: dict[int, float], per: float) -> Contrast:
    """A difference of levels in ms a unit; each level's variance local to it and its neighbours."""
    return found.fit.each(weights, found.neighbours, ms=True, per=per)


def _line(found: Levels) -> tuple[float, float, float | None, float | None, float | None]:
    """t = a + b L by weights runs / fit^2, three rounds: a, b, their standard errors, and p of the lack of fit."""
    t, n, loads = np.exp(found.fit.level), found.fit.runs.astype(np.float64), found.loads
    x = np.column_stack([np.ones(t.size), loads])
    law = fit_law(x, t, n)
    a, b = law.found.tolist()
    s2 = found.fit.s2
    if not found.fit.tested:
        return a, b, None, None, None
    errors = np.sqrt(s2 * np.diag(law.inverse)).tolist()
    lack = float(fdtrc(t.size - 2, found.fit.df, law.left / (t.size - 2) / s2)) if t.size > 2 else None
    return a, b, errors[0], errors[1], lack


@dataclass(frozen=True)
class Growth:
    """t = a + c L^e: ``exponent`` with its interval by profile, and the p of the law's own lack of fit; ``bend`` is the slope over the
    upper half of the loads less that over the lower, ms a unit: it needs no law."""

    exponent: float
    low: float
    high: float
    lack_of_fit: float | None
    bend: Contrast

    @property
    def call(self) -> str:
        return (
            "worse than linear"
            if self.low > 1
            else "better than linear"
            if self.high < 1
            else "cannot be told from linear"
        )


_EXPONENTS = np.arange(0.05, 4.0 + 1e-9, 0.0025)
GROWTH_LEVELS, GROWTH_RANGE = 5, 4.0


def growth(found: Levels) -> Growth | None:
    """How the time grows with the load; None with under five levels, loads less than 4 : 1 apart, or too few runs."""
    loaded = found.loads[found.loads > 0]
    if found.loads.size < GROWTH_LEVELS or loaded[-1] < GROWTH_RANGE * loaded[0] or not found.fit.tested:
        return None
    t, n = np.exp(found.fit.level), found.fit.runs.astype(np.float64)
    w = n / t**2
    scaled = found.loads / found.loads[-1]
    rss = _rss(scaled[None, :] ** _EXPONENTS[:, None], t, w)
    best = int(np.argmin(rss))
    s2, df = found.fit.s2, found.fit.df
    limit = rss[best] + s2 * float(stdtrit(df, _T)) ** 2
    inside = np.flatnonzero(rss <= limit)
    low, high = (_crossing(rss, limit, int(i), step) for i, step in ((inside[0], -1), (inside[-1], 1)))
    lack = float(fdtrc(t.size - 3, df, rss[best] / (t.size - 3) / s2)) if t.size > 3 else None
    return Growth(float(_EXPONENTS[best]), low, high, lack, _bend(found))


def _rss(x: FloatArray, t: FloatArray, w: FloatArray) -> FloatArray:
    """Weighted squares left by t = a + c x, for each row of ``x`` (n, k)."""
    share = w / w.sum()
    dx, dt = x - (x @ share)[:, None], t - t @ share
    c = (dx @ (w * dt)) / ((dx**2) @ w)
    left: FloatArray = ((dt - c[:, None] * dx) ** 2) @ w
    return left


def _crossing(rss: FloatArray, limit: float, i: int, step: int) -> float:
    """Where the profile crosses its limit beyond grid point i, straight between points."""
    beyond = i + step
    if not 0 <= beyond < rss.size:
        return float(_EXPONENTS[i])
    share = (limit - rss[i]) / (rss[beyond] - rss[i])
    return float(_EXPONENTS[i] + share * (_EXPONENTS[beyond] - _EXPONENTS[i]))


def _bend(found: Levels) -> Contrast:
    """Least-squares slope over the upper half of the loads less that over the lower; the level nearest the middle is in both."""
    loads = found.loads
    middle = int(np.argmin(np.abs(loads - (loads[0] + loads[-1]) / 2.0)))
    ms = np.exp(found.fit.level)
    w = np.zeros(loads.size)
    for at, sign in ((slice(middle, None), 1.0), (slice(0, middle + 1), -1.0)):
        x = loads[at] - loads[at].mean()
        w[at] += sign * x / float((x**2).sum())
    value = float(w @ ms)
    return student(value, math.sqrt(found.fit.s2 * float((w * ms) @ found.fit.shape @ (w * ms))), float(found.fit.df))
