"""Cells of runs in one fit: a cell is one setting, its runs lie in passes over a session.

Least squares of y on one indicator a cell and the place in the session, u = 2 slot / (slots - 1) - 1, and u^2
where the runs suffice, both centred over the runs, so that a cell's coefficient is its mean at the session's mean
place. Formulas: docs/statistics.md, *Cells*.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from scipy.special import stdtr, stdtrit

from vigilant.core.errors import InvalidComparison
from vigilant.core.scales import LOG_VARIANCE
from vigilant.core.series import FloatArray, IntArray

#: With fewer degrees of freedom nothing is tested, and the place in the session drops out below the second.
LEAST_DF, LEAST_DF_OF_PLACE = 4, 2
#: u^2 is fitted with so many runs in every cell, or so many degrees of freedom left besides.
RUNS_FOR_CURVE, DF_FOR_CURVE = 4, 8
CONFIDENCE = 0.95


@dataclass(frozen=True)
class Contrast:
    """A sum of cells: ``value``, its standard error, degrees of freedom, two-sided p and 95 % interval; None where
    nothing can be tested. In the unit of what was asked: ln, or ms."""

    value: float
    se: float | None = None
    df: float | None = None
    p_value: float | None = None
    low: float | None = None
    high: float | None = None


@dataclass(frozen=True, eq=False)
class Cells:
    """The fit. ``level`` (k,) is each cell's mean of y, ``runs`` (k,) its runs, ``shape`` (k, k) the cells' block of
    (X'X)^-1, ``s2`` the pooled variance on ``df`` degrees of freedom. ``squares`` and ``free`` (k,) are each cell's sum
    of squared residuals and of 1 - leverage. ``terms`` counts the places fitted: 0, 1 (u) or 2 (u and u^2)."""

    level: FloatArray
    runs: IntArray
    shape: FloatArray
    s2: float
    df: int
    squares: FloatArray
    free: FloatArray
    terms: int

    @property
    def tested(self) -> bool:
        """Whether there are enough runs to test anything."""
        return self.df >= LEAST_DF

    def local(self, cells: Sequence[int]) -> tuple[float, float]:
        """The variance of y over some cells alone, never under its floor, and its degrees of freedom."""
        free = float(self.free[list(cells)].sum())
        found = float(self.squares[list(cells)].sum()) / free if free > 0 else math.inf
        return max(found, LOG_VARIANCE), free

    def pair(self, a: int, b: int, ms: bool = False) -> Contrast:
        """Cell ``a`` less cell ``b`` by their own variances (Satterthwaite): of ln, or in ms by the delta method."""
        return self.each({a: 1.0, b: -1.0}, lambda cell: [cell], ms)

    def each(
        self, weights: Mapping[int, float], around: Callable[[int], Sequence[int]], ms: bool = False, per: float = 1.0
    ) -> Contrast:
        """A sum over cells, divided by ``per``, each cell's variance that of the cells ``around`` it (Satterthwaite)."""
        w = self._weights(weights, ms) / per
        value = self._value(w, ms)
        used = np.flatnonzero(w).tolist()
        local = {c: self.local(around(c)) for c in used}
        if not self.tested or any(df <= 0 for _, df in local.values()):
            return Contrast(value)
        parts = [(w[c] ** 2 * local[c][0] * self.shape[c, c], local[c][1]) for c in used]
        variance = float(sum(v for v, _ in parts))
        return student(value, math.sqrt(variance), variance**2 / float(sum(v**2 / df for v, df in parts)))

    def over(self, weights: Mapping[int, float], ms: bool = False, cells: Sequence[int] | None = None) -> Contrast:
        """A sum over cells with the pooled variance, or with that of some ``cells``: of ln, or in ms by the delta method."""
        w = self._weights(weights, ms)
        s2, df = (self.s2, float(self.df)) if cells is None else self.local(cells)
        value = self._value(w, ms)
        if not self.tested or df <= 0 or bool((self.runs[np.flatnonzero(w)] < 2).any()):
            return Contrast(value)
        return student(value, math.sqrt(float(s2 * (w @ self.shape @ w))), df)

    def part(self, cells: Sequence[int]) -> Cells:
        """The same fit seen through some of its cells, numbered anew: ``s2`` and ``df`` stay those of all."""
        at = list(cells)
        return replace(
            self,
            level=self.level[at],
            runs=self.runs[at],
            shape=self.shape[np.ix_(at, at)],
            squares=self.squares[at],
            free=self.free[at],
        )

    def _weights(self, weights: Mapping[int, float], ms: bool) -> FloatArray:
        w = np.zeros(self.level.size)
        for cell, weight in weights.items():
            w[cell] = weight
        return w * np.exp(self.level) if ms else w

    def _value(self, w: FloatArray, ms: bool) -> float:
        return float(w.sum() if ms else w @ self.level)


def student(value: float, se: float, df: float) -> Contrast:
    """A value with its interval and two-sided p by Student's t."""
    half = float(stdtrit(df, 0.5 + CONFIDENCE / 2)) * se
    return Contrast(value, se, df, min(1.0, 2.0 * float(stdtr(df, -abs(value) / se))), value - half, value + half)


@dataclass(frozen=True, eq=False)
class Law:
    """A law that was fitted to levels in ms: its coefficients, their (X'WX)^-1, and the squares that it leaves by its weights."""

    found: FloatArray
    inverse: FloatArray
    left: float


def fit_law(x: FloatArray, t: FloatArray, weigh: FloatArray) -> Law:
    """Least squares of ``t`` (k,) ms on the columns of ``x`` (k, p) with the weights ``weigh`` / fit^2, in three rounds."""
    fit_ms = t
    for _ in range(3):
        w = weigh / fit_ms**2
        inverse = np.linalg.inv(x.T @ (w[:, None] * x))
        found = inverse @ (x.T @ (w * t))
        fit_ms = x @ found
    # The squares that are left are relative to the last fit.
    return Law(
        found.astype(np.float64), inverse.astype(np.float64), float((weigh * ((t - fit_ms) / fit_ms) ** 2).sum())
    )


def fit_cells(y: FloatArray, cell: Sequence[int], slot: Sequence[int] | None, slots: int) -> Cells:
    """Fit ``y`` (N,), one value a run on the log scale, of runs in ``cell`` (N,; 0 .. k - 1, each with a run) recorded at
    ``slot`` (N,) of ``slots``; without slots the order is unknown and no place is fitted. Raises
    :class:`InvalidComparison` for lengths that differ, values that are not finite, a cell without a run, and slots
    outside the session or held twice."""
    y, cells = np.asarray(y, dtype=np.float64), np.asarray(cell, dtype=np.int64)
    _check(y, cells, slot, slots)
    k = int(cells.max()) + 1
    runs = np.bincount(cells, minlength=k)
    indicators = np.eye(k)[cells]
    columns = [indicators]
    if slot is not None and slots > 1:
        u = 2.0 * np.asarray(slot, dtype=np.float64) / (slots - 1) - 1.0
        curved = bool((runs >= RUNS_FOR_CURVE).all()) or y.size - k - 2 >= DF_FOR_CURVE
        places = [u, u**2] if curved else [u]
        if y.size - k - len(places) >= LEAST_DF_OF_PLACE:
            columns += [(p - p.mean())[:, None] for p in places]
    x = np.column_stack(columns)
    if np.linalg.matrix_rank(x) < x.shape[1]:
        x = indicators
    inverse: FloatArray = np.linalg.inv(x.T @ x).astype(np.float64)
    found: FloatArray = inverse @ x.T @ y
    residuals = y - x @ found
    free: FloatArray = indicators.T @ (1.0 - np.einsum("ij,jk,ik->i", x, inverse, x))
    squares: FloatArray = indicators.T @ residuals**2
    df = y.size - x.shape[1]
    return Cells(
        level=found[:k],
        runs=runs,
        shape=inverse[:k, :k],
        s2=max(float(residuals @ residuals) / df, LOG_VARIANCE) if df > 0 else LOG_VARIANCE,
        df=df,
        squares=squares,
        free=free,
        terms=x.shape[1] - k,
    )


def _check(y: FloatArray, cells: IntArray, slot: Sequence[int] | None, slots: int) -> None:
    if y.ndim != 1 or y.shape != cells.shape or (slot is not None and len(slot) != y.size):
        raise InvalidComparison(f"one value, one cell and one slot a run, got {y.shape}, {cells.shape}")
    if not y.size or not bool(np.isfinite(y).all()):
        raise InvalidComparison("cells need runs whose values are finite")
    if cells.min() < 0 or bool((np.bincount(cells) == 0).any()):
        raise InvalidComparison(f"every cell needs a run, got cells {sorted(set(cells.tolist()))}")
    if slot is not None and (len(set(slot)) < len(slot) or min(slot) < 0 or max(slot) >= slots):
        raise InvalidComparison(f"slots are places of {slots}, each held once")
