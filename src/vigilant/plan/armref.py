"""Which arm of a plan: a place and a role. "after 2" is only how it is written down and shown."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass
from enum import IntEnum

from .tables import MOST_ARMS


class Role(IntEnum):
    """In the order in which arms are shown."""

    REFERENCE = 0
    CHANGED = 1
    EMPTY = 2


@dataclass(frozen=True, order=True)
class ArmRef:
    """An arm of a plan. ``index`` is its place among the arms that play (0 is the reference that every other is
    held against); the empty arm, which plays nothing, has none and is -1."""

    role: Role
    index: int

    @classmethod
    def at(cls, index: int) -> ArmRef:
        """The arm at a place among those that play."""
        return cls(Role.CHANGED if index else Role.REFERENCE, index)

    @classmethod
    def of(cls, label: str) -> ArmRef:
        """The arm that a label stands for. Raises ValueError for what is no label."""
        if label not in _BY_LABEL:
            raise ValueError(f"{label[:20]!r} is no label of an arm")
        return _BY_LABEL[label]

    @property
    def label(self) -> str:
        """ "before", "after", "after 2", ... or "empty"."""
        if self.role == Role.EMPTY:
            return "empty"
        return ("before", "after")[self.index] if self.index < 2 else f"after {self.index}"


_REFS = [*(ArmRef.at(i) for i in range(MOST_ARMS)), ArmRef(Role.EMPTY, -1)]
_BY_LABEL = {ref.label: ref for ref in _REFS}
EMPTY = _REFS[-1].label
REFERENCE = _REFS[0].label
#: What a label looks like, for the API's schema.
PATTERN = "^(" + "|".join(re.escape(label) for label in _BY_LABEL) + ")$"


def in_order(labels: Iterable[str]) -> list[str]:
    """Labels in the plan's order, the empty arm last; each once."""
    return [ref.label for ref in sorted({ArmRef.of(label) for label in labels})]


def held(labels: Iterable[str]) -> list[str]:
    """Labels of the arms that are held against the reference, in the plan's order."""
    return [label for label in in_order(labels) if ArmRef.of(label).role == Role.CHANGED]
