"""Figures of stored runs on the scales that lines are made of, with the least variance of a run.

Formulas: docs/statistics.md, *Scales*, *Floors* and *A line over builds*.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from vigilant.core.errors import InvalidComparison
from vigilant.core.figures import FIGURES, FigureKind
from vigilant.core.scales import COUNT, LATE, LOG
from vigilant.core.series import FloatArray

#: Figures that have a line. Shares made of events and quantiles have none: a run's summary tells neither the size of its events nor
#: whether a quantile lies at an edge.
FOLLOWED = tuple(
    name
    for name, kind in FIGURES.items()
    if (kind.scale in (LOG, LATE, COUNT)) and (kind.quantile in (None, 0.5)) and kind.unit != "fps" and not kind.work
)


@dataclass(frozen=True, eq=False)
class RunValues:
    """What a line needs of n runs, (n,) each: the figure's ``value``, the frames that count, seconds, late frames and the clock's step."""

    value: FloatArray
    frames: FloatArray
    seconds: FloatArray
    late: FloatArray
    step_ms: FloatArray


@dataclass(frozen=True)
class Scaled:
    """Run values of every measurement on the figure's scale, whether each saw anything, and the least variance of a run; the minutes of
    a run, by which they are taken back."""

    kind: FigureKind
    runs: tuple[tuple[float, ...], ...]
    seen: tuple[bool, ...]
    floor: float
    minutes: float

    def back(self, y: float) -> float:
        """In the figure's unit."""
        return self.kind.scale.back(y, self.minutes)


def scaled(figure: str, runs: RunValues, sizes: Sequence[int]) -> Scaled:
    """Runs of measurements that follow each other, of so many runs each. Raises :class:`InvalidComparison` for a figure that has no line,
    and for a time that is not above 0."""
    if figure not in FOLLOWED:
        raise InvalidComparison(f"{figure} has no line; these have one: {', '.join(FOLLOWED)}")
    kind, value, frames, seconds = FIGURES[figure], runs.value, runs.frames, runs.seconds
    if not value.size or sum(sizes) != value.size:
        raise InvalidComparison(
            f"a line is of measurements with a run each at least; got {value.size} runs for {sum(sizes)}"
        )
    minutes = float(seconds.mean()) / 60.0
    if kind.scale is LATE:
        y, saw = LATE.y(runs.late, frames), runs.late > 0
        floor = LATE.floor(float(runs.late.sum() / frames.sum()), float(frames.mean()))
    elif kind.scale is COUNT:
        each = seconds / 60.0
        y, saw = COUNT.y(value, minutes), value > 0
        floor = COUNT.floor(float((value * each).sum() / each.sum()), np.array([minutes]), value.size)
    else:
        if not bool((value > 0).all()):
            raise InvalidComparison(f"{figure} is above 0 in every run")
        y, saw = LOG.y(value), value > 0
        floor = LOG.floor(float(np.median(value)), float(np.median(runs.step_ms)))
    ends = np.cumsum(sizes).tolist()
    parts = list(zip([0, *ends[:-1]], ends, strict=True))
    told, sights = y.tolist(), saw.tolist()
    return Scaled(
        kind,
        tuple(tuple(told[a:b]) for a, b in parts),
        tuple(any(sights[a:b]) for a, b in parts),
        floor,
        minutes,
    )
