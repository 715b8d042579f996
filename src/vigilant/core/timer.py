"""The step of the clock a run was timed with."""

from __future__ import annotations

import numpy as np

from .series import FloatArray, median

LEAST_STEP_MS, MOST_STEP_MS = 1e-4, 10.0
#: From here on plain quantiles only name a tick of the clock.
COARSE_STEP_MS = 0.1
# Steps that clocks have: decimal ones, and the 64 Hz system tick and its parts.
CANDIDATES_MS = tuple(
    sorted(
        [m * 10.0**e for e in range(-4, 1) for m in (1.0, 2.0, 2.5, 5.0)]
        + [10.0, 15.625 / 2, 15.625 / 4, 15.625 / 8, 15.625 / 16],
        reverse=True,
    )
)
# Deciding on a stretch of the run is enough: the step is a property of the clock.
MOST_FRAMES = 20_000
#: Inexact multiples count only where a frame is several steps long.
LEAST_STEPS_A_FRAME = 3.0


def _fits(x: FloatArray, step: float) -> bool:
    multiple = np.round(x / step)
    distance = np.abs(x - multiple * step)
    if np.mean(distance <= 0.05 * step) < 0.98:
        return False
    if np.mean(distance <= 1e-6) >= 0.98:
        return True
    if median(x) < LEAST_STEPS_A_FRAME * step:
        return False
    values, counts = np.unique(multiple, return_counts=True)
    held = values[counts >= 0.01 * x.size]
    return bool((np.diff(held) == 1.0).any())


def timer_step_ms(frame_ms: FloatArray, sorted_ms: FloatArray | None = None, cap_ms: float | None = None) -> float:
    """Step of the clock in ms, 0.0 where it is fine (below 0.1 us) or none is seen.

    98 % of the frames lie within 5 % of a multiple of the step, and either two multiples hold
    1 % of the frames each or 98 % lie within 1e-6 ms of one. Where they are not exact, the two
    multiples must be neighbours and the median frame at least three steps: a steady load with
    pauses of one length (10 ms and 20 ms) is no clock. Steps tried: the smallest common
    gap and a list of known ones, coarsest first. ``cap_ms`` is the refresh period of a capped
    run: a step above 2/7 of it is the refresh itself.
    """
    x = frame_ms[:MOST_FRAMES]
    ordered = np.sort(x) if sorted_ms is None or x.size < frame_ms.size else sorted_ms
    gaps = np.diff(ordered)
    gaps = gaps[gaps > LEAST_STEP_MS / 2]
    steps = set(CANDIDATES_MS)
    if gaps.size:
        smallest = float(gaps.min())
        common = gaps[gaps < 1.5 * smallest]
        steps |= {smallest, median(common)}
    probe = x[:: max(1, x.size // 400)]
    tried: FloatArray = np.array(sorted((s for s in steps if LEAST_STEP_MS <= s <= MOST_STEP_MS), reverse=True))
    # A sparse look at all of them first: most steps fail at once.
    multiples = probe / tried[:, None]
    likely = (np.abs(multiples - np.round(multiples)) <= 0.05).mean(axis=1) >= 0.9
    for step in tried[likely].tolist():
        if (cap_ms is None or step <= 2.0 / 7.0 * cap_ms) and _fits(x, step):
            return float(round(step, 10))
    return 0.0
