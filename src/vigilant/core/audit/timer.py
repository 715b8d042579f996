"""A clock too coarse for quantiles."""

from collections.abc import Iterator

from ..finding import Finding
from .evidence import Evidence

COARSE_STEP_MS = 0.1


def check(evidence: Evidence) -> Iterator[Finding]:
    step = evidence.arms.step_ms
    if step >= COARSE_STEP_MS:
        yield Finding("timer-coarse", "note", {"step_ms": step})
