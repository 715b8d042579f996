"""Effects of many models with an own spread between them: mean and spread by Paule and Mandel (1982).

Formulas: docs/statistics.md, *Field: models together*.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.optimize import brentq

from vigilant.core.series import FloatArray


@dataclass(frozen=True)
class Pooled:
    """Mean, the variance between models, and the standard error of the mean: the larger of Hartung and Knapp's and the plain one."""

    mean: float
    between: float
    se: float
    models: int


def pooled(y: FloatArray, v: FloatArray) -> Pooled:
    """Of estimates (k,) with their variances."""
    k = y.size

    def over(between: float) -> float:
        w = 1.0 / (v + between)
        return float((w * (y - (w * y).sum() / w.sum()) ** 2).sum()) - (k - 1.0)

    between = 0.0
    if k > 1 and over(0.0) > 0:
        high = max(float(y.var()), 1e-9)
        while over(high) > 0:
            high *= 4.0
        between = float(brentq(over, 0.0, high, xtol=1e-14, rtol=1e-13))
    w = 1.0 / (v + between)
    mean = float((w * y).sum() / w.sum())
    plain = 1.0 / float(w.sum())
    knapp = float((w * (y - mean) ** 2).sum()) / ((k - 1.0) * float(w.sum())) if k > 1 else plain
    return Pooled(mean, between, float(np.sqrt(max(plain, knapp))), k)
