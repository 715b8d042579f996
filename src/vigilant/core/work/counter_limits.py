"""Counters against what they may be: a limit, what is expected at a fixed view, and steps a frame.

Formulas: docs/statistics.md, *Counters beside time*.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..series import FloatArray
from .counters import CounterRun
from .fits import mean_over_runs
from .lanes import share_of_frames

#: A counter of so many whole values at most, none larger, counts steps of a frame.
MOST_STEPS = 8


@dataclass(frozen=True)
class Limited:
    """A counter against a limit: its largest value, the share of known frames over with its interval, and the first of them as
    (run, frame); ``known`` frames in all."""

    most: float
    largest: float
    share: float
    low: float | None
    high: float | None
    frames: int
    known: int
    first: tuple[int, int] | None


def limited(runs: Sequence[CounterRun], most: float) -> Limited | None:
    """None where no frame tells the counter."""
    known = [np.isfinite(run.values) for run in runs]
    if not any(k.any() for k in known):
        return None
    over = [k & (np.where(k, run.values, 0.0) > most) for run, k in zip(runs, known, strict=True)]
    told = [(int(o.sum()), int(k.sum())) for o, k in zip(over, known, strict=True) if k.any()]
    share, low, high = share_of_frames([c for c, _ in told], [n for _, n in told])
    first = next(((i, int(np.argmax(o))) for i, o in enumerate(over) if o.any()), None)
    largest = max(float(run.values[k].max()) for run, k in zip(runs, known, strict=True) if k.any())
    return Limited(most, largest, share, low, high, sum(c for c, _ in told), sum(n for _, n in told), first)


@dataclass(frozen=True)
class Drawn:
    """What a counter says at a fixed view against what is expected there: ``mean`` over runs with its half width (None of one
    run), ``over`` the mean less what is expected, ``cost_ms`` a frame of the part that sees to it (None where none is named)."""

    expected: float
    mean: float
    half: float | None
    over: float
    cost_ms: float | None
    cost_half_ms: float | None

    @property
    def call(self) -> str:
        """*more* or *less* where the whole interval lies there, else *as expected*, or *one run* without an interval."""
        if self.half is None:
            return "one run"
        return "more" if self.over > self.half else "less" if -self.over > self.half else "as expected"


def drawn(values: Sequence[FloatArray], expected: float, cost_ms: Sequence[float] | None = None) -> Drawn | None:
    """``values`` of the counter in the frames of the view, a run each; ``cost_ms`` what the check takes a frame there. None where no
    run tells it. The least half width is half a piece: what is counted is whole."""
    means = [float(v[np.isfinite(v)].mean()) for v in values if np.isfinite(v).any()]
    if not means:
        return None
    mean, half = mean_over_runs(means, 0.0005 * abs(float(np.mean(means))))
    cost, cost_half = mean_over_runs(cost_ms, 0.0005 * float(np.mean(cost_ms))) if cost_ms else (None, None)
    return Drawn(expected, mean, None if half is None else max(half, 0.5), mean - expected, cost, cost_half)


@dataclass(frozen=True)
class StepRow:
    """Frames with so many steps: their share of the known frames, and their mean length."""

    steps: int
    share: float
    mean_ms: float


def steps_a_frame(runs: Sequence[CounterRun]) -> tuple[StepRow, ...]:
    """How many steps frames hold, where the counter holds few whole values that differ; empty where it counts something else."""
    values = np.concatenate([run.values for run in runs])
    frame_ms = np.concatenate([run.frame_ms for run in runs])
    known = np.isfinite(values)
    values, frame_ms = values[known], frame_ms[known]
    found = np.unique(values)
    if (
        not 1 < found.size <= MOST_STEPS
        or found[0] < 0
        or found[-1] > MOST_STEPS
        or bool((found != np.round(found)).any())
    ):
        return ()
    return tuple(StepRow(int(v), float((values == v).mean()), float(frame_ms[values == v].mean())) for v in found)
