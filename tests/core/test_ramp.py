"""A ramp: the load that the budget carries, what a unit costs, and how that grows."""

import math

import numpy as np
import pytest

from core.test_cells import VARY
from vigilant.core.errors import InvalidComparison
from vigilant.core.vary.ramp import capacity, growth, pooled, ramp_levels, unit_cost

CASE = VARY["ramp"]
TOLD = CASE["expect"]
BUDGET = 1000 / 60


def levels_of(loads, ms, slots=None):
    settings = sorted(set(loads))
    own = [[m for load, m in zip(loads, ms, strict=True) if load == s] for s in settings]
    at = [[i for i, load in enumerate(loads) if load == s] for s in settings]
    return ramp_levels(settings, own, at, slots or len(loads))


@pytest.fixture(scope="module")
def worked():
    return levels_of(CASE["loads"], CASE["mean_ms"])


def test_the_worked_capacity(worked):
    found = capacity(worked, CASE["budget_ms"])
    told = TOLD["capacity_with_chord_error"]
    assert (found.value, found.low, found.high) == pytest.approx((told["value"], told["low"], told["high"]), rel=1e-7)
    assert (found.bracket, found.coarse) == ((2, 3), False)
    beyond = capacity(worked, 30.0)
    assert (beyond.value, beyond.low, beyond.high) == (None, 1600.0, None)  # at least
    below = capacity(worked, 1.0)
    assert (below.value, below.low, below.high) == (None, None, 0.0)  # not even the empty river


def test_the_worked_cost_of_a_unit_and_its_growth(worked):
    cost = unit_cost(worked, 2)
    line = TOLD["line"]
    assert (cost.fixed_ms, cost.line_ms, cost.lack_of_fit) == pytest.approx(
        (line["fixed_ms"], line["per_unit_ms"], line["p_lack_of_fit"]), rel=1e-6
    )
    assert (cost.fixed_se, cost.line_se) == pytest.approx(tuple(line["se"]), rel=1e-5)
    assert cost.net.value == pytest.approx((math.exp(worked.fit.level[3]) - math.exp(worked.fit.level[0])) / 1200)
    assert cost.slope.low < cost.slope.value < cost.slope.high
    found, told = growth(worked), TOLD["exponent"]
    assert (found.exponent, found.low, found.high) == pytest.approx((told["e"], told["low"], told["high"]), abs=1e-6)
    assert found.lack_of_fit == pytest.approx(told["p_lack_of_fit"], rel=1e-5)
    assert (found.bend.value, found.bend.se, found.bend.p_value) == pytest.approx(
        tuple(TOLD["bend"].values()), rel=1e-5
    )
    assert found.call == "cannot be told from linear"


def test_the_worked_second_arm(worked):
    """The levels above 0 times 1.05; its interval is without what a bend may add."""
    told = TOLD["second_arm_loaded_levels_times_1.05"]["capacity"]
    other = levels_of(
        CASE["loads"], [m * (1.05 if load else 1.0) for load, m in zip(CASE["loads"], CASE["mean_ms"], strict=True)]
    )
    found = capacity(other, CASE["budget_ms"], bends=False)
    assert (found.value, found.low, found.high) == pytest.approx(tuple(told.values())[:3], rel=1e-6)
    assert capacity(other, CASE["budget_ms"]).high > found.high


def drawn(rng, law, loads=(0, 300, 600, 900, 1200, 1500, 1800), passes=3, spread=0.01, heat=0.0):
    order = [int(load) for _ in range(passes) for load in rng.permutation(loads)]
    ms = [
        law(load) * (1 + heat * i / len(order)) * math.exp(spread * rng.standard_normal())
        for i, load in enumerate(order)
    ]
    return levels_of(order, ms)


LAWS = {
    "linear": (lambda x: 2.0 + 0.0125 * x, (BUDGET - 2.0) / 0.0125),
    "convex": (
        lambda x: 2.0 + 0.004 * x + 6e-6 * x * x,
        (-0.004 + math.sqrt(0.004**2 + 4 * 6e-6 * (BUDGET - 2.0))) / (2 * 6e-6),
    ),
    "knee": (lambda x: 3.0 + 0.004 * x + max(0.0, x - 800) * 0.02, 800 + (BUDGET - 3.0 - 3.2) / 0.024),
}


@pytest.mark.parametrize("law", LAWS)
def test_the_interval_holds_the_true_capacity(law):
    rng = np.random.default_rng(101)
    of, true = LAWS[law]
    held = [c.low <= true <= c.high for _ in range(120) if (c := capacity(drawn(rng, of), BUDGET)).low and c.high]
    assert len(held) > 100
    assert np.mean(held) > 0.9


def test_levels_far_apart_say_that_they_are():
    rng = np.random.default_rng(102)
    of, true = LAWS["convex"]
    found = [capacity(drawn(rng, of, loads=(0, 400, 800, 1600)), BUDGET) for _ in range(40)]
    assert all(c.coarse for c in found)
    assert np.mean([c.low <= true <= c.high for c in found if c.low and c.high]) > 0.9
    assert abs(np.mean([c.value for c in found]) / true - 1) > 0.02  # the straight line alone leans


@pytest.mark.parametrize(
    ("law", "call"),
    [(lambda x: 2 + 0.00002 * x * x, "worse than linear"), (lambda x: 2 + 0.3 * math.sqrt(x), "better than linear")],
)
def test_growth_that_is_no_line_is_called(law, call):
    found = growth(drawn(np.random.default_rng(103), law))
    assert found.call == call
    assert (found.bend.value > 0) == (call == "worse than linear")


def test_growth_needs_levels_and_a_range():
    rng = np.random.default_rng(104)
    assert growth(drawn(rng, LAWS["linear"][0], loads=(0, 300, 600, 900))) is None
    assert growth(drawn(rng, LAWS["linear"][0], loads=(300, 400, 500, 600, 700))) is None


def test_a_curve_never_falls_and_says_where_it_was_bent():
    assert pooled(np.array([1.0, 3.0, 2.0, 4.0]), np.array([1, 1, 3, 1])).tolist() == [1.0, 2.25, 2.25, 4.0]
    rng = np.random.default_rng(105)
    found = drawn(rng, lambda x: 20.0 if x == 300 else 5.0 + 0.01 * x)
    assert found.not_monotone
    assert drawn(rng, LAWS["linear"][0]).not_monotone == ()


@pytest.mark.parametrize(("loads", "ms", "said"), [
    ([0], [[1.0]], "from 2 to 32"), ([0, 0], [[1.0], [2.0]], "apart"), ([0, -1], [[1.0], [2.0]], "0 or more"),
    ([0, 1], [[1.0], []], "needs a run"), ([0, 1], [[1.0], [0.0]], "more than 0 ms"), ([0, math.nan], [[1.0], [2.0]], "apart"),
])  # fmt: skip
def test_what_is_no_ramp_is_refused(loads, ms, said):
    with pytest.raises(InvalidComparison, match=said):
        ramp_levels(loads, ms, None, 0)


def test_one_run_a_level_has_a_value_and_no_interval():
    found = capacity(ramp_levels([0, 1000, 2000], [[2.0], [14.0], [26.0]], [[0], [1], [2]], 3), BUDGET)
    assert (found.value, found.low, found.high) == (pytest.approx(1222.2, abs=0.1), None, None)
