"""What was left out of the figures (warm-up, loading and menu legs), compared in rows of its own."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..figures import FIGURES, FigureKind
from ..policy import Policy
from ..result import FigureResult
from ..scales import LOG
from ..series import FloatArray
from ..summary import RunFrames
from .alone import compared_alone, counts

TOTAL = FigureKind("total_ms", "ms", LOG, 0.05)
WARM_UP = ""


@dataclass(frozen=True, eq=False)
class LeftOut:
    """A stretch by its leg's name ("" for the warm-up), the runs of each arm that have it, and what of it is compared
    (a frame of it, all of it, its worst frame), each on its own. Of a stretch that one arm alone has there are no
    figures."""

    name: str
    runs: tuple[int, int]
    figures: dict[str, FigureResult]


def left_out(
    before: Sequence[RunFrames],
    after: Sequence[RunFrames],
    policy: Policy,
    order: Sequence[str | None] | None,
    sessions: Sequence[int] | None = None,
) -> tuple[LeftOut, ...]:
    """Compare the stretches that do not count, by name, in the order they come; ``order`` and ``sessions`` are those of
    the comparison."""
    views = (before, after)
    arms = [[_stretches(view) for view in arm] for arm in views]
    made = []
    for name in dict.fromkeys(name for arm in arms for own in arm for name in own):
        frames = [[own.get(name) for own in arm] for arm in arms]
        found = {}
        for kind, of in ((FIGURES["mean_ms"], np.mean), (TOTAL, np.sum), (FIGURES["worst_ms"], np.max)):
            values = [[None if x is None else float(of(x)) for x in arm] for arm in frames]
            result = compared_alone(kind, values, views, policy, order, sessions)
            if result is not None:
                found[kind.name] = result
        made.append(LeftOut(name, counts(frames), found))
    return tuple(made)


def _stretches(view: RunFrames) -> dict[str, FloatArray]:
    """A run's frames that do not count, by the leg that keeps them out; those of play legs are the warm-up. One that
    took no time is none."""
    series = view.series
    out = np.ones(series.frame_ms.size, dtype=np.bool_)
    out[view.played.index] = False
    of = np.zeros(series.frame_ms.size, dtype=np.int64)
    names = [WARM_UP]
    edges = [mark.index for mark in series.marks] + [series.frame_ms.size]
    for mark, stop in zip(series.marks, edges[1:], strict=True):
        if not mark.play:
            if mark.name not in names:
                names.append(mark.name)
            of[mark.index : stop] = names.index(mark.name)
    found = {name: series.frame_ms[out & (of == number)] for number, name in enumerate(names)}
    return {name: frames for name, frames in found.items() if frames.sum() > 0}
