"""The frame that was to be expected around a frame: the mean of the ordinary frames near it.

Of the 31 frames around it, those at most max(0.25 m, 2 ms) above their median m are ordinary; the middle half of these by
length, each weighing the same, are the *typical frame*. A column's typical value is its mean over the same frames, so
that typical values of rows that add up add up as well; medians of rows do not.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..series import FloatArray, IntArray
from ..stutter import JOIN_FRAMES, WINDOW

ORDINARY_SHARE, ORDINARY_MS = 0.25, 2.0


@dataclass(frozen=True, eq=False)
class Typical:
    """For each of f frames: ``frames`` (f, w) numbers of those around it and ``weights`` (f, w), which sum to 1."""

    frames: IntArray
    weights: FloatArray

    def of(self, column: FloatArray) -> FloatArray:
        """Typical values (f,) of a column (n,); NaN where a frame that counts is not told."""
        around = np.where(self.weights > 0, column[self.frames], 0.0)
        values: FloatArray = np.einsum("fw,fw->f", around, self.weights)
        return values


def typical_around(frame_ms: FloatArray, bounds: IntArray, at: IntArray) -> Typical:
    """The typical frames of ``at`` (f,), ordered numbers among the frames that count ``frame_ms`` (n,), whose stretches
    ``bounds`` (s + 1,) delimits: a window is shifted at their ends, and a shorter stretch is one window."""
    stretch = np.searchsorted(bounds, at, "right") - 1
    first, last = bounds[stretch], bounds[stretch + 1]
    size = np.minimum(WINDOW, last - first)
    start = np.clip(at - WINDOW // 2, first, last - size)
    offsets = np.arange(WINDOW)
    inside = offsets < size[:, None]
    frames = np.where(inside, start[:, None] + offsets, start[:, None])
    x = np.where(inside, frame_ms[frames], np.inf)
    ordered = np.sort(x, axis=1)
    rows = np.arange(at.size)
    middle = 0.5 * (ordered[rows, (size - 1) // 2] + ordered[rows, size // 2])
    ordinary = x <= (middle + np.maximum(ORDINARY_SHARE * middle, ORDINARY_MS))[:, None]
    count = ordinary.sum(axis=1)
    kept = np.maximum(count // 2, 1)
    kept += 1 - kept % 2
    # The shortest are the first by a stable order, and frames that are not ordinary the last.
    rank = np.argsort(np.argsort(np.where(ordinary, x, np.inf), axis=1, kind="stable"), axis=1)
    low = (count - kept) // 2
    chosen = ordinary & (rank >= low[:, None]) & (rank < (low + kept)[:, None])
    return Typical(frames, chosen / kept[:, None])


def events_of(at: IntArray, bounds: IntArray) -> IntArray:
    """The event (f,) each of the ordered frames ``at`` belongs to: frames closer than 4 within a stretch are one."""
    if not at.size:
        return np.empty(0, dtype=np.int64)
    stretch = np.searchsorted(bounds, at, "right")
    apart = (np.diff(at) >= JOIN_FRAMES) | (np.diff(stretch) > 0)
    return np.concatenate(([0], np.cumsum(apart))).astype(np.int64)
