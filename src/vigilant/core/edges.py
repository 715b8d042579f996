"""Quantiles at an edge between the body of the frames and the pauses.

A run with one pause more has its 99th percentile among the pauses, a run with one less in the
body: the run values are two-valued and no interval over them is honest.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from .arms import Arms
from .figures import FIGURES
from .series import FloatArray

#: A gap counts from this ratio of the frames on its two sides, and so many steps of the clock, on.
LEAST_RATIO, LEAST_STEPS = 1.15, 2.5
#: A quantile is at an edge within so many standard deviations of the runs' shares of frames beyond the gap:
#: one run in fifteen falls over it.
REACH = 1.5
#: Two clusters of run values lie so many times their own widths apart: by chance at most 1 % of arms.
APART = 8.0


def unstable_quantiles(arms: Arms, y: dict[str, FloatArray]) -> tuple[str, ...]:
    """The quantile figures among ``y`` (run values on their scale, (N,)) that lie at an edge in either arm."""
    found = []
    for name, values in y.items():
        kind = FIGURES[name]
        if kind.quantile is None or kind.work:
            continue
        # Held against the run's own median: a run that is slower as a whole is no edge.
        sides = zip(arms.arms, arms.pooled, arms.split(values - y.get("p50_ms", 0.0)), strict=True)
        if any(
            _gap_near([v.ordered for v in views], ordered, kind.quantile, LEAST_STEPS * arms.step_ms)
            or _two_clusters(part)
            for views, ordered, part in sides
        ):
            found.append(name)
    return tuple(found)


def at_edge(runs: Sequence[FloatArray], p: float, step_ms: float) -> bool:
    """Whether quantile ``p`` of runs of one kind lies at an edge: their frames (n,), ms each, on a clock of ``step_ms``."""
    own = [np.sort(frames) for frames in runs]
    values = np.log([float(np.quantile(frames, p)) / float(np.median(frames)) for frames in own])
    return _gap_near(own, np.sort(np.concatenate(own)), p, LEAST_STEPS * step_ms) or _two_clusters(values)


def _gap_near(runs: Sequence[FloatArray], ordered: FloatArray, p: float, least_ms: float) -> bool:
    """Does the largest gap of the pooled frames near quantile ``p`` lie within reach of it, each run's sorted?

    The share of frames beyond the gap differs from run to run; near is within REACH of its own
    standard deviations over the runs. At least one frame a run must lie beyond,
    and the gap must be most of what the frames within that reach span, else it is a thin tail.
    """
    n = ordered.size
    frames = n / len(runs)
    around = 4.0 * float(np.sqrt(p * (1.0 - p) / frames)) + 1.0 / frames
    a, b = int(max(0.0, p - around) * n), int(min(1.0, p + around) * n)
    window = ordered[a : min(b + 1, n - len(runs) + 1)]
    if window.size < 2:
        return False
    gaps = np.diff(window)
    i = int(np.argmax(gaps))
    if gaps[i] <= least_ms or window[i + 1] < LEAST_RATIO * window[i]:
        return False
    middle = window[i] + gaps[i] / 2.0
    shares = np.array([1.0 - np.searchsorted(v, middle) / v.size for v in runs])
    beyond = float(shares.mean())
    reach = REACH * float(shares.std(ddof=1)) if len(runs) > 1 else 0.0
    if reach == 0.0 or abs(beyond - (1.0 - p)) > reach:
        return False
    low, high = int(max(0.0, 1.0 - beyond - reach) * n), min(n - 1, int((1.0 - beyond + reach) * n))
    return bool(gaps[i] > 0.5 * (ordered[high] - ordered[low]))


def _two_clusters(y: FloatArray) -> bool:
    """Do the run values (log) of one arm fall in two clusters of two runs or more?"""
    if y.size < 4:
        return False
    ordered: FloatArray = np.sort(y)
    gaps = np.diff(ordered)[1:-1]
    i = int(np.argmax(gaps)) + 1
    width = max(float(ordered[i] - ordered[0]), float(ordered[-1] - ordered[i + 1]))
    return bool(gaps[i - 1] > max(np.log(LEAST_RATIO), APART * width))
