"""Does the run value move with its place in the session? Slope within arms, level 1 %.

The position model takes drift out of the verdict; the finding says that there is some to take out.
"""

from collections.abc import Iterator

import numpy as np

from ..design import Design, p_values
from ..finding import Finding
from ..scales import LOG_VARIANCE
from ..series import FloatArray
from .evidence import Evidence

LEVEL = 0.01


def check(evidence: Evidence) -> Iterator[Finding]:
    fitted = session_slope(np.log([v.total_ms / v.n for v in evidence.arms.views]), evidence.design)
    if fitted is None:
        return
    slope, se, free = fitted
    if p_values(np.array([slope]), np.array([se]), np.array([float(free)]))[0] < LEVEL:
        yield Finding("drift", "warn", {"percent": 100.0 * float(np.expm1(2.0 * slope))})


def session_slope(y: FloatArray, design: Design) -> tuple[float, float, int] | None:
    """The slope of y (N,) over half of the session within arms, its standard error and degrees of freedom; None where
    the order is not known or too little is left."""
    if design.matrix is None:
        return None
    x = np.column_stack([design.matrix[:, :2], design.matrix[:, -1]])
    free = x.shape[0] - x.shape[1]
    if free < 1:
        return None
    hat = np.linalg.pinv(x)
    slope = float(hat[1] @ y)
    rest = y - x @ (hat @ y)
    se = float(np.sqrt(max(float(rest @ rest) / free, LOG_VARIANCE) * (hat[1] @ hat[1])))
    return slope, se, free
