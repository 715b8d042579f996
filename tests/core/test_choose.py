"""Levels chosen one after the other: what is asked for next, when it is enough, and that choosing costs no coverage."""

import math
import random

import numpy as np
import pytest

from core.test_ramp import BUDGET, CASE, LAWS, levels_of
from vigilant.core.schedule import draw_order
from vigilant.core.vary.choose import FIRST_PASSES, half_width_pct, next_step, whole
from vigilant.core.vary.ramp import capacity, pooled_capacity


def test_the_worked_next_four():
    found = levels_of(CASE["loads"], CASE["mean_ms"])
    step = next_step(found, found.loads.tolist(), CASE["budget_ms"], random.Random(0), wish_pct=0.5)
    assert sorted(step.loads) == sorted(CASE["expect"]["next_four"])
    told = CASE["expect"]["capacity_pooled"]
    carried = pooled_capacity(found, CASE["budget_ms"])
    assert (carried.value, carried.low, carried.high) == pytest.approx(tuple(told.values())[:3], rel=1e-7)
    assert half_width_pct(found, CASE["budget_ms"]) == pytest.approx(
        50 * (told["high"] - told["low"]) / told["value"], rel=1e-6
    )


def play(rng, law, most_runs=40, wish=2.0, spread=0.01, start=(0, 400, 800, 1600), most_load=math.inf, budget=BUDGET):
    """A recording that chooses its levels: every step, and the runs at the end."""
    loads = draw_order(FIRST_PASSES, int(rng.integers(1 << 30)), arms=list(start))
    ms = [law(load) * math.exp(spread * rng.standard_normal()) for load in loads]
    chooser, steps = random.Random(int(rng.integers(1 << 30))), []
    while True:
        found = levels_of(loads, ms)
        step = next_step(found, found.loads.tolist(), budget, chooser, most_load, wish, most_runs)
        steps.append(step)
        if step.enough:
            return found, steps, loads
        loads += step.loads
        ms += [law(load) * math.exp(spread * rng.standard_normal()) for load in step.loads]


@pytest.mark.parametrize("law", LAWS)
def test_choosing_levels_costs_no_coverage_and_narrows_the_interval(law):
    rng = np.random.default_rng(301)
    of, true = LAWS[law]
    held, runs = 0, []
    for _ in range(60):
        found, steps, loads = play(rng, of, wish=1.2)
        carried = capacity(found, BUDGET)
        held += carried.low <= true <= carried.high
        runs.append(len(loads))
        assert steps[-1].half_pct is not None
    assert held / 60 > 0.88
    assert np.mean(runs) < 36


def test_a_ramp_within_the_budget_goes_on_doubling_to_its_limit():
    rng = np.random.default_rng(302)
    found, steps, loads = play(rng, lambda x: 2 + 0.001 * x, most_load=5000)
    assert max(loads) == 5000
    assert [s.loads for s in steps[:2]] == [(3200.0, 3200.0), (5000.0, 5000.0)]
    assert steps[-1].why == "the highest load that may be tried is within the budget"
    assert capacity(found, BUDGET).low == 5000


def test_a_ramp_over_the_budget_goes_down():
    rng = np.random.default_rng(303)
    _, steps, loads = play(rng, lambda x: 2 + 0.05 * x, start=(800, 1600), wish=1.5)
    assert steps[0].loads == (400.0, 400.0)
    assert min(loads) < 294  # the capacity
    _, steps, _ = play(rng, lambda x: 20.0 + x, start=(0, 10))
    assert steps[0].why == "nothing loaded is over the budget already"


def test_the_runs_are_spent():
    rng = np.random.default_rng(304)
    _, steps, loads = play(rng, LAWS["linear"][0], most_runs=18, wish=0.01)
    assert len(loads) == 18
    assert steps[-1].why == "the runs are spent"


@pytest.mark.parametrize(("load", "rounded"), [(1130.8, 1131.0), (12.4, 12.0), (3.14159, 3.1), (0.0123, 0.012)])
def test_loads_are_asked_for_in_whole_units(load, rounded):
    assert whole(load) == rounded
