"""Quantiles at an edge between the body of the frames and the pauses.

A run with one pause more has its 99th percentile among the pauses, a run with one less in the
body: the run values are two-valued and no interval over them is honest.
"""

from __future__ import annotations

import numpy as np

from .arms import Arms
from .figures import FIGURES
from .series import FloatArray

#: A gap counts from this ratio of the frames on its two sides on.
LEAST_RATIO = 1.15
#: An edge is near where the share of frames beyond it is within so many of its own standard errors in one run.
REACH = 2.0
#: Two clusters of run values lie so many times their own widths apart.
APART = 3.0
LEAST_STEPS = 2.5


def unstable_quantiles(arms: Arms, y: dict[str, FloatArray]) -> tuple[str, ...]:
    """The quantile figures among ``y`` (run values on their scale, (N,)) that lie at an edge in either arm."""
    frames = [float(n.mean()) for n in arms.split(arms.frames)]
    least = LEAST_STEPS * arms.step_ms
    found = []
    for name, values in y.items():
        kind = FIGURES[name]
        if kind.quantile is None or kind.work:
            continue
        parts = arms.split(values)
        sides = zip(arms.pooled, frames, arms.k, parts, strict=True)
        if any(_gap_near(o, kind.quantile, n, k, least) or _two_clusters(part, n * least) for o, n, k, part in sides):
            found.append(name)
    return tuple(found)


def _gap_near(ordered: FloatArray, p: float, frames: float, runs: int, least_ms: float) -> bool:
    """Does the largest gap of the pooled frames near quantile ``p`` lie within reach of it?

    ``frames`` are the mean frames a run: the number of frames beyond the gap differs from run to
    run by sqrt(f (1 - f) / frames) of them, f the share beyond. At least one frame a run must lie
    beyond. The gap must be most of what the frames within that reach span, else it is a thin tail.
    """
    n = ordered.size
    around = 2.0 * REACH * np.sqrt(p * (1.0 - p) / frames) + 1.0 / frames
    a, b = int(max(0.0, p - around) * n), int(min(1.0, p + around) * n)
    window = ordered[a : min(b + 1, n - runs + 1)]
    if window.size < 2:
        return False
    gaps = np.diff(window)
    i = int(np.argmax(gaps))
    if gaps[i] <= least_ms or window[i + 1] < LEAST_RATIO * window[i]:
        return False
    beyond = 1.0 - (a + i + 1) / n
    reach = REACH * float(np.sqrt(beyond * (1.0 - beyond) / frames))
    if abs(beyond - (1.0 - p)) > reach:
        return False
    low, high = int(max(0.0, 1.0 - beyond - reach) * n), min(n - 1, int((1.0 - beyond + reach) * n))
    return bool(gaps[i] > 0.5 * (ordered[high] - ordered[low]))


def _two_clusters(y: FloatArray, least: float) -> bool:
    """Do the run values (log) of one arm fall in two clusters of two runs or more?"""
    if y.size < 4:
        return False
    ordered = np.sort(y)
    gaps = np.diff(ordered)[1:-1]
    i = int(np.argmax(gaps)) + 1
    width = max(float(ordered[i] - ordered[0]), float(ordered[-1] - ordered[i + 1]))
    return bool(gaps[i - 1] > max(np.log(LEAST_RATIO), APART * width))
