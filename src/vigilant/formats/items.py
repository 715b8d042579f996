"""Lines of a stream that state an inventory: so many pieces of a kind, and what one weighs in one unit."""

from __future__ import annotations

from typing import Any

from vigilant.core.work.inventory import Item

from . import limits
from .head import finite, short, unfit_name

#: Why a line is not taken: a code and what is said.
Refused = tuple[str, str]


class ItemsTaken:
    """What a stream stated; ``seen`` counts its lines, those that other parsers took before included. A kind or a weight that is stated again replaces what
    stood there."""

    def __init__(self, seen: int = 0) -> None:
        self.seen = seen
        self.kinds: dict[str, Item] = {}

    def take(self, value: dict[str, Any]) -> Refused | None:
        """Take a line, or say why not."""
        if self.seen >= limits.ITEMS * limits.WEIGHTS:
            return "items-too-many", f"a run may have {limits.ITEMS * limits.WEIGHTS} item lines"
        kind, weight = value["item"], value.get("weight")
        for what, name in (("a kind's name", kind), ("a weight's name", weight)):
            if name is None and what == "a weight's name":
                continue
            if why := unfit_name(name) if isinstance(name, str) else f"must be a text, got {short(name)}":
                return "item-unfit", f"{what} {why}"
        count, a_piece = finite(value.get("count")), finite(value.get("a_piece", 0.0))
        for key, amount in (("count", count), ("a_piece", a_piece)):
            if amount is None or not 0 <= amount <= limits.COUNT:
                said = short(value.get(key))
                return "item-unfit", f"{key} of {kind!r} must be from 0 to {limits.COUNT:g}, got {said}"
        assert count is not None
        assert a_piece is not None
        before = self.kinds[kind].weights if kind in self.kinds else {}
        weights = before if weight is None else {**before, weight: a_piece}
        if kind not in self.kinds and len(self.kinds) >= limits.ITEMS:
            return "items-too-many", f"a run may have {limits.ITEMS} kinds of items"
        if len(weights) > limits.WEIGHTS:
            return "weights-too-many", f"{kind!r} is weighed in more than {limits.WEIGHTS} units"
        self.seen += 1
        self.kinds[kind] = Item(kind, count, weights)
        return None
