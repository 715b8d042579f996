"""Two arms: designs against SciPy, properties, traps, and a small calibration by simulation."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from core.generators import PAIRS, POLICY, arm, ordinary
from vigilant.core import FrameSeries, InvalidComparison, Policy, compare
from vigilant.core.design import fit_design, plan_design

NO_FLOOR = np.zeros((2, 1))


def test_position_model_takes_out_heat():
    order = PAIRS
    heat = {i: 0.3 * i + 0.05 * i * i for i in range(len(order))}
    slots = [i for a in ("before", "after") for i, o in enumerate(order) if o == a]
    y = np.array([heat[i] + (0.7 if order[i] == "after" else 0.0) for i in slots])[:, None]
    fit = fit_design(plan_design(5, 5, order), y, NO_FLOOR + 1e-12)
    assert math.isclose(fit.d[0], 0.7, rel_tol=1e-9)
    assert fit.df[0] == 6


def test_two_sessions_have_levels_of_their_own():
    order = ["before", "after", "after", "before", "after", "before", "before", "after"]
    sessions = [1, 1, 1, 1, 2, 2, 2, 2]
    slots = [i for a in ("before", "after") for i, o in enumerate(order) if o == a]
    y = np.array([5.0 * sessions[i] + (0.2 if order[i] == "after" else 0.0) for i in slots])[:, None]
    fit = fit_design(plan_design(4, 4, order, sessions), y, NO_FLOOR + 1e-12)
    assert math.isclose(fit.d[0], 0.2, rel_tol=1e-9)


@settings(deadline=None, max_examples=15)
@given(st.integers(0, 10**6))
def test_swapping_the_arms_swaps_the_answer(seed):
    rng = np.random.default_rng(seed)
    one, two = arm(rng, 5, frames=200), arm(rng, 5, frames=200, level_ms=11.5)
    there = compare(one, two, POLICY, PAIRS)
    back = compare(two, one, POLICY, [{"before": "after", "after": "before"}[o] for o in PAIRS])
    for name in ("mean_ms", "p50_ms", "slowest_1pct_ms"):
        assert math.isclose(there.figures[name].d, -back.figures[name].d, rel_tol=1e-9, abs_tol=1e-12)
        assert math.isclose(there.figures[name].p_value, back.figures[name].p_value, rel_tol=1e-6)


@settings(deadline=None, max_examples=15)
@given(st.integers(0, 10**6))
def test_interval_sign_and_p_always_agree(seed):
    rng = np.random.default_rng(seed)
    got = compare(arm(rng, 5, frames=150), arm(rng, 5, frames=150, level_ms=11.8), POLICY, PAIRS)
    for r in got.figures.values():
        if r.p_value is None or r.ci_low is None:
            continue
        assert r.ci_low <= r.difference <= r.ci_high or math.isclose(r.ci_low, r.ci_high, abs_tol=1e-12)
        if r.unit in ("ms", "fps"):
            assert (r.p_value < 0.05) == (r.ci_low > 0 or r.ci_high < 0)


def with_conditions(runs, **conditions):
    return [FrameSeries(r.frame_ms, conditions=conditions) for r in runs]


def scaled(runs, factor):
    return [FrameSeries(r.frame_ms * factor) for r in runs]


def test_equal_long_arms_are_no_material_change():
    rng = np.random.default_rng(3)
    kwargs = {"frames": 6000, "run_spread": 0.004, "pauses_per_1000": 0.0}
    order = (PAIRS * 2)[:16]
    k = (order.count("before"), order.count("after"))
    got = compare(arm(rng, k[0], **kwargs), arm(rng, k[1], **kwargs), POLICY, order)
    assert got.verdict == "no material change"
    assert got.figures["stutters_per_min"].call == "none seen"


def test_a_condition_on_one_side_only_warns_and_the_change_may_differ():
    rng = np.random.default_rng(4)
    before, after = with_conditions(arm(rng, 5), grid="fine"), with_conditions(arm(rng, 5), grid="wide", fan="on")
    got = compare(before, after, Policy(target_fps=60, change=("grid",)), PAIRS)
    assert [(f.code, f.severity) for f in got.findings] == [("condition-one-side", "warn")]


@pytest.mark.parametrize(
    ("order", "message"),
    [(["before"] * 3, "names 3 before and 0 after"), ([*PAIRS[:9], "control"], "got 'control'")],
)
def test_an_order_that_does_not_fit_raises(order, message):
    rng = np.random.default_rng(1)
    with pytest.raises(InvalidComparison, match=message):
        compare(arm(rng, 5, frames=50), arm(rng, 5, frames=50), POLICY, order)


def test_pauses_under_slower_work_are_not_called_changed():
    """Both arms get the same allowance: the same pauses over work 50 % dearer are the same stutters."""
    rng = np.random.default_rng(8)
    before = [ordinary(rng, 3000, pauses_per_1000=4, pause_ms=40) for _ in range(5)]
    after = [x + 6.0 for x in (ordinary(rng, 3000, pauses_per_1000=4, pause_ms=40) for _ in range(5))]
    got = compare([FrameSeries(x) for x in before], [FrameSeries(x) for x in after], POLICY, PAIRS)
    assert got.figures["stutters_per_min"].call in ("unclear", "equivalent")
