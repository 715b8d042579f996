"""Processor time over cores: core-ms a frame, cores busy, the least a frame needs; it limits nothing."""

import numpy as np
import pytest

from core.made_lanes import CASES
from vigilant.core import FrameSeries, Policy
from vigilant.core.design import plan_design
from vigilant.core.summary import RunFrames
from vigilant.core.work import core_ms_a_frame, core_times, lane_changes, run_lanes


def run(rng, level, chain=6.0, sampled=True):
    x = 12.0 * np.exp(0.03 * rng.standard_normal(400))
    jobs = level * x / 12.0 * np.exp(0.02 * rng.standard_normal())
    counters = {"subject cores busy": jobs / x} if sampled else {}
    lanes = {"main": 0.9 * x, "jobs": jobs, "jobs in a row": np.full(400, chain), "unsaid": 0.1 * x}
    return RunFrames(FrameSeries(x, lanes, {"main": "processor", "jobs": "summed", "jobs in a row": "chain"}, counters), Policy(60.0))  # fmt: skip


def test_what_is_summed_is_told_beside_and_limits_nothing():
    rng = np.random.default_rng(41)
    before, after = ([run(rng, level) for _ in range(5)] for level in (30.0, 24.0))
    jobs, sampled = core_times(before, after, plan_design(5, 5, None), 4)
    assert (jobs.name, jobs.sampled, sampled.sampled) == ("jobs", False, True)
    assert jobs.before_ms == pytest.approx(30.0, rel=0.05)
    assert sampled.before_ms == pytest.approx(jobs.before_ms, rel=0.01)
    assert jobs.busy == pytest.approx((2.5, 2.0), rel=0.05)
    assert (jobs.p_value < 0.01, jobs.low_ms < -6.0 < jobs.high_ms < 0) == (True, True)
    assert jobs.chain_ms == (6.0, 6.0)
    assert jobs.least_ms == pytest.approx((7.5, 6.1), rel=0.05)  # shared out over four cores; then the chain holds it
    lanes = run_lanes(before[0])
    assert lanes.names == ("main",)  # a lane without a role is not taken for one either
    assert [change.name for change in lane_changes(before, after, plan_design(5, 5, None))] == ["main"]


def test_what_not_all_runs_tell_has_no_row():
    rng = np.random.default_rng(42)
    before, after = [run(rng, 30.0), run(rng, 30.0)], [run(rng, 30.0, sampled=False), run(rng, 30.0)]
    (jobs,) = core_times(before, after, plan_design(2, 2, None), None)
    assert (jobs.name, jobs.least_ms) == ("jobs", None)


def test_a_percentage_needs_its_unit():
    case = CASES["shares and counters"]["outputs"]
    assert core_ms_a_frame(50.0, 60.0, "of the whole machine", 4) == pytest.approx(case["core_ms_a_frame"], abs=1e-4)
    assert core_ms_a_frame(200.0, 60.0, "of one core", 4) == pytest.approx(case["core_ms_a_frame"], abs=1e-4)
