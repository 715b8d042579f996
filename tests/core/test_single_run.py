"""One run alone: whether a screen held it, the step of its clock, its stutters and its spread, each held against its definition."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from vigilant.core.cap import KNOWN_REFRESH_HZ, cap_period_ms, half_sample_mode
from vigilant.core.stutter import block_spread_ms, exceedances, stutter_events
from vigilant.core.timer import timer_step_ms

REFRESH = 1000.0 / 60.0


def period(x, timer_step=0.0):
    return cap_period_ms([x], np.sort(x), timer_step)


def held(rng, count, refresh=REFRESH, jitter=0.3):
    """Frames of a screen: each ends at a refresh, seen a little off."""
    ends = refresh * np.arange(count + 1) + rng.normal(0, jitter, count + 1)
    return np.diff(ends)


# -- what holds a run


@pytest.mark.parametrize(
    ("sample", "mode"),
    [
        ([4.0], 4.0),
        ([1.0, 2.0], 1.5),
        ([1.0, 2.0, 2.5], 2.25),
        ([1.0, 1.5, 2.5], 1.25),
        ([1.0, 2.0, 3.0], 2.0),
        ([1.0, 2.0, 2.1, 2.15, 9.0, 20.0], 2.125),
        ([0.0, 5.0, 5.2, 5.3, 8.0, 8.1, 30.0], 5.25),
    ],
)
def test_the_mode_is_in_the_densest_half_of_halves(sample, mode):
    assert half_sample_mode(np.array(sample)) == pytest.approx(mode)


@pytest.mark.parametrize("hz", KNOWN_REFRESH_HZ)
def test_every_refresh_rate_is_found(hz):
    found = period(held(np.random.default_rng(hz), 3000, 1000.0 / hz, 0.01 * 1000.0 / hz))
    assert found == pytest.approx(1000.0 / hz, rel=1e-3)


def caught_up(rng, count, share):
    """Of these frames of a screen ``share`` are shown at once and the next one makes up for it: the phase is kept."""
    x = held(rng, count)
    short = np.sort(rng.choice(np.arange(0, count - 1, 2), round(share * count), replace=False))
    x[short + 1] += x[short] - 1.0
    x[short] = 1.0
    return x


@pytest.mark.parametrize(("share", "found"), [(0.0, True), (0.04, True), (0.08, False), (0.2, False)])
def test_a_run_with_many_frames_below_the_period_is_not_held(share, found):
    x = caught_up(np.random.default_rng(2), 4000, share)
    assert (period(x) is not None) is found


@pytest.mark.parametrize(("once", "found"), [(0.7, True), (0.55, True), (0.42, False)])
def test_half_of_the_frames_take_one_period(once, found):
    rng = np.random.default_rng(6)
    rest = 1 - once
    periods = rng.choice([1, 2, 3, 4], 4000, p=[once, rest * 0.36, rest * 0.33, rest * 0.31])
    ends = REFRESH * np.concatenate(([0], np.cumsum(periods))) + rng.normal(0, 0.05, 4001)
    assert (period(np.diff(ends)) is not None) is found


@pytest.mark.parametrize(("frames", "found"), [(127, False), (128, True), (600, True)])
def test_eight_blocks_of_sixteen_frames_are_the_least(frames, found):
    assert (period(held(np.random.default_rng(1), frames, jitter=0.05)) is not None) is found


@pytest.mark.parametrize(("ms", "found"), [(0.85, None), (0.95, 0.95), (8.4, 8.4)])
def test_frames_alike_to_the_digit_are_held_by_something_unless_nothing_could(ms, found):
    assert period(np.full(600, ms)) == (None if found is None else pytest.approx(found))


@pytest.mark.parametrize("frames", [np.zeros(600), np.tile([0.0, 0.0, 0.0, 16.0], 150)])
def test_frames_that_take_no_time_are_held_by_nothing(frames):
    assert period(frames) is None


@pytest.mark.parametrize(
    ("hz", "timer_step", "found"),
    [
        (60.0, 0.0, True),
        (60.0, 1.0, True),
        (60.2, 1.0, True),  # within half a percent of a screen's
        (60.5, 1.0, False),
        (61.5, 1.0, False),
        (61.5, 0.3, True),  # fine enough to tell a lock by
        (61.5, 0.0, True),
    ],
)
def test_on_a_coarse_clock_only_a_screens_rate_holds(hz, timer_step, found):
    x = held(np.random.default_rng(9), 4000, 1000.0 / hz, 0.1)
    assert (period(x, timer_step) is not None) is found


def test_a_limiter_that_sleeps_from_now_loses_its_phase_and_holds_nothing():
    rng = np.random.default_rng(5)
    assert period(REFRESH + rng.normal(0, 0.3, 4000)) is None
    assert period(held(rng, 4000)) == pytest.approx(REFRESH, rel=1e-3)


# -- the clock


@pytest.mark.parametrize(
    "step", [15.625 / 2, 15.625 / 4, 15.625 / 8, 15.625 / 16, 10.0, 5.0, 2.5, 2.0, 0.5, 0.25, 0.02]
)
def test_steps_of_known_clocks_are_found(step):
    rng = np.random.default_rng(12)
    stamps = np.cumsum(40.0 + rng.exponential(25.0, 4000))
    assert timer_step_ms(np.diff(np.floor(stamps / step) * step)) == pytest.approx(step)


def test_a_clock_is_told_by_the_frames_it_has_whichever_way_they_are_sorted():
    rng = np.random.default_rng(13)
    x = np.diff(np.floor(np.cumsum(rng.uniform(8, 20, 3000)) / 0.7) * 0.7)
    assert timer_step_ms(x) == timer_step_ms(x, np.sort(x)) == pytest.approx(0.7)


@pytest.mark.parametrize(("share", "found"), [(0.975, 0.0), (0.985, 0.5)])
def test_of_a_hundred_frames_ninety_eight_lie_on_the_step(share, found):
    rng = np.random.default_rng(14)
    x = 0.5 * rng.integers(20, 40, 4000)
    off = rng.choice(4000, round((1 - share) * 4000), replace=False)
    x = x.astype(float)
    x[off] += rng.uniform(0.1, 0.4, off.size)
    assert timer_step_ms(x) == pytest.approx(found)


def test_the_screens_own_period_is_no_clock():
    x = np.tile([10.0, 10.0, 20.0, 10.0], 500)
    assert timer_step_ms(x) == pytest.approx(10.0)
    assert timer_step_ms(x, cap_ms=10.0) <= 20.0 / 7.0


# -- stutters


def with_one(value, level=10.0, frames=101):
    x = np.full(frames, level)
    x[50] = value
    return x


@pytest.mark.parametrize(
    ("value", "level", "ratio", "spread", "found"),
    [
        (17.5, 10.0, 1.0, 0.0, False),  # as much as three quarters of the median is none yet
        (17.5001, 10.0, 1.0, 0.0, True),
        (8.0, 4.0, 1.0, 0.0, False),  # nor four milliseconds
        (8.0001, 4.0, 1.0, 0.0, True),
        (25.0, 10.0, 2.0, 0.0, False),
        (25.0001, 10.0, 2.0, 0.0, True),
        (22.0, 10.0, 1.0, 2.0, False),  # nor six spreads
        (22.0001, 10.0, 1.0, 2.0, True),
    ],
)
@pytest.mark.parametrize("frames", [20, 101, 4000])
def test_a_frame_stutters_above_its_bound_and_not_at_it(value, level, ratio, spread, found, frames):
    x = np.full(frames, level)
    x[frames // 2] = value
    assert len(stutter_events([x], ratio, spread)) == found


@pytest.mark.parametrize("many", [3, 30])
def test_among_many_that_could_stutter_each_is_held_to_its_own_median(many):
    x = np.full(310, 4.0)
    x[10 : 10 + 7 * many : 7] = 9.0  # 5 ms more than the median: over four
    at, excess = exceedances(x, 1.0, 4.0)
    assert at.tolist() == list(range(10, 10 + 7 * many, 7))
    assert excess == pytest.approx(np.full(many, 5.0))
    assert exceedances(x, 1.0, 5.0)[0].size == 0


@pytest.mark.parametrize(("apart", "events"), [(1, 1), (3, 1), (4, 2), (9, 2)])
def test_frames_closer_than_four_are_one_stutter(apart, events):
    x = np.full(200, 10.0)
    x[100], x[100 + apart] = 30.0, 40.0
    found = stutter_events([np.full(50, 10.0), x])
    assert len(found) == events
    assert found.first.tolist() == ([150, 150 + apart] if events == 2 else [150])
    assert found.worst.tolist() == ([150, 150 + apart] if events == 2 else [150 + apart])
    assert found.size_ms == pytest.approx([20.0, 30.0] if events == 2 else [50.0])
    assert found.longest_ms == pytest.approx([30.0, 40.0] if events == 2 else [40.0])


@given(
    st.lists(
        st.lists(st.floats(0.1, 50.0), min_size=1, max_size=100).map(np.array),
        min_size=1,
        max_size=3,
    )
)
def test_the_spread_is_of_frames_around_the_median_of_their_block(stretches):
    away = []
    for x in stretches:
        for at in range(0, x.size, 31):
            block = x[at : at + 31]
            away += np.abs(block - np.median(block)).tolist()
    assert math.isclose(block_spread_ms(stretches), 1.4826 * np.median(away), rel_tol=1e-9, abs_tol=1e-12)
