"""How changes are written: digits that follow the interval, one direction a column, and no minus before nothing."""

import math
import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from vigilant.wording.change import (
    amount,
    decimals_for,
    figure_change,
    half_width,
    interval_words,
    mean_change,
    number,
    percent,
    rate_step,
)
from wording.made import result

NUMBERS = st.floats(-1e9, 1e9)


@pytest.mark.parametrize(
    ("width", "decimals"),
    [
        (None, 2), (math.nan, 2), (math.inf, 2), (0.0, 2), (-1.0, 2),
        (250.0, 0), (25.0, 0), (9.9, 0), (3.0, 0), (2.99, 1), (1.0, 1),
        (0.999, 1), (0.3, 1), (0.299, 2), (0.1, 2), (0.099, 2), (0.029, 3), (0.0029, 4), (1e-7, 4),
    ],
)  # fmt: skip
def test_an_interval_deserves_so_many_decimals(width, decimals):
    assert decimals_for(width) == decimals


@pytest.mark.parametrize(("most", "decimals"), [(0, 0), (1, 1), (2, 2), (3, 3), (4, 3)])
def test_there_are_no_more_decimals_than_are_wanted(most, decimals):
    assert decimals_for(0.029, most) == decimals


@given(st.floats(1e-3, 1e3))
def test_one_or_two_digits_of_the_interval_are_seen(width):
    last = 10.0 ** -decimals_for(width)
    assert width / last < 30 * (1 + 1e-9) or last == 1
    assert width / last >= 3 * (1 - 1e-9) or decimals_for(width) == 4


@given(NUMBERS, st.integers(0, 4))
def test_a_number_is_read_back_as_it_was_rounded(value, decimals):
    text = number(value, decimals)
    assert float(text.replace(",", "")) == float(f"{value:.{decimals}f}")
    assert re.fullmatch(r"-?\d{1,3}(,\d{3})*(\.\d+)?", text)
    assert not re.fullmatch(r"-[0.,]+", text)


@pytest.mark.parametrize(
    ("share", "text"),
    [
        (0.1164, "+11.6 %"), (-0.1164, "-11.6 %"), (0.0042, "+0.42 %"), (-0.0042, "-0.42 %"), (0.01, "+1.0 %"), (1.0, "+100 %"),
        (0.9949, "+99.5 %"), (12.5, "+1,250 %"), (0.0, "0.00 %"), (-0.00001, "0.00 %"), (0.00001, "0.00 %"),
    ],
)  # fmt: skip
def test_a_percentage_has_a_sign_unless_it_is_nothing(share, text):
    assert percent(share) == text


# -- a row: the figures' own columns

CASES = {
    "less time": (
        result(before=12.96, after=11.12, low=-2.02, high=-1.63),
        ("saved", "1.84", "1.63 to 2.02", "ms"),
        "95 % interval 1.63 to 2.02",
    ),
    "more time": (
        result(before=11.12, after=12.96, low=1.63, high=2.02),
        ("spent", "1.84", "1.63 to 2.02", "ms"),
        "95 % interval 1.63 to 2.02",
    ),
    "about zero": (
        result(before=12.0, after=11.8, low=-0.6, high=0.2),
        ("saved", "0.2", "0.6 saved to 0.2 spent", "ms"),
        "95 % interval 0.6 less to 0.2 more",
    ),
    "from zero on": (
        result(before=12.0, after=12.2, low=0.0, high=0.4),
        ("spent", "0.20", "0.00 to 0.40", "ms"),
        "95 % interval 0.00 to 0.40",
    ),
    "up to zero": (
        result(before=12.0, after=11.8, low=-0.4, high=0.0),
        ("saved", "0.20", "0.00 to 0.40", "ms"),
        "95 % interval 0.00 to 0.40",
    ),
    "no interval": (
        result(before=12.0, after=11.8, low=None, high=None),
        ("saved", "0.20", "", "ms"),
        "no interval",
    ),
    "nothing": (
        result(before=12.0, after=12.0, low=-0.1, high=0.1),
        ("", "0.00", "0.10 saved to 0.10 spent", "ms"),
        "95 % interval 0.10 less to 0.10 more",
    ),
    "a rate": (
        result("slowest_second_fps", before=50.0, after=55.0, low=3.0, high=7.0),
        ("saved", "5.0", "3.0 to 7.0", "fps"),
        "95 % interval 3.0 to 7.0",
    ),
    "a lower rate": (
        result("slowest_second_fps", before=55.0, after=50.0, low=-7.0, high=1.0),
        ("spent", "5", "1 better to 7 worse", "fps"),
        "95 % interval 7 less to 1 more",
    ),
    "a share": (
        result("late_share", before=0.10, after=0.04, low=-0.08, high=-0.04),
        ("saved", "6.0", "4.0 to 8.0", "points"),
        "95 % interval 4.0 to 8.0",
    ),
    "a rate of events": (
        result("stutters_per_min", before=3.0, after=4.0, low=-0.5, high=2.5),
        ("spent", "1.0", "0.5 better to 2.5 worse", "a minute"),
        "95 % interval 0.5 less to 2.5 more",
    ),
}


