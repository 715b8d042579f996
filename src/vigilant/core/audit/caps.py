"""One arm held by a refresh cap, two different caps, or both at one rate."""

from collections.abc import Iterator

from ..finding import Finding
from .evidence import Evidence

SAME_PERIOD = 0.02


def check(evidence: Evidence) -> Iterator[Finding]:
    before, after = evidence.arms.caps
    facts = {"before_ms": before, "after_ms": after}
    if (before is None) != (after is None):
        yield Finding("cap-one-side", "void", facts)
    elif before is not None and after is not None:
        if abs(before - after) > SAME_PERIOD * min(before, after):
            yield Finding("caps-differ", "void", facts)
        else:
            yield Finding("held-by-cap", "warn", facts)
