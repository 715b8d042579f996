"""What the checks look at."""

from __future__ import annotations

from dataclasses import dataclass

from ..arms import Arms
from ..design import Design
from ..policy import Policy


@dataclass(frozen=True, eq=False)
class Evidence:
    """Both arms, the design, the policy, and whether the recorded order was given."""

    arms: Arms
    design: Design
    policy: Policy
    order_known: bool

    def values_of(self, condition: str) -> tuple[list[str], list[str]]:
        """The distinct values of a condition in each arm, sorted; empty where no run tells."""
        before, after = (
            sorted({v.series.conditions[condition] for v in arm if condition in v.series.conditions})
            for arm in self.arms.arms
        )
        return before, after
