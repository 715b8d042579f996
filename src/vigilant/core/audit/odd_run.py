"""A run unlike the others of its arm: externally studentised residual of ln(mean), pooled variance,
Bonferroni over all runs, 1 %. Flagged, never dropped silently."""

from collections.abc import Iterator

import numpy as np

from ..design import p_values
from ..finding import Finding
from ..scales import LOG_VARIANCE
from .evidence import Evidence

LEVEL = 0.01


def check(evidence: Evidence) -> Iterator[Finding]:
    views, k = evidence.arms.views, evidence.arms.k
    n = len(views)
    free = n - 2 - 1
    if free < 1 or min(k) < 2:
        return
    y = np.log([v.total_ms / v.n for v in views])
    sizes = np.repeat(np.array(k, dtype=np.float64), k)
    residual = y - np.repeat([y[: k[0]].mean(), y[k[0] :].mean()], k)
    keep = 1.0 - 1.0 / sizes
    without = np.maximum((float(residual @ residual) - residual**2 / keep) / free, LOG_VARIANCE)
    p = n * p_values(residual, np.sqrt(without * keep), np.full(n, float(free)))
    odd = [
        {"arm": "before" if i < k[0] else "after", "run": int(i) + 1 if i < k[0] else int(i) - k[0] + 1,
         "percent": 100.0 * float(np.expm1(residual[i] / keep[i]))}
        for i in np.flatnonzero(p < LEVEL)
    ]  # fmt: skip
    if odd:
        yield Finding("odd-run", "warn", {"odd": odd})
