"""The line of one figure over builds: its noise, steps with where and how large they are, a slope, drifts, and odd builds.

Formulas: docs/statistics.md, *A line over builds*.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy.special import stdtrit

from vigilant.core.errors import InvalidComparison
from vigilant.core.scales import LOG_VARIANCE
from vigilant.core.series import FloatArray

from .noise import Measured, by_residuals, first_guess, measured
from .search import BEND, Centre, centre, costs_at, cuts_of, penalty, rho

#: Builds under which a line has levels only.
SHORTEST = 8
#: Builds that a drift takes at least, and what it costs in steps.
DRIFT_BUILDS, DRIFT_PENALTIES = 6, 2.0
#: Pairs of builds that a slope is read from lie so far apart.
PAIR_APART = 3
#: Builds of a segment that a slope is read from, and places that a drift's ends are looked for at, at first: of a short one, a long one.
SLOPE_BUILDS = 300
#: A slope and its steps are found in turn, so often at most.
SLOPE_ROUNDS = 8
ENDS, LONG, LONG_ENDS = 24, 200, 12
#: A step is looked for so many builds from where it was found: further off its weight is nothing.
NEAR = 60
_T = 0.975
_ROUNDS = 2


@dataclass(frozen=True)
class Step:
    """A lasting jump: the build it begins with, the builds it may begin with (95 %), and its size on the figure's scale with its 95 %
    interval, which holds over all of those."""

    at: int
    first: int
    last: int
    size: float
    low: float
    high: float


@dataclass(frozen=True)
class Drift:
    """A slow change from build ``first`` to build ``last``, ``size`` in all on the figure's scale."""

    first: int
    last: int
    size: float


@dataclass(frozen=True, eq=False)
class Line:
    """``noise`` of its measurements; ``tau2`` the variance of sessions and ``nu`` its degrees of freedom; ``slope`` a build (0 where none
    was taken); ``fitted`` (n,) the level at each build and ``half`` (n,) half of its 95 % interval; ``low`` and ``high`` (n,) where a repeat
    of the build in another session would lie.
    ``end`` is the centre of the last segment and ``slope_var`` the variance of the slope."""

    noise: Measured
    tau2: float
    nu: int
    slope: float
    slope_var: float
    steps: tuple[Step, ...]
    #: Builds at which a segment begins, at a step or a break.
    cuts: tuple[int, ...]
    drifts: tuple[Drift, ...]
    odd: tuple[int, ...]
    fitted: FloatArray
    half: FloatArray
    low: FloatArray
    high: FloatArray
    end: Centre
    end_at: float
    short: bool

    @property
    def v(self) -> FloatArray:
        """The variance of each measurement (n,)."""
        return self.noise.v(self.tau2)

    def expected(self, build: float) -> tuple[float, float]:
        """The level at a build beyond the last segment's, and its variance."""
        gap = build - self.end_at
        drifted = sum(drift.size for drift in self.drifts)
        return self.end.at + drifted + self.slope * gap, 1.0 / self.end.weight + self.slope_var * gap**2


@dataclass(frozen=True)
class _Found:
    """One way to explain a line: its cuts, slope and drifts, and what that costs."""

    cuts: tuple[int, ...]
    slope: float
    drifts: tuple[Drift, ...]
    cost: float


def line(
    runs: Sequence[Sequence[float]],
    figures: int = 1,
    breaks: Collection[int] = (),
    floor: float = LOG_VARIANCE,
    sessions: Sequence[int] | None = None,
) -> Line:
    """The line of run values of each measurement, in build order; ``figures`` are watched together, a set-up begins at each of ``breaks``;
    measurements come from one session each, or from so many ``sessions``. Raises :class:`InvalidComparison`."""
    return line_of(measured(runs, floor, sessions), figures, breaks)


def line_of(noise: Measured, figures: int = 1, breaks: Collection[int] = ()) -> Line:
    """The same of measurements. Raises :class:`InvalidComparison`."""
    n = noise.m.size
    if any(not 0 < b < n for b in breaks):
        raise InvalidComparison(f"a break lies between two measurements, got {sorted(breaks)} of {n}")
    tau2 = first_guess(noise)
    pen = penalty(n, figures)
    found = _Found(tuple(sorted(breaks)), 0.0, (), 0.0)
    if n >= SHORTEST:
        found = _explained(noise.m, noise.v(tau2), pen, breaks)
        for _ in range(_ROUNDS):
            tau2 = by_residuals(noise.m - _fitted(noise.m, noise.v(tau2), found), noise, _free(n, found))
            before, found = found, _explained(noise.m, noise.v(tau2), pen, breaks)
            if found.cuts == before.cuts:
                break
    return _told(noise, tau2, found, breaks, n < SHORTEST)


