"""What more cores bring, and one change over many cells."""

import math

import numpy as np
import pytest

from core.test_cells import VARY
from vigilant.core.errors import InvalidComparison
from vigilant.core.vary.cells import fit_cells
from vigilant.core.vary.matrix import MatrixCell, matrix, pooled_by_rig
from vigilant.core.vary.scaling import bounds, not_held, scaling, schedules, work_added
from vigilant.wording.cores import schedule_words

CASE = VARY["cores"]


def told_by(cores, ms):
    settings = sorted(set(cores))
    own = [[m for c, m in zip(cores, ms, strict=True) if c == s] for s in settings]
    return settings, own, [[i for i, c in enumerate(cores) if c == s] for s in settings], len(cores)


def test_the_worked_cores():
    found = scaling("mean_ms", *told_by(CASE["cores_of_slot"], CASE["mean_ms"]))
    told = CASE["expect"]
    assert [(s.speed_up, s.low, s.high, s.above) for s in found.speed_ups[1:]] == [
        pytest.approx(tuple(row), rel=1e-7) for row in told["speedup"][1:]
    ]
    law, of = found.law, told["scaling"]
    assert (law.alone_ms, law.serial, law.serial_low, law.serial_high) == pytest.approx(
        (of["T"], of["serial"], of["low"], of["high"]), rel=1e-6
    )
    assert (law.overhead, law.overhead_low, law.overhead_high, law.lack_of_fit) == pytest.approx(
        (of["overhead"], of["overhead_low"], of["overhead_high"], of["lack_of_fit"]), rel=1e-6
    )
    assert law.fits
    assert (law.no_overhead_seen, law.limit) == (False, None)
    assert law.best_cores == pytest.approx(math.sqrt((1 - law.serial) / law.overhead))
    assert found.speed_ups[-1].efficiency == pytest.approx(found.speed_ups[-1].speed_up / 8)


def drawn(rng, law, cores=(1, 2, 4, 8), passes=5, spread=0.01):
    order = [int(p) for _ in range(passes) for p in rng.permutation(cores)]
    return told_by(order, [law(p) * math.exp(spread * rng.standard_normal()) for p in order])


def amdahl(s, o=0.0):
    return lambda p: 20.0 * (s + (1 - s) / p + o * (p - 1))


def test_the_serial_share_is_held_and_perfect_scaling_is_not_flagged():
    rng = np.random.default_rng(501)
    held = lack = above = 0
    for _ in range(120):
        law = scaling("mean_ms", *drawn(rng, amdahl(0.1, 0.005))).law
        held += law.serial_low <= 0.1 <= law.serial_high
        lack += law.lack_of_fit < 0.05
        above += any(s.above for s in scaling("mean_ms", *drawn(rng, amdahl(0.0))).speed_ups)
    assert held / 120 > 0.89
    assert lack / 120 < 0.12
    assert above / 120 < 0.1


def test_more_than_the_cores_account_for_is_flagged_and_no_law_fits_it():
    rng = np.random.default_rng(502)
    found = scaling("mean_ms", *drawn(rng, lambda p: 20.0 / p**1.3, spread=0.002))
    assert all(s.above for s in found.speed_ups[1:])
    assert not found.law.fits
    assert (found.law.limit, found.law.best_cores) == (None, None)


def test_a_limit_is_said_only_without_overhead():
    rng = np.random.default_rng(503)
    law = scaling("mean_ms", *drawn(rng, amdahl(0.2), passes=8)).law
    assert law.no_overhead_seen
    assert law.limit == pytest.approx(5.0, rel=0.1)


def test_three_numbers_of_cores_fit_any_law_so_that_none_is_said():
    rng = np.random.default_rng(504)
    assert scaling("mean_ms", *drawn(rng, amdahl(0.1), cores=(1, 2, 4))).law is None
    one_each = scaling("mean_ms", [1, 2, 4, 8], [[20.0], [11.0], [6.0], [4.0]], None, 0)
    assert (one_each.law, one_each.speed_ups[1].low) == (None, None)


@pytest.mark.parametrize(("cores", "ms", "said"), [
    ([2, 1], [[1.0], [1.0]], "ascend"), ([1], [[1.0]], "two at least"), ([0, 1], [[1.0], [1.0]], "ascend"),
    ([1, 2], [[1.0], []], "needs a run"), ([1, 2], [[1.0], [-1.0]], "above 0"),
])  # fmt: skip
def test_what_are_no_cores_is_refused(cores, ms, said):
    with pytest.raises(InvalidComparison, match=said):
        scaling("mean_ms", cores, ms, None, 0)


def test_bounds_of_any_schedule():
    least, most = CASE["expect"]["bounds_work20_chain3"]
    found = bounds([1, 2, 4, 8], 20.0, 3.0)
    assert [b.least_ms for b in found] == least
    assert [b.most_ms for b in found] == most
    assert found[2].said(7.5, 7.9) == "not the schedule"
    assert found[2].said(6.0, 6.4) == "room for scheduling"
    assert found[2].said(4.9, 5.1) == "as good as any"
    with pytest.raises(InvalidComparison, match="part of the work"):
        bounds([1], 2.0, 3.0)


