"""Stutters that recur at one place of the course in most runs: part of the course, not of chance."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..levels import even, holm
from ..series import FloatArray, IntArray

DRAWS = 999
POINT = 0.95
#: Stutters are turned within pieces of the course no longer than this share of it.
PIECE = 0.06
LEAST_RUNS = 3
APART = 4.0
WIDTH, WIDTH_S = 0.004, 0.25


@dataclass(frozen=True)
class RecurringPlace:
    """A place (0..1 of the course), ``runs`` of each arm that have a stutter there, and of how many."""

    at: float
    runs: tuple[int, int]
    of: tuple[int, int]
    #: Fisher's exact p that both arms have it alike, and whether Holm over the places rejects that.
    p_value: float
    differs: bool


@dataclass(frozen=True, eq=False)
class Recurrence:
    """``places`` that recur; ``needed`` runs with a stutter at one place for it to recur (both arms, before, after);
    ``width`` (0..1) within which stutters are at one place; ``dense`` is the mean number of stutters a run in a window
    of that width: where it is high, one place is hardly told from its neighbours."""

    places: tuple[RecurringPlace, ...]
    needed: tuple[int, int, int]
    width: float
    dense: float


def width_of(length_s: float) -> float:
    """How near stutters have to be to be at one place, as a share of the course."""
    return max(WIDTH, WIDTH_S / length_s)


def counts_at(positions: Sequence[FloatArray], grid: FloatArray, width: float) -> IntArray:
    """In how many runs there is a stutter within ``width`` of each place of ``grid`` (g,)."""
    total = np.zeros(grid.size, np.int64)
    for own in positions:
        ordered = np.sort(own)
        total += np.searchsorted(ordered, grid + width, "right") > np.searchsorted(ordered, grid - width, "left")
    return total


def needed_runs(
    positions: Sequence[FloatArray], edges: FloatArray, width: float, seed: int = 0, draws: int = DRAWS
) -> int:
    """Runs with a stutter at one place from which on it recurs: the 95 % point, plus one, of the largest such number
    where each run's stutters are turned by draws of their own within pieces of the course; three at least, and half of
    the runs. ``edges`` (s + 1,) are those of the legs, 0..1."""
    rng = np.random.default_rng(seed)
    bounds = pieces(edges)
    spans = np.diff(bounds)
    whole = np.arange(draws)[:, None] * APART
    turned = []
    for own in map(np.asarray, positions):
        piece = np.clip(np.searchsorted(bounds, own, "right") - 1, 0, spans.size - 1)
        by = rng.random((draws, spans.size)) * spans
        turned.append(whole + bounds[piece] + (own - bounds[piece] + by[:, piece]) % spans[piece])
    # All draws at once: they lie so far apart that none reaches into another.
    grid = np.concatenate(turned, axis=1) if turned else np.empty((draws, 0))
    largest = counts_at([t.ravel() for t in turned], grid.ravel(), width).reshape(grid.shape).max(axis=1, initial=0)
    point = int(np.sort(largest)[int(np.ceil(POINT * draws)) - 1])
    return max(point + 1, LEAST_RUNS, -(-len(positions) // 2))


def pieces(edges: FloatArray) -> FloatArray:
    """Bounds of pieces of at most 6 % of the course, none across a leg's edge."""
    bounds = [edges[:1]]
    for start, stop in itertools.pairwise(edges.tolist()):
        bounds.append(np.linspace(start, stop, max(1, int(np.ceil((stop - start) / PIECE - 1e-9))) + 1)[1:])
    return np.concatenate(bounds)


def recurring(
    before: Sequence[FloatArray],
    after: Sequence[FloatArray],
    edges: FloatArray,
    length_s: float,
    alpha: float = 0.05,
    seed: int = 0,
    draws: int = DRAWS,
) -> Recurrence:
    """Places (0..1) of stutters of each run to those that recur: in both arms together, then in each alone."""
    from scipy.stats import fisher_exact  # here: it is half a second of every program's start

    width = width_of(length_s)
    both = [*before, *after]
    grid = np.sort(np.concatenate([np.asarray(p, float) for p in both])) if both else np.empty(0)
    groups = (both, list(before), list(after))
    needed = tuple(needed_runs(group, edges, width, seed + i, draws) for i, group in enumerate(groups))
    found = _places(groups, needed, grid, width)
    runs = [(_has(before, at, width), _has(after, at, width)) for at in found]
    of = (len(before), len(after))
    p = [float(fisher_exact([[b, of[0] - b], [a, of[1] - a]]).pvalue) for b, a in runs]
    differ = holm(p, even(alpha).of)
    dense = grid.size / max(1, len(both)) * 2 * width
    places = tuple(
        RecurringPlace(at, own, of, value, differs)
        for at, own, value, differs in zip(found, runs, p, differ, strict=True)
    )
    return Recurrence(places, (needed[0], needed[1], needed[2]), width, dense)


def _has(arm: Sequence[FloatArray], at: float, width: float) -> int:
    return int(counts_at(arm, np.array([at]), width)[0])


def _places(
    groups: Sequence[Sequence[FloatArray]], needed: Sequence[int], grid: FloatArray, width: float
) -> list[float]:
    """Places that recur in any group, the fullest first taken; those closer than two widths are one."""
    taken: list[float] = []
    for group, least in zip(groups, needed, strict=True):
        counts = counts_at(group, grid, width)
        for i in np.argsort(-counts, kind="stable").tolist():
            if counts[i] < least:
                break
            if all(abs(grid[i] - other) >= 2 * width for other in taken):
                near = np.concatenate([p[np.abs(p - grid[i]) <= width] for p in map(np.asarray, group)])
                taken.append(float(np.median(near)))
    return sorted(taken)
