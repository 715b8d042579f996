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
