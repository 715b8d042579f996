"""Shares of frames and of sessions over a fleet, held against what they are defined by, and by how often their interval holds."""

import math

import numpy as np
import pytest
from scipy import stats

from vigilant.core import InvalidComparison
from vigilant.core.field.alike import LEAST_COVERED, MARGIN, compared
from vigilant.core.field.shares import (
    LEAST_GROUPS,
    none_seen,
    percentile,
    share,
    share_of_groups,
    share_of_sums,
    spread_of,
    wilson,
)


def logit(p):
    return math.log(p / (1 - p))


def sessions(rng, count, p=0.03, spread=0.6, frames=(2000, 9000)):
    n = rng.integers(*frames, count)
    own = 1 / (1 + np.exp(-(logit(p) + rng.normal(0, spread, count))))
    return rng.binomial(n, own), n


@pytest.mark.parametrize(("events", "of"), [(0, 20), (1, 20), (7, 30), (29, 30), (30, 30), (500, 1000)])
def test_a_share_of_sessions_has_wilsons_interval(events, of):
    found, told = wilson(events, of), stats.binomtest(events, of).proportion_ci(method="wilson")
    assert found.value == events / of
    assert (found.low, found.high) == (pytest.approx(told.low, abs=1e-12), pytest.approx(told.high, abs=1e-12))


@pytest.mark.parametrize(("effective", "most"), [(2, 1.0), (3, 1.0), (30, 0.1), (600, 0.005)])
def test_where_none_was_seen_three_of_them_could_have_been(effective, most):
    assert none_seen(effective) == pytest.approx(most)


def test_sessions_alike_have_the_degrees_of_freedom_of_their_number_and_one_alone_has_one():
    assert spread_of(np.array([1.0, -1.0, 1.0, -1.0]), 4) == (pytest.approx(3.0), 3.0)
    assert spread_of(np.array([2.0, 0.0, 0.0, 0.0]), 4) == (pytest.approx(3.0), pytest.approx(1.0))
    assert spread_of(np.zeros(5), 5) == (0.0, 4.0)


def test_the_interval_of_a_share_is_that_of_its_logit():
    c, n = sessions(np.random.default_rng(1), 40)
    found = share(c, n)
    p = c.sum() / n.sum()
    z = np.array([(ci - p * ni) / (n.sum() - ni) for ci, ni in zip(c, n, strict=True)])
    variance = 39 / 40 * (z**2).sum()
    df = min(39, (z**2).sum() ** 2 / (z**4).sum())
    half = stats.t.ppf(0.975, df) * math.sqrt(variance) / (p * (1 - p))
    assert (found.p, found.variance, found.df) == (p, pytest.approx(variance), pytest.approx(df))
    assert logit(found.high) - logit(p) == pytest.approx(half)
    assert logit(p) - logit(found.low) == pytest.approx(half)
    assert found.effective == pytest.approx(n.sum() ** 2 / (n**2).sum())
    assert found.se == pytest.approx(math.sqrt(variance) / (p * (1 - p)))


def test_it_is_never_surer_than_frames_drawn_one_by_one():
    found = share([100.0] * 20, [1000.0] * 20)
    assert found.variance == pytest.approx(0.1 * 0.9 / 20_000)


def test_groups_are_left_out_one_after_the_other():
    c, n = sessions(np.random.default_rng(2), 12)
    found = share_of_groups(c, n)
    p, total, events = c.sum() / n.sum(), n.sum(), c.sum()
    left = np.array([logit((events - ci + 0.5) / (total - ni + 1)) for ci, ni in zip(c, n, strict=True)])
    variance = 11 / 12 * ((left - left.mean()) ** 2).sum()
    assert found.p == p
    assert found.se == pytest.approx(math.sqrt(variance))
    assert logit(found.high) - logit(p) == pytest.approx(stats.t.ppf(0.975, found.df) * math.sqrt(variance))
    assert share_of_groups([*c, 0], [*n, 0]) == found  # a group that nobody is in says nothing


@pytest.mark.parametrize("late", [0.0, 100.0])
def test_where_none_or_all_were_late_there_is_no_interval(late):
    for found in (share([late] * 9, [100.0] * 9), share_of_groups([late] * 9, [100.0] * 9)):
        assert (found.p, found.low, found.high) == (late / 100, None, None)
        assert found.se == math.inf
    assert share_of_sums(9 * late, 900.0, 90_000.0, late * 900, 9 * late**2, 9).low is None


def test_the_same_from_sums_where_sessions_are_alike_in_size():
    rng = np.random.default_rng(3)
    c, n = rng.binomial(5000, 0.04 * np.exp(rng.normal(0, 0.4, 200))), np.full(200, 5000)
    whole = share(c, n)
    summed = share_of_sums(c.sum(), n.sum(), (n**2).sum(), (c * n).sum(), (c**2).sum(), 200)
    assert summed.p == whole.p
    assert summed.variance == pytest.approx(whole.variance, rel=0.02)
    assert summed.effective == pytest.approx(whole.effective)


