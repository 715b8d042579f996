"""Where a step between two builds lies, held against the likelihood of the runs themselves."""

import math

import numpy as np
import pytest
from scipy import stats

from vigilant.core import InvalidComparison
from vigilant.core.trend.hunt import CERTAIN, FIRST, MOST_ENDS, hunted, where

BROAD = 1e4


def likelihoods(builds, runs, s2, b2):
    """Of the step at each place (N - 1,): the runs drawn from two levels that could be anything."""
    values = np.array([value for build in sorted(runs) for value in runs[build]])
    of = np.array([build for build in sorted(runs) for _ in runs[build]])
    told = []
    for place in range(1, builds):
        after = of >= place
        same_side, same_build = after[:, None] == after[None, :], of[:, None] == of[None, :]
        covariance = BROAD * same_side + b2 * same_build + s2 * np.eye(of.size)
        told.append(stats.multivariate_normal.logpdf(values, np.zeros(of.size), covariance))
    weights = np.exp(np.array(told) - max(told))
    return weights / weights.sum()


def played(rng, builds, at, each, step=0.05, sd=0.02, between=0.0):
    """Runs of builds, as many of each as ``each`` says."""
    return {
        build: list((step if build >= at else 0.0) + rng.normal(0, between or 1e-9) + rng.normal(0, sd, count))
        for build, count in each.items()
    }


@pytest.mark.parametrize("between", [0.0, 0.01])
@pytest.mark.parametrize(
    ("builds", "at", "each"),
    [
        (6, 4, {0: 3, 5: 3, 2: 1}),
        (6, 4, {0: 3, 5: 3, 2: 2, 3: 1, 4: 3}),
        (9, 1, {0: 4, 8: 3, 4: 1, 2: 1, 1: 2}),
        (3, 2, {0: 3, 2: 5, 1: 1}),
    ],
)
def test_the_chances_of_the_places_are_those_of_the_runs(builds, at, each, between):
    runs = played(np.random.default_rng(builds + at), builds, at, each, between=between)
    found = where(builds, runs, 0.02**2, between**2)
    assert found.posterior == pytest.approx(likelihoods(builds, runs, 0.02**2, between**2), abs=2e-3)
    assert found.after == pytest.approx([0.0, *np.cumsum(found.posterior)])


def test_a_place_that_was_thought_likelier_stays_so_by_as_much():
    runs = played(np.random.default_rng(3), 5, 3, {0: 3, 4: 3, 2: 1})
    even, told = where(5, runs, 4e-4, 0.0), where(5, runs, 4e-4, 0.0, prior=[1, 1, 3, 1])
    expected = even.posterior * [1, 1, 3, 1]
    assert told.posterior == pytest.approx(expected / expected.sum())


@pytest.mark.parametrize(
    ("builds", "runs", "s2", "b2", "prior"),
    [
        (1, {0: [1.0]}, 1.0, 0.0, None),
        (4, {4: [1.0]}, 1.0, 0.0, None),
        (4, {-1: [1.0]}, 1.0, 0.0, None),
        (4, {0: []}, 1.0, 0.0, None),
        (4, {0: [1.0]}, 0.0, 0.0, None),
        (4, {0: [1.0]}, math.nan, 0.0, None),
        (4, {0: [1.0]}, 1.0, -0.1, None),
        (4, {0: [1.0]}, 1.0, 0.0, [1, 1]),
        (4, {0: [1.0]}, 1.0, 0.0, [1, 1, 1, 1]),
        (4, {0: [1.0]}, 1.0, 0.0, [1, -1, 1]),
        (4, {0: [1.0]}, 1.0, 0.0, [0, 0, 0]),
    ],
)
def test_what_no_hunt_can_be_made_of_is_refused(builds, runs, s2, b2, prior):
    with pytest.raises(InvalidComparison):
        where(builds, runs, s2, b2, prior)


def test_a_place_may_be_out_of_the_question():
    runs = {0: [0.0] * FIRST, 3: [1.0] * FIRST, 1: [0.0], 2: [1.0]}
    assert where(4, runs, 1e-4, 0.0, prior=[1, 0, 1]).posterior[1] < 1e-6


def test_both_ends_are_recorded_in_turn_before_anything_between():
    asked, runs = [], {}
    for _ in range(2 * FIRST):
        build = where(7, runs, 1e-4, 0.0).next
        asked.append(build)
        runs = {**runs, build: [*runs.get(build, []), 0.0 if build == 0 else 1.0]}
    assert asked == [0, 6] * FIRST
    assert where(7, runs, 1e-4, 0.0).next not in (0, 6)


