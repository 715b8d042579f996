"""Laps: warm-up, the line over sizes, two versions, whether the work was done, and whether it matters in the frame."""

import math

import numpy as np
import pytest

from core.test_cells import VARY
from vigilant.core.errors import InvalidComparison
from vigilant.core.vary.laps import Process, in_frame, laps, robust_line, warm_up

CASE = VARY["laps"]


def process(sizes, seconds, repeats=1.0, checksum=()):
    return Process(
        np.asarray(sizes, float), np.full(len(sizes), float(repeats)), np.asarray(seconds, float), tuple(checksum)
    )


@pytest.fixture(scope="module")
def worked():
    return laps(
        *([process(CASE["sizes"], own) for own in CASE[arm]] for arm in ("before_s_per_call", "after_s_per_call"))
    )


def test_the_worked_laps(worked):
    told = CASE["expect"]
    assert worked.before.lines.tolist() == [pytest.approx(row, rel=1e-7) for row in told["lines"]]
    fixed, per_item = worked.levels[0]
    assert (fixed.value, fixed.low, fixed.high) == pytest.approx(tuple(told["fixed"]), rel=1e-7)
    assert (per_item.value, per_item.low, per_item.high) == pytest.approx(tuple(told["per_item"]), rel=1e-7)
    for one, row, shown in zip(worked.sizes, told["per_size"], told["shown"], strict=True):
        change = one.change
        assert (change.value, change.low, change.high, change.p_value, change.se, change.df) == pytest.approx(
            tuple(row.values()), rel=1e-6
        )
        assert one.shown == shown
    done, of = worked.work[0], told["eliminated"]
    assert (done.elasticity.value, done.elasticity.low, done.elasticity.high) == pytest.approx(
        (of["elasticity"], of["low"], of["high"]), rel=1e-7
    )
    assert (done.flat, done.too_fast, worked.checked) == (False, False, "not checked")


def test_the_worked_saving_in_the_frame(worked):
    found = in_frame(worked, 1000, np.array([40.0, 41.0, 42.0]), 1000 / 60, 0.01)
    told = CASE["expect"]["in_frame"]
    assert (found.ms.value, found.ms.low, found.ms.high, found.share, found.ms.df) == pytest.approx(
        (told["ms"], told["low"], told["high"], told["share"], told["df"]), rel=1e-6
    )
    assert found.matters == "matters"
    assert in_frame(worked, 1000, np.array([40.0, 41.0, 42.0]), 1000 / 60, 0.5).matters == "does not matter"
    assert in_frame(worked, 1000, np.array([40.0, 41.0, 42.0]), 1000 / 60, 0.05).matters == "cannot be told"
    stated = in_frame(worked, 1000, 41.0, 1000 / 60, 0.01)
    assert stated.ms.value == pytest.approx(found.ms.value)
    assert stated.ms.se < found.ms.se  # a number that is stated has no spread
    assert stated.ms.df == stated.call_ms.df
    assert (
        in_frame(worked, 1000, np.array([41.0]), 1000 / 60, 0.01).ms.low is None
    )  # one run's mean has one that is not known
    between = in_frame(worked, 500, np.array([40.0, 41.0, 42.0]), 1000 / 60, 0.01).ms.value
    assert -0.0546666 < between < 0
    for beyond in (50, 5000):
        with pytest.raises(InvalidComparison, match="nothing is said beyond"):
            in_frame(worked, beyond, np.array([40.0]), 1000 / 60, 0.1)


def test_the_worked_warm_up():
    case = CASE["warm"] if "warm" in CASE else VARY["warm"]
    assert warm_up(np.array(case["ln"])) == case["cut"]


@pytest.mark.parametrize(("ln", "cut"), [
    (np.zeros(20), 0), ([0.5, 0.5, *[0.0] * 5], 0),  # too few to tell
    ([0.5, *[0.0] * 19], 0),  # one spike is no warm-up
    ([*[0.5] * 6, *[0.0] * 14], 6), ([*[0.5] * 9, *[0.0] * 11], None),
])  # fmt: skip
def test_warm_up_is_leading_and_bounded(ln, cut):
    assert warm_up(np.asarray(ln, float)) == cut


SIZES = (100, 200, 500, 1000, 3000)


def drawn(rng, fixed, per_item, processes=5, samples=15, spread=0.01, step=0.0, repeats=100):
    found = []
    for _ in range(processes):
        own = math.exp(spread * rng.standard_normal())
        items = np.repeat(SIZES, samples).astype(float)
        seconds = repeats * (fixed + per_item * items) * own * np.exp(0.02 * rng.standard_normal(items.size))
        if step:
            seconds = np.floor(seconds / step) * step
        found.append(Process(items, np.full(items.size, float(repeats)), seconds))
    return found


