"""The steps of a line: the cheapest cuts into segments, by a dynamic programme over builds and levels.

Formulas: docs/statistics.md, *A line over builds*.
"""

from __future__ import annotations

import math
from collections.abc import Collection
from dataclasses import dataclass

import numpy as np

from vigilant.core.series import FloatArray, IntArray

#: Where squares become straight, and the straight line's slope and intercept.
BEND = 1.61
#: Builds of a segment.
LEAST = 3
#: Steps of the grid of levels in median standard deviations of a build, and the most levels.
GRID, MOST_LEVELS = 0.15, 4_000
_ROUNDS, _NEWTON, _ALL_ROUNDS = 200, 30, 300


def rho(r: FloatArray) -> FloatArray:
    """The cost of a residual in standard deviations (Huber, 1964)."""
    size = np.abs(r)
    bent = np.minimum(size, BEND)
    found: FloatArray = bent * (2.0 * size - bent)  # the square up to the bend, then its tangent
    return found


@dataclass(frozen=True)
class Centre:
    """The Huber centre of some builds: its place, the weight under it (1 / variance), and what they cost about it."""

    at: float
    weight: float
    cost: float


def centre(m: FloatArray, v: FloatArray) -> Centre:
    """Where sum rho((m - at) / sqrt v) is least."""
    sd = np.sqrt(v)
    at = _newton(m, sd, 1.0 / v)
    r = (m - at) / sd
    weights = np.minimum(1.0, BEND / np.maximum(np.abs(r), 1e-300)) / v
    return Centre(at, float(weights.sum()), float(rho(r).sum()))


def _newton(m: FloatArray, sd: FloatArray, w: FloatArray) -> float:
    """The centre by Newton's steps, which end where no build changes sides; by weights that are made anew where they go round in a
    circle."""
    at = float((w * m).sum() / w.sum())
    if not bool((np.abs(m - at) > BEND * sd).any()):
        return at
    at = float(np.median(m))
    before = None
    for _ in range(_NEWTON):
        off = m - at
        far = np.abs(off) > BEND * sd
        inner = float(w[~far].sum())
        if inner <= 0.0 or (
            before is not None and bool((far == before[0]).all() and (np.sign(off[far]) == before[1]).all())
        ):
            break
        before = far, np.sign(off[far])
        at = (float((w[~far] * m[~far]).sum()) + BEND * float((np.sign(off[far]) / sd[far]).sum())) / inner
    else:
        before = None
    if before is not None and inner > 0.0:
        return at
    for _ in range(_ROUNDS):
        weights = w * np.minimum(1.0, BEND * sd / np.maximum(np.abs(m - at), 1e-300))
        moved = float((weights * m).sum() / weights.sum())
        if abs(moved - at) <= 1e-13 * max(1.0, abs(at)):
            return moved
        at = moved
    return at


def costs_at(m: FloatArray, v: FloatArray, cuts: IntArray) -> FloatArray:
    """What the builds cost about two centres of their own, cut at each of ``cuts`` (c,)."""
    sd, w = np.sqrt(v), 1.0 / v
    left = np.arange(m.size) < cuts[:, None]
    total = np.zeros(cuts.size)
    for side in (left, ~left):
        own = np.where(side, w, 0.0)
        at = (own * m).sum(axis=1) / own.sum(axis=1)
        for _ in range(_ALL_ROUNDS):
            weights = own * np.minimum(1.0, BEND * sd / np.maximum(np.abs(m - at[:, None]), 1e-300))
            moved = (weights * m).sum(axis=1) / weights.sum(axis=1)
            settled = bool((np.abs(moved - at) <= 1e-9 * np.sqrt(1.0 / weights.sum(axis=1))).all())
            at = moved
            if settled:
                break
        total += np.where(side, rho((m - at[:, None]) / sd), 0.0).sum(axis=1)
    return total


def penalty(builds: int, figures: int) -> float:
    """What a step costs."""
    return 3.0 * math.log(max(builds, 8)) + 2.0 * math.log(figures)


def cuts_of(m: FloatArray, v: FloatArray, pen: float, breaks: Collection[int] = ()) -> tuple[int, ...]:
    """The builds at which a segment begins (the first apart) for the least cost. At a break a segment begins for nothing, and the one
    before it may be shorter than three."""
    n = m.size
    if n < 2:
        return ()
    grid = _grid(m, v)
    sd = np.sqrt(v)
    far = np.full(grid.size, np.inf)
    ages = [rho((m[0] - grid) / sd[0]), far, far]
    from_second = np.zeros((n, grid.size), dtype=bool)
    before = np.zeros(n, dtype=np.int64)
    age_before = np.full(n, 2, dtype=np.int64)
    for b in range(1, n):
        cost = rho((m[b] - grid) / sd[b])
        from_second[b] = ages[1] < ages[2]
        third = np.minimum(ages[1], ages[2])
        if b in breaks:
            bests = [float(age.min()) for age in ages]
            age_before[b] = int(np.argmin(bests))
            before[b] = int(ages[age_before[b]].argmin())
            ages = [bests[age_before[b]] + cost, far, far]
            continue
        before[b] = int(ages[2].argmin())
        opened = float(ages[2][before[b]]) + pen
        ages = [opened + cost, ages[0] + cost, third + cost]
    return _traced(ages, from_second, before, age_before, breaks)


def _grid(m: FloatArray, v: FloatArray) -> FloatArray:
    low, high = float(m.min()), float(m.max())
    step = GRID * float(np.median(np.sqrt(v)))
    count = min(MOST_LEVELS, max(2, int((high - low) / step) + 2)) if step > 0 else 2
    found: FloatArray = np.linspace(low, high, count)
    return found


def _traced(
    ages: list[FloatArray], from_second: np.ndarray, before: np.ndarray, age_before: np.ndarray, breaks: Collection[int]
) -> tuple[int, ...]:
    """The cuts, from the end back: the last segment has three builds too, where it has not begun at a break."""
    n = before.size
    last = max((b for b in breaks if b < n), default=0)
    short = n - last < LEAST
    age = 2 if not short else n - last - 1
    level = int(ages[age].argmin())
    cuts: list[int] = []
    b = n - 1
    while b > 0:
        if age == 2:
            age = 1 if from_second[b, level] else 2
        elif age == 1:
            age = 0
        else:
            cuts.append(b)
            level, age = int(before[b]), int(age_before[b])
        b -= 1
    return tuple(reversed(cuts))
