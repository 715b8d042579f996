"""Lanes that wait for each other, as a program reports it: who waits for whom, and how long. A description: no test uses it, but that
a lane's busy time is less its waits."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..summary import RunFrames

#: A frame waits where it waits longer than this, ms.
LEAST_WAIT_MS = 0.1
#: A wait may be over its lane by so much of it before it is one too many.
OVER = 0.01


@dataclass(frozen=True)
class Wait:
    """``lane`` waits ``on`` another: mean ms a frame and share of frames that wait, of both arms; ``over`` is the share of frames
    in which it says that it waited longer than it took."""

    lane: str
    on: str
    before_ms: float
    after_ms: float
    before_share: float
    after_share: float
    over: float


def waits(before: Sequence[RunFrames], after: Sequence[RunFrames]) -> tuple[Wait, ...]:
    """Every wait that all runs of both arms report, the longest first."""
    views = [*before, *after]
    pairs = [(lane, on) for lane, others in views[0].series.waits.items() for on in others]
    pairs = [(lane, on) for lane, on in pairs if all(on in v.series.waits.get(lane, {}) for v in views)]
    found = []
    for lane, on in pairs:
        told = [_of_run(view, lane, on) for view in views]
        arms = told[: len(before)], told[len(before) :]
        (ms_0, share_0, _), (ms_1, share_1, _) = (np.mean(arm, axis=0).tolist() for arm in arms)
        found.append(Wait(lane, on, ms_0, ms_1, share_0, share_1, float(np.mean([over for *_, over in told]))))
    return tuple(sorted(found, key=lambda w: -max(w.before_ms, w.after_ms)))


def _of_run(view: RunFrames, lane: str, on: str) -> tuple[float, float, float]:
    """Mean ms a frame, share of frames that wait, share whose wait is over the lane; of the frames that tell both."""
    at = view.played.index
    wait, whole = view.series.lanes[view.series.waits[lane][on]][at], view.series.lanes[lane][at]
    known = np.isfinite(wait) & np.isfinite(whole)
    if not known.any():
        return 0.0, 0.0, 0.0
    wait, whole = wait[known], whole[known]
    over = wait > whole + np.maximum(view.timer_step, OVER * whole)
    return float(wait.mean()), float((wait > LEAST_WAIT_MS).mean()), float(over.mean())
