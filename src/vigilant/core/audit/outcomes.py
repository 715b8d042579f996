"""Runs that did not complete: found by whoever recorded, since they are in no arm."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from math import comb

from ..finding import Finding

CRASH_LEVEL = 0.05


def failed_runs(outcomes: Sequence[str]) -> tuple[Finding, ...]:
    """A finding when some of a recording's outcomes are not "complete"."""
    failed = [o for o in outcomes if o != "complete"]
    if not failed:
        return ()
    counted = [f"{n} {outcome}" for outcome, n in Counter(failed).items()]
    return (Finding("runs-failed", "warn", {"failed": len(failed), "total": len(outcomes), "outcomes": counted}),)


def fisher_p(before: tuple[int, int], after: tuple[int, int]) -> float:
    """Two-sided exact p of (failed, tried) before and after (Fisher 1934): the summed probability of
    all tables with these margins that are no likelier than the one met."""
    (a, n), (b, m) = before, after
    failed, total = a + b, n + m
    if min(n, m) == 0:
        return 1.0
    whole = comb(total, failed)
    ways = [comb(n, i) * comb(m, failed - i) for i in range(max(0, failed - m), min(n, failed) + 1)]
    met = comb(n, a) * comb(m, b)
    return sum(w for w in ways if w <= met) / whole


def crash_rates(before: tuple[int, int], after: tuple[int, int]) -> tuple[Finding, ...]:
    """A finding when the arms fail at unlike rates; each is (failed, tried), level 5 %."""
    p = fisher_p(before, after)
    if p >= CRASH_LEVEL:
        return ()
    facts = {"before_failed": before[0], "before_tried": before[1], "after_failed": after[0], "after_tried": after[1]}
    return (Finding("crash-rates-differ", "warn", {**facts, "p": p}),)