def test_ends_that_do_not_differ_are_recorded_until_it_is_enough_and_nothing_is_looked_for():
    runs, asked = {}, 0
    while (found := where(7, runs, 0.02**2, 0.0)).next is not None:
        asked += 1
        assert found.next in (0, 6)
        runs = {**runs, found.next: [*runs.get(found.next, []), 0.001 * (asked % 3)]}
    assert found.why == "not reproduced"
    assert {build: len(own) for build, own in runs.items()} == {0: MOST_ENDS, 6: MOST_ENDS}


@pytest.mark.parametrize(("gap", "shown"), [(2.9, False), (3.1, True)])
def test_the_ends_differ_by_so_many_standard_errors(gap, shown):
    s2, b2 = 0.03**2, 0.01**2
    se = math.sqrt(2 * b2 + s2 * (1 / 3 + 1 / 4))
    runs = {0: [0.0] * 3, 6: [gap * se] * 4}
    assert (where(7, runs, s2, b2).next not in (0, 6)) is shown


def test_two_places_beside_each_other_are_enough_where_that_is_said():
    # Nothing of build 3 was recorded: the step is at it or at the one after, as likely either way.
    runs = {0: [0.0] * 6, 6: [1.0] * 6, 2: [0.0] * 6, 4: [1.0] * 6}
    both, one = where(7, runs, 1e-3, 0.0, neighbours=True), where(7, runs, 1e-3, 0.0)
    assert both.posterior[2:4] == pytest.approx([0.5, 0.5], abs=1e-3)
    assert (both.why, both.next) == ("certain", None)
    assert (one.why, one.next) == ("", 3)
    apart = {0: [0.0] * 6, 6: [1.0] * 6, 1: [0.0] * 6, 4: [1.0] * 6}
    assert where(7, apart, 1e-3, 0.0, neighbours=True).why == ""
    assert CERTAIN < 1.0


def test_builds_that_cannot_be_recorded_are_gone_around_and_none_left_is_said():
    runs = {0: [0.0] * 6, 6: [1.0] * 6}
    assert where(7, runs, 1e-3, 0.0, cannot={3}).next != 3
    none = where(7, runs, 1e-3, 0.0, cannot=set(range(7)))
    assert (none.next, none.why) == (None, "no other build can be recorded")


@pytest.mark.parametrize("spent", [11, 12, 13])
def test_runs_are_spent_and_no_more(spent):
    runs = {0: [0.0] * (spent - 6), 6: [1.0] * 6}
    found = where(7, runs, 1e-3, 0.0, most_runs=12)
    assert (found.why == "the runs are spent") is (spent >= 12)
    assert (found.next is None) is (spent >= 12)


def test_what_is_asked_next_leaves_the_least_to_be_found_out():
    runs = {0: [0.0] * 4, 8: [1.0] * 4}
    assert where(9, runs, 1e-4, 0.0).next == 4  # of places alike the middle
    assert where(9, runs, 1e-4, 0.0, prior=[9, 9, 1, 1, 1, 1, 1, 1]).next == 1  # the half of the chances


def test_the_spread_of_runs_is_taken_from_them():
    rng = np.random.default_rng(8)
    runs = played(rng, 6, 3, {0: 6, 5: 6, 2: 4, 3: 4}, step=0.2, sd=0.03)
    pooled = sum((len(own) - 1) * np.var(own, ddof=1) for own in runs.values()) / sum(len(own) - 1 for own in runs.values())  # fmt: skip
    assert hunted(6, runs, 0.01).posterior == pytest.approx(where(6, runs, pooled, 1e-4).posterior, abs=1e-6)


def test_one_step_is_enough_or_it_is_said_that_it_is_not():
    one = {0: [0.0] * 3, 2: [0.01] * 3, 4: [1.0] * 3, 6: [1.01] * 3}
    stairs = {0: [0.0] * 3, 2: [0.5] * 3, 4: [1.0] * 3, 6: [1.5] * 3}
    assert where(7, one, 0.02**2, 0.0).fits
    assert not where(7, stairs, 0.02**2, 0.0).fits


def test_the_step_is_found_where_it_is_and_seldom_elsewhere():
    rng, found = np.random.default_rng(11), 0
    for _ in range(40):
        builds = int(rng.integers(5, 20))
        at = int(rng.integers(1, builds))
        runs = {}
        while (told := where(builds, runs, 0.02**2, 0.0, most_runs=80)).next is not None:
            own = runs.get(told.next, [])
            runs = {**runs, told.next: [*own, (0.08 if told.next >= at else 0.0) + rng.normal(0, 0.02)]}
        assert told.why == "certain"
        found += int(told.posterior.argmax()) + 1 == at
    # Certain is 95 of 100: of 40 hunts a place more than six of which are elsewhere has a chance under 1 in 300.
    assert found >= 34
