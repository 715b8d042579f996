"""Did both arms do the same work? Witnesses are counters that must not change with the change.

Each witness is compared by the same method as a figure, on the logarithm of its mean per frame;
Holm over the witnesses: found at 5 % it warns, at 1 % it voids, since one comparison in twenty must
not be thrown away over a noisy counter. A difference under half a percent is none.
"""

from collections.abc import Iterator

import numpy as np

from ..design import fit_design, p_values
from ..finding import Finding
from ..levels import even, holm
from ..scales import LOG_VARIANCE
from ..series import counter_mean
from .evidence import Evidence

LEVEL, VOID_LEVEL, LEAST_CHANGE = 0.05, 0.01, 0.005


def check(evidence: Evidence) -> Iterator[Finding]:
    names = evidence.policy.witnesses
    if not names:
        return
    values = {n: [counter_mean(v.series, v.played.index, n) for v in evidence.arms.views] for n in names}
    missing = [n for n in names if any(v is None for v in values[n])]
    if missing:
        yield Finding("witness-missing", "warn", {"witnesses": missing})
    whole = [n for n in names if n not in missing]
    if not whole:
        return
    y = np.log(np.maximum(np.array([values[n] for n in whole], dtype=np.float64).T, 1e-9))
    fit = fit_design(evidence.design, y, np.full((2, len(whole)), LOG_VARIANCE))
    large = np.abs(fit.d) > LEAST_CHANGE
    certain = found = large
    if fit.se is not None and fit.df is not None:
        p = p_values(fit.d, fit.se, fit.df).tolist()
        found = large & np.array(holm(p, even(LEVEL).of), dtype=np.bool_)
        certain = large & np.array(holm(p, even(VOID_LEVEL).of), dtype=np.bool_)
    unlike = [
        {"witness": n, "percent": 100.0 * float(np.expm1(d))}
        for n, d, rejected in zip(whole, fit.d, found, strict=True)
        if rejected
    ]
    if unlike:
        yield Finding("work-unlike", "void" if certain.any() else "warn", {"unlike": unlike})