def test_fixed_and_per_item_are_held_and_no_difference_is_seldom_shown():
    rng = np.random.default_rng(601)
    fixed = per_item = false = 0
    for _ in range(80):
        found = laps(drawn(rng, 2e-6, 1e-8), drawn(rng, 2e-6, 0.9e-8))
        (a, b), _ = found.levels
        fixed += a.low <= 2e-6 <= a.high
        per_item += b.low <= 1e-8 <= b.high
        assert found.sizes[-1].shown
        same = laps(drawn(rng, 2e-6, 1e-8), drawn(rng, 2e-6, 1e-8))
        false += any(one.shown for one in same.sizes)
    assert min(fixed, per_item) / 80 > 0.87
    assert false / 80 < 0.12


def test_samples_of_one_process_are_shown_and_not_tested():
    rng = np.random.default_rng(602)
    found = laps(drawn(rng, 2e-6, 1e-8, processes=1), drawn(rng, 2e-6, 0.5e-8, processes=1))
    assert [one.shown for one in found.sizes] == [False] * 5
    assert found.sizes[-1].change.low is None
    assert found.levels[0][0].low is None


def test_both_versions_lose_the_longer_warm_up():
    slow = [*[9e-6] * 4, *[3e-6] * 16]
    steady = [3e-6] * 20
    found = laps([process([100] * 20, slow)] * 3, [process([100] * 20, steady)] * 3)
    assert found.before.cut == found.after.cut == (4,)
    assert found.sizes[0].before_s == pytest.approx(3e-6)
    never = laps([process([100] * 20, [*[9e-6] * 9, *[3e-6] * 11])] * 2, [process([100] * 20, steady)] * 2)
    assert never.before.never_settled == (100.0,)
    assert never.before.cut == (0,)


@pytest.mark.parametrize(("per_item", "flat"), [(0.0, True), (1e-11, True), (1e-8, False)])
def test_a_time_that_does_not_follow_the_items(per_item, flat):
    rng = np.random.default_rng(603)
    found = laps(drawn(rng, 2e-6, per_item), drawn(rng, 2e-6, per_item))
    assert [w.flat for w in found.work] == [flat, flat]


def test_an_item_that_takes_less_than_anything_does():
    made = [process(SIZES, [n * 1e-11 for n in SIZES])] * 3
    assert laps(made, made).work[0].too_fast


def test_results_that_differ_void_the_comparison():
    def told(text, sums=None):
        return [process(SIZES, [n * 1e-8 for n in SIZES], checksum=sums or [f"{text}{n}" for n in SIZES])] * 2

    assert laps(told("a"), told("a")).checked == "same"
    differs = laps(told("a"), told("b"))
    assert (differs.checked, differs.void) == ("differs", True)
    assert laps(told("a"), told("a", ["", "1", "2", "3", "4"])).checked == "not checked"


def test_a_coarse_clock_says_how_many_repeats_would_do():
    rng = np.random.default_rng(604)
    fine = laps(drawn(rng, 2e-6, 1e-8, step=1e-6), drawn(rng, 2e-6, 1e-8, step=1e-6))
    assert not fine.before.coarse  # a hundred steps a sample
    coarse = laps(drawn(rng, 2e-6, 1e-8, step=1e-5, repeats=10), drawn(rng, 2e-6, 1e-8, step=1e-5, repeats=10))
    assert set(coarse.before.coarse) == set(map(float, SIZES))
    assert coarse.before.coarse[100.0] > 300
    assert coarse.sizes[-1].change.low is not None
    below = laps(drawn(rng, 2e-6, 1e-8, step=1e-3, repeats=10), drawn(rng, 2e-6, 1e-8, step=1e-3, repeats=10))
    assert below.sizes[0].before_s is None  # under two steps there is no number, and no zero
    assert below.sizes[0].change is None


def test_one_size_that_is_off_does_not_bend_the_line_and_a_bent_one_is_said():
    x = np.array(SIZES, float)
    t = 2e-6 + 1e-8 * x
    t[2] *= 1.5
    a, b = robust_line(x, t)
    assert (a, b) == (pytest.approx(2e-6, rel=0.1), pytest.approx(1e-8, rel=0.05))
    bent = [process(SIZES, [n * 1e-8 + (3e-5 if n > 500 else 0) for n in SIZES])] * 2
    assert laps(bent, bent).before.residual > 0.1


@pytest.mark.parametrize(("before", "said"), [
    ([], "both versions"), ([process([100], [1e-6])], "same sizes"), ([process([0] * 5, [1e-6] * 5)], "more than 0"),
    ([process(SIZES, [math.nan] * 5)], "more than 0"), ([process(SIZES, [1e-6] * 5, repeats=0.5)], "once or more"),
    ([process(SIZES, [1e300] * 5)], "at most 1e"), ([process(SIZES, [1e-6] * 5, checksum=["a"])], "one a lap"), ([process([], [])], "one lap or more"),
])  # fmt: skip
def test_what_are_no_laps_is_refused(before, said):
    with pytest.raises(InvalidComparison, match=said):
        laps(before, [process(SIZES, [1e-6] * 5)])
