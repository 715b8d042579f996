"""Was the window in front and visible throughout? A system slows what nobody looks at."""

from collections.abc import Iterator

from ..finding import Finding
from ..sheet import AWAY
from .evidence import Evidence


def check(evidence: Evidence) -> Iterator[Finding]:
    views = evidence.arms.views
    away = [v for v in views if any(v.series.conditions.get(key) == value for key, value in AWAY.items())]
    if away:
        yield Finding("window-not-in-front", "warn", {"runs": len(away), "total": len(views)})
