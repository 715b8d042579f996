"""Least variances of one run's y on each scale, so that identical values do not become certainty.

Every floor stands here once (docs/statistics.md, *Floors*).
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from .counts import count_variance
from .series import FloatArray

#: Least standard deviation of a logarithm from run to run.
LOG_SD = 0.0005
LOG_VARIANCE = LOG_SD**2


def log_floor(level_ms: float, step_ms: float) -> float:
    """Of ln(figure): max(0.0005, 0.05 q / level)^2, the level in ms (1000 / level for a rate)."""
    return float(max(LOG_SD, 0.05 * step_ms / level_ms) ** 2)


def late_floor(share: float, frames: float) -> float:
    """Of the late share's logit: 1 / (c + 0.5) + 1 / (n - c + 0.5), c = pooled share x mean frames, at most 2."""
    c = share * frames
    return min(2.0, 1.0 / (c + 0.5) + 1.0 / (frames - c + 0.5))


def count_floor(rate: float, minutes: FloatArray, runs: int) -> float:
    """Of 2 sqrt(events a minute + offset): mean of countvar(rate T_i + 1 / runs) / T_i over an arm's runs.
    ``rate`` is pooled over all ``runs``, those of the other arm too where there is one."""
    return float(np.mean([count_variance(rate * t + 1.0 / runs) / t for t in minutes]))


def effective_event(events: Sequence[FloatArray]) -> float:
    """w = sum e^2 / sum e over all events of all runs, in their unit; 0 where there is none."""
    whole = float(sum(e.sum() for e in events))
    return float(sum((e**2).sum() for e in events)) / whole if whole > 0 else 0.0


def event_share_floor(w_ms: float, whole_ms: float, mean_s: float, runs: int) -> float:
    """Of sqrt(1000 share): w / (4 S) countvar((N + 1) / runs), N = whole / w, S mean seconds a run."""
    return w_ms / (4.0 * mean_s) * count_variance((whole_ms / w_ms + 1.0) / runs) if w_ms > 0 else 0.0
