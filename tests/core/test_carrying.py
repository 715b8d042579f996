"""From one rig to another: yardsticks together, and a capacity carried over."""

import math

import numpy as np
import pytest
from scipy.stats import ttest_ind

from core.test_ramp import BUDGET, LAWS, drawn
from vigilant.core.carrying import RECENT, Factor, Yardstick, capacity_elsewhere, factor_of, rig_drift, timed
from vigilant.core.errors import InvalidComparison


def test_the_factor_holds_what_each_yardstick_allows():
    one = factor_of([Yardstick("load", math.log(1.5), 0.02)])
    assert (one.ratio, one.apart, one.by) == (pytest.approx(1.5), False, ("load",))
    assert one.log_error == pytest.approx(0.02 / 1.96)
    both = factor_of([Yardstick("load", math.log(1.5), 0.02), Yardstick("scenario", math.log(1.8), 0.03)])
    assert both.low == pytest.approx(1.5 * math.exp(-0.02))
    assert both.high == pytest.approx(1.8 * math.exp(0.03))
    assert both.ratio == pytest.approx(math.sqrt(1.5 * 1.8))
    assert both.apart
    assert math.exp(1.96 * both.log_error) * both.ratio >= both.high
    with pytest.raises(InvalidComparison, match="no work is known"):
        factor_of([])


def test_a_yardstick_of_runs_holds_the_ratio():
    rng = np.random.default_rng(701)
    held = 0
    for _ in range(100):
        here, there = (level * np.exp(0.01 * rng.standard_normal(4)) for level in (10.0, 17.0))
        found = timed("scenario", here, there)
        held += abs(found.ln - math.log(1.7)) <= found.half
    assert held > 88
    assert timed("scenario", [10.0], [17.0, 17.1]) is None


def test_a_capacity_elsewhere_is_that_of_a_smaller_budget_and_wider():
    found = drawn(np.random.default_rng(702), LAWS["linear"][0])
    elsewhere = capacity_elsewhere(found, BUDGET, Factor(1.5, 1.4, 1.6, False, ("load",)))
    true = (BUDGET / 1.5 - 2.0) / 0.0125
    assert elsewhere.value == pytest.approx(true, rel=0.03)
    assert elsewhere.low < (BUDGET / 1.6 - 2.0) / 0.0125 < true < (BUDGET / 1.4 - 2.0) / 0.0125 < elsewhere.high
    faster = capacity_elsewhere(found, BUDGET, Factor(0.5, 0.49, 0.51, False, ("load",)))
    assert (faster.value, faster.high) == (None, None)  # at least
    assert faster.low >= 1790
    slower = capacity_elsewhere(found, BUDGET, Factor(20.0, 19.0, 21.0, False, ("load",)))
    assert (slower.value, slower.low) == (None, None)


def timings(rng, count, sd, change=1.0):
    """Timings of one work, the newest three of them ``change`` times as long."""
    ms = 4.0 * np.exp(rng.normal(0.0, sd, count))
    ms[-RECENT:] *= change
    return list(ms)


def test_a_rig_that_slowed_down_is_held_against_all_its_timings_before():
    earlier, now = [4.0, 4.02, 3.98, 4.01, 3.99], [4.4, 4.42, 4.38]
    found = rig_drift([*earlier, *now])
    a, b = np.log(earlier), np.log(now)
    test = ttest_ind(b, a).confidence_interval(0.99)  # one variance, above the floor here
    assert (found.state, found.recent, found.earlier) == ("slower", 3, 5)
    assert (math.log(found.low), math.log(found.high)) == pytest.approx((test.low, test.high), abs=1e-9)
    assert rig_drift([*now, *now, *earlier[:3]]).state == "faster"
    assert rig_drift([*earlier, 4.0, 4.01]) is None
    # Timings that agree to the last digit are no proof of a thousandth.
    assert rig_drift([4.0] * 10 + [4.001] * 3).state == "steady"


@pytest.mark.parametrize(("sd", "change", "state", "least"), [
    (0.01, 1.0, "steady", 0.90), (0.01, 1.10, "slower", 0.98), (0.01, 1 / 1.10, "faster", 0.98), (0.05, 1.02, "not told", 0.90),
])  # fmt: skip
def test_a_rig_is_said_to_be_what_it_is(sd, change, state, least):
    rng = np.random.default_rng(7)
    said = [rig_drift(timings(rng, 15, sd, change)).state for _ in range(400)]
    assert said.count(state) >= least * 400
    if change == 1.0:  # 1 % two-sided, and 2 % off at least: fewer
        assert said.count("slower") + said.count("faster") <= 4
