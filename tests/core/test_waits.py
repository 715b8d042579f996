"""Lanes that wait for each other: their busy time is without it, and who waits for whom is told."""

import numpy as np
import pytest

from vigilant.core import FrameSeries, Policy
from vigilant.core.design import plan_design
from vigilant.core.errors import InvalidSeries
from vigilant.core.summary import RunFrames
from vigilant.core.work import lane_changes, lanes_found
from vigilant.core.work.lanes import run_lanes
from vigilant.core.work.waits import waits

ROLES = {"river": "processor", "paint": "processor", "river for paint": "blocked"}
WAITS = {"river": {"paint": "river for paint"}}


def view(rng, river=4.0, paint=9.0, frames=600, reported=True):
    """The river is done early and then stands still until the picture is painted."""
    paint_ms = paint * np.exp(0.05 * rng.standard_normal(frames))
    river_ms = river * np.exp(0.05 * rng.standard_normal(frames))
    wait = np.maximum(0.0, paint_ms - river_ms)
    lanes = {"river": river_ms + wait, "paint": paint_ms, "river for paint": wait}
    return RunFrames(FrameSeries(np.maximum(river_ms, paint_ms) + 0.1, lanes, ROLES, waits=WAITS if reported else {}), Policy(target_fps=60))  # fmt: skip


def test_a_lane_is_busy_without_what_it_waits():
    rng = np.random.default_rng(91)
    views = [view(rng) for _ in range(3)]
    found = run_lanes(views[0])
    assert found.names == ("river", "paint")  # what is blocked is no lane that frames wait for
    assert found.busy[0].mean() == pytest.approx(4.0, rel=0.02)
    limits = {limit.name: limit.share for limit in lanes_found(views, 1000 / 60).limits}
    assert limits["paint"] > 0.99
    hidden = lanes_found([view(rng, reported=False) for _ in range(3)], 1000 / 60)
    assert {limit.name: limit.share for limit in hidden.limits}[
        "balanced"
    ] > 0.9  # as long as each other, waits and all


def test_who_waits_for_whom_and_how_long():
    rng = np.random.default_rng(92)
    before, after = [view(rng) for _ in range(3)], [view(rng, paint=5.0) for _ in range(3)]
    (wait,) = waits(before, after)
    assert (wait.lane, wait.on, wait.over) == ("river", "paint", 0.0)
    assert (wait.before_ms, wait.after_ms) == (pytest.approx(5.0, rel=0.03), pytest.approx(1.0, rel=0.1))
    assert wait.before_share == 1.0
    (river, *_) = lane_changes(before, after, plan_design(3, 3, None))
    assert abs(river.d_ms) < 0.1  # the river did not change: its waiting did
    assert waits(before, [view(rng, reported=False)]) == ()


def test_a_wait_longer_than_its_lane_is_told():
    lanes = {
        "river": np.full(100, 2.0),
        "paint": np.full(100, 9.0),
        "river for paint": np.r_[np.full(60, 1.0), np.full(40, 7.0)],
    }
    one = RunFrames(FrameSeries(np.full(100, 9.0) + np.arange(100) % 2, lanes, ROLES, waits=WAITS), Policy())
    assert waits([one], [one])[0].over == pytest.approx(0.4)
    assert one.series.busy_ms("river").tolist() == [1.0] * 60 + [0.0] * 40


def test_waits_of_lanes_that_are_not_there_are_refused():
    with pytest.raises(InvalidSeries, match="unknown lane 'paint'"):
        FrameSeries(np.full(5, 9.0), {"river": np.ones(5)}, waits=WAITS)