@pytest.mark.parametrize(
    "make",
    [
        lambda: share([1.0], [10.0]),
        lambda: share([1.0, 2.0], [10.0]),
        lambda: share([1.0, 11.0], [10.0, 10.0]),
        lambda: share([-1.0, 1.0], [10.0, 10.0]),
        lambda: share([0.0, 1.0], [0.0, 10.0]),
        lambda: share([math.nan, 1.0], [10.0, 10.0]),
        lambda: share_of_groups([1.0] * (LEAST_GROUPS - 1), [10.0] * (LEAST_GROUPS - 1)),
        lambda: share_of_sums(1, 10, 100, 10, 1, 1),
        lambda: share_of_sums(11, 10, 100, 10, 1, 5),
        lambda: share_of_sums(-1, 10, 100, 10, 1, 5),
        lambda: share_of_sums(0, 0, 100, 10, 1, 5),
        lambda: share_of_sums(1, 10, 0, 10, 1, 5),
        lambda: percentile([[0] * 162], 0.5),
        lambda: percentile([[0] * 161] * 3, 0.5),
        lambda: percentile([[1] * 162] * 3, 1.0),
        lambda: percentile([[1] * 162] * 3, 0.0),
    ],
)
def test_counts_that_are_none_are_refused(make):
    with pytest.raises(InvalidComparison):
        make()


def test_an_interval_holds_the_share_in_about_95_of_100_fleets():
    rng = np.random.default_rng(7)
    # The share that frames of the whole fleet have, by the logit's own spread.
    spread = logit(0.03) + 0.6 * rng.normal(size=400_000)
    true = float((1 / (1 + np.exp(-spread))).mean())
    held = 0
    for _ in range(400):
        found = share(*sessions(rng, 60))
        held += found.low <= true <= found.high
    assert 0.95 - 4 * math.sqrt(0.95 * 0.05 / 400) <= held / 400


# -- like with like


def side(late, frames, count=40):
    return [late] * count, [frames] * count


def test_a_class_that_did_not_change_is_alike_and_a_fleet_that_moved_is_said_to_have():
    before = {"handheld": side(60, 1000), "desktop": side(5, 1000)}
    after = {"handheld": side(60, 1000, 160), "desktop": side(5, 1000, 20)}
    found = compared(before, after)
    assert found.crude.call() == "higher"  # only since more of them are handhelds
    assert found.alike.d == pytest.approx(0.0, abs=1e-12)
    assert found.call() == "alike"
    assert found.mix_shift == pytest.approx(0.5 * (abs(160 / 180 - 0.5) + abs(20 / 180 - 0.5)))
    assert found.findings == ("mix-moved",)


@pytest.mark.parametrize(("late", "call"), [(90, "higher"), (30, "lower"), (60, "alike")])
def test_what_changed_is_called_by_its_way(late, call):
    found = compared({"handheld": side(60, 1000)}, {"handheld": side(late, 1000)})
    assert found.call() == found.crude.call() == call
    assert found.alike.d == pytest.approx((late - 60) / 1000)
    se = math.sqrt((0.06 * 0.94 + late / 1000 * (1 - late / 1000)) / 40_000)
    assert found.alike.se == pytest.approx(se)
    assert found.alike.high - found.alike.d == pytest.approx(stats.t.ppf(0.975, found.alike.df) * se)
    assert found.alike.p == pytest.approx(2 * stats.t.sf(abs(found.alike.d) / se, found.alike.df))


def test_too_few_to_say_are_unclear_and_half_the_level_is_the_least_margin():
    rng = np.random.default_rng(5)
    wide = compared({"h": sessions(rng, 20, 0.02, 1.5)}, {"h": sessions(rng, 20, 0.02, 1.5)})
    reach = abs(wide.alike.d) + stats.t.ppf(0.95, wide.alike.df) * wide.alike.se
    assert wide.alike.p > 0.05
    assert reach > max(MARGIN, 0.5 * wide.alike.before)
    assert wide.call() == "unclear"


@pytest.mark.parametrize(("late", "p", "call"), [(0, 1.0, "alike"), (1000, 0.0, "higher")])
def test_where_nothing_spreads_the_difference_is_what_it_is(late, p, call):
    found = compared({"h": side(0, 1000)}, {"h": side(late, 1000)})
    assert (found.crude.p, found.crude.low, found.crude.high) == (p, late / 1000, late / 1000)
    assert found.crude.call() == call


def test_a_class_needs_sessions_on_both_sides_and_what_is_left_must_be_most():
    before = {"handheld": side(60, 1000, 40), "desktop": side(5, 1000, 25)}
    after = {"handheld": side(60, 1000, 40), "desktop": side(5, 1000, 19)}
    found = compared(before, after)
    assert found.covered == pytest.approx(80 / 124)
    assert found.covered < LEAST_COVERED
    assert found.findings == ("mix-uncovered",)
    assert found.call() == ""
    assert found.alike is not None
    assert compared(before, after, of={"handheld", "desktop"}).covered == 1.0
    assert compared(before, after, of=set()).alike is None
    assert compared({"a": side(1, 100)}, {"b": side(1, 100)}).covered == 0.0


def test_classes_weigh_as_many_frames_as_both_sides_have():
    before = {"handheld": side(60, 1000, 30), "desktop": side(10, 1000, 60)}
    after = {"handheld": side(80, 1000, 50), "desktop": side(10, 1000, 20)}
    found = compared(before, after)
    assert found.alike.before == pytest.approx((80 * 0.06 + 80 * 0.01) / 160)
    assert found.alike.after == pytest.approx((80 * 0.08 + 80 * 0.01) / 160)
    with pytest.raises(InvalidComparison):
        compared({}, after)
