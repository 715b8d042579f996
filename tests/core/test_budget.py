"""The budget split: who is over its allowance, and what cannot be allowed."""

import numpy as np
import pytest

from core.made_lanes import CASES
from vigilant.core.work.budget import AllowancesOverBudget, check_allowances, part_budget, proposed_ms

CASE = CASES["budget split"]


def test_the_worked_case():
    given, told = CASE["inputs"], CASE["outputs"]
    budget = 1000 / given["target_fps"]
    keys = [("river", ("steer",)), ("river", ("ripples",))]
    left = check_allowances(dict(zip(keys, given["allowances"], strict=True)), budget, together=False)
    assert left["river"] == pytest.approx(told["unassigned"], abs=1e-5)
    for key, ms, allowed, over, overrun in zip(keys, given["parts"], given["allowances"], told["over_share"], told["mean_overrun"], strict=True):  # fmt: skip
        found = part_budget(key, allowed, [np.array(ms)], [np.array([2])])
        assert (found.over, found.overrun_ms) == (pytest.approx(over), pytest.approx(overrun))
        assert found.low is None  # one run has no interval


def test_a_part_that_is_over_in_late_frames_more_than_in_others():
    rng = np.random.default_rng(61)
    runs, late = [], []
    for _ in range(4):
        ms = 4.0 * np.exp(0.02 * rng.standard_normal(500))
        at = np.flatnonzero(rng.random(500) < 0.05)
        ms[at] += 6.0
        runs.append(ms)
        late.append(at)
    found = part_budget(("river", ("steer",)), 4.5, runs, late)
    assert (found.late_over, found.others_over) == (1.0, pytest.approx(0.0, abs=0.01))
    assert found.low < found.over < found.high
    assert found.overrun_where_ms == pytest.approx(5.5, abs=0.3)
    assert found.headroom_ms < 0
    coarse = part_budget(("river", ("steer",)), 4.5, runs, late, step_ms=10.0)
    assert coarse.over == 0.0  # a clock that cannot tell says nothing


@pytest.mark.parametrize(("allowed", "together", "fine"), [
    ({("river", ("steer",)): 9.0, ("paint", ("waves",)): 9.0}, False, True),  # lanes that overlap are checked each by itself
    ({("river", ("steer",)): 9.0, ("paint", ("waves",)): 9.0}, True, False),
    ({("river", ("steer",)): 9.0, ("river", ("drift",)): 8.0}, False, False),
    ({("river", ("steer",)): 9.0, ("river", ("steer", "seek")): 5.0, ("river", ("steer", "avoid")): 4.5}, False, False),
    ({("river", ("steer",)): 9.0, ("river", ("steer", "seek")): 5.0}, False, True),  # the child is within its parent's
])  # fmt: skip
def test_more_is_not_allowed_than_there_is(allowed, together, fine):
    if fine:
        assert all(left >= 0 for left in check_allowances(allowed, 16.67, together).values())
    else:
        with pytest.raises(AllowancesOverBudget, match="allowed"):
            check_allowances(allowed, 16.67, together)


def test_a_proposal_is_the_share_of_the_lane_in_frames_that_matter():
    rng = np.random.default_rng(62)
    lane = 12.0 * np.exp(0.1 * rng.standard_normal(2000))
    assert proposed_ms([0.25 * lane], [lane], [lane + 1.0], 16.67) == pytest.approx(4.1)
    assert proposed_ms([np.zeros(10)], [np.zeros(10)], [np.ones(10)], 16.67) == 0.0
