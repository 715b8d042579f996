"""How large stutters are, how far apart, and whether they come at a period."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from ..figures import FigureKind
from ..policy import Policy
from ..regular import RegularPauses, regular_pauses
from ..result import FigureResult
from ..scales import LOG
from ..stutter import StutterEvents
from ..summary import RunFrames
from .alone import compared_alone

SIZE = FigureKind("stutter_size_ms", "ms", LOG, 0.05)
GAP = FigureKind("stutter_gap_s", "stated", LOG, 0.05, higher_is_better=True)


@dataclass(frozen=True)
class RegularArm:
    """Regular pauses of an arm: in how many of its runs, and at which period (the median over these runs)."""

    runs: int
    of: int
    period: float
    unit: Literal["frames", "s"]


def stutter_figures(
    before: Sequence[RunFrames],
    after: Sequence[RunFrames],
    events: Sequence[StutterEvents],
    policy: Policy,
    order: Sequence[str | None] | None,
    sessions: Sequence[int] | None = None,
) -> dict[str, FigureResult]:
    """The mean excess of a run's stutters and the median time from one to the next, each compared on its own; of runs
    that have a stutter, or two. ``events`` are those of all runs, before first."""
    views = (before, after)
    arms = (events[: len(before)], events[len(before) :])
    sizes = [[float(e.size_ms.mean()) if len(e) else None for e in arm] for arm in arms]
    gaps = [[_gap_s(v, e) for v, e in zip(own, arm, strict=True)] for own, arm in zip(views, arms, strict=True)]
    found = {}
    for kind, values in ((SIZE, sizes), (GAP, gaps)):
        result = compared_alone(kind, values, views, policy, order, sessions)
        if result is not None:
            found[kind.name] = result
    return found


def _gap_s(view: RunFrames, events: StutterEvents) -> float | None:
    """The median time from the beginning of one stutter to that of the next, in seconds of the frames that count."""
    if len(events) < 2:
        return None
    starts = (np.cumsum(view.x) - view.x)[np.sort(events.first)]
    gap = float(np.median(np.diff(starts))) / 1000.0
    return gap if gap > 0 else None


def regular_arm(views: Sequence[RunFrames], events: Sequence[StutterEvents]) -> RegularArm | None:
    """Whether an arm's stutters come at a period in half of its runs or more, by frames or by time, whichever more of
    its runs say; None where they do not."""
    found = [r for v, e in zip(views, events, strict=True) if (r := regular_pauses(e, v.x)) is not None]
    if not found or 2 * len(found) < len(views):
        return None
    unit = Counter(r.unit for r in found).most_common(1)[0][0]
    own: list[RegularPauses] = [r for r in found if r.unit == unit]
    return RegularArm(len(own), len(views), float(np.median([r.period for r in own])), unit)
