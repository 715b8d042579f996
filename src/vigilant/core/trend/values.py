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

#: Figures that have a line. Shares made of events and quantiles have none: a run's summary tells neither the size of its events nor
#: whether a quantile lies at an edge.
FOLLOWED = tuple(
    name
    for name, kind in FIGURES.items()
    if (kind.scale in (LOG, LATE, COUNT)) and (kind.quantile in (None, 0.5)) and kind.unit != "fps" and not kind.work
)


@dataclass(frozen=True)
class RunValues:
    """What a line needs of a run: the figure's ``value``, its frames that count, seconds, late frames and the clock's step."""

    value: float
    frames: int
    seconds: float
    late: int
    step_ms: float


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


def scaled(figure: str, measurements: Sequence[Sequence[RunValues]]) -> Scaled:
    """Raises :class:`InvalidComparison` for a figure that has no line, and for a time that is not above 0."""
    if figure not in FOLLOWED:
        raise InvalidComparison(f"{figure} has no line; these have one: {', '.join(FOLLOWED)}")
    kind = FIGURES[figure]
    every = [run for own in measurements for run in own]
    if not every:
        raise InvalidComparison("a line is of measurements with a run each at least")
    minutes = float(np.mean([run.seconds for run in every])) / 60.0
    value = np.array([run.value for run in every], dtype=np.float64)
    frames = np.array([run.frames for run in every], dtype=np.float64)
    if kind.scale is LATE:
        late = np.array([run.late for run in every], dtype=np.float64)
        y, saw = LATE.y(late, frames), late > 0
        floor = LATE.floor(float(late.sum() / frames.sum()), float(frames.mean()))
    elif kind.scale is COUNT:
        each = np.array([run.seconds for run in every], dtype=np.float64) / 60.0
        y, saw = COUNT.y(value, minutes), value > 0
        floor = COUNT.floor(float((value * each).sum() / each.sum()), np.array([minutes]), len(every))
    else:
        if not bool((value > 0).all()):
            raise InvalidComparison(f"{figure} is above 0 in every run")
        y, saw = LOG.y(value), value > 0
        floor = LOG.floor(float(np.median(value)), float(np.median([run.step_ms for run in every])))
    ends = np.cumsum([len(own) for own in measurements])
    parts = list(zip([0, *ends[:-1]], ends, strict=True))
    return Scaled(
        kind,
        tuple(tuple(float(one) for one in y[a:b]) for a, b in parts),
        tuple(bool(saw[a:b].any()) for a, b in parts),
        floor,
        minutes,
    )
