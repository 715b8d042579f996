"""The inventory: what makes up a total, and what changed in it."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from vigilant.core.errors import InvalidComparison
from vigilant.core.work.inventory import Item, changes, merged, ranked

ITEMS = [
    Item("boat", 60, {"draws": 2}),
    Item("lantern", 240, {"draws": 1}),
    Item("bank", 12, {}),
    Item("spark", 0, {"draws": 9}),
]


def draws(items):
    return [item.weights.get("draws") for item in items]


def test_kinds_are_ranked_and_what_is_not_told_is_no_zero():
    found = ranked(ITEMS, draws(ITEMS))
    assert [(r.kind, r.total) for r in found.rows] == [("lantern", 240), ("boat", 120), ("spark", 0), ("bank", None)]
    assert (found.total, found.untold, found.few) == (360, ("bank",), 2)
    assert found.rows[0].share == pytest.approx(2 / 3)
    nothing = ranked(ITEMS[3:], [9.0])
    assert (nothing.total, nothing.rows[0].share, nothing.few) == (0.0, 0.0, 1)


def test_lines_of_one_kind_are_one_item():
    boats, banks = merged(
        [Item("boat", 10, {"draws": 2, "KiB": 8}), Item("bank", 1, {}), Item("boat", 30, {"draws": 6})]
    )
    assert (boats.kind, boats.count, boats.weights) == ("boat", 40, {"draws": 5.0})  # KiB of thirty is not told
    assert banks == Item("bank", 1, {})
    none = merged([Item("boat", 0, {"draws": 2}), Item("boat", 0, {"draws": 4})])
    assert none == [Item("boat", 0, {"draws": 2})]


@pytest.mark.parametrize(
    "item", [Item("boat", -1, {}), Item("boat", math.nan, {}), Item("boat", 1, {"draws": math.inf})]
)
def test_what_is_no_amount_is_refused(item):
    with pytest.raises(InvalidComparison, match="'boat' has the amount"):
        merged([item])


def test_a_change_comes_from_counts_and_from_weights():
    before = ranked(ITEMS, draws(ITEMS))
    later = [Item("boat", 50, {"draws": 3}), Item("lantern", 240, {"draws": 1}), Item("visitor", 7, {"draws": 2})]
    found = {c.kind: c for c in changes(before, ranked(later, draws(later)))}
    assert (found["boat"].d, found["boat"].from_count, found["boat"].from_weight) == (30, -25, 55)
    assert (found["visitor"].d, found["visitor"].from_count, found["visitor"].before) == (14, 14, None)
    assert (found["spark"].d, found["spark"].after) == (0, None)
    assert (found["lantern"].d, found["bank"].d) == (0, None)  # not told before is no change
    assert list(found)[:2] == ["boat", "visitor"]


amounts = st.floats(0, 1e6)
inventories = st.dictionaries(st.sampled_from("abcdef"), st.tuples(amounts, amounts), min_size=1)


@given(inventories, inventories)
def test_changes_add_up_to_the_difference_of_the_totals(one, other):
    sides = [
        ranked([Item(k, c, {}) for k, (c, _) in side.items()], [w for _, w in side.values()]) for side in (one, other)
    ]
    found = changes(*sides)
    scale = max(side.total for side in sides) or 1.0
    assert math.fsum(c.d for c in found) == pytest.approx(sides[1].total - sides[0].total, abs=1e-9 * scale)
    assert all(c.from_count + c.from_weight == pytest.approx(c.d) for c in found)
