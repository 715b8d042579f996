"""Enough runs in each arm?"""

from collections.abc import Iterator

from ..finding import Finding
from .evidence import Evidence

RECOMMENDED_RUNS = 5


def check(evidence: Evidence) -> Iterator[Finding]:
    before, after = evidence.arms.k
    facts = {"before": before, "after": after, "recommended": RECOMMENDED_RUNS}
    if min(before, after) == 1:
        yield Finding("spread-unknown", "warn", facts)
    elif min(before, after) < RECOMMENDED_RUNS:
        yield Finding("too-few-runs", "warn", facts)
