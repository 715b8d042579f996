"""The load that was really there: where levels stand, and what is to be said of loads that differ, saturate, leave or settle.

Formulas: docs/statistics.md, *The load that was there*.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from scipy.special import stdtr

from vigilant.core.levels import even, holm
from vigilant.core.series import FloatArray

from .ramp import ArmRuns, Levels

#: Observed over commanded off 1 by more than this in the typical run; neighbours this close are one level, where they were asked to be
#: further apart than the second; a load that falls by the third over a run; times that change by the fourth at a load that stays.
DIFFERS, SATURATES, ASKED_APART, LEAVES, SETTLES = 0.01, 0.01, 0.05, 0.02, 0.03
#: Runs of one level whose loads spread (sd over mean) by more than this are moved to its mean load.
SPREAD = 0.01
Said = Literal["load-not-seen", "load-differs", "load-saturates", "load-leaves", "load-settles", "load-reordered"]


@dataclass(frozen=True)
class RunLoad:
    """What one run shows: mean of the load counter, ln of its last fifth over its first, and ln of the mean frame of the last third
    over that of the first, within each leg (legs differ by what is shown in them), by their frames. None where the counter is missing."""

    mean: float | None
    ln_left: float | None
    ln_settled: float


def run_load(frame_ms: FloatArray, counter: FloatArray | None, legs: Sequence[int] = ()) -> RunLoad:
    """Of the frames that count, (n,) ms and the load at each (n,), NaN where it is not known; ``legs`` are the frames, among them, that
    begin a leg."""
    settled = _settled(frame_ms, legs)
    fifth = max(1, frame_ms.size // 5)
    if counter is None or not bool(np.isfinite(counter).any()):
        return RunLoad(None, None, settled)
    first, last = (_mean(counter[part]) for part in (slice(None, fifth), slice(-fifth, None)))
    left = math.log(last / first) if first and last and first > 0 and last > 0 else (-math.inf if first else None)
    return RunLoad(_mean(counter), left, settled)


def _settled(frame_ms: FloatArray, legs: Sequence[int]) -> float:
    pieces = np.split(frame_ms, [at for at in legs if 0 < at < frame_ms.size])
    found = []
    for piece in pieces:
        third = max(1, piece.size // 3)
        found.append(math.log(float(piece[-third:].mean()) / float(piece[:third].mean())))
    return float(np.average(found, weights=[piece.size for piece in pieces]))


def _mean(values: FloatArray) -> float | None:
    known = values[np.isfinite(values)]
    return float(known.mean()) if known.size else None


@dataclass(frozen=True)
class Placed:
    """Levels where they stand: ``arm`` is what is fitted, ``members`` the numbers of the commanded levels in each, ``seen`` (by
    commanded level) the observed mean, None without a counter. ``said`` names what is to be said, with the commanded loads that it
    is said of."""

    arm: ArmRuns
    members: tuple[tuple[int, ...], ...]
    seen: tuple[float | None, ...]
    said: tuple[tuple[Said, tuple[float, ...]], ...]

    @property
    def observed(self) -> bool:
        return all(one is not None for one in self.seen)


def placed(commanded: Sequence[float], arm: ArmRuns, shown: Sequence[Sequence[RunLoad]], alpha: float = 0.05) -> Placed:
    """Place the levels of an arm, recorded at ``commanded`` loads (ascending), by what its runs (``shown``, those of each level)
    show."""
    said: list[tuple[Said, tuple[float, ...]]] = []
    means = [[r.mean for r in runs] for runs in shown]
    known = all(m is not None for level, runs in zip(commanded, means, strict=True) if level > 0 for m in runs)
    if not known:
        loaded = tuple(level for level, runs in zip(commanded, means, strict=True) if level > 0 and None in runs)
        plain = replace(arm, loads=list(commanded))
        return Placed(
            plain, tuple((i,) for i in range(len(commanded))), (None,) * len(commanded), (("load-not-seen", loaded),)
        )
    seen = [float(np.mean([m or 0.0 for m in runs])) for runs in means]
    typical = [float(np.median([m or 0.0 for m in runs])) for runs in means]
    differs = tuple(c for c, m in zip(commanded, typical, strict=True) if c > 0 and abs(m / c - 1.0) > DIFFERS)
    if differs:
        said.append(("load-differs", differs))
    leaves = tuple(
        c
        for c, runs in zip(commanded, shown, strict=True)
        if (left := [r.ln_left for r in runs if r.ln_left is not None]) and float(np.median(left)) < math.log1p(-LEAVES)
    )
    if leaves:
        said.append(("load-leaves", leaves))
    if settles := _settles(commanded, shown, alpha):
        said.append(("load-settles", settles))
    groups, saturated = _groups(commanded, seen)
    if saturated:
        said.append(("load-saturates", saturated))
    if any(seen[a] > seen[b] for a, b in zip(range(len(seen)), range(1, len(seen)), strict=False)):
        said.append(("load-reordered", tuple(commanded)))
    order = sorted(range(len(groups)), key=lambda g: float(np.mean([seen[i] for i in groups[g]])))
    ordered = tuple(groups[g] for g in order)
    joined = ArmRuns(
        [float(np.mean([m or 0.0 for i in group for m in means[i]])) for group in ordered],
        [[v for i in group for v in arm.values_ms[i]] for group in ordered],
        None if arm.slots_of is None else [[s for i in group for s in arm.slots_of[i]] for group in ordered],
    )
    return Placed(joined, ordered, tuple(seen), tuple(said))


def _groups(commanded: Sequence[float], seen: Sequence[float]) -> tuple[list[tuple[int, ...]], tuple[float, ...]]:
    """Neighbours that were asked to differ and do not are one level."""
    order = sorted(range(len(seen)), key=seen.__getitem__)
    groups: list[list[int]] = [[order[0]]]
    saturated: set[int] = set()
    for i in order[1:]:
        last = groups[-1][-1]
        close = seen[i] - seen[last] <= SATURATES * seen[i]
        apart = abs(commanded[i] - commanded[last]) > ASKED_APART * max(commanded[i], commanded[last])
        if close and (apart or seen[i] <= seen[last]):
            saturated |= {i, last} if apart else set()
            groups[-1].append(i)
        else:
            groups.append([i])
    return [tuple(sorted(g)) for g in groups], tuple(commanded[i] for i in sorted(saturated))


def _settles(commanded: Sequence[float], shown: Sequence[Sequence[RunLoad]], alpha: float) -> tuple[float, ...]:
    """Loads that stay while their frames change over a run: units settle, fall asleep, or the machine heats. Holm over the levels."""
    tested: list[tuple[float, float, float]] = []
    for c, runs in zip(commanded, shown, strict=True):
        stays = all(r.ln_left is None or abs(r.ln_left) <= LEAVES for r in runs)
        if len(runs) < 2 or not stays:
            continue
        values = np.array([r.ln_settled for r in runs])
        mean, se = float(values.mean()), max(float(values.std(ddof=1)), 1e-6) / math.sqrt(values.size)
        tested.append((c, mean, 2.0 * float(stdtr(values.size - 1, -abs(mean) / se))))
    yes = holm([p for _, _, p in tested], even(alpha).of)
    return tuple(c for (c, mean, _), shown_ in zip(tested, yes, strict=True) if shown_ and abs(mean) > SETTLES)


def moved(found: Levels, arm: ArmRuns, run_loads: Sequence[Sequence[float]]) -> ArmRuns | None:
    """The arm with every run moved to its level's mean load by the fitted curve's slope, where loads spread within a level; None
    where none does. Fit it once more."""
    values = []
    any_moved = False
    for i, (own, at) in enumerate(zip(arm.values_ms, run_loads, strict=True)):
        loads = np.asarray(at, dtype=np.float64)
        mean = float(loads.mean())
        if loads.size < 2 or mean <= 0 or float(loads.std(ddof=1)) / mean <= SPREAD:
            values.append(list(own))
            continue
        any_moved = True
        slope = _slope(found, i)
        values.append([v * math.exp(-slope * (x - mean)) for v, x in zip(own, loads.tolist(), strict=True)])
    return ArmRuns(arm.loads, values, arm.slots_of) if any_moved else None


def _slope(found: Levels, level: int) -> float:
    """d ln ms / d load of the fitted curve at a level: the mean of both sides."""
    near = found.neighbours(level)
    a, b = near[0], near[-1]
    return float((found.level[b] - found.level[a]) / (found.loads[b] - found.loads[a]))