def _free(n: int, found: _Found) -> int:
    return max(1, n - len(found.cuts) - 1 - (found.slope != 0.0) - 3 * len(found.drifts))


# -- what explains it


def _explained(m: FloatArray, v: FloatArray, pen: float, breaks: Collection[int]) -> _Found:
    """The cheaper of steps alone and steps with a slope; then drifts in place of steps."""
    flat = _costed(m, v, cuts_of(m, v, pen, breaks), 0.0, pen, breaks)
    best = flat
    for start in {flat.cuts, tuple(sorted(breaks))}:
        cuts = start
        for _ in range(SLOPE_ROUNDS):
            slope = _slope(m, cuts)
            if slope == 0.0:
                break
            before, cuts = cuts, cuts_of(m - slope * np.arange(m.size), v, pen, breaks)
            tried = _costed(m, v, cuts, slope, pen, breaks)
            if tried.cost < best.cost:
                best = tried
            if cuts == before:
                break
    return _with_drifts(m, v, best, pen, breaks)


def _costed(
    m: FloatArray, v: FloatArray, cuts: tuple[int, ...], slope: float, pen: float, breaks: Collection[int]
) -> _Found:
    flat = m - slope * np.arange(m.size)
    cost = sum(centre(flat[a:b], v[a:b]).cost for a, b in _segments(m.size, cuts))
    steps = sum(cut not in breaks for cut in cuts)
    return _Found(cuts, slope, (), cost + pen * (steps + (slope != 0.0)))


def _segments(n: int, cuts: Sequence[int]) -> list[tuple[int, int]]:
    return list(zip((0, *cuts), (*cuts, n), strict=True))


def _slope(m: FloatArray, cuts: Sequence[int]) -> float:
    """The weighted median of the slopes of pairs within segments."""
    slopes, weights = [], []
    for a, b in _segments(m.size, cuts):
        i, j = _pairs(b - a)
        if i.size:
            slopes.append((m[a + j] - m[a + i]) / (j - i))
            weights.append(((j - i) ** 2).astype(np.float64))
    if not slopes:
        return 0.0
    found, weight = np.concatenate(slopes), np.concatenate(weights)
    order = np.argsort(found)
    return float(found[order][np.searchsorted(np.cumsum(weight[order]), weight.sum() / 2.0)])


