"""The spread: the stretched axis, curves of arms in which every run counts alike, where the change is, shares over the budget."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from core.generators import ordinary
from vigilant.core import FrameSeries, Policy
from vigilant.core.arms import Arms
from vigilant.core.band import quantile_band
from vigilant.core.design import plan_design
from vigilant.core.evidence import curve, over_budget, share_axis, spread_found
from vigilant.core.summary import RunFrames

POLICY = Policy(target_fps=60, primaries=("mean_ms",))


def view(x, policy=POLICY):
    return RunFrames(FrameSeries(np.asarray(x, float)), policy)


@pytest.mark.parametrize(
    ("share", "least", "at"),
    [
        (0.0, 1e-4, 0.0),
        (0.3, 1e-4, 0.3),
        (0.5, 1e-4, 0.5),
        (0.99, 1e-4, 0.5 + 0.5 * np.log(50) / np.log(5000)),
        (0.9999, 1e-4, 1.0),
        (1.0, 1e-4, 1.0),
        (0.95, 0.05, 1.0),  # with twenty frames nothing lies beyond
        (0.9999, 1e-9, 1.0),  # and none reaches further than a ten-thousandth
    ],
)
def test_a_share_lies_where_the_formula_says(share, least, at):
    assert float(share_axis(np.array(share), least)) == pytest.approx(at, abs=1e-12)


@given(st.floats(0, 1), st.floats(0, 1), st.floats(1e-4, 0.2))
def test_the_axis_rises(a, b, least):
    low, high = sorted((a, b))
    assert share_axis(np.array(low), least) <= share_axis(np.array(high), least) + 1e-12


def test_every_run_counts_alike_however_long_it_is():
    """A plain twin: every frame weighs 1 / (runs x frames of its run)."""
    rng = np.random.default_rng(2)
    runs = [rng.gamma(9, 1.5, n) for n in (50, 400, 90)]
    shares = np.array([0.01, 0.2, 0.5, 0.77, 0.9, 0.99, 1.0])
    values = np.concatenate(runs)
    weights = np.concatenate([np.full(r.size, 1 / (3 * r.size)) for r in runs])
    order = np.argsort(values)
    reached = np.cumsum(weights[order])
    twin = [values[order][np.searchsorted(reached, s - 1e-9)] for s in shares]
    assert curve([view(r) for r in runs], shares) == pytest.approx(twin, rel=1e-6)


def found(before, after):
    arms = Arms([view(x) for x in before], [view(x) for x in after], POLICY)
    band = quantile_band(arms)
    return spread_found(band.at, band.before_ms, band.d, band.low, band.high)


def runs(rng, n, change=lambda x: x):
    return [change(ordinary(rng, 2000, 14.0, 0.003)) for _ in range(n)]


@pytest.mark.parametrize(
    ("change", "where"),
    [
        (lambda x: x * 0.9, "all over"),
        (lambda x: np.where(x > np.quantile(x, 0.55), x * 0.9 + 0.1 * np.quantile(x, 0.55), x), "slow half"),
        (lambda x: np.where(x > np.quantile(x, 0.92), x * 1.4 - 0.4 * np.quantile(x, 0.92), x), "slowest tenth"),
        (lambda x: np.where(x < np.quantile(x, 0.3), x * 0.8 + 0.2 * np.quantile(x, 0.3), x), "quick half"),
    ],
)
def test_where_the_change_is(change, where):
    rng = np.random.default_rng(4)
    said = found(runs(rng, 8), runs(rng, 8, change))
    assert said.where == where
    assert said.quickest_moved == (where in ("all over", "quick half"))
    assert not said.both_ways


def test_better_here_and_worse_there_is_both_ways():
    rng = np.random.default_rng(4)

    def wider(x):
        middle = np.median(x)
        return middle + 1.6 * (x - middle)

    said = found(runs(rng, 8), runs(rng, 8, wider))
    assert said.both_ways
    assert said.ranges[0].most_ms < 0 < said.ranges[-1].most_ms
    assert said.ranges[-1].to_share >= 0.99


def test_three_runs_an_arm_leave_it_untold_and_no_change_is_nowhere():
    rng = np.random.default_rng(6)
    assert found(runs(rng, 3), runs(rng, 3)).where == "untold"
    assert [found(runs(rng, 6), runs(rng, 6)).where for _ in range(12)].count("nowhere") >= 10


@pytest.mark.parametrize("times", [1, 2])
def test_frames_over_the_budget_are_counted_beyond_it_and_compared(times):
    rng = np.random.default_rng(3)
    limit = times * 1000 / 60
    arms = []
    for share in (0.2, 0.05):
        arms.append([np.where(rng.random(3000) < share, limit + 1.0, 8.0) * rng.normal(1, 0.0005) for _ in range(6)])
    both = Arms([view(x) for x in arms[0]], [view(x) for x in arms[1]], POLICY)
    order = ["before", "after", "after", "before"] * 3
    figure = over_budget(both, plan_design(6, 6, order), times)
    assert figure.before == pytest.approx(0.2, abs=0.02)
    assert figure.after == pytest.approx(0.05, abs=0.02)
    assert (figure.call.startswith("better"), figure.ci_high < 0) == (True, True)
    edge = Arms([view([limit] * 50 + [8.0])] * 2, [view([limit] * 50 + [8.0])] * 2, POLICY)
    assert over_budget(edge, plan_design(2, 2, None), times).before == 0.0  # on the budget is not over it


def test_without_a_target_there_is_no_budget():
    arms = Arms([view([9.0, 10.0], Policy())] * 2, [view([9.0, 10.0], Policy())] * 2, Policy())
    assert over_budget(arms, plan_design(2, 2, None), 1) is None
