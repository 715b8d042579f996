"""Runs that are one run: the same frames twice, and stretches of one run found in another.

Copies of a run have no spread from run to run, so five of them give a certain verdict from one.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
import numpy.typing as npt

from .errors import RepeatedRun
from .series import FrameSeries

#: Frames closer than this are the same: unit conversions lose less, and no clock ticks finer.
SAME_MS = 1e-6
#: Stretches are looked for in so many frames of each run.
MOST_FRAMES = 262_144
WINDOW, LEAST_DISTINCT = 16, 12
#: One frame in so many starts a stretch that is looked for.
ANCHOR_BITS = 5
LEAST_ANCHORS = 8
_MULTIPLIER = np.uint64(0x9E3779B97F4A7C15)

UIntArray = npt.NDArray[np.uint64]


def same_frames(a: FrameSeries, b: FrameSeries) -> bool:
    """Do two runs hold the same frame times, to a millionth of a millisecond? O(1) where they plainly do not."""
    x, y = a.frame_ms, b.frame_ms
    if x.size != y.size or abs(x[0] - y[0]) > SAME_MS or abs(x[-1] - y[-1]) > SAME_MS:
        return False
    return bool((np.abs(x - y) <= SAME_MS).all())


def run_name(series: FrameSeries, place: int) -> str:
    """What a run was read from, else its place in the arm from 1."""
    return series.source or f"run {place + 1}"


def refuse_repeats(arms: Mapping[str, Sequence[FrameSeries]]) -> None:
    """Raises :class:`RepeatedRun` for two runs of one arm with the same frames.

    To be asked wherever runs come from outside; :func:`~vigilant.core.compare` itself takes them, so that
    what identical runs come to under the floors can be worked out.
    """
    for arm, runs in arms.items():
        for i, run in enumerate(runs):
            for j in range(i):
                if same_frames(runs[j], run):
                    raise RepeatedRun(arm, run_name(runs[j], j), run_name(run, i))


def stretch_marks(series: FrameSeries) -> UIntArray:
    """Fingerprints of stretches of :data:`WINDOW` frames, starting where the frame's own value says so:
    the same stretch gives the same ones wherever it stands. Stretches of few distinct values, as
    coarse clocks and caps make, are left out: they come alike by chance."""
    x = series.frame_ms[:MOST_FRAMES]
    if x.size < WINDOW:
        return np.empty(0, dtype=np.uint64)
    ticks = np.round(x / SAME_MS).astype(np.int64).view(np.uint64)
    mixed: UIntArray = ticks * _MULTIPLIER
    starts = np.flatnonzero(mixed[: x.size - WINDOW + 1] >> np.uint64(64 - ANCHOR_BITS) == 0)
    if starts.size == 0:
        return np.empty(0, dtype=np.uint64)
    windows = ticks[starts[:, None] + np.arange(WINDOW)]
    distinct = 1 + np.count_nonzero(np.diff(np.sort(windows, axis=1), axis=1), axis=1)
    weights = np.cumprod(np.full(WINDOW, _MULTIPLIER, dtype=np.uint64))
    marks: UIntArray = (windows * weights).sum(axis=1, dtype=np.uint64)[distinct >= LEAST_DISTINCT]
    return marks


def shared_stretches(runs: Sequence[FrameSeries]) -> list[tuple[int, int, float]]:
    """Pairs of runs that share stretches: their places, and the share of the shorter one's stretches."""
    marks = [np.unique(stretch_marks(run)) for run in runs]
    found = []
    for j, later in enumerate(marks):
        for i, earlier in enumerate(marks[:j]):
            fewer = min(earlier.size, later.size)
            if fewer >= LEAST_ANCHORS:
                share = np.intersect1d(earlier, later, assume_unique=True).size / fewer
                if share > 0:
                    found.append((i, j, float(share)))
    return found
