"""Quantile differences over the whole distribution, with one band that holds for all of them at once.

The maximum over the quantiles of |mean difference| / se, over relabellings of the runs' residuals,
gives the critical value (Westfall and Young, 1993).
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import combinations
from math import comb

import numpy as np

from .arms import Arms
from .figures import quantiles_of
from .scales import LOG_SD
from .series import FloatArray

AT: FloatArray = np.array([*range(1, 100), 99.5, 99.9]) / 100.0
MOST_RELABELLINGS = 1000
LEAST_RUNS = 4
SIMULTANEOUS = 0.95


@dataclass(frozen=True, eq=False)
class QuantileBand:
    """Per quantile ``at`` (101,): the level before in ms, the difference d of the logarithms, and the
    band around it; ``low`` and ``high`` None where three runs an arm or fewer allow none."""

    at: FloatArray
    before_ms: FloatArray
    d: FloatArray
    low: FloatArray | None
    high: FloatArray | None


def quantile_band(arms: Arms, certifiable: bool = True, seed: int = 0) -> QuantileBand | None:
    """Differences of ln quantiles, after less before, and their simultaneous 95 % band.

    Residuals of both arms times sqrt(k / (k - 1)); all relabellings up to 1000, else 1000 drawn;
    se by Welch with the floors of a figure, recomputed in each. None where a quantile is zero;
    ``certifiable`` False gives the differences alone.
    """
    values = np.stack([quantiles_of(v.ordered, AT, arms.step_ms) for v in arms.views])
    if not (values > 0).all():
        return None
    y = np.log(values)
    kb, ka = arms.k
    mean_b, mean_a = y[:kb].mean(axis=0), y[kb:].mean(axis=0)
    d = mean_a - mean_b
    before_ms = np.exp(mean_b)
    if min(kb, ka) < LEAST_RUNS or not certifiable:
        return QuantileBand(AT, before_ms, d, None, None)
    floor = [np.maximum(LOG_SD, 0.05 * arms.step_ms / np.exp(m)) ** 2 for m in (mean_b, mean_a)]
    residuals = np.concatenate(((y[:kb] - mean_b) * np.sqrt(kb / (kb - 1)), (y[kb:] - mean_a) * np.sqrt(ka / (ka - 1))))
    labels = _relabellings(kb + ka, kb, seed)
    maxima = _t(residuals, labels, kb, ka, floor).max(axis=1)
    critical = float(np.sort(maxima)[int(np.ceil(SIMULTANEOUS * maxima.size)) - 1])
    variance = [np.maximum(part.var(axis=0, ddof=1), f) for part, f in zip((y[:kb], y[kb:]), floor, strict=True)]
    reach = critical * np.sqrt(variance[0] / kb + variance[1] / ka)
    return QuantileBand(AT, before_ms, d, d - reach, d + reach)


def _relabellings(runs: int, before: int, seed: int) -> FloatArray:
    """Rows (m, runs) of 0 and 1: which runs are called before."""
    if comb(runs, before) <= MOST_RELABELLINGS:
        chosen = np.array(list(combinations(range(runs), before)))
    else:
        rng = np.random.default_rng(seed)
        chosen = np.argsort(rng.random((MOST_RELABELLINGS, runs)), axis=1)[:, :before]
    labels = np.zeros((len(chosen), runs))
    np.put_along_axis(labels, chosen, 1.0, axis=1)
    return labels


def _t(r: FloatArray, labels: FloatArray, kb: int, ka: int, floor: list[FloatArray]) -> FloatArray:
    """|mean difference| / se per relabelling and quantile (m, 101)."""
    total, squares = r.sum(axis=0), (r**2).sum(axis=0)
    sum_b, squares_b = labels @ r, labels @ r**2
    parts = []
    means = []
    for k, s, q, f in ((kb, sum_b, squares_b, floor[0]), (ka, total - sum_b, squares - squares_b, floor[1])):
        mean = s / k
        means.append(mean)
        parts.append(np.maximum((q - k * mean**2) / (k - 1), f) / k)
    t: FloatArray = np.abs(means[1] - means[0]) / np.sqrt(parts[0] + parts[1])
    return t
