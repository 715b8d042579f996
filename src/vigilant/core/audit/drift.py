"""Does the run value move with its place in the session? Slope within arms, level 1 %.

The position model takes drift out of the verdict; the finding says that there is some to take out.
"""

from collections.abc import Iterator

import numpy as np

from ..design import p_values
from ..finding import Finding
from ..scales import LOG_VARIANCE
from .evidence import Evidence

LEVEL = 0.01


def check(evidence: Evidence) -> Iterator[Finding]:
    design = evidence.design
    if design.matrix is None:
        return
    x = np.column_stack([design.matrix[:, :2], design.matrix[:, -1]])
    free = x.shape[0] - x.shape[1]
    if free < 1:
        return
    y = np.log([v.total_ms / v.n for v in evidence.arms.views])
    hat = np.linalg.pinv(x)
    slope = float(hat[1] @ y)
    rest = y - x @ (hat @ y)
    se = float(np.sqrt(max(float(rest @ rest) / free, LOG_VARIANCE) * (hat[1] @ hat[1])))
    if p_values(np.array([slope]), np.array([se]), np.array([float(free)]))[0] < LEVEL:
        yield Finding("drift", "warn", {"percent": 100.0 * float(np.expm1(2.0 * slope))})
