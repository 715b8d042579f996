"""Poisson moments for the floors and for runs of unlike length."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from scipy.special import gammaln

from .series import FloatArray

_LARGE = 1e6  # beyond it the transforms are linear over the Poisson's spread to 1e-6


def poisson_moments(mean: float, transform: Callable[[FloatArray], FloatArray]) -> tuple[float, float]:
    """Expectation and variance of ``transform(X)``, X Poisson(mean), summed over +-12 sd."""
    if mean <= 0:
        return float(transform(np.zeros(1))[0]), 0.0
    reach = 12.0 * np.sqrt(mean) + 30.0
    if mean > _LARGE:
        x = np.linspace(mean - reach, mean + reach, 4001)
        weight = np.exp(-0.5 * (x - mean) ** 2 / mean)
    else:
        x = np.arange(max(0.0, np.floor(mean - reach)), np.ceil(mean + reach) + 1.0)
        weight = np.exp(x * np.log(mean) - mean - gammaln(x + 1.0))
    weight /= weight.sum()
    y = transform(x)
    expected = float(weight @ y)
    return expected, float(weight @ (y - expected) ** 2)


def count_variance(mean: float) -> float:
    """Variance of 2 sqrt(X + 3/8), X Poisson(mean): near 1 from a mean of about 3."""
    return poisson_moments(mean, lambda x: 2.0 * np.sqrt(x + 0.375))[1]
