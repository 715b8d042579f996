"""The scales that figures are compared on: there and back, margins by what they promise, floors by what runs spread by chance."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from vigilant.core.counts import count_variance, poisson_moments
from vigilant.core.scales import COUNT, LATE, LOG, LOG_SD, MOST_A_MINUTE, MOST_SHARE, SHARE

SHARES = st.floats(1e-6, 0.999)


@given(st.floats(0.01, 5000.0))
def test_times_go_there_and_back(value):
    y = float(LOG.y(np.array([value]))[0])
    assert LOG.back(y, 2.0) == pytest.approx(value)
    assert LOG.at(value, 2.0) == pytest.approx(y)


@given(SHARES)
def test_shares_go_there_and_back(value):
    assert LATE.back(LATE.at(value, 2.0), 2.0) == pytest.approx(value, rel=1e-6)
    assert SHARE.back(SHARE.at(value, 2.0), 2.0) == pytest.approx(value)
    assert SHARE.at(value, 2.0) == pytest.approx(float(SHARE.y(np.array([value]))[0]))


@given(st.floats(0.0, 500.0), st.floats(0.1, 60.0))
def test_rates_go_there_and_back(value, minutes):
    y = float(COUNT.y(np.array([value]), minutes)[0])
    assert COUNT.back(y, minutes) == pytest.approx(value, abs=1e-9)
    assert COUNT.at(value, minutes) == pytest.approx(y)


@given(st.integers(0, 5000))
def test_late_frames_are_counted_with_half_a_frame_more_on_either_side(late):
    y = float(LATE.y(np.array([float(late)]), 5000.0)[0])
    assert y == pytest.approx(math.log((late + 0.5) / (5000 - late + 0.5)))


@pytest.mark.parametrize(("y", "value"), [(-3.0, 0.0), (0.0, 0.0), (2.0, 0.004)])
def test_no_share_lies_below_nothing(y, value):
    assert SHARE.back(y, 1.0) == pytest.approx(value)


@pytest.mark.parametrize("scale", [LOG, LATE, COUNT])
@pytest.mark.parametrize("y", [-900.0, 900.0])
def test_what_is_beyond_every_figure_is_still_a_number(scale, y):
    assert math.isfinite(scale.back(y, 1.0))


# -- margins


@pytest.mark.parametrize("level", [3.0, 16.7, 400.0])
@pytest.mark.parametrize("size", [0.005, 0.02, 0.5])
def test_a_margin_of_times_is_a_share_of_the_level(level, size):
    y = math.log(level)
    assert LOG.back(y + LOG.margin(y, size), 1.0) == pytest.approx(level * (1 + size))


@pytest.mark.parametrize(
    ("level", "size", "more"),
    [
        (0.001, 0.01, 0.01),  # the policy's own
        (0.04, 0.01, 0.02),  # half of the level
        (0.3, 0.01, MOST_SHARE),  # and no more than that
        (0.3, 0.1, 0.1),  # unless the policy says so
        (0.7, 0.01, MOST_SHARE),  # what is not late is the lesser part: the same
    ],
)
def test_a_margin_of_late_frames_is_in_points(level, size, more):
    y = math.log(level / (1 - level))
    least = min(level, 1 - level)
    margin = LATE.margin(y, size)
    assert 1 / (1 + math.exp(-(math.log(least / (1 - least)) + margin))) == pytest.approx(least + more)


def test_a_margin_that_leads_beyond_all_frames_is_still_a_number():
    assert math.isfinite(LATE.margin(0.0, 0.6))


@pytest.mark.parametrize(("level", "size", "more"), [(0.002, 0.01, 0.01), (0.1, 0.01, 0.05)])
def test_a_margin_of_stutter_time_is_in_points_or_half_the_level(level, size, more):
    y = SHARE.at(level, 1.0)
    assert SHARE.back(y + SHARE.margin(y, size), 1.0) == pytest.approx(level + more)


@pytest.mark.parametrize(("level", "size", "more"), [(1.0, 2.0, 2.0), (20.0, 2.0, 10.0), (400.0, 2.0, MOST_A_MINUTE), (400.0, 100.0, 100.0)])  # fmt: skip
def test_a_margin_of_stutters_is_in_events_or_half_the_level(level, size, more):
    y = 2 * math.sqrt(level)
    assert ((y + COUNT.margin(y, size)) / 2) ** 2 == pytest.approx(level + more)


# -- what chance alone makes of runs


@pytest.mark.parametrize("mean", [0.0, 0.02, 0.5, 3.0, 40.0, 900.0, 2e6])
def test_the_moments_of_counts_are_the_poissons(mean):
    expected, variance = poisson_moments(mean, lambda x: x)
    assert (expected, variance) == (pytest.approx(mean, rel=1e-6), pytest.approx(mean, rel=1e-4))


@pytest.mark.parametrize("mean", [0.1, 1.0, 3.0, 30.0, 500.0])
def test_the_variance_of_the_root_is_that_of_the_poisson(mean):
    x = np.arange(int(mean + 40 * math.sqrt(mean) + 60))
    weight, y = stats.poisson.pmf(x, mean), 2 * np.sqrt(x + 0.375)
    assert count_variance(mean) == pytest.approx(weight @ y**2 - (weight @ y) ** 2, rel=1e-9)
    if mean >= 3:
        assert count_variance(mean) == pytest.approx(1.0, abs=0.06)


@pytest.mark.parametrize(("level", "step", "sd"), [(10.0, 0.0, LOG_SD), (10.0, 0.05, LOG_SD), (10.0, 1.0, 0.005), (2.0, 1.0, 0.025)])  # fmt: skip
def test_the_floor_of_times_is_a_twentieth_of_the_clocks_step(level, step, sd):
    assert LOG.floor(level, step) == pytest.approx(sd**2)


@pytest.mark.parametrize(("share", "frames"), [(0.01, 7200.0), (0.3, 2000.0)])
def test_the_floor_of_late_frames_is_what_a_binomial_spreads_by(share, frames):
    rng = np.random.default_rng(1)
    y = LATE.y(rng.binomial(int(frames), share, 40_000).astype(float), frames)
    assert LATE.floor(share, frames) == pytest.approx(y.var(), rel=0.06)


def test_the_floor_of_no_late_frame_is_bounded():
    assert LATE.floor(0.0, 7200.0) == 2.0
    assert LATE.floor(1.0, 7200.0) == 2.0


@pytest.mark.parametrize("rate", [0.5, 6.0])
def test_the_floor_of_stutters_is_what_a_poisson_spreads_by(rate):
    rng = np.random.default_rng(2)
    y = COUNT.y(rng.poisson(2 * rate, 40_000) / 2.0, 2.0)
    # One event more over many runs changes nothing.
    assert COUNT.floor(rate, np.array([2.0] * 3), 10_000) == pytest.approx(y.var(), rel=0.03)


def test_the_floor_of_stutters_is_a_mean_over_runs_of_unlike_length():
    each = [count_variance(3.0 * t + 1 / 8) / t for t in (1.0, 2.0, 4.0)]
    assert COUNT.floor(3.0, np.array([1.0, 2.0, 4.0]), 8) == pytest.approx(np.mean(each))


def test_the_floor_of_stutter_time_is_that_of_as_many_events_of_its_size():
    assert SHARE.floor(0.0, 0.0, 120.0, 8) == 0.0
    expected = 50.0 / (4 * 120.0) * count_variance((2000.0 / 50.0 + 1) / 8)
    assert SHARE.floor(50.0, 2000.0, 120.0, 8) == pytest.approx(expected)


def test_what_is_expected_of_a_run_is_the_mean_over_what_it_may_hold():
    rng = np.random.default_rng(3)
    late = LATE.y(rng.poisson(0.002 * 900, 60_000).astype(float), 900.0)
    assert LATE.expected(0.002, 900.0) == pytest.approx(late.mean(), abs=0.01)
    events = COUNT.y(rng.poisson(1.5 * 0.7, 60_000) / 0.7, 2.0)
    assert COUNT.expected(1.5, 0.7, 2.0) == pytest.approx(events.mean(), abs=0.02)
    time = np.sqrt(40.0 * rng.poisson(0.05 * 60.0, 60_000) / 60.0)
    assert SHARE.expected(0.05, 40.0, 60.0) == pytest.approx(time.mean(), abs=0.01)
