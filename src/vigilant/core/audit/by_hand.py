"""Runs played by hand differ by the player too: said, with the spread they really had."""

from collections.abc import Iterator

import numpy as np

from ..finding import Finding
from ..sheet import BY_HAND, PLAYED
from .evidence import Evidence


def check(evidence: Evidence) -> Iterator[Finding]:
    if not any(BY_HAND in values for values in evidence.values_of(PLAYED)):
        return
    spreads = [
        100.0 * float(np.std([np.log(v.total_ms / v.n) for v in arm], ddof=1))
        for arm in evidence.arms.arms
        if len(arm) > 1
    ]
    yield Finding("played-by-hand", "note", {"spread_percent": max(spreads, default=0.0)})
