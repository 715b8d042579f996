"""From one rig to another: yardsticks together, and a capacity carried over."""

import math

import numpy as np
import pytest

from core.test_ramp import BUDGET, LAWS, drawn
from vigilant.core.carrying import Factor, Yardstick, capacity_elsewhere, factor_of, timed
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
