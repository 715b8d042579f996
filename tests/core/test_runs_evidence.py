"""What was left out of the figures, and how the runs lay in their session."""

import numpy as np
import pytest
from scipy import stats

from core.generators import PAIRS, arm
from vigilant.core import FrameSeries, Mark, Policy, compare
from vigilant.core.design import plan_design
from vigilant.core.evidence import blocks, drift, left_out
from vigilant.core.summary import RunFrames


def with_loading(series, loading_ms, frames=50):
    """A loading leg before the course."""
    x = np.concatenate((np.full(frames, loading_ms), series.frame_ms))
    return FrameSeries(x, marks=[Mark(0, "loading", False), Mark(frames, "river")])


def views(runs, policy):
    return [RunFrames(s, policy) for s in runs]


def loaded(seed, ms, spread=0.01, k=5):
    rng = np.random.default_rng(seed)
    return [with_loading(s, ms * np.exp(rng.normal(0, spread))) for s in arm(rng, k)]


def test_a_loading_leg_is_compared_by_itself_and_moves_no_verdict():
    policy = Policy(target_fps=60)
    before, after = loaded(1, 40.0), loaded(2, 60.0)
    (row,) = left_out(views(before, policy), views(after, policy), policy, None)
    assert (row.name, row.runs, list(row.figures)) == ("loading", (5, 5), ["mean_ms", "total_ms", "worst_ms"])
    total = row.figures["total_ms"]
    means = [[v.frame_ms[:50].sum() for v in runs] for runs in (before, after)]
    told = stats.ttest_ind(np.log(means[1]), np.log(means[0]), equal_var=False)
    assert total.p_value == pytest.approx(told.pvalue)
    assert total.raw_before == pytest.approx(np.mean(means[0]))
    assert (total.call, total.difference > 0) == ("worse", True)
    assert compare(before, after, policy).verdict != "regression"


@pytest.mark.parametrize("order", [None, PAIRS])
def test_the_same_loading_is_seldom_called_different(order):
    policy = Policy()
    called = 0
    for seed in range(120):
        rows = left_out(views(loaded(2 * seed, 40.0), policy), views(loaded(2 * seed + 1, 40.0), policy), policy, order)
        called += rows[0].figures["total_ms"].call.startswith(("better", "worse"))
    assert called <= 14  # 5 % of 120, and four standard errors


def test_the_warm_up_is_a_row_and_a_stretch_of_one_arm_is_said_to_be():
    policy = Policy(trim_s=1.0)
    rng = np.random.default_rng(3)
    plain = arm(rng, 3)
    rows = {r.name: r for r in left_out(views(plain, policy), views(loaded(4, 50.0, k=3), policy), policy, None)}
    assert rows["loading"].runs == (0, 3)
    assert rows["loading"].figures == {}
    assert rows[""].runs == (3, 0)  # the loading leg took all of the other arm's warm-up
    both = left_out(views(plain, policy), views(arm(rng, 3), policy), policy, None)
    assert [r.name for r in both] == [""]
    assert both[0].figures["total_ms"].before == pytest.approx(1000.0, abs=40.0)


def test_nothing_left_out_is_no_row():
    rng = np.random.default_rng(5)
    assert left_out(views(arm(rng, 2), Policy()), views(arm(rng, 2), Policy()), Policy(), None) == ()


def test_a_run_without_the_stretch_leaves_its_slot_empty():
    policy = Policy()
    before, after = loaded(1, 40.0), loaded(2, 40.0)
    before[2] = FrameSeries(before[2].frame_ms[50:])
    (row,) = left_out(views(before, policy), views(after, policy), policy, PAIRS)
    assert (row.runs, row.figures["mean_ms"].p_value is not None) == ((4, 5), True)


def test_drift_is_the_growth_from_first_slot_to_last_within_arms():
    order = PAIRS
    slots = [i for a in ("before", "after") for i, o in enumerate(order) if o == a]
    place = np.array(slots) / (len(order) - 1)
    mean_ms = 12.0 * 1.05**place * np.where(np.arange(10) < 5, 1.0, 0.8)
    found = drift(mean_ms, plan_design(5, 5, order))
    assert (found.share, found.low < 0.05 < found.high) == (pytest.approx(0.05), True)
    assert drift(mean_ms, plan_design(5, 5, None)) is None
    assert drift(mean_ms, plan_design(5, 5, order, [0] * 4 + [1] * 6)) is None


def test_the_interval_of_the_drift_covers_what_it_says():
    rng = np.random.default_rng(8)
    design = plan_design(5, 5, PAIRS)
    slots = np.array([i for a in ("before", "after") for i, o in enumerate(PAIRS) if o == a]) / 9
    held = 0
    for _ in range(400):
        found = drift(12.0 * 1.03**slots * np.exp(rng.normal(0, 0.01, 10)), design)
        held += found.low <= 0.03 <= found.high
    assert 0.95 - 3.5 * 0.011 <= held / 400 <= 1.0


def test_blocks_hold_each_arm_equally_often():
    #          slots: 0         1        2     3         4         5        6        7
    order = ["before", "after", None, "after", "before", "before", "after", "before"]
    before, after = [10.0, 12.0, 12.0, 99.0], [9.0, 15.0, 6.0]
    found = blocks(np.array([*before, *after]), order, 4)
    assert [(b.first, b.last, b.runs, round(b.share, 6)) for b in found] == [
        (0, 1, 2, -0.1), (3, 4, 2, 0.25), (5, 6, 2, -0.5),
    ]  # fmt: skip
    (whole,) = blocks(np.array([10.0, 10.0, 20.0, 5.0]), ["before", "before", "after", "after"], 2)
    assert (whole.first, whole.last, whole.runs, whole.share) == (0, 3, 4, pytest.approx(0.0))
