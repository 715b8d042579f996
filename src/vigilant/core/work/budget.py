"""The budget split over parts: who is over its allowance, how often and by how much, and what is left unassigned."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from ..arms import Arms
from ..design import Design
from ..errors import InvalidComparison
from ..estimates import called_figure, estimate_figures, shown_figure
from ..levels import even, holm
from ..result import FigureResult
from ..series import FloatArray, IntArray
from .lanes import BoolArray, share_of_frames
from .parts import Key

#: A part is over from so much above its allowance on, and from a clock's step.
TOLERANCE = 0.05
#: Proposed is a part's share of its lane in the frames between these quantiles, of the budget, rounded down to 0.1 ms.
AROUND_95 = (0.94, 0.96)


class AllowancesOverBudget(InvalidComparison):
    """What is allowed in all is more than there is."""

    code = "allowances-over-budget"


@dataclass(frozen=True)
class PartBudget:
    """A part held against its allowance: share of frames over with its interval, mean overrun over all frames and over
    those that were over, allowance less the 99th percentile, and in what share of the late and of the other frames it
    was over (None without either)."""

    key: Key
    allowed_ms: float
    mean_ms: float
    over: float
    low: float | None
    high: float | None
    overrun_ms: float
    overrun_where_ms: float
    headroom_ms: float
    late_over: float | None
    others_over: float | None


def check_allowances(allowed: Mapping[Key, float], budget_ms: float, together: bool) -> dict[str, float]:
    """What is left unassigned by lane ("" of all ``together``, where lanes follow each other). Raises
    :class:`AllowancesOverBudget` where parts are allowed more than there is, or than what they lie in."""
    for (lane, path), ms in allowed.items():
        inside = sum(v for (other, p), v in allowed.items() if other == lane and p[:-1] == path)
        if inside > ms + 1e-9:
            raise AllowancesOverBudget(
                f"the parts of {' / '.join((lane, *path))} are allowed {inside:g} ms of its {ms:g}"
            )
    tops = {
        key: ms
        for key, ms in allowed.items()
        if not any((key[0], key[1][:i]) in allowed for i in range(1, len(key[1])))
    }
    left = {}
    for lane in [""] if together else dict.fromkeys(key[0] for key in tops):
        total = sum(ms for key, ms in tops.items() if together or key[0] == lane)
        if total > budget_ms + 1e-9:
            raise AllowancesOverBudget(
                f"{total:g} ms are allowed{f' of {lane}' if lane else ''}; the budget is {budget_ms:g}"
            )
        left[lane] = budget_ms - total
    return left


def over_from_ms(allowed_ms: float, step_ms: float = 0.0) -> float:
    """A part is over in frames in which it takes more than this."""
    return max((1.0 + TOLERANCE) * allowed_ms, allowed_ms + step_ms)


def over_changes(
    arms: Arms, design: Design, over: Mapping[Key, Sequence[int]], alpha: float = 0.05
) -> dict[Key, FigureResult]:
    """Whether parts are over their allowances in more frames after than before: ``over`` counts such frames of each run,
    before then after. The share's own scale and margin are those of late frames (half the level, at least half a point);
    Holm over the parts."""
    levels = even(alpha)
    shown, p_values = {}, []
    for key, counts in over.items():
        values = arms.late_values(np.asarray(counts, dtype=np.float64))
        name = values.kind.name
        estimate = estimate_figures(arms, {name: values}, design, {}, levels, ())[name]
        shown[key] = (shown_figure(arms, values, estimate, True, levels), values.observed)
        p_values.append(1.0 if estimate.p_value is None else estimate.p_value)
    rejected = holm(p_values, levels.of)
    return {key: called_figure(*found, yes) for (key, found), yes in zip(shown.items(), rejected, strict=True)}


def part_budget(
    key: Key, allowed_ms: float, ms: Sequence[FloatArray], late: Sequence[IntArray], step_ms: float = 0.0
) -> PartBudget:
    """One part over an arm's runs: ``ms`` a frame (n,) of each and the numbers of its ``late`` frames."""
    over = [v > over_from_ms(allowed_ms, step_ms) for v in ms]
    counts, frames = [int(o.sum()) for o in over], [v.size for v in ms]
    share, low, high = share_of_frames(counts, frames)
    excess = [np.maximum(0.0, v - allowed_ms) for v in ms]
    total = sum(frames)
    were = sum(float(e[o].sum()) for e, o in zip(excess, over, strict=True))
    is_late = [np.isin(np.arange(v.size), at) for v, at in zip(ms, late, strict=True)]
    n_late = sum(int(m.sum()) for m in is_late)
    both = sum(int((o & m).sum()) for o, m in zip(over, is_late, strict=True))
    return PartBudget(
        key=key,
        allowed_ms=allowed_ms,
        mean_ms=float(np.mean([v.mean() for v in ms])),
        over=share,
        low=low,
        high=high,
        overrun_ms=sum(float(e.sum()) for e in excess) / total,
        overrun_where_ms=were / sum(counts) if sum(counts) else 0.0,
        headroom_ms=allowed_ms - float(np.mean([np.quantile(v, 0.99) for v in ms])),
        late_over=both / n_late if n_late else None,
        others_over=(sum(counts) - both) / (total - n_late) if total > n_late else None,
    )


def around_95(frame_ms: FloatArray) -> BoolArray:
    """Which frames of a run (n,) lie around its 95th percentile."""
    low, high = np.quantile(frame_ms, AROUND_95)
    found: BoolArray = (frame_ms >= low) & (frame_ms <= high)
    return found


def proposed_ms(
    ms: Sequence[FloatArray], whole: Sequence[FloatArray], around: Sequence[BoolArray], budget_ms: float
) -> float:
    """The budget times a part's mean share of ``whole`` (its lane, or all lanes) in the frames of each run :func:`around_95`,
    rounded down to 0.1 ms. A proposal, never more."""
    mine = all_ = 0.0
    for part, lane, at in zip(ms, whole, around, strict=True):
        told = at & np.isfinite(lane)
        mine, all_ = mine + float(part[told].sum()), all_ + float(lane[told].sum())
    return float(np.floor(10.0 * budget_ms * mine / all_ + 1e-9) / 10.0) if all_ > 0 else 0.0
