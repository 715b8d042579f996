"""Runs of unlike length."""

from collections.abc import Iterator

from ..finding import Finding
from .evidence import Evidence

MOST_RATIO = 2.0


def check(evidence: Evidence) -> Iterator[Finding]:
    seconds = evidence.arms.minutes * 60.0
    shortest, longest = float(seconds.min()), float(seconds.max())
    if longest > MOST_RATIO * shortest:
        yield Finding("lengths-unlike", "warn", {"shortest_s": shortest, "longest_s": longest})