def _pairs(builds: int) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.int64]]:
    """Pairs of builds that lie far enough apart: all of a short segment, of a long one those of some of its builds."""
    kept = np.arange(0, builds, max(1, -(-builds // SLOPE_BUILDS)))
    i, j = np.triu_indices(kept.size, 1)
    far = kept[j] - kept[i] >= PAIR_APART
    return kept[i][far], kept[j][far]


def _with_drifts(m: FloatArray, v: FloatArray, found: _Found, pen: float, breaks: Collection[int]) -> _Found:
    """Runs of steps in one direction, the longest first, each replaced by a drift where that is cheaper."""
    flat = m - found.slope * np.arange(m.size)
    cuts, drifts, cost = list(found.cuts), list(found.drifts), found.cost
    while True:
        taken = next(
            (made for run in _one_way(flat, v, cuts, breaks) if (made := _drift(flat, v, cuts, run, pen)) is not None),
            None,
        )
        if taken is None:
            return _Found(tuple(cuts), found.slope, tuple(sorted(drifts, key=lambda d: d.first)), cost)
        run, drift, saved = taken
        cuts = [cut for cut in cuts if cut not in run]
        drifts.append(drift)
        cost -= saved
        flat = flat - _rise(flat.size, drift)


def _rise(n: int, drift: Drift) -> FloatArray:
    found: FloatArray = drift.size * np.clip((np.arange(n) - drift.first) / (drift.last - drift.first), 0.0, 1.0)
    return found


def _one_way(m: FloatArray, v: FloatArray, cuts: Sequence[int], breaks: Collection[int]) -> list[tuple[int, ...]]:
    """Runs of neighbouring steps in one direction, and parts of them, the longest first."""
    segments = _segments(m.size, cuts)
    centres = [centre(m[a:b], v[a:b]).at for a, b in segments]
    signs = [
        0 if cut in breaks else (1 if b > a else -1) for cut, a, b in zip(cuts, centres, centres[1:], strict=False)
    ]
    runs = [
        tuple(cuts[i:j])
        for i in range(len(cuts))
        for j in range(i + 1, len(cuts) + 1)
        if signs[i] and len(set(signs[i:j])) == 1
    ]
    return sorted(runs, key=lambda run: -len(run))


def _drift(
    m: FloatArray, v: FloatArray, cuts: Sequence[int], run: tuple[int, ...], pen: float
) -> tuple[tuple[int, ...], Drift, float] | None:
    """The best drift over the segments that a run of steps joins, with what it saves; None where the steps are cheaper."""
    inner = [cut for cut in cuts if cut not in run]
    a, b = next(s for s in _segments(m.size, inner) if s[0] < run[0] < s[1])
    steps = sum(centre(m[i:j], v[i:j]).cost for i, j in zip((a, *run), (*run, b), strict=True)) + pen * len(run)
    best = _best_rise(m[a:b], v[a:b])
    if best is None or best[3] + DRIFT_PENALTIES * pen >= steps:
        return None
    first, last, size, cost = best
    return run, Drift(a + first, a + last, size), steps - cost - DRIFT_PENALTIES * pen


def _best_rise(m: FloatArray, v: FloatArray) -> tuple[int, int, float, float] | None:
    """Flat, straight, flat: its ends, size and cost, over all ends where there are few, else over a grid and then around the best."""
    n = m.size
    if n <= DRIFT_BUILDS:
        return None
    ends = ENDS if n <= LONG else LONG_ENDS
    places = np.unique(np.linspace(0, n - 1, min(n, ends)).astype(np.int64))
    best = _tried(m, v, [(i, j) for i in places for j in places if j - i >= DRIFT_BUILDS])
    step = n / ends
    while best is not None and step > 1.0:  # ever nearer around the best
        step /= 4.0
        near = [(best[0] + round(a * step), best[1] + round(b * step)) for a in range(-4, 5) for b in range(-4, 5)]
        best = _tried(m, v, [(i, j) for i, j in near if i >= 0 and j < n and j - i >= DRIFT_BUILDS])
    return best


def _tried(m: FloatArray, v: FloatArray, ends: Sequence[tuple[int, int]]) -> tuple[int, int, float, float] | None:
    """The cheapest of many rises, by Huber's weights on all of them at once."""
    if not ends:
        return None
    i, j = (np.array(side, dtype=np.float64)[:, None] for side in zip(*ends, strict=True))
    x = np.clip((np.arange(m.size) - i) / (j - i), 0.0, 1.0)
    sd = np.sqrt(v)
    weights = np.broadcast_to(1.0 / v, x.shape)
    for _ in range(6):
        w = weights.sum(axis=1, keepdims=True)
        mx, my = (weights * x).sum(axis=1, keepdims=True) / w, (weights * m).sum(axis=1, keepdims=True) / w
        sxx = (weights * (x - mx) ** 2).sum(axis=1, keepdims=True)
        size = (weights * (x - mx) * (m - my)).sum(axis=1, keepdims=True) / np.maximum(sxx, 1e-300)
        r = (m - my - size * (x - mx)) / sd
        weights = np.minimum(1.0, BEND / np.maximum(np.abs(r), 1e-300)) / v
    costs = rho(r).sum(axis=1)
    k = int(costs.argmin())
    return int(ends[k][0]), int(ends[k][1]), float(size[k, 0]), float(costs[k])


def _fitted(m: FloatArray, v: FloatArray, found: _Found) -> FloatArray:
    """The level at each build (n,)."""
    rest = found.slope * np.arange(m.size) + sum(_rise(m.size, drift) for drift in found.drifts)
    flat = m - rest
    for a, b in _segments(m.size, found.cuts):
        flat[a:b] = centre(flat[a:b], v[a:b]).at
    level: FloatArray = flat + rest
    return level


# -- what is said of it


def _told(noise: Measured, tau2: float, found: _Found, breaks: Collection[int], short: bool) -> Line:
    m, n = noise.m, noise.m.size
    v, nu = noise.v(tau2), _free(noise.m.size, found)
    drifts = sum(_rise(n, drift) for drift in found.drifts)
    still = m - drifts
    flat = still - found.slope * np.arange(n)
    slope_var = _slope_variance(v, found) if found.slope else 0.0
    t = float(stdtrit(nu, _T))
    half = t * np.sqrt(v)
    a = found.cuts[-1] if found.cuts else 0
    return Line(
        noise=noise,
        tau2=tau2,
        nu=nu,
        slope=found.slope,
        slope_var=slope_var,
        steps=tuple(
            _step(still, flat, v, found, i, nu, slope_var) for i, cut in enumerate(found.cuts) if cut not in breaks
        ),
        cuts=found.cuts,
        drifts=found.drifts,
        odd=() if short else _odd(flat, v, found.cuts, nu),
        fitted=_fitted(m, v, found),
        half=np.concatenate(
            [np.full(b - a, t / math.sqrt(centre(flat[a:b], v[a:b]).weight)) for a, b in _segments(n, found.cuts)]
        ),
        low=m - half,
        high=m + half,
        end=centre(flat[a:] + found.slope * float(np.arange(a, n).mean()), v[a:]),
        end_at=float(np.arange(a, n).mean()),
        short=short,
    )


def _slope_variance(v: FloatArray, found: _Found) -> float:
    """Of a straight line within segments that have centres of their own."""
    places = np.arange(v.size, dtype=np.float64)
    total = 0.0
    for a, b in _segments(v.size, found.cuts):
        w = 1.0 / v[a:b]
        middle = float((w * places[a:b]).sum() / w.sum())
        total += float((w * (places[a:b] - middle) ** 2).sum())
    return 1.0 / total if total > 0 else 0.0


def _step(still: FloatArray, flat: FloatArray, v: FloatArray, found: _Found, i: int, nu: int, slope_var: float) -> Step:
    """Step ``i``: where it may lie, and its size over all of those places."""
    edges = (0, *found.cuts, flat.size)
    a, cut, b = edges[i], edges[i + 1], edges[i + 2]
    places = np.arange(max(a + 1, cut - NEAR), min(b, cut + NEAR + 1))
    costs = costs_at(flat[a:b], v[a:b], places - a)
    weights = np.exp(-(costs - costs.min()) / 2.0)
    weights /= weights.sum()
    order = np.argsort(-weights, kind="stable")
    held = places[order[: int(np.searchsorted(np.cumsum(weights[order]), 0.95)) + 1]]
    t = float(stdtrit(nu, _T))
    sizes = [_size(flat, v, a, int(c), b, slope_var, t) for c in held]
    lows, highs = [low for _, low, _ in sizes], [high for _, _, high in sizes]
    if found.slope == 0.0:
        for c in held:
            if (other := _sloped(still, v, a, int(c), b, t)) is not None:
                lows.append(other[1])
                highs.append(other[2])
    value = _size(flat, v, a, cut, b, slope_var, t)[0]
    return Step(cut, int(held.min()), int(held.max()), value, min(lows), max(highs))


def _size(
    flat: FloatArray, v: FloatArray, a: int, c: int, b: int, slope_var: float, t: float
) -> tuple[float, float, float]:
    left, right = centre(flat[a:c], v[a:c]), centre(flat[c:b], v[c:b])
    gap = (c + b - 1) / 2.0 - (a + c - 1) / 2.0
    se = math.sqrt(1.0 / left.weight + 1.0 / right.weight + slope_var * gap**2)
    size = right.at - left.at
    return size, size - t * se, size + t * se


def _sloped(still: FloatArray, v: FloatArray, a: int, c: int, b: int, t: float) -> tuple[float, float, float] | None:
    """The size with a slope that was not taken, where the slope lies over two of its standard errors."""
    slope = _slope(still[a:b], (c - a,))
    local = _Found((c - a,), slope, (), 0.0)
    variance = _slope_variance(v[a:b], local)
    if variance <= 0 or abs(slope) <= 2.0 * math.sqrt(variance):
        return None
    flat = still - slope * np.arange(still.size)
    return _size(flat, v, a, c, b, variance, t)


def _odd(flat: FloatArray, v: FloatArray, cuts: Sequence[int], nu: int) -> tuple[int, ...]:
    """Builds that stand alone in their segment."""
    t = float(stdtrit(nu, 1.0 - 0.005 / flat.size))
    odd = []
    for a, b in _segments(flat.size, cuts):
        whole = centre(flat[a:b], v[a:b])
        # Taking out one build moves the centre by little: only what is nearly far enough is looked at.
        apart = np.abs(flat[a:b] - whole.at) / np.sqrt(v[a:b] + 1.0 / whole.weight)
        for i in a + np.flatnonzero(apart > t / 2.0) if b - a > 1 else ():
            others = np.delete(np.arange(a, b), i - a)
            rest = centre(flat[others], v[others])
            if abs(flat[i] - rest.at) / math.sqrt(v[i] + 1.0 / rest.weight) > t:
                odd.append(int(i))
    return tuple(odd)
