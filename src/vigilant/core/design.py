"""From the recorded order to the effect of the arm, its standard error and degrees of freedom."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from scipy.special import stdtr

from .errors import InvalidComparison
from .series import FloatArray, IntArray

DesignKind = Literal["position", "order-unknown", "order-confounded", "single"]
MOST_INFLATION = 2.0


@dataclass(frozen=True, eq=False)
class Design:
    """How the arms are set against each other.

    ``matrix`` (N, p) of the position model, rows *before* runs then *after* runs, last column
    the arm; None in every other design.
    """

    kind: DesignKind
    k_before: int
    k_after: int
    matrix: FloatArray | None = None
    inflation: float | None = None
    sessions: int = 1


@dataclass(frozen=True, eq=False)
class Fit:
    """Per figure (F,): d on the figure's scale; se and df, or None where nothing can be tested."""

    d: FloatArray
    se: FloatArray | None
    df: FloatArray | None


def plan_design(
    k_before: int,
    k_after: int,
    order: Sequence[str | None] | None,
    sessions: Sequence[int] | None = None,
) -> Design:
    """Choose the design. ``order`` names the arm of each slot, None where the run failed;
    ``sessions`` (same length) numbers the session of each slot.

    Position terms 1, u, u^2 (u^2 left out when an arm has fewer than 4 runs; with several
    sessions an intercept and a u each). Above a variance inflation of 2 arm and position
    are confounded. Raises :class:`InvalidComparison`.
    """
    if order is None:
        return Design("single" if min(k_before, k_after) == 1 else "order-unknown", k_before, k_after)
    strange = [o for o in order if o not in ("before", "after", None)]
    if strange:
        raise InvalidComparison(f"order may hold 'before', 'after' and None, got {strange[0]!r}")
    counted = (order.count("before"), order.count("after"))
    if counted != (k_before, k_after):
        raise InvalidComparison(
            f"order names {counted[0]} before and {counted[1]} after, but {k_before} and {k_after} runs were given"
        )
    if sessions is not None and len(sessions) != len(order):
        raise InvalidComparison(f"{len(sessions)} sessions were given for {len(order)} slots")
    if min(k_before, k_after) == 1:
        return Design("single", k_before, k_after)
    slots = np.array([i for arm in ("before", "after") for i, o in enumerate(order) if o == arm])
    arm = np.repeat([0.0, 1.0], [k_before, k_after])
    terms = _position_terms(slots, len(order), min(k_before, k_after), sessions)
    inflation = _inflation(terms, arm)
    held = 1 if sessions is None else len({sessions[i] for i in slots})
    if inflation > MOST_INFLATION or arm.size <= terms.shape[1] + 1:
        return Design("order-confounded", k_before, k_after, None, inflation, held)
    return Design("position", k_before, k_after, np.column_stack([terms, arm]), inflation, held)


def _scaled(slots: FloatArray, first: float, last: float) -> FloatArray:
    return np.zeros(slots.size) if last == first else 2.0 * (slots - first) / (last - first) - 1.0


def _position_terms(slots: FloatArray, total: int, smaller_arm: int, sessions: Sequence[int] | None) -> FloatArray:
    if sessions is None or len(set(sessions)) == 1:
        u = _scaled(slots, 0, total - 1)
        terms = [np.ones(u.size), u] + ([u**2] if smaller_arm >= 4 else [])
        return np.column_stack(terms)
    of_slot = np.asarray(sessions)
    columns = []
    for session in dict.fromkeys(sessions):
        inside = of_slot[slots] == session
        if inside.any():
            where = np.flatnonzero(of_slot == session)
            columns += [inside * 1.0, inside * _scaled(slots, where[0], where[-1])]
    return np.column_stack(columns)


def _inflation(terms: FloatArray, arm: FloatArray) -> float:
    rest = arm - terms @ np.linalg.lstsq(terms, arm, rcond=None)[0]
    unexplained = float(rest @ rest)
    total = float(((arm - arm.mean()) ** 2).sum())
    return float("inf") if unexplained < 1e-9 * total else total / unexplained


def _scarce(small: int, large: int) -> bool:
    return small in (2, 3) and large > 2 * small


def _satterthwaite(parts: FloatArray, df: FloatArray) -> FloatArray:
    """Degrees of freedom of a sum of variances (arms, F); a figure with no variance at all
    (no event in either arm) gets the sum of theirs."""
    below = (parts**2 / df).sum(axis=0)
    some = below > 0
    result: FloatArray = np.where(some, parts.sum(axis=0) ** 2 / np.where(some, below, 1.0), df.sum())
    return result


