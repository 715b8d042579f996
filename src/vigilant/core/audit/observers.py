"""Anything attached while recording costs time of its own, even when both arms carry it."""

from collections.abc import Iterator

from ..finding import Finding
from ..sheet import OBSERVERS
from .evidence import Evidence

NONE = ("none", "")


def check(evidence: Evidence) -> Iterator[Finding]:
    before, after = evidence.values_of(OBSERVERS)
    attached = sorted({v for v in (*before, *after) if v.lower() not in NONE})
    if attached:
        yield Finding("observers-attached", "warn", {"observers": attached})
