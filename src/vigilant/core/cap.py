"""Is a run held by a refresh cap? Found from the frames, not believed from a setting.

The frames of a capped run are phase locked: their running total keeps to whole periods, so the
residuals of long blocks spread no more than those of single frames. A limiter that sleeps
relative to now loses the phase and is not seen.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from .series import FloatArray, median, spread_evenly

KNOWN_REFRESH_HZ = (24, 25, 30, 48, 50, 60, 72, 75, 80, 90, 100, 120, 144, 165, 180, 200, 240, 280, 300, 360, 480)
BLOCK = 16
#: The lock of a longer run is judged on so many frames, in blocks spread evenly over it.
MOST_FRAMES = 131_072
LEAST_BLOCKS = 8
#: A run of fewer frames has too few blocks to tell chance from a lock: every window counts instead.
SHORT = 4096
#: The shortest runs must be locked more clearly.
SHORTEST, SHORTEST_ROOM = 512, 0.8
#: No screen and no limiter holds frames to less than this, ms: what is as short and steady is work.
LEAST_MS = 0.9
#: Spreads, as a share of the period: of frames alike to the digit, of steady ones, of what is no lock.
EXACT, STEADY, LOOSE = 2e-5, 1e-3, 0.1


def half_sample_mode(ordered: FloatArray) -> float:
    """Mode of a sorted sample: the densest half, halved again, until three values are left."""
    x = ordered
    while x.size > 3:
        half = (x.size + 1) // 2
        start = int(np.argmin(x[half - 1 :] - x[: x.size - half + 1]))
        x = x[start : start + half]
    if x.size == 3:
        x = x[:2] if x[1] - x[0] < x[2] - x[1] else x[1:] if x[2] - x[1] < x[1] - x[0] else x[1:2]
    return float(x.mean())


def _scaled_mad(values: FloatArray) -> float:
    away = values - median(values)
    return 1.4826 * median(np.abs(away, out=away), scratch=True)


def _locked(stretches: Sequence[FloatArray], period: float) -> bool:
    """Are the frames phase locked to the period? The dear looks come last, since few runs get to them."""
    residuals = [s - period * np.round(s / period) for s in stretches]

    def spread(size: int) -> float:
        return _scaled_mad(_sums(residuals, size))

    s1 = spread(1)
    if s1 < EXACT * period or (s1 < STEADY * period and _is_refresh(period, 0.002)):
        return True  # durations rounded one by one have lost their phase; steady work has none, and any period
    if s1 >= LOOSE * period:
        return False
    room = SHORTEST_ROOM if sum(s.size for s in stretches) < SHORTEST else 1.0
    s16 = spread(BLOCK) ** 2
    return bool(s16 < 4.8 * room * s1**2 and s16 < 3.2 * room * spread(2) ** 2 and s16 < 2.4 * room * spread(4) ** 2)


def _is_refresh(period: float, within: float) -> bool:
    rate = 1000.0 / period
    return min(abs(rate / known - 1.0) for known in KNOWN_REFRESH_HZ) <= within


def _sums(stretches: Sequence[FloatArray], size: int) -> FloatArray:
    """Sums over ``size`` neighbours: every window of a short run, every block of a long one."""
    if size == 1:
        return stretches[0] if len(stretches) == 1 else np.concatenate(stretches)
    if sum(s.size for s in stretches) >= SHORT:
        sums: FloatArray = _blocks(stretches, size).sum(axis=1)
        return sums
    ends = [np.concatenate(([0.0], np.cumsum(s))) for s in stretches if s.size >= size]
    return np.concatenate([e[size:] - e[:-size] for e in ends])


def _blocks(stretches: Sequence[FloatArray], size: int) -> FloatArray:
    parts = [s[: s.size // size * size].reshape(-1, size) for s in stretches if s.size >= size]
    return np.concatenate(parts) if parts else np.empty((0, size))


def cap_period_ms(stretches: Sequence[FloatArray], ordered: FloatArray, timer_step: float = 0.0) -> float | None:
    """Refresh period in ms that holds the run, or None.

    ``ordered`` are the run's frames sorted. Method and thresholds: docs/statistics.md, *Cap*.
    With a timer step above 2 % of the period only a period within 0.5 % of a known refresh
    rate counts, since a steady load on a coarse timer is phase locked too.
    """
    n = ordered.size
    v = half_sample_mode(ordered)
    if v <= 0:
        return None
    near = np.searchsorted(ordered, 1.15 * v, "right") - np.searchsorted(ordered, 0.85 * v, "left")
    if near < 0.5 * n or np.searchsorted(ordered, 0.85 * v, "left") > 0.05 * n:
        return None
    blocks = _blocks(stretches, BLOCK)
    if blocks.size > MOST_FRAMES:
        blocks = spread_evenly(blocks, MOST_FRAMES)
        stretches = [blocks.ravel()]
    if blocks.shape[0] < LEAST_BLOCKS:
        return None
    totals = blocks.sum(axis=1)
    for _ in range(3):
        periods = np.round(blocks / v).sum(axis=1)
        if not (periods > 0).all():
            return None
        v = median(totals / periods)
    if v < LEAST_MS or not _locked(stretches, v):
        return None
    if timer_step > 0.02 * v and not _is_refresh(v, 0.005):
        return None
    return v
