"""Runs that never became steady by the scenario's settle rule."""

from collections.abc import Iterator

from ..finding import Finding
from ..settle import Settle
from .evidence import Evidence


def check(evidence: Evidence) -> Iterator[Finding]:
    rule = evidence.policy.settle
    if not isinstance(rule, Settle):
        return
    never = [v for v in evidence.arms.views if v.settled_s is None]
    if never:
        yield Finding(
            "never-settled", "warn", {"runs": len(never), "total": len(evidence.arms.views), "counter": rule.counter}
        )
