"""The inventory: what there is of each kind, what a piece of it weighs, and which kinds make up a total.

Counts and weights are the program's own ("40 boat hulls of 1,200 triangles"); what a piece weighs may also be computed by its
owners. A kind whose weight is not stated is not told: it is no zero, and the total is then *at least*. Formulas:
docs/statistics.md, *Inventory*.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from vigilant.core.errors import InvalidComparison

#: So many kinds make "most of it": the fewest that hold this share.
MOST_OF_IT = 0.9


@dataclass(frozen=True)
class Item:
    """So many pieces of a kind, and what one weighs in each of its units."""

    kind: str
    count: float
    weights: Mapping[str, float]


@dataclass(frozen=True)
class Row:
    """A kind in one total; ``a_piece``, ``total`` and ``share`` are None where its weight is not told."""

    kind: str
    count: float
    a_piece: float | None
    total: float | None
    share: float | None


@dataclass(frozen=True)
class Ranked:
    """Kinds of one inventory, the heaviest first, those not told last. ``few`` kinds make 90 % of ``total``."""

    total: float
    rows: tuple[Row, ...]
    untold: tuple[str, ...]
    few: int


@dataclass(frozen=True)
class Change:
    """A kind in two inventories: ``d`` is after less before, split exactly into what comes from counts and what from the
    weight of a piece; None where either is not told. A kind of one side only comes from counts alone."""

    kind: str
    before: Row | None
    after: Row | None
    d: float | None
    from_count: float | None
    from_weight: float | None


def merged(items: Sequence[Item]) -> list[Item]:
    """One item a kind, in their order: counts of lines of one kind add up, a weight is the mean over its pieces, and not told
    where a line with pieces does not tell it. Raises :class:`InvalidComparison` for what is no amount."""
    groups: dict[str, list[Item]] = {}
    for item in items:
        for value in (item.count, *item.weights.values()):
            if not math.isfinite(value) or value < 0:
                raise InvalidComparison(f"{item.kind!r} has the amount {value!r}; amounts are 0 or more")
        groups.setdefault(item.kind, []).append(item)
    return [_one(kind, group) for kind, group in groups.items()]


def _one(kind: str, group: Sequence[Item]) -> Item:
    if len(group) == 1:
        return group[0]
    count = math.fsum(item.count for item in group)
    weighty = [item for item in group if item.count > 0] or list(group)
    names = dict.fromkeys(name for item in group for name in item.weights)
    told = [name for name in names if all(name in item.weights for item in weighty)]
    means = {
        name: math.fsum(i.count * i.weights[name] for i in weighty) / count if count else weighty[0].weights[name]
        for name in told
    }
    return Item(kind, count, means)


def ranked(items: Sequence[Item], a_piece: Sequence[float | None]) -> Ranked:
    """Rank merged ``items`` by count times what one of them weighs."""
    totals = [None if w is None else item.count * w for item, w in zip(items, a_piece, strict=True)]
    total = math.fsum(t for t in totals if t is not None)
    rows = [
        Row(item.kind, item.count, w, t, None if t is None else t / total if total else 0.0)
        for item, w, t in zip(items, a_piece, totals, strict=True)
    ]
    rows.sort(key=lambda row: (row.total is None, -(row.total or 0.0), row.kind))
    return Ranked(total, tuple(rows), tuple(row.kind for row in rows if row.total is None), _few(rows, total))


def _few(rows: Sequence[Row], total: float) -> int:
    held = 0.0
    for number, row in enumerate(rows, start=1):
        held += row.total or 0.0
        if held >= MOST_OF_IT * total:
            return number
    return len(rows)


def changes(before: Ranked, after: Ranked) -> list[Change]:
    """Every kind of either inventory, the largest change first, those not told last. The changes of what is told sum to the
    difference of the totals; with c pieces of weight w, from counts (c1 - c0)(w0 + w1)/2, from weight (w1 - w0)(c0 + c1)/2."""
    sides = [{row.kind: row for row in side.rows} for side in (before, after)]
    found = [_change(kind, sides[0].get(kind), sides[1].get(kind)) for kind in dict.fromkeys([*sides[0], *sides[1]])]
    return sorted(found, key=lambda c: (c.d is None, -abs(c.d or 0.0), c.kind))


def _change(kind: str, before: Row | None, after: Row | None) -> Change:
    if any(row is not None and row.total is None for row in (before, after)):
        return Change(kind, before, after, None, None, None)
    c0, w0 = (before.count, before.a_piece or 0.0) if before else (0.0, None)
    c1, w1 = (after.count, after.a_piece or 0.0) if after else (0.0, None)
    u0 = w0 if w0 is not None else w1 or 0.0
    u1 = w1 if w1 is not None else u0
    from_count, from_weight = (c1 - c0) * (u0 + u1) / 2.0, (u1 - u0) * (c0 + c1) / 2.0
    return Change(kind, before, after, from_count + from_weight, from_count, from_weight)
