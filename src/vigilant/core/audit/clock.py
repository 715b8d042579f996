"""Real time against a simulated clock; two clocks that do not tell the same length."""

from collections.abc import Iterator

import numpy as np

from ..finding import Finding
from ..sheet import CLOCK
from .evidence import Evidence

SIMULATED = "simulated"
MOST_APART = 0.02


def check(evidence: Evidence) -> Iterator[Finding]:
    before, after = evidence.values_of(CLOCK)
    if before and after and (SIMULATED in before) != (SIMULATED in after):
        yield Finding("simulated-against-real", "void", {"before": before, "after": after})
    apart = []
    for view in evidence.arms.views:
        stated, own = view.series.stated_s, float(view.series.frame_ms.sum()) / 1000.0
        if stated:
            apart.append(abs(np.log(own / stated)))
    off = [a for a in apart if MOST_APART < a < np.log(5.0)]
    if off:
        yield Finding("clocks-disagree", "warn", {"runs": len(off), "percent": 100.0 * float(np.expm1(max(off)))})
