"""Quality tiers: what a step does to the late share of models that were seen at both, what to move, and what is two in one.

Formulas: docs/statistics.md, *Field: tiers*.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from typing import Literal

import numpy as np
from scipy.optimize import brentq, minimize_scalar
from scipy.special import expit, logit, stdtrit

from vigilant.core.errors import InvalidComparison
from vigilant.core.series import FloatArray

from .histogram import Histogram, share_over
from .pooled import Pooled, pooled
from .shares import Share

#: Models seen at both tiers that a shift needs, and sessions of each at either.
LEAST_MODELS, LEAST_SESSIONS = 8, 20
#: A move up needs the high end under so much of the goal; one move in so many days, and late for so many before one down.
UP_SHARE, DAYS_APART, DAYS_LATE = 0.5, 14, 14
#: Two kinds in one tier: odds apart, twice the log likelihood, and play on both sides.
ODDS, LIKELIER, LEAST_PLAY = 3.0, 14.0, 0.1
Basis = Literal["seen", "models", "scaled", "extrapolated"]


@dataclass(frozen=True)
class Expected:
    """A late share expected after a move, with its 95 % interval, and on what it rests."""

    p: float
    low: float
    high: float
    basis: Basis


def shift(before: Sequence[Share], after: Sequence[Share]) -> Pooled | None:
    """What a tier does to the logit of the late share, over models seen at both in one order; None where they are too few."""
    if len(before) != len(after):
        raise InvalidComparison("every model is seen at both tiers")
    told = [
        (float(logit(a.p) - logit(b.p)), b.se**2 + a.se**2)
        for b, a in zip(before, after, strict=True)
        if 0 < b.p < 1 and 0 < a.p < 1 and min(b.sessions, a.sessions) >= LEAST_SESSIONS
    ]
    if len(told) < LEAST_MODELS:
        return None
    d, v = np.array(told).T
    return pooled(d, v)


def after_shift(now: Share, moved: Pooled) -> Expected | None:
    """A class's late share at the other tier, by the models' shift; None where nothing of it is late."""
    if not 0 < now.p < 1:
        return None
    at = float(logit(now.p)) + moved.mean
    half = float(stdtrit(moved.models - 2, 0.975)) * math.sqrt(now.se**2 + moved.se**2 + moved.between)
    return Expected(float(expit(at)), float(expit(at - half)), float(expit(at + half)), "models")


@dataclass(frozen=True)
class Ratio:
    """How many times as long work takes at the other tier, over models, with the limits that the next model's lies within; ``slow`` to
    ``fast`` are the models' own mean times, ms."""

    mean: float
    low: float
    high: float
    fastest_ms: float
    slowest_ms: float


def ratio(before_ms: Sequence[float], after_ms: Sequence[float]) -> Ratio | None:
    """Of the mean work times of models seen at both; None where they are too few. Raises :class:`InvalidComparison`."""
    b, a = np.asarray(before_ms, dtype=np.float64), np.asarray(after_ms, dtype=np.float64)
    if b.shape != a.shape or not bool(((b > 0) & (a > 0)).all()):
        raise InvalidComparison("every model has work times above 0 at both tiers")
    if b.size < LEAST_MODELS:
        return None
    logs: FloatArray = np.log(a / b)
    spread = float(logs.std(ddof=1)) * math.sqrt(1.0 + 1.0 / logs.size)
    half = float(stdtrit(logs.size - 1, 0.975)) * spread
    mean = float(logs.mean())
    return Ratio(math.exp(mean), math.exp(mean - half), math.exp(mean + half), float(b.min()), float(b.max()))


def after_ratio(now: Histogram, own: Share, by: Ratio, limit_ms: float) -> Expected | None:
    """A class's late share at the other tier, by its own work times scaled: the interval is that of the ratio and of the class's own
    sampling together, on the logit. None where nothing would be late."""
    told = [share_over(now, limit_ms / r).value for r in (by.low, by.mean, by.high)]
    if not 0 < told[1] < 1:
        return None
    at = float(logit(told[1]))
    least = 0.5 / max(1, now.frames)
    ends = [float(logit(min(1 - least, max(least, one)))) - at for one in (told[0], told[2])]
    sampling = float(stdtrit(max(1.0, own.df), 0.975)) * own.se if 0 < own.p < 1 else 0.0
    mean_ms = now.sum_ms / now.frames
    known = by.fastest_ms <= mean_ms <= by.slowest_ms
    return Expected(
        told[1], float(expit(at - math.hypot(ends[0], sampling))), float(expit(at + math.hypot(ends[1], sampling))),
        "scaled" if known else "extrapolated",
    )  # fmt: skip


def shift_over(steps: Sequence[Pooled]) -> Pooled:
    """Of several steps one after another. What models differ by adds up: one that is unusual at a step may be so at the next."""
    return Pooled(
        mean=sum(one.mean for one in steps),
        se=sum(one.se for one in steps),
        between=sum(math.sqrt(one.between) for one in steps) ** 2,
        models=min(one.models for one in steps),
    )


def ratio_over(steps: Sequence[Ratio]) -> Ratio:
    """Of several steps one after another; their limits multiply, as in :func:`shift_over`. The models' times are those at the first."""
    mean, low, high = (math.prod(getattr(one, name) for one in steps) for name in ("mean", "low", "high"))
    return Ratio(mean, low, high, steps[0].fastest_ms, steps[0].slowest_ms)