def test_a_measured_time_is_held_against_any_schedule():
    """Work of 20 ms with a chain of 3: on 4 cores a good order takes 5, none that keeps cores busy over 7.25."""
    ms = [[20.0, 20.1, 19.9], [11.0, 11.1, 10.9], [7.9, 8.0, 7.95], [3.0, 3.02, 2.98]]
    found = schedules(scaling("mean_ms", [1, 2, 4, 8], ms, None, 0), 20.0, 3.0)
    assert [said for _, said in found] == [
        "as good as any",
        "room for scheduling",
        "not the schedule",
        "as good as any",
    ]
    assert schedule_words(*found[2]) == "slower than any order of the work makes it (5.00 to 7.25 ms)"
    few = schedules(scaling("mean_ms", [1, 2], [[20.0], [11.0]], None, 0), 20.0, 3.0)
    assert [said for _, said in few] == [None, None]
    assert schedule_words(*few[1]) == "10.00 to 11.50 ms"


def test_cores_that_were_not_held_and_work_that_was_added():
    assert not_held([1, 2], [10.4, 26.0], [10.0, 12.0]) == [2]
    core_ms = fit_cells(np.log([10.0, 10.1, 12.0, 12.1, 13.0, 13.1]), [0, 0, 1, 1, 2, 2], None, 0)
    added = work_added(core_ms)
    assert [round(math.expm1(one.value), 2) for one in added] == [0.2, 0.3]


def test_the_worked_matrix():
    case = VARY["matrix"]
    found = matrix([MatrixCell(*row) for row in zip(case["d"], case["se"], case["df"], strict=True)])
    told = case["expect"]
    assert [(c.low, c.high) for c in found.calls] == [pytest.approx(tuple(row), rel=1e-7) for row in told["plain"]]
    assert [c.p_value for c in found.calls] == pytest.approx(told["p"], rel=1e-7)
    assert [c.called for c in found.calls] == told["holm"]
    worst = told["worst"]
    assert (found.worst, found.worst_low, found.worst_high) == (
        worst["cell"], pytest.approx(worst["low"], rel=1e-7), pytest.approx(worst["high"], rel=1e-7))  # fmt: skip
    assert found.worst_anywhere == pytest.approx(tuple(worst["most"]), rel=1e-7)
    assert list(found.tied) == worst["tied"]
    assert (found.everywhere, found.spread) == (False, "somewhere")
    assert found.common[0] == pytest.approx(told["consistent_welch"]["mean"], rel=1e-7)
    assert found.consistent == pytest.approx(told["consistent_welch"]["p"], abs=0.01)


def test_the_worked_matrix_by_rig():
    case = VARY["matrix"]["by_rig"]
    d = VARY["matrix"]["d"]
    cells = [
        MatrixCell(x, math.sqrt(s2 * u), df) for x, s2, u, df in zip(d, case["s2"], case["u"], case["df"], strict=True)
    ]
    found = pooled_by_rig(cells, [str(r) for r in case["rig"]])
    assert [c.se for c in found] == pytest.approx(case["expect"]["se"], rel=1e-7)
    assert [c.df for c in found] == case["expect"]["df"]
    judged, told = matrix(found), case["expect"]["worst"]
    assert (judged.worst_low, judged.worst_high) == pytest.approx((told["low"], told["high"]), rel=1e-7)
    assert judged.worst_anywhere == pytest.approx(tuple(told["most"]), rel=1e-7)


def cells_of(rng, true, pairs=5, spread=0.01):
    found = []
    for d in true:
        diffs = d + spread * math.sqrt(2) * rng.standard_normal(pairs)
        found.append(MatrixCell(float(diffs.mean()), float(diffs.std(ddof=1)) / math.sqrt(pairs), pairs - 1.0))
    return found


@pytest.mark.parametrize(("true", "spread"), [
    ([-0.05] * 6, "everywhere"), ([-0.05] * 3 + [0.05] * 3, "here and there"), ([-0.06] * 5 + [0.0], "somewhere"),
])  # fmt: skip
def test_where_a_change_gains(true, spread):
    rng = np.random.default_rng(505)
    found = [matrix(cells_of(rng, true)).spread for _ in range(40)]
    assert found.count(spread) > 30


def test_equal_cells_keep_the_worst_and_the_consistency_honest():
    rng = np.random.default_rng(506)
    anywhere = sidak = inconsistent = false = 0
    for _ in range(150):
        found = matrix(cells_of(rng, [0.0] * 8))
        anywhere += found.worst_anywhere[0] <= 0 <= found.worst_anywhere[1]
        sidak += found.worst_low <= 0 <= found.worst_high
        inconsistent += found.consistent < 0.05
        false += any(c.called for c in found.calls)
    assert min(anywhere, sidak) / 150 > 0.91
    assert inconsistent / 150 < 0.11
    assert false / 150 < 0.11
    assert matrix(cells_of(rng, [-0.08] * 5 + [0.08])).consistent < 0.05


@pytest.mark.parametrize("cells", [[], [MatrixCell(0.1, 0.01, 4)], [MatrixCell(0.1, 0.0, 4), MatrixCell(0.1, 0.01, 4)]])
def test_what_is_no_matrix_is_refused(cells):
    with pytest.raises(InvalidComparison, match="two cells"):
        matrix(cells)
