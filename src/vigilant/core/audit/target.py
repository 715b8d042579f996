"""Figures that need a target, without one."""

from collections.abc import Iterator

from ..figures import FIGURES
from ..finding import Finding
from .evidence import Evidence


def check(evidence: Evidence) -> Iterator[Finding]:
    policy = evidence.policy
    dropped = [name for name in policy.primaries if FIGURES[name].needs_target]
    if policy.target_fps is None and dropped:
        yield Finding("target-missing", "note", {"dropped": dropped})