def must_save(now: Histogram, limit_ms: float, goal: float) -> float | None:
    """How many times as long work may take for the late share to be the goal (under 1: so much must be saved; over 1: so much may be spent),
    by a class's own work times scaled. None where no scale does that."""

    def over(log_r: float) -> float:
        return share_over(now, limit_ms / math.exp(log_r)).value - goal

    low, high = math.log(0.05), math.log(20.0)
    if not 0 < goal < 1 or over(low) > 0 or over(high) < 0:
        return None
    return math.exp(float(brentq(over, low, high, xtol=1e-9)))


# -- what to move


Move = Literal["down", "up", "stay", "the tier is not what makes it late"]


@dataclass(frozen=True)
class Standing:
    """A class at its tier: its late share now, for how many days it was over the goal, what a step down and up are expected to do on work
    times, when it moved last, whether it came down in this build and from what share."""

    now: Share
    days_late: int
    down: Expected | None
    up: Expected | None
    moved_on: date | None = None
    came_down_from: float | None = None


def move(standing: Standing, goal: float, today: date) -> Move:
    """At most one move in fourteen days; down where it surely is late and a step surely helps, up where even the high end is under half of
    the goal. What is extrapolated moves nothing."""
    if standing.moved_on is not None and (today - standing.moved_on).days < DAYS_APART:
        return "stay"
    low = standing.now.low
    if low is not None and low > goal and standing.days_late >= DAYS_LATE:
        down = standing.down
        if down is None or down.basis == "extrapolated":
            return "stay"
        return "down" if down.high < standing.now.p else "the tier is not what makes it late"
    up = standing.up
    if up is None or up.basis == "extrapolated" or up.high >= UP_SHARE * goal:
        return "stay"
    back = standing.came_down_from
    return "stay" if back is not None and standing.now.p > 0.5 * back else "up"


# -- two kinds in one tier


@dataclass(frozen=True)
class Split:
    """Models in order of their late share, cut after ``below`` of them: the odds of both sides apart, and twice the log likelihood that two
    kinds are likelier by."""

    below: int
    odds: float
    likelier: float

    @property
    def advised(self) -> bool:
        return self.odds >= ODDS and self.likelier > LIKELIER


def cut(mean: FloatArray, play: FloatArray) -> tuple[int, float] | None:
    """The best single cut of models (shrunk logits (k,), and play) by the play-weighted sum of squares, with a tenth of the play on both
    sides: after how many of them in order, and the odds of both sides apart. None where there is none."""
    order = np.argsort(mean, kind="stable")
    m, w = mean[order], play[order] / play.sum()
    sums, best, at = np.cumsum(w), math.inf, 0
    for k in range(1, m.size):
        if not LEAST_PLAY <= sums[k - 1] <= 1 - LEAST_PLAY:
            continue
        cost = sum(
            float((w[side] * (m[side] - np.average(m[side], weights=w[side])) ** 2).sum())
            for side in (slice(None, k), slice(k, None))
        )
        if cost < best:
            best, at = cost, k
    if not at:
        return None
    low, high = (float(np.average(m[side], weights=w[side])) for side in (slice(None, at), slice(at, None)))
    return at, math.exp(high - low)


def split(mean: FloatArray, variance: FloatArray, play: FloatArray) -> Split | None:
    """Models cut in two (:func:`cut`), with how much likelier two kinds are than one; None where there is no cut."""
    found = cut(mean, play)
    if found is None:
        return None
    below, odds = found
    order = np.argsort(mean, kind="stable")
    m, v = mean[order], variance[order]
    return Split(below, odds, 2.0 * (_two(m, v, below) - _one(m, v)))


def _fit(m: FloatArray, v: FloatArray, centres: FloatArray, spread: float) -> float:
    total = v + spread
    return float(-0.5 * (np.log(2 * np.pi * total) + (m - centres) ** 2 / total).sum())


def _one(m: FloatArray, v: FloatArray) -> float:
    def cost(log_spread: float) -> float:
        spread = math.exp(log_spread)
        w = 1.0 / (v + spread)
        return -_fit(m, v, np.full(m.size, float((w * m).sum() / w.sum())), spread)

    return -float(minimize_scalar(cost, bounds=(-16.0, 4.0), method="bounded").fun)


def _two(m: FloatArray, v: FloatArray, at: int) -> float:
    """Two normals with one spread, as a mixture, from the cut on by EM at each spread."""

    def likelihood(spread: float) -> float:
        total = v + spread
        fixed, weight = -0.5 * np.log(2 * np.pi * total), 1.0 / total
        low, high, share = m[:at].mean(), m[at:].mean(), 1.0 - at / m.size
        value = -math.inf
        for _ in range(200):
            of_low = math.log1p(-share) + fixed - 0.5 * weight * (m - low) ** 2
            of_high = math.log(share) + fixed - 0.5 * weight * (m - high) ** 2
            each = np.logaddexp(of_low, of_high)
            held = np.exp(of_high - each)  # by the higher kind
            above = held * weight
            below = weight - above
            low, high = (below @ m) / max(below.sum(), 1e-300), (above @ m) / max(above.sum(), 1e-300)
            share = float(np.clip(held.mean(), 1e-12, 1.0 - 1e-12))
            now = float(each.sum())
            if now - value < 1e-9:
                break
            value = now
        return value

    found = minimize_scalar(lambda x: -likelihood(math.exp(x)), bounds=(-16.0, 4.0), method="bounded")
    return -float(found.fun)
