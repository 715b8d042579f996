"""Switched off one at a time: what each feature costs in the frame while all others are on.

A screening, not credit: it gives what each switch saves *last*, so that the parts need not add up; the gap between
their sum and all that can be saved is shown with its interval. Formulas: docs/statistics.md, *Switched off one at a
time*.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from vigilant.core.errors import InvalidComparison
from vigilant.core.levels import even, holm
from vigilant.core.series import FloatArray

from .cells import Cells, Contrast, fit_cells

#: Figures of a frame that a screening is read by: mean and slow tail, always both.
FIGURES = ("mean_ms", "slowest_1pct_ms")


@dataclass(frozen=True)
class Switched:
    """One switch in ms of a figure: what is saved while it is off (positive: saved), as ln beside it, and whether that
    is shown (Holm over the switches). ``rank`` counts those that save more beyond doubt (ties alike), from 1."""

    name: str
    saved_ms: Contrast
    saved_ln: Contrast
    shown: bool
    rank: int


@dataclass(frozen=True)
class Cure:
    """A cheaper way of one feature: ``net_ms`` is what it saves of the frame, its own price included, ``price_ms`` what
    it leaves of what the feature off saves (None where that switch has no arm)."""

    name: str
    of: str
    net_ms: Contrast
    shown: bool
    price_ms: Contrast | None


@dataclass(frozen=True)
class Screening:
    """A screening in one figure. ``on_ms`` is the frame with everything on; ``total_ms`` what can be saved by switching
    everything off (None without an empty arm), ``gap_ms`` the sum of the switches less that total."""

    figure: str
    on_ms: float
    switches: tuple[Switched, ...]
    cures: tuple[Cure, ...]
    total_ms: Contrast | None
    sum_ms: Contrast
    gap_ms: Contrast | None
    fit: Cells


def screened(
    figure: str,
    values_ms: Mapping[str, Sequence[float]],
    slots_of: Mapping[str, Sequence[int]] | None,
    slots: int,
    on: str,
    off: Mapping[str, str],
    cures: Mapping[str, tuple[str, str]] | None = None,
    empty: str | None = None,
    alpha: float = 0.05,
) -> Screening:
    """Judge a screening. ``values_ms`` holds one value a run of each arm, ``slots_of`` the place of each in a session of
    ``slots`` (None: unknown order). ``on`` is the arm with everything on, ``off`` maps an arm to the switch that is off
    in it, ``cures`` an arm to its own name and the switch that it is a cheaper way of, ``empty`` is everything off.

    A pair of arms takes their own variances, sums over all arms the pooled one. Raises :class:`InvalidComparison` for
    an arm without a run, a value that is no time, or no switch."""
    cures = cures or {}
    named = [on, *off, *cures, *([empty] if empty else [])]
    if not off and not cures:
        raise InvalidComparison("a screening needs an arm with a switch off")
    bare = [arm for arm in named if not values_ms.get(arm)]
    if bare:
        raise InvalidComparison(f"arm {bare[0]!r} has no run")
    cell_of = {arm: i for i, arm in enumerate(named)}
    y: FloatArray = np.array([v for arm in named for v in values_ms[arm]], dtype=np.float64)
    if not bool((y > 0).all()):
        raise InvalidComparison(f"{figure} is a time above 0 in every run, got {float(y.min()):g}")
    places = None if slots_of is None else [s for arm in named for s in slots_of[arm]]
    fit = fit_cells(np.log(y), [cell_of[arm] for arm in named for _ in values_ms[arm]], places, slots)
    pairs = {arm: fit.pair(0, cell_of[arm], ms=True) for arm in (*off, *cures)}
    p_values = [1.0 if c.p_value is None else c.p_value for c in pairs.values()]
    shown = dict(zip(pairs, holm(p_values, even(alpha).of), strict=True))
    arm_of = {switch: arm for arm, switch in off.items()}
    # The sum of what each saves: all on less each off, over all of them.
    together = {0: float(len(off)), **{cell_of[arm]: -1.0 for arm in off}}
    whole = {} if empty is None else {0: 1.0, cell_of[empty]: -1.0}
    gap = {c: together.get(c, 0.0) - whole.get(c, 0.0) for c in (*together, *whole)}

    def switch(arm: str, name: str) -> Switched:
        rank = 1 + sum(_more(fit, cell_of[other], cell_of[arm]) for other in off if other != arm)
        return Switched(name, pairs[arm], fit.pair(0, cell_of[arm]), shown[arm], rank)

    def cure(arm: str, name: str, of: str) -> Cure:
        price = fit.pair(cell_of[arm], cell_of[arm_of[of]], ms=True) if of in arm_of else None
        return Cure(name, of, pairs[arm], shown[arm], price)

    return Screening(
        figure=figure,
        on_ms=float(np.exp(fit.level[0])),
        switches=tuple(switch(arm, name) for arm, name in off.items()),
        cures=tuple(cure(arm, name, of) for arm, (name, of) in cures.items()),
        total_ms=None if empty is None else fit.pair(0, cell_of[empty], ms=True),
        sum_ms=fit.over(together, ms=True),
        gap_ms=None if empty is None else fit.over(gap, ms=True),
        fit=fit,
    )


def _more(fit: Cells, a: int, b: int) -> bool:
    """Whether cell ``a`` is beyond doubt below cell ``b``: what is off in it saves more."""
    low = fit.pair(b, a, ms=True).low
    return low is not None and low > 0
