"""Bursts, regular pauses and settling, each held against what it is defined by."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from vigilant.core import FrameSeries, InvalidPolicy
from vigilant.core.bursts import bursts, event_bounds
from vigilant.core.regular import LEAST_GAPS, regular_pauses
from vigilant.core.settle import Settle, settled_s
from vigilant.core.stutter import JOIN_FRAMES, StutterEvents

# -- bursts


@given(st.lists(st.lists(st.sampled_from([5.0, 10.0, 12.0]), max_size=30).map(np.array), max_size=3))
def test_a_burst_is_frames_over_the_limit_that_are_close(stretches):
    expected = []
    for x in stretches:
        last = -JOIN_FRAMES
        for i, ms in enumerate(x):
            if ms > 9.0:
                if i - last >= JOIN_FRAMES:
                    expected.append([0, 0.0])
                expected[-1][0] += 1
                expected[-1][1] += ms - 4.0
                last = i
    assert bursts(stretches, 9.0).tolist() == [count for count, _ in expected]
    assert bursts(stretches, 9.0, 4.0) == pytest.approx([ms for _, ms in expected])


def test_what_is_at_the_limit_is_not_over_it():
    assert bursts([np.array([9.0, 9.0001])], 9.0).tolist() == [1.0]


@pytest.mark.parametrize("seen", [1, 2, 5, 30])
def test_events_of_one_size_have_about_the_exact_interval_of_a_count(seen):
    low, high = event_bounds(np.ones(seen), 1.0, 0.95)
    assert low == pytest.approx(stats.chi2.ppf(0.025, 2 * seen) / 2)
    # The size of one more is taken for larger the fewer were seen.
    exact = stats.chi2.ppf(0.975, 2 * seen + 2) / 2
    assert exact <= high <= exact * (1 + 1.0 / seen)


@pytest.mark.parametrize("confidence", [0.9, 0.95])
def test_where_none_was_seen_so_many_could_have_been_missed(confidence):
    assert event_bounds(np.empty(0), 7.0, confidence) == (0.0, pytest.approx(-7.0 * math.log((1 - confidence) / 2)))


@pytest.mark.parametrize("mean", [3.0, 12.0])
def test_the_interval_holds_what_is_expected_of_events_of_unlike_size(mean):
    rng, held, trials = np.random.default_rng(6), 0, 800
    for _ in range(trials):
        sizes = rng.integers(3, 12, rng.poisson(mean)).astype(float)
        low, high = event_bounds(sizes, 11.0, 0.95)
        held += low <= 7.0 * mean <= high  # 3 to 11, evenly
    assert held / trials >= 0.95 - 3.5 * math.sqrt(0.95 * 0.05 / trials)


# -- pauses that come regularly


def events(first):
    at = np.asarray(first, dtype=np.int64)
    return StutterEvents(at, at, np.ones(at.size), np.ones(at.size))


def test_pauses_by_frames_are_told_from_pauses_by_time():
    rng = np.random.default_rng(3)
    quick = rng.choice([4.0, 16.0], 4000)
    by_frames = regular_pauses(events(range(100, 4000, 150)), quick)
    assert (by_frames.unit, by_frames.period, by_frames.strength) == ("frames", 150.0, 1.0)
    # Slower and slower: the same seconds hold fewer and fewer frames.
    slower = np.linspace(4.0, 16.0, 4000)
    starts = np.cumsum(slower) - slower
    by_time = regular_pauses(events(np.searchsorted(starts, np.arange(1000.0, starts[-1], 2000.0))), slower)
    assert by_time.unit == "s"
    assert by_time.period == pytest.approx(2.0, rel=0.01)


@pytest.mark.parametrize(("missed", "found"), [((), True), ((4, 9), True), ((2, 3, 4, 7, 8, 9, 12, 13), False)])
def test_a_pause_that_was_too_short_to_count_breaks_no_rule(missed, found):
    at = [200 * i for i in range(1, 16) if i not in missed]
    assert (regular_pauses(events(at), np.full(4000, 10.0)) is not None) is found


@pytest.mark.parametrize(("count", "found"), [(LEAST_GAPS, False), (LEAST_GAPS + 1, True)])
def test_so_many_gaps_are_the_least(count, found):
    at = [100 * (i + 1) for i in range(count)]
    assert (regular_pauses(events(at), np.full(2000, 10.0)) is not None) is found


@pytest.mark.parametrize(("off", "found"), [(0.14, True), (0.16, False)])
def test_a_gap_keeps_the_period_within_fifteen_hundredths(off, found):
    gaps = [1000, 1000, 1000] + [round(1000 * (1 + off)), round(1000 * (1 - off))] * 3
    told = regular_pauses(events(np.cumsum(gaps)), np.full(12_000, 1.0))
    assert (told is not None and told.strength == 1.0) is found


def test_pauses_by_chance_are_seldom_regular():
    rng, found = np.random.default_rng(8), 0
    for _ in range(400):
        at = np.unique(rng.integers(0, 20_000, 25))
        found += regular_pauses(events(at), np.full(20_000, 10.0)) is not None
    assert found <= 2  # a level of 0.001, over two ways to count


# -- settling


def settled_by_definition(frame_ms, values, within, for_s):
    starts = np.cumsum(frame_ms) - frame_ms
    known = [i for i in range(len(values)) if math.isfinite(values[i])]
    ends = {i: starts[known[k + 1]] if k + 1 < len(known) else starts[i] + frame_ms[i] for k, i in enumerate(known)}
    for k, i in enumerate(known):
        for j in known[k:]:
            seen = [values[n] for n in known if i <= n <= j]
            low, high = min(seen), max(seen)
            if high > low and high - low >= within * max(abs(low), abs(high)):
                break
            if ends[j] - starts[i] >= for_s * 1000.0:
                return starts[i] / 1000.0
    return None


@given(
    st.lists(
        st.tuples(st.sampled_from([100.0, 250.0, 400.0]), st.sampled_from([0.0, 98.0, 100.0, 101.0, 120.0, math.nan])),
        min_size=2,
        max_size=25,
    ),
    st.sampled_from([0.005, 0.02, 0.05]),
    st.sampled_from([0.4, 1.0]),
)
def test_a_counter_has_settled_where_it_first_changes_little_for_long_enough(rows, within, for_s):
    frame_ms, values = (np.array(column) for column in zip(*rows, strict=True))
    series = FrameSeries(frame_ms, counters={"boats": values})
    expected = settled_by_definition(frame_ms, values, within, for_s)
    assert settled_s(series, Settle("boats", within, for_s)) == (None if expected is None else pytest.approx(expected))


def test_a_counter_that_is_not_there_settles_never():
    series = FrameSeries(np.full(9, 500.0), counters={"boats": np.full(9, np.nan)})
    assert settled_s(series, Settle("boats")) is None
    assert settled_s(series, Settle("lamps")) is None


@pytest.mark.parametrize(
    "rule",
    [
        {"counter": ""},
        {"counter": 3},
        {"counter": "boats", "within": 0},
        {"counter": "boats", "within": -0.1},
        {"counter": "boats", "within": math.nan},
        {"counter": "boats", "within": 1e4},
        {"counter": "boats", "for_s": "2"},
        {"counter": "boats", "for_s": True},
    ],
)
def test_what_is_no_rule_of_settling_is_refused(rule):
    with pytest.raises(InvalidPolicy):
        Settle(**rule)
