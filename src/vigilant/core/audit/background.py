"""Other work on the machine while recording, as the recorder measured it."""

from collections.abc import Iterator

import numpy as np

from ..finding import Finding
from ..sheet import OTHER_WORK
from .evidence import Evidence

MOST_MEDIAN, MOST_OF_A_RUN = 0.25, 1.0


def check(evidence: Evidence) -> Iterator[Finding]:
    shares = [v.series.measured[OTHER_WORK] for v in evidence.arms.views if OTHER_WORK in v.series.measured]
    if not shares:
        return
    median, most = float(np.median(shares)), max(shares)
    if median > MOST_MEDIAN or most > MOST_OF_A_RUN:
        yield Finding("other-work", "warn", {"median_percent": 100.0 * median, "most_percent": 100.0 * most})
