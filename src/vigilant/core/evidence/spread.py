"""The distribution of both arms: an axis that shows the tail, the curves of the arms, shares over the budget."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from ..arms import Arms
from ..design import Design
from ..estimates import called_figure, estimate_figures, shown_figure
from ..levels import even
from ..result import FigureResult
from ..series import FloatArray
from ..summary import RunFrames

#: No axis reaches further into the tail than this share of the frames.
LEAST_SHARE = 1e-4


def share_axis(shares: FloatArray, least: float = LEAST_SHARE) -> FloatArray:
    """Where shares of the frames (0..1) lie on an axis 0..1 whose tail is stretched.

    As they are up to one half; above, 0.5 + 0.5 ln(0.5 / (1 - s)) / ln(0.5 / least), so that each further tenth of what
    is left takes the same width. ``least`` is the smallest share told apart, at least :data:`LEAST_SHARE`.
    """
    least = max(least, LEAST_SHARE)
    rest = np.clip(1.0 - np.asarray(shares, float), least, 1.0)
    return np.where(rest >= 0.5, 1.0 - rest, 0.5 + 0.5 * np.log(0.5 / rest) / np.log(0.5 / least))


def curve(views: Sequence[RunFrames], shares: FloatArray) -> FloatArray:
    """Frame times in ms that these shares of an arm's frames do not exceed; every run counts alike.

    A frame weighs 1 / (runs x frames of its run); found by halving, to a millionth of the span.
    """
    shares = np.asarray(shares, float)
    low = np.full(shares.size, min(float(v.ordered[0]) for v in views))
    high = np.full(shares.size, max(float(v.ordered[-1]) for v in views))
    first = low - 1e-9  # at or under it lies none
    low = first
    for _ in range(40):
        middle = 0.5 * (low + high)
        reached = np.mean([np.searchsorted(v.ordered, middle, "right") / v.n for v in views], axis=0)
        under = reached < shares - 1e-12
        low, high = np.where(under, middle, low), np.where(under, high, middle)
    return high


@dataclass(frozen=True)
class QuantileRange:
    """Neighbouring quantiles whose band leaves out 0 on one side: shares of the frames, and the least and the most
    that the level changed there, ms after less before."""

    from_share: float
    to_share: float
    least_ms: float
    most_ms: float


Where = Literal["all over", "slowest tenth", "slow half", "quick half", "some", "nowhere", "untold"]
#: So much of the tested quantiles is all over.
ALL_OVER = 0.8


@dataclass(frozen=True)
class SpreadFound:
    """Where in the distribution the change is; ``untold`` without a band. ``quickest_moved`` says of the quickest tenth
    whether any of its quantiles is in a range; ``both_ways`` that some got better and some worse."""

    where: Where
    ranges: tuple[QuantileRange, ...] = ()
    quickest_moved: bool = False
    both_ways: bool = False


def spread_found(
    at: FloatArray, before_ms: FloatArray, d: FloatArray, low: FloatArray | None, high: FloatArray | None
) -> SpreadFound:
    """What the band over all quantiles (:func:`~vigilant.core.band.quantile_band`; differences of logarithms) says."""
    if low is None or high is None:
        return SpreadFound("untold")
    side = np.where(low > 0, 1, np.where(high < 0, -1, 0))
    moved = side != 0
    if not moved.any():
        return SpreadFound("nowhere")
    change = before_ms * np.expm1(d)
    edges = np.flatnonzero(np.diff(side)) + 1
    ranges = []
    for part in np.split(np.arange(side.size), edges):
        if side[part[0]]:
            sizes = change[part]
            near, far = sizes[np.abs(sizes).argmin()], sizes[np.abs(sizes).argmax()]
            ranges.append(QuantileRange(float(at[part[0]]), float(at[part[-1]]), float(near), float(far)))
    shares = at[moved]
    where: Where = "some"
    if moved.mean() >= ALL_OVER:
        where = "all over"
    elif shares.min() >= 0.9:
        where = "slowest tenth"
    elif shares.min() >= 0.5:
        where = "slow half"
    elif shares.max() <= 0.5:
        where = "quick half"
    both = bool((side > 0).any() and (side < 0).any())
    return SpreadFound(where, tuple(ranges), bool(moved[at <= 0.1].any()), both)


def over_budget(arms: Arms, design: Design, times: float) -> FigureResult | None:
    """Share of the frames that took over ``times`` the budget, compared as late frames are; None without a target."""
    budget = arms.policy.budget_ms
    if budget is None:
        return None
    over = np.array([float(v.n - np.searchsorted(v.ordered, times * budget, "right")) for v in arms.views])
    values = arms.late_values(over)
    levels = even(arms.policy.alpha)
    margins = arms.policy.margins
    estimate = estimate_figures(arms, {values.kind.name: values}, design, margins, levels, ())[values.kind.name]
    shown = shown_figure(arms, values, estimate, False, levels)
    significant = estimate.p_value is not None and estimate.p_value <= levels.interval
    return called_figure(shown, values.observed, significant)
