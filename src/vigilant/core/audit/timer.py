"""A clock too coarse for quantiles."""

from collections.abc import Iterator

from ..finding import Finding
from ..timer import COARSE_STEP_MS
from .evidence import Evidence


def check(evidence: Evidence) -> Iterator[Finding]:
    step = evidence.arms.step_ms
    if step >= COARSE_STEP_MS:
        yield Finding("timer-coarse", "note", {"step_ms": step})
