"""Is the order known, and does it keep arm and time apart?"""

from collections.abc import Iterator

from ..finding import Finding
from .evidence import Evidence


def check(evidence: Evidence) -> Iterator[Finding]:
    design = evidence.design
    if design.kind == "order-confounded":
        inflation = design.inflation
        shown = None if inflation is None or inflation == float("inf") else round(inflation, 1)
        yield Finding("order-confounded", "warn", {"inflation": shown})
    elif design.kind == "order-unknown" or (design.kind == "single" and not evidence.order_known):
        yield Finding("order-unknown", "warn")
