"""Stutter events: frames far above their own neighbourhood (docs/statistics.md)."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from .series import FloatArray, IntArray, median, spread_evenly

WINDOW = 31
SHARE_OVER_MEDIAN = 0.75
LEAST_EXCESS_MS = 4.0
JOIN_FRAMES = 4
#: At least WINDOW frames, so that a window lies within three blocks.
BLOCK = 32
MOST_SPREAD_FRAMES = 131_072


@dataclass(frozen=True, eq=False)
class StutterEvents:
    """Events of one run: ``first`` and ``worst`` frame (e,), summed excess and longest frame in ms (e,)."""

    first: IntArray
    worst: IntArray
    size_ms: FloatArray
    longest_ms: FloatArray

    def __len__(self) -> int:
        return int(self.first.size)


def _window_start(j: IntArray, n: int) -> IntArray:
    """First frame of the 31-frame window around j: shifted, not shortened, at the ends."""
    return np.clip(j - WINDOW // 2, 0, n - WINDOW)


def _window_minimum(x: FloatArray) -> FloatArray:
    """Minimum of x[i:i+31] for every i with a whole window, by doubling: five passes."""
    m = x
    for step in (1, 2, 4, 8):
        m = np.minimum(m[:-step], m[step:])
    return np.minimum(m[:-15], m[15:])


def _possible(x: FloatArray, share: float, least_ms: float) -> IntArray:
    """Frames that can exceed: no window's median lies below the least frame of the three blocks around it."""
    whole = x.size // BLOCK * BLOCK
    low = x[:whole].reshape(-1, BLOCK).min(axis=1)
    if whole < x.size:
        low = np.append(low, x[whole:].min())
    floor = np.minimum(low, np.minimum(np.append(low[1:], low[-1]), np.insert(low[:-1], 0, low[0])))
    # The windows at both ends are shifted and reach further in than their own block's neighbours.
    floor[:2], floor[-2:] = low[:3].min(), low[-3:].min()
    limit = floor + np.maximum(share * floor, least_ms)
    blocks = whole // BLOCK
    over = np.flatnonzero(x[:whole].reshape(-1, BLOCK) > limit[:blocks, None])
    return over if whole == x.size else np.append(over, whole + np.flatnonzero(x[whole:] > limit[-1]))


def exceedances(x: FloatArray, allowance_ratio: float, least_ms: float) -> tuple[IntArray, FloatArray]:
    """Frames j of one stretch with x_j - m_j > max(0.75 r m_j, least), and their excess over m_j.

    m_j is the median of the 31 frames around j; medians are taken only for the few frames that can exceed.
    """
    n = x.size
    share = SHARE_OVER_MEDIAN * allowance_ratio
    if n < WINDOW:
        candidates = np.arange(n)
        medians = np.full(n, median(x))
    else:
        candidates = _possible(x, share, least_ms)
        if candidates.size * 16 > n:
            minimum = _window_minimum(x)
            floor = minimum[_window_start(candidates, n)]
            candidates = candidates[x[candidates] - floor > np.maximum(share * floor, least_ms)]
        medians = np.empty(candidates.size)
        windows = np.lib.stride_tricks.sliding_window_view(x, WINDOW)
        starts = _window_start(candidates, n)
        for a in range(0, candidates.size, 16384):
            block = windows[starts[a : a + 16384]]
            medians[a : a + 16384] = np.partition(block, WINDOW // 2, axis=1)[:, WINDOW // 2]
    excess = x[candidates] - medians
    hit = excess > np.maximum(share * medians, least_ms)
    return candidates[hit], excess[hit]


def stutter_events(
    stretches: Sequence[FloatArray], allowance_ratio: float = 1.0, spread_ms: float = 0.0
) -> StutterEvents:
    """Stutter events over stretches; frame numbers count through the stretches.

    ``allowance_ratio`` is r and ``spread_ms`` is s of a comparison: the threshold is
    max(0.75 r m_j, 4 ms, 6 s). Exceedances closer than 4 frames are one event; its size is its
    summed excess.
    """
    least = max(LEAST_EXCESS_MS, 6.0 * spread_ms)
    first, worst, size, longest = [], [], [], []
    offset = 0
    for x in stretches:
        at, excess = exceedances(x, allowance_ratio, least)
        if at.size:
            starts = np.concatenate(([0], np.flatnonzero(np.diff(at) >= JOIN_FRAMES) + 1))
            first.append(at[starts] + offset)
            size.append(np.add.reduceat(excess, starts))
            tall = np.maximum.reduceat(x[at], starts)
            longest.append(tall)
            group = np.repeat(np.arange(starts.size), np.diff(np.append(starts, at.size)))
            hits = np.flatnonzero(x[at] == tall[group])
            worst.append(at[hits[np.unique(group[hits], return_index=True)[1]]] + offset)
        offset += x.size
    if not first:
        none = np.empty(0, dtype=np.int64)
        return StutterEvents(none, none, np.empty(0), np.empty(0))
    return StutterEvents(np.concatenate(first), np.concatenate(worst), np.concatenate(size), np.concatenate(longest))


def block_spread_ms(stretches: Sequence[FloatArray]) -> float:
    """1.4826 median abs(x - median of its block of 31 frames) of one run, in ms.

    Of a longer stretch than MOST_SPREAD_FRAMES blocks spread evenly over it are taken.
    """
    deviations = []
    for x in stretches:
        whole = x.size // WINDOW * WINDOW
        if whole:
            blocks = spread_evenly(x[:whole].reshape(-1, WINDOW), MOST_SPREAD_FRAMES)
            middle = np.sort(blocks, axis=1)[:, WINDOW // 2 : WINDOW // 2 + 1]
            deviations.append(np.abs(blocks - middle).ravel())
        if whole < x.size:
            rest = x[whole:]
            deviations.append(np.abs(rest - median(rest)))
    return 1.4826 * median(np.concatenate(deviations))
