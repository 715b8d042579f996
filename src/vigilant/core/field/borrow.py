"""Which device models to borrow: those that hold most of what is beyond the goal, shrunk towards all models.

Formulas: docs/statistics.md, *Field: devices to borrow*.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.special import expit, stdtrit

from vigilant.core.errors import InvalidComparison
from vigilant.core.series import FloatArray

from .pooled import pooled
from .shares import Share

#: The variance between sessions of a model where too few models tell it, how many are needed, and sessions of each of them.
USUAL_VARIANCE, TELLING_MODELS, TELLING_SESSIONS = 2.0, 5, 20
#: Sessions under which a model is few.
FEW = 10
_NODES, _WEIGHTS = np.polynomial.hermite_e.hermegauss(9)
_WEIGHTS = _WEIGHTS / _WEIGHTS.sum()


@dataclass(frozen=True)
class Listed:
    """A model of the list: its place among those given, its score (the part of all frames that it makes late beyond the goal), what of all
    scores it and those before it hold, its share of play, and its late share as shrunk with its 95 % interval."""

    model: int
    score: float
    cumulated: float
    play: float
    p: float
    low: float
    high: float


@dataclass(frozen=True, eq=False)
class Shrunk:
    """Models' late shares on the logit, as seen (``y``, with variances ``v``) and shrunk (``mean``, ``variance``) towards ``centre`` with
    ``between``."""

    y: FloatArray
    v: FloatArray
    centre: float
    between: float
    mean: FloatArray
    variance: FloatArray


def session_variance(models: Sequence[tuple[Share, float, float, float]]) -> float:
    """The median over models with enough sessions of what sessions differ by on the logit: of each its share, late frames, frames and the
    sum of the squares of its sessions' frames."""
    told = [
        ((one.variance / (one.p * (1 - one.p)) ** 2) - 1.0 / (late + 0.5)) * frames**2 / squares
        for one, late, frames, squares in models
        if one.sessions >= TELLING_SESSIONS and 0 < one.p < 1
    ]
    return max(0.0, float(np.median(told))) if len(told) >= TELLING_MODELS else USUAL_VARIANCE


def shrunk(
    late: Sequence[float], frames: Sequence[float], squares: Sequence[float], variance: float = USUAL_VARIANCE
) -> Shrunk:
    """Of each model late frames, frames, and the sum of the squares of its sessions' frames. Raises :class:`InvalidComparison`."""
    c, n, q = (np.asarray(x, dtype=np.float64) for x in (late, frames, squares))
    if (
        not c.size
        or c.shape != n.shape
        or c.shape != q.shape
        or not bool(((c >= 0) & (c <= n) & (n > 0) & (q > 0)).all())
    ):
        raise InvalidComparison("every model has frames, and no more late ones than those")
    y = np.log((c + 0.5) / (n - c + 0.5))
    v = variance * q / n**2 + 1.0 / (c + 0.5) + 1.0 / (n - c + 0.5)
    found = pooled(y, v)
    kept = found.between / (found.between + v)
    return Shrunk(y, v, found.mean, found.between, found.mean + kept * (y - found.mean), kept * v)


def shortlist(found: Shrunk, frames: Sequence[float], goal: float) -> tuple[Listed, ...]:
    """Models by what they make late beyond the ``goal``, ties by play. Raises :class:`InvalidComparison`."""
    if not 0 <= goal < 1:
        raise InvalidComparison(f"a goal is a share of late frames, got {goal:g}")
    n = np.asarray(frames, dtype=np.float64)
    play, sd = n / n.sum(), np.sqrt(found.variance)
    beyond = np.maximum(0.0, expit(found.mean[:, None] + sd[:, None] * _NODES) - goal)
    score = play * (beyond @ _WEIGHTS)
    order = sorted(range(n.size), key=lambda i: (-score[i], -play[i], i))
    total, sums = float(score.sum()), np.cumsum(score[order])
    half = float(stdtrit(np.inf, 0.975)) * sd
    return tuple(
        Listed(
            i, float(score[i]), float(sums[place]) / total if total > 0 else 0.0, float(play[i]), float(expit(found.mean[i])),
            float(expit(found.mean[i] - half[i])), float(expit(found.mean[i] + half[i])),
        )
        for place, i in enumerate(order)
    )  # fmt: skip
