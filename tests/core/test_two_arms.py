"""Two arms over one ramp or knob: equal load, cost a unit, capacities, and where their curves cross."""

import math

import numpy as np
import pytest

from core.test_cells import VARY
from vigilant.core.errors import InvalidComparison
from vigilant.core.vary.ramp import ArmRuns, Capacity, capacity
from vigilant.core.vary.two_arms import break_even, fieller, ratio_of_capacities, two_knobs, two_ramps

BUDGET = 1000 / 60
LOADS = (0, 400, 800, 1200, 1600)


def session(rng, laws, loads=LOADS, passes=3, spread=0.01, heat=0.0):
    """Both arms in passes that hold every cell once."""
    cells = [(arm, i) for arm in range(2) for i in range(len(loads))]
    order = [cells[k] for _ in range(passes) for k in rng.permutation(len(cells))]
    values = [[[] for _ in loads] for _ in range(2)]
    slots = [[[] for _ in loads] for _ in range(2)]
    for slot, (arm, i) in enumerate(order):
        noise = math.exp(spread * rng.standard_normal()) * (1 + heat * slot / len(order))
        values[arm][i].append(laws[arm](loads[i]) * noise)
        slots[arm][i].append(slot)
    return *(ArmRuns(list(loads), values[arm], slots[arm]) for arm in range(2)), len(order)


def line(per_unit):
    return lambda load: 2.0 + per_unit * load


def test_the_worked_ratio_of_capacities():
    told = VARY["ramp"]["expect"]
    one, other = (
        Capacity(c["value"], c["low"], c["high"], (2, 3))
        for c in (told["capacity_local"], told["second_arm_loaded_levels_times_1.05"]["capacity"])
    )
    found = ratio_of_capacities(one, other)
    assert (found.value, found.low, found.high) == pytest.approx(
        tuple(told["second_arm_loaded_levels_times_1.05"]["ln_ratio"]), rel=1e-6
    )
    half_open = ratio_of_capacities(one, Capacity(1100.0, None, 1120.0, (2, 3)))
    assert half_open.low is None
    assert half_open.high is not None
    assert ratio_of_capacities(one, Capacity(None, 1600.0, None, None)) is None


def test_the_worked_crossings():
    case = VARY["break_even"]
    df = np.full(5, float(case["df"]))
    found = break_even(case["x"], np.array(case["ln_difference"]), np.array(case["variance"]), df)
    told = case["expect"]
    assert list(found.sign) == told["sign"]
    assert [(c.value, c.low, c.high) for c in found.proven] == [pytest.approx(tuple(told["proven"][0]), rel=1e-7)]
    assert found.could == pytest.approx(tuple(told["could"]), rel=1e-7)
    unsure = break_even(case["x"], np.zeros(5), np.array(case["variance"]), df)
    assert (list(unsure.sign), unsure.proven, unsure.could) == ([0] * 5, (), (50.0, 800.0))
    apart = break_even(case["x"], np.full(5, 0.1), np.array(case["variance"]), df)
    assert (list(apart.sign), apart.proven, apart.could) == ([1] * 5, (), None)


def test_dearer_a_unit_is_found_at_equal_load_a_unit_and_in_capacity():
    rng = np.random.default_rng(201)
    held = {"unit": 0, "capacity": 0, "found": 0}
    for _ in range(80):
        found = two_ramps(*session(rng, (line(0.0125), line(0.0125 * 1.05)), heat=0.04))
        unit = found.per_unit(3)
        held["unit"] += unit.low <= 1.05 <= unit.high
        ratio = ratio_of_capacities(capacity(found.before, BUDGET), capacity(found.after, BUDGET))
        held["capacity"] += ratio.low <= -math.log(1.05) <= ratio.high
        held["found"] += any(one.shown for one in found.equal if one.load)
    assert min(held.values()) / 80 > 0.88


def test_no_difference_is_seldom_shown():
    rng = np.random.default_rng(202)
    false = 0
    for _ in range(150):
        found = two_ramps(*session(rng, (line(0.0125), line(0.0125))))
        false += any(one.shown for one in found.equal)
    assert false / 150 < 0.11


def test_levels_that_only_one_arm_has_are_set_apart():
    rng = np.random.default_rng(203)
    before, after, slots = session(rng, (line(0.0125), line(0.0125)))
    moved = ArmRuns([0, 400, 830, 1205, 1600], after.values_ms, after.slots_of)
    found = two_ramps(before, moved, slots)
    assert found.apart == (2,)  # 830 is no 800; 1,205 is within 1 % of 1,200
    assert [one.load for one in found.equal] == [0, 400, 1200, 1600]
    assert found.per_unit(2) is None
    bare = ArmRuns([100, 400, 800, 1200, 1600], before.values_ms, before.slots_of)
    assert two_ramps(bare, after, slots).per_unit(3) is None  # no empty scene in one


def test_a_ratio_over_nothing_is_not_told():
    assert fieller(0.01, 1.0, 1.0, 0.0, 1.0, 8.0) is None
    low, high = fieller(2.0, 4.0, 1e-4, 0.0, 1e-4, 50.0)
    assert low < 2.0 < high
    assert high - low < 0.1


def test_a_knob_of_two_arms_that_cross():
    rng = np.random.default_rng(204)
    values, crossing = (50, 100, 200, 400, 800), 240
    laws = (lambda x: 10.0, lambda x: 10.0 * (1 + 0.08 * math.log(crossing / x)))
    held = claimed = 0
    for _ in range(60):
        before, after, slots = session(rng, laws, loads=values, passes=5, spread=0.01)
        _, found = two_knobs(values, before, after, slots)
        if found.proven:
            (one,) = found.proven
            # Straight between the values the true curves cross a little aside.
            held += one.low <= 250 and one.high >= 225
        before, after, slots = session(rng, (laws[0], lambda x: 11.0), loads=values, passes=5)
        claimed += bool(two_knobs(values, before, after, slots)[1].proven)
    assert held / 60 > 0.88
    assert claimed == 0


@pytest.mark.parametrize(("values", "said"), [([1, 1], "ascend"), ([2, 1], "ascend"), ([1], "ascend")])
def test_values_that_do_not_ascend_are_refused(values, said):
    k = len(values)
    with pytest.raises(InvalidComparison, match=said):
        break_even(values, np.zeros(k), np.ones(k), np.ones(k))


def test_a_knob_needs_a_run_of_every_value_in_both_arms():
    with pytest.raises(InvalidComparison, match="both arms"):
        two_knobs([1, 2], ArmRuns([1, 2], [[1.0], [1.0]], None), ArmRuns([1, 2], [[1.0], []], None), 0)
    fit, crossings = two_knobs([1, 2], *(ArmRuns([1, 2], [[1.0], [2.0]], None),) * 2, 0)
    assert (fit.level.size, crossings) == (4, None)  # one run a cell: shown, not tested