def fit_design(design: Design, y: FloatArray, floors: FloatArray) -> Fit:
    """Fit all figures at once. ``y`` (N, F), before runs first; ``floors`` (2, F) are the least
    variances of one run's y per arm.

    Equal arms: least squares. Unequal arms: variances per arm from the residuals (block
    solution of E r_i^2 = sum_j M_ij^2 s_j^2) with Satterthwaite's degrees of freedom. Order
    unknown: Welch (1947).
    """
    kb, ka = design.k_before, design.k_after
    plain = y[kb:].mean(axis=0) - y[:kb].mean(axis=0)
    if design.kind in ("single", "order-confounded"):
        return Fit(plain, None, None)
    if design.kind == "order-unknown":
        squares = np.stack([y[:kb].var(axis=0) * kb, y[kb:].var(axis=0) * ka])
        return Fit(plain, *_of_welch(design, squares, floors))
    model = _Model.of(design)
    residual = model.maker @ y
    squares = np.stack([(residual[g] ** 2).sum(axis=0) for g in model.arms])
    return Fit(model.c @ y, *model.spread(squares, floors))


def refitted(design: Design, y: FloatArray, floors: FloatArray, order: IntArray, signs: FloatArray) -> FloatArray:
    """|d| / se (m, F) of every refit of ``y`` (N, F) with its rows in ``order`` (m, N) and under ``signs`` (m, N).

    As :func:`fit_design` of each, by matrix products over all of them.
    """
    kb, ka = design.k_before, design.k_after
    m, n = order.shape

    def weighed(row: FloatArray) -> FloatArray:
        """What ``row`` @ y is under every draw (m, F)."""
        spread = np.zeros((m, n))
        np.put_along_axis(spread, order, row * signs, axis=1)
        weighed: FloatArray = spread @ y
        return weighed

    if design.kind == "order-unknown":
        here = np.repeat([1.0, 0.0], [kb, ka])
        sums = [weighed(here), weighed(1.0 - here)]
        whole = np.zeros((m, n))
        np.put_along_axis(whole, order, np.broadcast_to(here, (m, n)), axis=1)
        squares_b = whole @ y**2
        squares_a = (y**2).sum(axis=0) - squares_b
        squares = np.stack([squares_b - sums[0] ** 2 / kb, squares_a - sums[1] ** 2 / ka])
        se, _ = _of_welch(design, squares, floors[:, None])
        t: FloatArray = np.abs(sums[1] / ka - sums[0] / kb) / se
        return t
    model = _Model.of(design)
    squares = np.zeros((2, m, y.shape[1]))
    for i, row in enumerate(model.maker):
        squares[0 if i < kb else 1] += weighed(row) ** 2
    se, _ = model.spread(squares.reshape(2, -1), np.repeat(floors[:, None], m, axis=1).reshape(2, -1))
    t = np.abs(weighed(model.c)) / se.reshape(m, -1)
    return t


def p_values(d: FloatArray, se: FloatArray, df: FloatArray) -> FloatArray:
    """Two-sided p of d / se under Student's t with df degrees of freedom, elementwise."""
    p: FloatArray = np.minimum(1.0, 2.0 * stdtr(df, -np.abs(d) / se))
    return p


def _of_welch(design: Design, squares: FloatArray, floors: FloatArray) -> tuple[FloatArray, FloatArray]:
    """se and df from the sums of squares about each arm's mean (2, ...)."""
    kb, ka = design.k_before, design.k_after
    shape = (2,) + (1,) * (squares.ndim - 1)
    k = np.array([float(kb), float(ka)]).reshape(shape)
    v = np.maximum(squares / (k - 1.0), floors) / k
    df = _satterthwaite(v, k - 1.0)
    if _scarce(min(kb, ka), max(kb, ka)):
        df = np.minimum(df, min(kb, ka) - 1)
    return np.sqrt(v.sum(axis=0)), df


@dataclass(frozen=True, eq=False)
class _Model:
    """The position model: ``c`` (N,) gives d, ``maker`` (N, N) the residuals."""

    c: FloatArray
    maker: FloatArray
    arms: tuple[slice, slice]
    free: int

    @classmethod
    def of(cls, design: Design) -> _Model:
        x = design.matrix
        assert x is not None
        hat = np.linalg.pinv(x)
        arms = (slice(0, design.k_before), slice(design.k_before, None))
        return cls(hat[-1], np.eye(x.shape[0]) - x @ hat, arms, x.shape[0] - x.shape[1])

    def spread(self, squares: FloatArray, floors: FloatArray) -> tuple[FloatArray, FloatArray]:
        """se and df from the squared residuals of each arm (2, F)."""
        kb, ka = (self.maker[g].shape[0] for g in self.arms)
        if kb == ka:
            s2 = np.maximum(squares.sum(axis=0) / self.free, floors.mean(axis=0))
            return np.sqrt(s2 * (self.c @ self.c)), np.full(s2.size, float(self.free))
        system = np.array([[(self.maker[g, h] ** 2).sum() for h in self.arms] for g in self.arms])
        # lstsq also serves a singular system; a negative component becomes its floor.
        s2 = np.maximum(np.linalg.lstsq(system, squares, rcond=None)[0], floors)
        weight = np.array([(self.c[g] ** 2).sum() for g in self.arms])[:, None]
        own = np.array([np.trace(self.maker[g, g]) for g in self.arms])
        df = _satterthwaite(weight * s2, own[:, None])
        if _scarce(min(kb, ka), max(kb, ka)):
            df = np.minimum(df, max(1.0, own[0 if kb < ka else 1]))
        return np.sqrt((weight * s2).sum(axis=0)), df
