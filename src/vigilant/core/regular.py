"""Regular pauses: stutters that come every so many frames or seconds.

The strength is the share of gaps between stutters that lie within 15 % of the median gap or of twice
it (one pause that was not long enough to count). Were the stutters scattered by chance, the gaps
would be exponential and a share of about 0.19 would; it is tested against 0.25, since the median is
taken from the same gaps, by the binomial distribution.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from scipy.special import betainc

from .series import FloatArray, median
from .stutter import StutterEvents

WITHIN = 0.15
BY_CHANCE = 0.25
LEAST_GAPS = 6
LEAST_STRENGTH = 0.6
LEVEL = 0.001


@dataclass(frozen=True)
class RegularPauses:
    """``period`` in ``unit``, and the share of gaps that keep it."""

    period: float
    unit: Literal["frames", "s"]
    strength: float


def regular_pauses(events: StutterEvents, frame_ms: FloatArray) -> RegularPauses | None:
    """The period of a run's stutters, by frames or by time, whichever holds better; None where none
    does. ``frame_ms`` (n,) are the frames that the events count through."""
    if len(events) <= LEAST_GAPS:
        return None
    starts_s = (np.cumsum(frame_ms) - frame_ms)[events.first] / 1000.0
    by_frames = _kept(np.diff(events.first).astype(np.float64))
    by_time = _kept(np.diff(starts_s))
    (period, share), unit = max((by_frames, "frames"), (by_time, "s"), key=lambda found: found[0][1])
    gaps = len(events) - 1
    kept = round(share * gaps)
    chance = float(betainc(kept, gaps - kept + 1, BY_CHANCE)) if kept else 1.0  # P(binomial >= kept)
    if share < LEAST_STRENGTH or chance > LEVEL:
        return None
    return RegularPauses(period, "frames" if unit == "frames" else "s", share)


def _kept(gaps: FloatArray) -> tuple[float, float]:
    """The median gap and the share of gaps near it or near twice it."""
    period = median(gaps)
    if period <= 0:
        return 0.0, 0.0
    multiple = gaps / period
    near = (np.abs(multiple - 1.0) <= WITHIN) | (np.abs(multiple - 2.0) <= WITHIN)
    return period, float(near.mean())
