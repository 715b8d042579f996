"""The newest build held against those before it, where every number of the test follows from its line."""

import math

import numpy as np
import pytest
from scipy import stats

from vigilant.core import InvalidComparison
from vigilant.core.trend.alert import BEFORE, CREEPING, DF_SHARE, LEAST_RATE, MOST_RATE, alert
from vigilant.core.trend.line import line


def builds(count, seed=0, each=3, between=0.004, sd=0.006, steps=()):
    rng = np.random.default_rng(seed)
    level = np.full(count, 2.3)
    for at, size in steps:
        level[at:] += size
    return [list(level[i] + rng.normal(0, between) + rng.normal(0, sd, each)) for i in range(count)]


@pytest.mark.parametrize("sessions", [1, 2, 4])
@pytest.mark.parametrize("each", [1, 3])
def test_the_newest_build_is_held_by_its_distance_from_the_level_before_it(sessions, each):
    runs = builds(16, seed=3)
    newest = runs.pop()[:each]
    taken = [1] * 15 + [sessions]
    found = alert(runs, newest, floor=0.0, sessions=taken)
    before = line(runs, 1, (), 0.0, taken[:-1])
    expected, variance = before.expected(15)
    whole = variance + before.tau2 / sessions + before.noise.s2 / each
    assert found.sudden.d == pytest.approx(np.mean(newest) - expected)
    assert found.sudden.t == pytest.approx(abs(found.sudden.d) / math.sqrt(whole))
    assert found.sudden.nu == before.nu
    assert found.sudden.p == pytest.approx(2 * stats.t.sf(found.sudden.t, DF_SHARE * before.nu))


@pytest.mark.parametrize("sessions", [(1, 1, 1, 1), (1, 2, 1, 4)])
def test_the_newest_four_are_held_together_against_the_line_before_them(sessions):
    runs = builds(20, seed=5)
    newest = runs.pop()
    taken = [1] * 16 + list(sessions)
    found = alert(runs, newest, floor=0.0, sessions=taken)
    earlier, last = runs[:16], [*runs[16:], newest]
    before = line(earlier, 1, (), 0.0, taken[:16])
    levels = [before.expected(16 + i) for i in range(CREEPING)]
    own = sum(before.tau2 / s + before.noise.s2 / 3 for s in sessions) / CREEPING**2
    d = np.mean([np.mean(one) for one in last]) - np.mean([level for level, _ in levels])
    assert found.creeping.d == pytest.approx(d)
    assert found.creeping.t == pytest.approx(abs(d) / math.sqrt(own + np.mean([v for _, v in levels])))
    level, variance = levels[-1]
    assert found.last.d == pytest.approx(np.mean(newest) - level)
    alone = before.tau2 / sessions[-1] + before.noise.s2 / 3 + variance
    assert found.last.t == pytest.approx(abs(found.last.d) / math.sqrt(alone))


@pytest.mark.parametrize(("before", "creeps"), [(BEFORE, False), (BEFORE + 2, False), (BEFORE + 3, True), (BEFORE + 9, True)])  # fmt: skip
def test_eight_builds_must_stand_before_the_four(before, creeps):
    runs = builds(before + 1, seed=7)
    found = alert(runs[:-1], runs[-1])
    assert (found.creeping is not None) is (found.last is not None) is creeps


@pytest.mark.parametrize(("at", "creeps"), [(8, True), (15, True), (16, False), (18, False)])
def test_over_a_break_nothing_creeps(at, creeps):
    runs = builds(20, seed=9)
    assert (alert(runs[:-1], runs[-1], breaks=[at]).creeping is not None) is creeps


@pytest.mark.parametrize("rate", [LEAST_RATE, 0.005, MOST_RATE])
@pytest.mark.parametrize("figures", [1, 4])
def test_the_rate_is_shared_by_both_tests_and_all_figures(rate, figures):
    runs = builds(16, seed=11)
    assert alert(runs[:-1], runs[-1], figures, rate).limit == pytest.approx(rate / (2 * figures))


@pytest.mark.parametrize(("size", "call"), [(0.0, ""), (0.05, "sudden"), (-0.05, "sudden")])
def test_a_step_at_the_newest_build_is_sudden_either_way(size, call):
    runs = builds(24, seed=13, steps=[(23, size)])
    found = alert(runs[:-1], runs[-1])
    assert found.call == call
    assert found.d == found.sudden.d


def test_what_creeps_is_called_by_the_four_and_its_size_is_theirs():
    for seed in range(40):
        runs = builds(24, seed=seed, between=0.002, sd=0.003, steps=[(20, 0.008)])
        found = alert(runs[:-1], runs[-1])
        if found.call == "creeping":
            break
    assert found.call == "creeping"
    assert found.sudden.p >= found.limit > found.creeping.p
    assert found.d == found.creeping.d != found.sudden.d


@pytest.mark.parametrize(("size", "called"), [(0.0, ""), (0.0005, ""), (0.01, "sudden")])
def test_where_runs_are_alike_to_the_digit_they_spread_by_their_floor(size, called):
    found = alert([[2.0, 2.0]] * 12, [2.0 + size])
    assert found.sudden.d == pytest.approx(size)
    assert found.call == called


@pytest.mark.parametrize(
    ("before", "newest", "options", "said"),
    [
        (BEFORE - 1, [2.3], {}, "needs 8 builds before"),
        (BEFORE, [], {}, "has a run at least"),
        (BEFORE, [2.3], {"sessions": [1] * BEFORE}, "a number of sessions"),
        (BEFORE, [2.3], {"sessions": [1] * (BEFORE + 2)}, "a number of sessions"),
        (BEFORE, [2.3], {"rate": LEAST_RATE * 0.99}, "false alarm in 50 to 1000"),
        (BEFORE, [2.3], {"rate": MOST_RATE * 1.01}, "false alarm in 50 to 1000"),
    ],
)
def test_what_no_build_can_be_held_against_is_refused(before, newest, options, said):
    with pytest.raises(InvalidComparison, match=said):
        alert(builds(before), newest, **options)
    assert alert(builds(BEFORE), [2.3]).sudden.nu >= 1
