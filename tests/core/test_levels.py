"""Levels of significance: Holm's procedure, levels spent over looks, and the interval of a mean."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from vigilant.core import InvalidComparison
from vigilant.core.levels import even, half_of_mean, holm, holm_adjusted
from vigilant.core.looks import FIRST_LOOK, MOST_PAIRS, look_levels, spent_levels

P_VALUES = st.lists(st.floats(0.0, 1.0), min_size=1, max_size=8)


@given(P_VALUES)
def test_adjusted_values_say_what_the_procedure_says(p_values):
    adjusted = holm_adjusted(p_values)
    for alpha in (0.01, 0.05, 0.3):
        if all(abs(a - alpha) > 1e-12 for a in adjusted):
            assert holm(p_values, even(alpha).of) == [a <= alpha for a in adjusted]


@given(P_VALUES)
def test_adjusted_values_keep_their_order_and_are_never_less(p_values):
    adjusted = holm_adjusted(p_values)
    assert all(a >= p or a == 1.0 for a, p in zip(adjusted, p_values, strict=True))
    order = np.argsort(p_values, kind="stable")
    assert (np.diff(np.array(adjusted)[order]) >= 0).all()


@pytest.mark.parametrize(
    ("p_values", "rejected", "adjusted"),
    [
        ([0.05], [True], [0.05]),
        ([0.0501], [False], [0.0501]),
        ([0.04, 0.02], [True, True], [0.04, 0.04]),
        ([0.04, 0.026], [False, False], [0.052, 0.052]),
        ([0.001, 0.03, 0.04], [True, False, False], [0.003, 0.06, 0.06]),
        ([0.6, 0.7], [False, False], [1.0, 1.0]),
    ],
)
def test_by_hand(p_values, rejected, adjusted):
    assert holm(p_values, even(0.05).of) == rejected
    assert holm_adjusted(p_values) == pytest.approx(adjusted)


def test_one_look_has_all_of_the_level():
    levels = even(0.05)
    assert (levels.interval, levels.inside, levels.of(4), levels.look) == (0.05, 0.05, 0.0125, None)


@pytest.mark.parametrize("runs", [2, 3, 9])
def test_the_interval_of_a_mean_is_students(runs):
    y = np.random.default_rng(runs).normal(3, 1, runs)
    low, high = stats.t.interval(0.95, runs - 1, y.mean(), y.std(ddof=1) / math.sqrt(runs))
    assert half_of_mean(y, 0.0) == pytest.approx((high - low) / 2)
    assert half_of_mean(np.full(runs, 3.0), 0.04) == pytest.approx(
        stats.t.ppf(0.975, runs - 1) * math.sqrt(0.04 / runs)
    )
    assert half_of_mean(y[:1], 1.0) is None


# -- looks


def crossed(levels, sides, trials=60_000):
    """How many walks without a drift cross by each look."""
    rng = np.random.default_rng(4)
    times = np.arange(FIRST_LOOK, FIRST_LOOK + len(levels))
    steps = rng.normal(0, np.sqrt(np.diff(times, prepend=0)), (trials, times.size))
    z = np.cumsum(steps, axis=1) / np.sqrt(times)
    p = 2 * stats.norm.sf(np.abs(z)) if sides == 2 else stats.norm.sf(z)
    return np.maximum.accumulate(p < np.array(levels), axis=1).mean(axis=0)


@pytest.mark.parametrize("sides", [1, 2])
@pytest.mark.parametrize("alpha", [0.05, 0.0125])
@pytest.mark.parametrize("most", [6, 15])
def test_over_all_looks_the_level_is_spent_as_is_said(alpha, most, sides):
    levels = spent_levels(alpha, most, sides)
    times = np.arange(FIRST_LOOK, most + 1) / most
    z = stats.norm.ppf(1 - alpha / sides)
    spent = sides * stats.norm.sf(z / np.sqrt(times))
    assert spent[-1] == pytest.approx(alpha)
    for found, said in zip(crossed(levels, sides), spent, strict=True):
        assert found == pytest.approx(said, abs=4.5 * math.sqrt(alpha / 60_000) + 1e-5)


def test_early_looks_are_held_to_far_more_and_the_last_to_little_more():
    levels = spent_levels(0.05)
    assert len(levels) == MOST_PAIRS - FIRST_LOOK + 1
    assert (np.diff(levels) > 0).all()
    assert levels[0] < 0.001
    assert 0.025 < levels[-1] < 0.05


def test_a_look_knows_where_it_stands():
    look = look_levels(6, 12)
    assert look.look == (6, 12)
    assert look.interval == spent_levels(0.05, 12)[2]
    assert look.of(3) == spent_levels(0.05 / 3, 12)[2]
    assert look.inside == spent_levels(0.05, 12, sides=1)[2]
    # What was ended before its first look is held to that look's level.
    assert look_levels(2, 12).interval == look_levels(FIRST_LOOK, 12).interval


@pytest.mark.parametrize(("pairs", "most"), [(13, 12), (4, 4), (2, 3)])
def test_there_is_no_look_beyond_the_last(pairs, most):
    with pytest.raises(InvalidComparison):
        look_levels(pairs, most)
