"""The festival on a virtual clock: seeded, and each disturbance does what it says."""

from dataclasses import replace

import numpy as np
import pytest

from vigilant.core import FrameSeries, Mark, summarize
from vigilant.subjects.simulated import LEG_COST, RIGS, SimulatedWork, interleaved_order, simulate_run

LAPTOP = RIGS["thin laptop"]


def mean(seed=1, rig=LAPTOP, work=SimulatedWork(), **arguments):  # noqa: B008
    return simulate_run(rig, work, np.random.default_rng(seed), 60.0, **arguments).frame_ms.mean()


def test_a_seed_gives_the_same_run_and_another_seed_another():
    assert mean(1) == mean(1) != mean(2)


def test_a_run_lasts_as_long_as_asked_and_holds_all_legs():
    run = simulate_run(LAPTOP, SimulatedWork(), np.random.default_rng(3), 90.0)
    assert run.frame_ms.sum() / 1000 == pytest.approx(90, abs=0.1)
    assert [name for _, name in run.legs] == list(LEG_COST)
    series = FrameSeries(run.frame_ms, run.lanes, run.lane_roles, run.counters, [Mark(*leg) for leg in run.legs])
    legs = np.split(series.frame_ms, [m.index for m in series.marks][1:])
    dearest = max(range(5), key=lambda i: np.median(legs[i]))
    assert series.marks[dearest].name == "rain on open water"


def test_a_run_whose_work_is_left_out_of_most_frames_lasts_as_long_too():
    work = replace(SimulatedWork().but(ripples=12.0), every={"ripples": 4})
    run = simulate_run(LAPTOP, work, np.random.default_rng(5), 30.0)
    assert run.frame_ms.sum() / 1000 == pytest.approx(30, abs=0.1)
    assert [name for _, name in run.legs] == list(LEG_COST)


def test_disturbances():
    assert mean(rig=RIGS["handheld"]) > mean() > mean(rig=RIGS["tall desk"])
    assert mean(position=1.0) > 1.01 * mean(position=0.0)
    assert mean(warm_up_s=10.0) > 1.02 * mean()
    assert mean(work=SimulatedWork(pause_factor=20)) > mean()
    run = simulate_run(LAPTOP, SimulatedWork(), np.random.default_rng(4), 60.0, refresh_hz=60.0)
    assert summarize(FrameSeries(run.frame_ms)).cap_ms == pytest.approx(1000 / 60, rel=1e-3)
    assert run.lane_roles["wait"] == "waiting"


def test_order_is_in_pairs():
    order = interleaved_order(20, np.random.default_rng(5))
    assert all({order[i], order[i + 1]} == {"before", "after"} for i in range(0, 40, 2))
