"""The budget split: who is over its allowance, and what cannot be allowed."""

import numpy as np
import pytest

from core.made_lanes import CASES
from vigilant.core import FrameSeries, Policy
from vigilant.core.arms import Arms
from vigilant.core.design import plan_design
from vigilant.core.summary import RunFrames
from vigilant.core.work.budget import (
    AllowancesOverBudget,
    around_95,
    check_allowances,
    over_changes,
    part_budget,
    proposed_ms,
)

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


def test_over_in_both_arms_is_called_over_all_parts():
    rng = np.random.default_rng(63)
    views = [RunFrames(FrameSeries(10 + rng.random(2000)), Policy(target_fps=60)) for _ in range(10)]
    arms = Arms(views[:5], views[5:], Policy(target_fps=60))
    design = plan_design(5, 5, ["before", "after", "after", "before"] * 2 + ["before", "after"])
    more, same, never = ("a", ("more",)), ("a", ("same",)), ("a", ("never",))
    over = {
        more: [*rng.binomial(2000, 0.02, 5), *rng.binomial(2000, 0.08, 5)],
        same: rng.binomial(2000, 0.05, 10).tolist(),
        never: [0] * 10,
    }
    found = over_changes(arms, design, over)
    assert (found[more].call, found[never].call) == ("worse", "none seen")
    assert found[same].call in ("equivalent", "unclear")
    assert (found[more].raw_before, found[more].raw_after) == (
        pytest.approx(0.02, abs=0.01),
        pytest.approx(0.08, abs=0.02),
    )


def test_over_is_seldom_called_of_parts_that_did_not_change():
    rng = np.random.default_rng(64)
    views = [RunFrames(FrameSeries(10 + rng.random(2000)), Policy(target_fps=60)) for _ in range(10)]
    arms = Arms(views[:5], views[5:], Policy(target_fps=60))
    design = plan_design(5, 5, ["before", "after", "after", "before"] * 2 + ["before", "after"])
    false = 0
    for _ in range(100):
        over = {("a", (str(i),)): rng.binomial(2000, 0.05, 10).tolist() for i in range(3)}
        false += any(f.call in ("better", "worse") for f in over_changes(arms, design, over).values())
    assert false <= 9


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
    assert proposed_ms([0.25 * lane], [lane], [around_95(lane + 1.0)], 16.67) == pytest.approx(4.1)
    assert proposed_ms([np.zeros(10)], [np.zeros(10)], [around_95(np.ones(10))], 16.67) == 0.0
