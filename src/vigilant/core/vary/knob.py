"""A knob: which of its values are best, what is lost at most by another, and whether it matters at all.

Formulas: docs/statistics.md, *A knob*.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

import numpy as np
from scipy.optimize import brentq
from scipy.special import ndtr, roots_genlaguerre, stdtrit

from vigilant.core.errors import InvalidComparison
from vigilant.core.series import FloatArray

from .cells import CONFIDENCE, Cells, fit_cells

FEWEST, MOST_VALUES = 3, 12
#: A knob whose values differ by less than this (ln) at most does not matter.
MARGIN = 0.02
#: Nodes over the spread, and points over the normal's line.
LAGUERRE, POINTS = 40, 401
#: With more degrees of freedom the point is that of so many, which is hardly larger.
MOST_DF = 300
Call = Literal["best", "one of", "trade", "cannot be told"]


@dataclass(frozen=True)
class KnobFigure:
    """A figure over the values: ``level_ms`` (k,); whether each is in the best set; ``lost`` (k,) at most by choosing it, as ln
    (None where nothing can be tested); ``flat`` an upper bound of ln(dearest / cheapest)."""

    figure: str
    level_ms: FloatArray
    inside: tuple[bool, ...]
    lost: tuple[float | None, ...]
    flat: float | None
    fit: Cells

    @property
    def matters(self) -> bool:
        """False where the values are shown to differ by less than the margin."""
        return self.flat is None or self.flat >= math.log1p(MARGIN)


@dataclass(frozen=True)
class Knob:
    """``call`` over all figures: one value in every set (*best*), several (*one of*), none (*trade*); ``chosen`` are the numbers of
    the values in all sets. ``at_end``: a best value is the first or the last that was run, so that the best may lie outside."""

    values: tuple[float, ...]
    figures: tuple[KnobFigure, ...]
    call: Call
    chosen: tuple[int, ...]
    at_end: bool


def knob_figure(
    figure: str, values_ms: Sequence[Sequence[float]], slots_of: Sequence[Sequence[int]] | None, slots: int
) -> KnobFigure:
    """Judge one figure: ``values_ms`` one value a run of each of the knob's values, recorded at ``slots_of``. Raises
    :class:`InvalidComparison`."""
    if not FEWEST <= len(values_ms) <= MOST_VALUES:
        raise InvalidComparison(f"a knob has from {FEWEST} to {MOST_VALUES} values, got {len(values_ms)}")
    if not all(values_ms):
        raise InvalidComparison("every value of a knob needs a run")
    y: FloatArray = np.array([v for own in values_ms for v in own], dtype=np.float64)
    if not bool((y > 0).all()):
        raise InvalidComparison(f"{figure} is a time above 0 in every run, got {float(y.min()):g}")
    cell = [i for i, own in enumerate(values_ms) for _ in own]
    places = None if slots_of is None else [s for own in slots_of for s in own]
    fit = fit_cells(np.log(y), cell, places, slots)
    k = len(values_ms)
    level_ms: FloatArray = np.exp(fit.level)
    if not fit.tested or bool((fit.runs < 2).any()):
        return KnobFigure(figure, level_ms, (True,) * k, (None,) * k, None, fit)
    rows = [[_one_sided(fit, i, j) for j in range(k) if j != i] for i in range(k)]
    inside = tuple(all(d <= t * se for d, t, se in row) for row in rows)
    lost = tuple(max(d + t * se for d, t, se in row) for row in rows)
    spread = float(np.ptp(fit.level)) + studentized(k, fit.df) * math.sqrt(fit.s2 * float(np.diag(fit.shape).mean()))
    return KnobFigure(figure, level_ms, inside, lost, spread, fit)


def _one_sided(fit: Cells, i: int, j: int) -> tuple[float, float, float]:
    """How much dearer value i is than j (ln), the critical value over the other values, and the standard error by their own
    variances (Welch)."""
    pair = fit.pair(i, j)
    assert pair.se is not None
    assert pair.df is not None
    others = fit.level.size - 1
    return pair.value, float(stdtrit(pair.df, 1.0 - (1.0 - CONFIDENCE) / others)), pair.se


@lru_cache(maxsize=256)
def studentized(k: int, df: int) -> float:
    """The 95 % point of the studentized range of k means, by quadrature: of the range of k standard normals over 401 points, and over
    the spread by Laguerre nodes on chi^2. The library's own takes 0.4 s for a value."""
    df = min(df, MOST_DF)
    x, weight = roots_genlaguerre(LAGUERRE, df / 2.0 - 1.0)
    spread, weight = np.sqrt(2.0 * x / df)[:, None], weight / weight.sum()
    z = np.linspace(-8.0, 8.0, POINTS)
    density = k * np.exp(-(z**2) / 2.0) / math.sqrt(2.0 * math.pi) * (z[1] - z[0])

    def held(q: float) -> float:
        within = (ndtr(z) - ndtr(z - q * spread)) ** (k - 1)
        return float(weight @ (within @ density)) - CONFIDENCE

    return float(brentq(held, 1.0, 100.0, xtol=1e-9))


def knob(values: Sequence[float], figures: Sequence[KnobFigure]) -> Knob:
    """What all figures say together."""
    tested = [f for f in figures if f.flat is not None]
    chosen = tuple(i for i in range(len(values)) if all(f.inside[i] for f in figures))
    call: Call = (
        "cannot be told"
        if len(tested) < len(figures)
        else "best"
        if len(chosen) == 1
        else "one of"
        if chosen
        else "trade"
    )
    ends = {int(np.argmin(values)), int(np.argmax(values))}
    return Knob(tuple(values), tuple(figures), call, chosen, bool(ends & set(chosen)) and call == "best")
