"""Late shares of a group of sessions, with intervals that hold although the frames of a session hang together.

Formulas: docs/statistics.md, *Field: intervals of a group*.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.special import expit, logit, ndtri, stdtrit

from vigilant.core.errors import InvalidComparison
from vigilant.core.series import FloatArray

from .histogram import BUCKETS, EDGES_MS, Told

#: Groups that installations are dealt into by their hash, and how many must be in use.
GROUPS, LEAST_GROUPS = 32, 8
#: Sessions and installations from which anything is shown of a group; from which the tail is, and from which it is not few.
LEAST_SESSIONS, LEAST_INSTALLATIONS, TAIL_SESSIONS, MANY_SESSIONS = 50, 20, 100, 300
TAIL = 0.95


@dataclass(frozen=True)
class Share:
    """A share of frames with its 95 % interval, None where nothing was late; ``variance`` of the share and ``df``; ``effective`` sessions
    beside how many there are; ``se`` on the logit."""

    p: float
    low: float | None
    high: float | None
    variance: float
    df: float
    effective: float
    sessions: int

    @property
    def se(self) -> float:
        return math.sqrt(self.variance) / (self.p * (1.0 - self.p)) if 0 < self.p < 1 else math.inf


def share(late: Sequence[float] | FloatArray, frames: Sequence[float] | FloatArray) -> Share:
    """Of sessions with so many ``late`` of so many ``frames`` each. Raises :class:`InvalidComparison` for fewer than two sessions, and
    for counts that are none."""
    c, n = np.asarray(late, dtype=np.float64), np.asarray(frames, dtype=np.float64)
    if c.shape != n.shape or c.ndim != 1 or c.size < 2:
        raise InvalidComparison("a share is of two sessions at least, each with late frames and frames")
    if not bool((np.isfinite(c) & np.isfinite(n) & (c >= 0) & (n > 0) & (c <= n)).all()):
        raise InvalidComparison("every session has a frame, and no more late ones than frames")
    total, m = float(n.sum()), int(n.size)
    p = float(c.sum()) / total
    effective = total**2 / float((n**2).sum())
    if not 0 < p < 1:
        return Share(p, None, None, 0.0, m - 1.0, effective, m)
    z = (c - p * n) / (total * (1.0 - n / total))
    variance, df = spread_of(z, m)
    variance = max(variance, p * (1.0 - p) / total)
    half = float(stdtrit(df, 0.975)) * math.sqrt(variance) / (p * (1.0 - p))
    at = float(logit(p))
    return Share(p, float(expit(at - half)), float(expit(at + half)), variance, df, effective, m)


def share_of_sums(
    late: float, frames: float, frames_squared: float, frames_late: float, late_squared: float, sessions: int
) -> Share:
    """The same from sums over sessions: of late frames, frames, their squares and their product. It leaves no session out, and takes all
    sessions for alike in size. Raises :class:`InvalidComparison` for fewer than two."""
    if sessions < 2 or not 0 <= late <= frames or frames <= 0 or frames_squared <= 0:
        raise InvalidComparison("a share is of two sessions at least, each with late frames and frames")
    p, m = late / frames, sessions
    effective = frames**2 / frames_squared
    if not 0 < p < 1:
        return Share(p, None, None, 0.0, m - 1.0, effective, m)
    squares = max(0.0, late_squared - 2.0 * p * frames_late + p**2 * frames_squared) / frames**2
    variance = max(squares * m / (m - 1.0), p * (1.0 - p) / frames)
    half = float(stdtrit(m - 1.0, 0.975)) * math.sqrt(variance) / (p * (1.0 - p))
    at = float(logit(p))
    return Share(p, float(expit(at - half)), float(expit(at + half)), variance, m - 1.0, effective, m)


def spread_of(z: FloatArray, m: int) -> tuple[float, float]:
    """The variance of a sum of m parts ``z`` that each were left out once, and its degrees of freedom by how unlike they are."""
    squares = float((z**2).sum())
    if squares <= 0:
        return 0.0, m - 1.0
    return (m - 1.0) / m * squares, min(m - 1.0, squares**2 / float((z**4).sum()))


def share_of_groups(late: Sequence[float] | FloatArray, frames: Sequence[float] | FloatArray) -> Share:
    """The same from the totals of the groups that installations are dealt into, each left out once. Raises :class:`InvalidComparison` where
    fewer than eight are in use."""
    c, n = np.asarray(late, dtype=np.float64), np.asarray(frames, dtype=np.float64)
    used = n > 0
    c, n = c[used], n[used]
    if n.size < LEAST_GROUPS:
        raise InvalidComparison(f"{n.size} groups of installations are in use; {LEAST_GROUPS} are the least")
    total, events, m = float(n.sum()), float(c.sum()), int(n.size)
    p, effective = events / total, total**2 / float((n**2).sum())
    if not 0 < p < 1:
        return Share(p, None, None, 0.0, m - 1.0, effective, m)
    left = logit((events - c + 0.5) / (total - n + 1.0))
    z = left - float(left.mean())
    variance, df = spread_of(z, m)
    variance = max(variance, 1.0 / (p * (1.0 - p) * total))
    half = float(stdtrit(df, 0.975)) * math.sqrt(variance)
    at = float(logit(p))
    return Share(p, float(expit(at - half)), float(expit(at + half)), variance * (p * (1.0 - p)) ** 2, df, effective, m)


def none_seen(effective: float) -> float:
    """The most that the share of sessions with any late frame may be, where none was: 3 / sessions."""
    return min(1.0, 3.0 / effective)


def wilson(events: int, of: int) -> Told:
    """A share of sessions, each of which counts once, with its 95 % interval (Wilson, 1927)."""
    z, p = float(ndtri(0.975)), events / of
    middle = (p + z**2 / (2 * of)) / (1 + z**2 / of)
    half = z * math.sqrt(p * (1 - p) / of + z**2 / (4 * of**2)) / (1 + z**2 / of)
    return Told(p, max(0.0, middle - half), min(1.0, middle + half))


def percentile(counts: Sequence[Sequence[int]], p: float) -> tuple[float, float]:
    """Between which edges, ms, the percentile of sessions with these buckets (m, 162) lies: the highest whose share above is surely over
    1 - p, and the lowest whose share above is surely under it. Raises :class:`InvalidComparison`."""
    buckets = np.asarray(counts, dtype=np.float64)
    if buckets.ndim != 2 or buckets.shape[1] != BUCKETS or buckets.shape[0] < 2 or not 0 < p < 1:
        raise InvalidComparison("a percentile of a group is of two sessions at least")
    frames = buckets.sum(axis=1)
    above = frames[:, None] - np.cumsum(buckets, axis=1)
    low, high = 0.0, math.inf
    for i in range(BUCKETS - 1):
        told = share(above[:, i], frames)
        if told.p > 1 - p and (told.low is None or told.low > 1 - p):
            low = float(EDGES_MS[i])
        if told.p < 1 - p and (told.high is None or told.high < 1 - p):
            high = float(EDGES_MS[i])
            break
    return low, high


def shown(sessions: int, installations: int, p: float | None = None) -> str:
    """Why nothing is shown of a group, by numbers that are known beforehand, never by what was seen; "" where it is. With ``p`` that
    percentile."""
    if sessions < LEAST_SESSIONS:
        return f"fewer than {LEAST_SESSIONS}"
    if installations < LEAST_INSTALLATIONS:
        return f"fewer than {LEAST_INSTALLATIONS} installations"
    return "the tail needs more sessions" if p is not None and p > TAIL and sessions < TAIL_SESSIONS else ""
