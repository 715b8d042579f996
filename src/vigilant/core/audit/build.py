"""Builds that are not what players get: a debug build or an editor, on both sides.

On one side only, the conditions differ and the comparison is void.
"""

from collections.abc import Iterator

from ..finding import Finding
from ..sheet import BUILD
from .evidence import Evidence

SLOW_BUILDS = ("debug", "editor", "development", "unoptimised", "unoptimized")


def check(evidence: Evidence) -> Iterator[Finding]:
    before, after = evidence.values_of(BUILD)
    slow = [v for v in (*before, *after) if any(word in v.lower() for word in SLOW_BUILDS)]
    if slow:
        yield Finding("build-not-release", "warn", {"builds": sorted(set(slow))})
