"""Runs that did not complete: found by whoever recorded, since they are in no arm."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

from ..finding import Finding


def failed_runs(outcomes: Sequence[str]) -> tuple[Finding, ...]:
    """A finding when some of a recording's outcomes are not "complete"."""
    failed = [o for o in outcomes if o != "complete"]
    if not failed:
        return ()
    counted = [f"{n} {outcome}" for outcome, n in Counter(failed).items()]
    return (Finding("runs-failed", "warn", {"failed": len(failed), "total": len(outcomes), "outcomes": counted}),)
