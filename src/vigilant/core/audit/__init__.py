"""Checks of whether the runs can carry a verdict: one file per check, one registry.

A check takes a :class:`~vigilant.core.audit.evidence.Evidence` and yields findings. To add
one: write its file and name it in ``CHECKS``.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable

from ..finding import Finding
from . import caps, conditions, lengths, order, runs, target
from .evidence import Evidence

CHECKS: tuple[Callable[[Evidence], Iterable[Finding]], ...] = (
    runs.check,
    order.check,
    target.check,
    lengths.check,
    conditions.check,
    caps.check,
)


def audit(evidence: Evidence) -> tuple[Finding, ...]:
    """All findings, in the order of the registry."""
    return tuple(finding for check in CHECKS for finding in check(evidence))
