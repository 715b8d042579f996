"""What more cores bring: speed-up, efficiency, the share that stays serial, and what any schedule could do.

Formulas: docs/statistics.md, *Cores*.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from scipy.special import fdtrc, stdtrit

from vigilant.core.errors import InvalidComparison
from vigilant.core.series import FloatArray

from .cells import Cells, Contrast, fit_cells, fit_law
from .two_arms import fieller

#: Core-ms a frame over the frame's own ms may exceed the cores by this much before they were not held.
NOT_HELD = 0.05
#: With fewer numbers of cores a law of three parameters fits always.
LAW_CORES = 4


@dataclass(frozen=True)
class SpeedUp:
    """At ``cores``: the first number's time over this one's, its interval (None where nothing can be tested), and ``efficiency``, the
    speed-up over how many times the cores there are. ``above`` says that it is surely more than that: cores are not its only cause."""

    cores: int
    ms: float
    speed_up: float
    low: float | None
    high: float | None
    efficiency: float
    above: bool


@dataclass(frozen=True)
class SerialShare:
    """t(p) = T (s + (1 - s) / p + o (p - 1)): what one core takes (``alone_ms``), the share that does not shrink and what each further
    core costs, as shares of that, each with its interval; p of the lack of fit."""

    alone_ms: float
    serial: float
    serial_low: float
    serial_high: float
    overhead: float
    overhead_low: float
    overhead_high: float
    lack_of_fit: float
    df: int

    @property
    def fits(self) -> bool:
        """Neither rejected, nor with further cores that surely cost less than nothing."""
        return self.lack_of_fit >= 0.05 and self.overhead_high >= 0

    @property
    def no_overhead_seen(self) -> bool:
        return self.overhead_low <= 0 <= self.overhead_high

    @property
    def limit(self) -> float | None:
        """The most that cores can bring by this law, as a speed-up, where no overhead is seen; None else."""
        share = min(1.0, max(0.0, self.serial))
        return 1.0 / share if self.fits and self.no_overhead_seen and share > 0 else None

    @property
    def best_cores(self) -> float | None:
        """From so many cores on more of them cost; None where no overhead is shown."""
        return (
            math.sqrt((1.0 - self.serial) / self.overhead)
            if self.fits and self.overhead_low > 0 and self.serial < 1
            else None
        )


@dataclass(frozen=True, eq=False)
class Scaling:
    figure: str
    speed_ups: tuple[SpeedUp, ...]
    law: SerialShare | None
    fit: Cells


def scaling(
    figure: str,
    cores: Sequence[int],
    values_ms: Sequence[Sequence[float]],
    slots_of: Sequence[Sequence[int]] | None,
    slots: int,
) -> Scaling:
    """Judge runs with so many cores: ``values_ms`` one value a run of each, ascending ``cores``. Raises
    :class:`InvalidComparison`."""
    if len(cores) < 2 or list(cores) != sorted(set(cores)) or cores[0] < 1:
        raise InvalidComparison(f"numbers of cores ascend from 1 or more, two at least, got {list(cores)}")
    if len(values_ms) != len(cores) or not all(values_ms):
        raise InvalidComparison("every number of cores needs a run")
    y: FloatArray = np.array([v for own in values_ms for v in own], dtype=np.float64)
    if not bool((y > 0).all()):
        raise InvalidComparison(f"{figure} is a time above 0 in every run, got {float(y.min()):g}")
    cell = [i for i, own in enumerate(values_ms) for _ in own]
    fit = fit_cells(np.log(y), cell, None if slots_of is None else [s for own in slots_of for s in own], slots)
    return Scaling(figure, _speed_ups(cores, fit), _law(cores, fit) if len(cores) >= LAW_CORES else None, fit)


def _speed_ups(cores: Sequence[int], fit: Cells) -> tuple[SpeedUp, ...]:
    found = [SpeedUp(cores[0], math.exp(fit.level[0]), 1.0, None, None, 1.0, False)]
    for i in range(1, len(cores)):
        pair = fit.pair(0, i)
        ratio = cores[i] / cores[0]
        above = False
        if pair.se is not None and pair.df is not None:
            t = float(stdtrit(pair.df, 1.0 - 0.05 / (len(cores) - 1)))
            above = pair.value - t * pair.se > math.log(ratio)
        low, high = (None if end is None else math.exp(end) for end in (pair.low, pair.high))
        value = math.exp(pair.value)
        found.append(SpeedUp(cores[i], math.exp(fit.level[i]), value, low, high, value / ratio, above))
    return tuple(found)


def _law(cores: Sequence[int], fit: Cells) -> SerialShare | None:
    """Linear in T, T s and T o; weights 1 / (fit^2 V_pp), three rounds."""
    if not fit.tested:
        return None
    p, t = np.asarray(cores, dtype=np.float64), np.exp(fit.level)
    x = np.column_stack([1.0 / p, 1.0 - 1.0 / p, p - 1.0])
    law = fit_law(x, t, 1.0 / np.diag(fit.shape))
    found, covariance = law.found, fit.s2 * law.inverse
    ends = [
        fieller(*map(float, (found[0], found[i], covariance[0, 0], covariance[0, i], covariance[i, i], fit.df)))
        for i in (1, 2)
    ]
    serial, overhead = ends
    if serial is None or overhead is None:
        return None
    lack = law.left / (p.size - 3) / fit.s2
    return SerialShare(
        float(found[0]),
        float(found[1] / found[0]),
        *serial,
        float(found[2] / found[0]),
        *overhead,
        float(fdtrc(p.size - 3, fit.df, lack)),
        fit.df,
    )


def not_held(cores: Sequence[int], core_ms: Sequence[float], frame_ms: Sequence[float]) -> list[int]:
    """Numbers of cores whose frames used more processor time than that many can give."""
    return [p for p, used, frame in zip(cores, core_ms, frame_ms, strict=True) if used / frame > p * (1.0 + NOT_HELD)]


def work_added(core_ms: Cells) -> list[Contrast]:
    """ln of the processor time a frame at each number of cores over that at the first: what running in parallel adds."""
    return [core_ms.pair(i, 0) for i in range(1, core_ms.level.size)]


Schedule = Literal["not the schedule", "room for scheduling", "as good as any"]


@dataclass(frozen=True)
class Bounds:
    """At ``cores``: no schedule is under ``least_ms``, and none that keeps no core idle while work waits is over ``most_ms`` (Graham,
    1969)."""

    cores: int
    least_ms: float
    most_ms: float

    def said(self, low_ms: float, high_ms: float) -> Schedule:
        """What a measured interval means."""
        if low_ms > self.most_ms:
            return "not the schedule"
        return "as good as any" if low_ms <= self.least_ms else "room for scheduling"


def schedules(found: Scaling, work_ms: float, chain_ms: float) -> list[tuple[Bounds, Schedule | None]]:
    """What each number of cores could do at best and at worst, and what the measured interval there means, by the variance of the number
    and its neighbours; None where nothing is tested. Raises :class:`InvalidComparison`."""
    told: list[tuple[Bounds, Schedule | None]] = []
    cores = [one.cores for one in found.speed_ups]
    for i, one in enumerate(bounds(cores, work_ms, chain_ms)):
        level = found.fit.over({i: 1.0}, cells=range(max(0, i - 1), min(len(cores), i + 2)))
        if level.low is None or level.high is None:
            told.append((one, None))
        else:
            told.append((one, one.said(math.exp(level.low), math.exp(level.high))))
    return told


def bounds(cores: Sequence[int], work_ms: float, chain_ms: float) -> list[Bounds]:
    """Of ``work_ms`` core-ms a frame, the longest chain of which takes ``chain_ms``. Raises :class:`InvalidComparison`."""
    if not 0 < chain_ms <= work_ms:
        raise InvalidComparison(f"the longest chain is part of the work, got {chain_ms:g} of {work_ms:g} ms")
    return [Bounds(p, max(chain_ms, work_ms / p), work_ms / p + chain_ms * (1.0 - 1.0 / p)) for p in cores]
