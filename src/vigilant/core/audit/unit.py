"""Is the unit what it is said to be, and are these times at all?

With a second clock the unit is the one whose total fits. Without one, times outside what frames
last are suspect; and a column with its long tail below is a rate: stalls make times long, and
rates low.
"""

from collections.abc import Iterator, Sequence

import numpy as np

from ..finding import Finding
from ..summary import RunFrames
from .evidence import Evidence

UNITS = {"s": 1000.0, "us": 1e-3, "ns": 1e-6}
FITS = 0.1
LEAST_MS, MOST_MS = 0.05, 2000.0
RATE_FROM, RATE_TO = 10.0, 1000.0
LEAST_FRAMES, TAIL_RATIO = 200, 3.0


def check(evidence: Evidence) -> Iterator[Finding]:
    """One finding, of the worse arm: a wrong unit on one side only is a thousandfold gain."""
    found = [finding for arm in evidence.arms.arms for finding in _of_arm(arm)]
    if found:
        yield min(found, key=lambda f: ("void", "warn").index(f.severity))


def _of_arm(views: Sequence[RunFrames]) -> Iterator[Finding]:
    fitting = []
    for view in views:
        stated = view.series.stated_s
        if stated:
            ratio = stated * 1000.0 / float(view.series.frame_ms.sum())
            fitting += [unit for unit, factor in UNITS.items() if abs(np.log(ratio / factor)) < FITS]
    if 2 * len(fitting) > len(views):
        yield Finding("unit-unlike", "void", {"unit": max(set(fitting), key=fitting.count)})
        return
    if any(view.series.stated_s for view in views):
        return
    typical = float(np.median([view.quantile_values()[0] for view in views]))
    if not LEAST_MS <= typical <= MOST_MS:
        yield Finding("unit-suspect", "warn", {"typical_ms": typical})
    elif RATE_FROM <= typical <= RATE_TO and 2 * sum(map(_looks_like_rate, views)) > len(views):
        yield Finding("rate-given-as-time", "warn", {"typical": typical})


def _looks_like_rate(view: RunFrames) -> bool:
    """The tail below the median is three times as long as the one above; the outermost frame of each is left out."""
    x = view.ordered
    if x.size < LEAST_FRAMES:
        return False
    low, middle, high = x[1], x[x.size // 2], x[-2]
    return bool(middle - low > TAIL_RATIO * (high - middle) and middle - low > 0.02 * middle)
