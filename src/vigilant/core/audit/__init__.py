"""The audit: whether the runs can carry a verdict. One file a check; a check is added by one line here."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from ..finding import Finding
from . import (
    background,
    build,
    by_hand,
    caps,
    clock,
    conditions,
    drift,
    frame_is,
    lengths,
    observers,
    odd_run,
    order,
    part_timed,
    repeats,
    runs,
    settled,
    sums,
    target,
    timer,
    unit,
    warm_up,
    window,
    witness,
)
from .evidence import Evidence

CHECKS: tuple[Callable[[Evidence], Iterable[Finding]], ...] = (
    runs.check,
    repeats.check,
    order.check,
    target.check,
    lengths.check,
    unit.check,
    clock.check,
    part_timed.check,
    sums.check,
    frame_is.check,
    conditions.check,
    build.check,
    observers.check,
    by_hand.check,
    window.check,
    background.check,
    caps.check,
    timer.check,
    settled.check,
    warm_up.check,
    drift.check,
    odd_run.check,
    witness.check,
)


def audit(evidence: Evidence) -> tuple[Finding, ...]:
    """All findings, in the order of the registry."""
    return tuple(finding for check in CHECKS for finding in check(evidence))
