"""An arm's level against a threshold, by hand and by SciPy."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from core.generators import bursty, ordinary
from vigilant.core import CoreError, FrameSeries, Leg, Mark, Policy
from vigilant.core.goals import ArmLevel, arm_level, carried_over, judge

POLICY = Policy(target_fps=60)


def runs(levels, frames=600, **extra):
    rng = np.random.default_rng(3)
    return [FrameSeries(ordinary(rng, frames, level), **extra) for level in levels]


def test_a_mean_s_interval_is_student_s_on_the_logarithm():
    made = runs([10.0, 10.4, 9.8, 10.1])
    means = np.log([s.frame_ms.mean() for s in made])
    low, high = np.exp(stats.t.interval(0.95, 3, means.mean(), stats.sem(means)))
    got = arm_level(made, POLICY, "mean_ms")
    assert (got.low, got.high) == (pytest.approx(low), pytest.approx(high))
    assert got.value == pytest.approx(float(np.exp(means.mean())))


def test_a_floor_is_judged_by_the_worst_run_never_by_a_mean():
    slow = FrameSeries(np.concatenate([np.full(300, 10.0), np.full(60, 25.0), np.full(300, 10.0)]))
    fast = FrameSeries(np.full(600, 10.0))
    got = arm_level([fast] * 9 + [slow], POLICY, "slowest_second_fps")
    assert got.extreme
    assert got.value == pytest.approx(40.0)
    assert judge(got, 60.0) == "not met"
    assert judge(arm_level([fast] * 10, POLICY, "slowest_second_fps"), 60.0) == "met"


def test_legs_are_judged_alone():
    x = np.concatenate([np.full(200, 10.0), np.full(200, 20.0)])
    marked = FrameSeries(x, marks=[Mark(0, "pier"), Mark(200, "fireworks")])
    assert arm_level([marked], POLICY, "mean_ms", ["fireworks"]).value == pytest.approx(20.0)
    assert arm_level([marked], POLICY, "mean_ms", ["harbour"]) is None
    timed = Policy(target_fps=60, legs=[Leg("pier", 0.0), Leg("fireworks", 2.0)])
    assert arm_level([FrameSeries(x)], timed, "mean_ms", ["fireworks"]).value == pytest.approx(20.0)


def test_limits_on_counters_take_the_most_in_any_frame():
    made = [FrameSeries(np.full(9, 10.0), counters={"draws": [800.0] * 8 + [most]}) for most in (900.0, float("nan"))]
    got = arm_level(made, POLICY, "most:draws")
    assert (got.value, judge(got, 900.0), judge(got, 899.0)) == (900.0, "met", "not met")
    assert arm_level(made, POLICY, "most:lanterns") is None


@pytest.mark.parametrize(
    ("figure", "unseen", "of"),
    [("late_share", 500 / 8.0, 3000.0), ("overrun_share", 500.0, 24_000.0), ("stutters_per_min", 1.0, 0.4)],
)
def test_nothing_seen_still_has_an_upper_end(figure, unseen, of):
    """-ln(2.5 %) bursts of half a second could have been missed."""
    quiet = [FrameSeries(np.full(600, 8.0)) for _ in range(5)]
    got = arm_level(quiet, POLICY, figure)
    assert (got.value, got.low, got.events) == (0.0, 0.0, 0)
    assert got.high == pytest.approx(-math.log(0.025) * unseen / of)
    assert judge(got, 1.01 * got.high) == "met"
    assert judge(got, 0.99 * got.high) == "unclear"


@pytest.mark.parametrize(("per_run", "count"), [(0.7, 3), (0.7, 8), (2.0, 5), (6.0, 12)])
def test_intervals_of_what_comes_in_bursts_hold(per_run, count):
    """At most 2.5 % a side and Monte Carlo error, and no wider than they need be (all cells in script/timings)."""
    rng = np.random.default_rng([round(10 * per_run), count])
    long = [bursty(rng, per_run) for _ in range(2000)]
    frames = np.concatenate([s.frame_ms for s in long])
    truth = {
        "late_share": np.mean(frames > 17.5),
        "overrun_share": np.maximum(0, frames - 1000 / 60).sum() / frames.sum(),
    }
    trials, missed, widths = 150, {}, {figure: [] for figure in truth}
    for _ in range(trials):
        arm = [bursty(rng, per_run) for _ in range(count)]
        for figure, true in truth.items():
            got = arm_level(arm, POLICY, figure)
            missed[figure, "below"] = missed.get((figure, "below"), 0) + (got.high < true)
            missed[figure, "above"] = missed.get((figure, "above"), 0) + (got.low > true)
            widths[figure].append((got.high - got.low) / true)
    assert max(missed.values()) <= 0.025 * trials + 3 * math.sqrt(0.025 * trials), missed
    if per_run * count > 20:
        assert np.median(widths["overrun_share"]) < 1.5


def test_a_coarse_clock_widens_the_interval_of_runs_that_are_all_alike():
    """Five runs that agree to the last digit of a 1 ms clock: the floor is 0.05 steps, not 0.0005."""
    made = [FrameSeries(np.tile([16.0, 17.0, 18.0], 100)) for _ in range(5)]
    got = arm_level(made, POLICY, "mean_ms")
    half = stats.t.ppf(0.975, 4) * 0.05 * 1.0 / 17.0 / math.sqrt(5)
    assert (got.low, got.high) == (pytest.approx(17 * math.exp(-half)), pytest.approx(17 * math.exp(half)))


def test_one_run_proves_nothing_but_can_break_a_floor():
    assert judge(arm_level(runs([10.0]), POLICY, "mean_ms"), 50.0) == "unclear"
    assert judge(arm_level(runs([30.0]), POLICY, "slowest_second_fps"), 60.0) == "not met"


@pytest.mark.parametrize("figure", ["fastness", "best_ms", "work_mean_ms", "most:"])
def test_figures_no_goal_can_be_set_on(figure):
    with pytest.raises(CoreError, match="no goal can be set"):
        arm_level(runs([10.0]), POLICY, figure)


@given(st.floats(0.2, 5), st.floats(0, 0.2))
def test_carried_over_to_a_slower_rig_times_grow_rates_shrink_and_intervals_widen(ratio, error):
    for figure, factor in (("p99_ms", ratio), ("rate_fps", 1 / ratio)):
        moved = carried_over(ArmLevel(figure, 10.0, 9.0, 11.0, 12.0, 5), ratio, error)
        assert moved.value == pytest.approx(10.0 * factor)
        assert moved.low <= 9.0 * factor * (1 + 1e-12)
        assert moved.high >= 11.0 * factor * (1 - 1e-12)
    with pytest.raises(CoreError, match="carried over"):
        carried_over(ArmLevel("late_share", 0.1, 0.0, 0.2, 0.3, 5), ratio, error)