@pytest.mark.parametrize("case", CASES)
def test_a_row_says_its_column_its_size_and_its_interval(case):
    made, told, words = CASES[case]
    row = amount(made)
    assert (row.column, row.difference, row.interval, row.of) == told
    assert interval_words(made) == words
    assert {len(text.partition(".")[2]) for text in (row.before, row.after, row.difference)} == {row.decimals}


def test_a_column_may_have_decimals_of_its_own_and_another_confidence():
    row = amount(CASES["less time"][0], 3)
    assert (row.before, row.after, row.difference, row.low, row.high) == (
        "12.960",
        "11.120",
        "1.840",
        "-2.020",
        "-1.630",
    )
    assert interval_words(CASES["less time"][0], 0.99).startswith("99 % interval")


@pytest.mark.parametrize(("low", "high", "half"), [(-2.0, -1.0, 0.5), (-1.0, 3.0, 2.0), (None, 3.0, None), (-1.0, None, None)])  # fmt: skip
def test_half_of_an_interval(low, high, half):
    assert half_width(result(low=low, high=high)) == half


@pytest.mark.parametrize(("margin", "text"), [(0.25, "0.25"), (0.0, ""), (-0.1, ""), (1.6, "1.60")])
def test_a_margin_has_the_decimals_of_its_row_at_least(margin, text):
    assert amount(result(margin_high=margin)).margin == text


# -- sentences


@pytest.mark.parametrize(
    ("before", "after", "target", "text"),
    [
        (12.96, 11.12, 60.0, "1.84 ms less a frame (-14.2 % time, +16.5 % rate; 11 % of the budget)"),
        (11.12, 12.96, None, "1.84 ms more a frame (+16.5 % time, -14.2 % rate)"),
        (20.0, 20.2, 60.0, "0.20 ms more a frame (+1.0 % time, -0.99 % rate; 1.2 % of the budget)"),
        (20.0, 20.35, 60.0, "0.35 ms more a frame (+1.8 % time, -1.7 % rate; 2 % of the budget)"),
        (20.0, 20.001, 60.0, "0.00 ms a frame of difference"),
    ],
)
def test_a_change_of_the_mean_says_time_and_rate_of_the_before(before, after, target, text):
    assert mean_change(before, after, 2, target) == text


def test_a_step_of_the_rate_is_another_step_of_the_time_at_every_level():
    slow, quick = rate_step(50.0, 10.0), rate_step(10.0, 10.0)
    assert slow.startswith("10.0 frames a second more, from 20.0, is 17 ms less a frame, from 50")
    assert quick.startswith("10.0 frames a second more, from 100.0, is 0.9 ms less a frame, from 10.0")


@pytest.mark.parametrize(
    ("case", "text"),
    [
        ("less time", "1.84 ms less a frame (-14.2 % time, +16.5 % rate), 95 % interval 1.63 to 2.02"),
        ("a share", "6.0 points less (from 10.0 to 4.0 %), 95 % interval 4.0 to 8.0"),
        ("a rate of events", "1.0 a minute more (from 3.0 to 4.0 a minute), 95 % interval 0.5 less to 2.5 more"),
        ("a rate", "5.0 fps more (+10.0 % rate, from 50.0 to 55.0 fps), 95 % interval 3.0 to 7.0"),
    ],
)
def test_every_figure_says_its_change_with_base_and_direction(case, text):
    assert figure_change(CASES[case][0]) == text
