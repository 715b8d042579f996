"""How the runs lay in their session: what they drifted by, and what each block of the order says alone."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.special import stdtrit

from ..audit.drift import session_slope
from ..design import Design
from ..series import FloatArray


@dataclass(frozen=True)
class Drift:
    """How much the mean frame grew from the first slot of the session to the last, as a share (0.02: by 2 %), within
    the arms, with its interval."""

    share: float
    low: float
    high: float


@dataclass(frozen=True)
class Block:
    """Consecutive slots, ``first`` up to and with ``last`` (from 0), that hold each arm equally often: the change of the
    mean frame within them, as a share; negative where *after* was quicker."""

    first: int
    last: int
    runs: int
    share: float


def drift(mean_ms: FloatArray, design: Design, alpha: float = 0.05) -> Drift | None:
    """The slope over the session within arms by least squares on ln of the mean frame (N,), before runs first. None
    where the order is not known, or there were several sessions, each with a slope of its own."""
    fitted = session_slope(np.log(mean_ms), design)
    if fitted is None or design.sessions > 1:
        return None
    slope, se, free = fitted
    reach = float(stdtrit(free, 1.0 - alpha / 2.0)) * se
    grown = [float(np.expm1(2.0 * (slope + step))) for step in (0.0, -reach, reach)]
    return Drift(*grown)


def blocks(mean_ms: FloatArray, order: Sequence[str | None], k_before: int) -> tuple[Block, ...]:
    """The shortest stretches of the order, one after the other, in which both arms ran equally often. A slot whose run
    failed is in none of the counts; what is left over at the end is no block."""
    left = {"before": iter(range(k_before)), "after": iter(range(k_before, mean_ms.size))}
    found: list[Block] = []
    y = np.log(mean_ms)
    sums: dict[str, list[float]] = {"before": [], "after": []}
    first = 0
    for slot, arm in enumerate(order):
        if arm not in sums:
            continue
        if not any(sums.values()):
            first = slot
        sums[arm].append(float(y[next(left[arm])]))
        if len(sums["before"]) == len(sums["after"]):
            change = float(np.mean(sums["after"]) - np.mean(sums["before"]))
            found.append(Block(first, slot, 2 * len(sums["after"]), float(np.expm1(change))))
            sums = {"before": [], "after": []}
    return tuple(found)
