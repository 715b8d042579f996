"""A ramp whose runs hold every load in a leg of their own: legs are read, and the run is the unit."""

from dataclasses import replace

import numpy as np
import pytest

from vigilant.core import FrameSeries, Mark, Policy
from vigilant.core.errors import InvalidComparison
from vigilant.core.vary import ramp_of_legs, run_legs
from vigilant.wording.in_one_run import notes, paper, sentence

LOADS = (0.0, 400.0, 800.0, 1600.0)
BUDGET = 1000 / 60
POLICY = Policy(target_fps=60)
ORDERS = [(400, 0, 1600, 800), (0, 800, 400, 1600), (1600, 400, 800, 0), (800, 1600, 0, 400), (0, 400, 1600, 800)]


def run(order, seed, frames=300, counter=True, lead_ms=0.0):
    """Legs of 2 + 0.0125 load ms, each with a slow beginning of 10 frames."""
    rng = np.random.default_rng(seed)
    own = 1.0 + 0.006 * rng.standard_normal()
    ms, boats, marks = [], [], []
    if lead_ms:
        ms, boats, marks = [np.array([lead_ms])], [np.zeros(1)], [Mark(0, "menu", False)]
    for load in order:
        marks.append(Mark(sum(x.size for x in ms), f"{load:g}", True))
        level = (2.0 + 0.0125 * load) * own
        leg = level * np.exp(0.05 * rng.standard_normal(frames))
        leg[:10] += 100.0
        ms.append(leg)
        boats.append(np.full(frames, load * 0.99))
    counters = {"boats": np.concatenate(boats)} if counter else {}
    return FrameSeries(np.concatenate(ms), counters=counters, marks=marks)


def legs(orders=ORDERS, discard_s=1.1, **more):
    return [run_legs(run(order, 70 + i, **more), LOADS, "boats", discard_s, POLICY) for i, order in enumerate(orders)]


def test_legs_are_read_without_their_beginning_and_where_they_stand():
    found = ramp_of_legs(legs(), "mean_ms", BUDGET)
    assert found.asked == LOADS
    assert found.loads == pytest.approx([0.99 * load for load in LOADS])
    assert found.values_ms.shape == (5, 4)
    assert found.level_ms == pytest.approx([2.0 + 0.0125 * load for load in LOADS], rel=0.02)
    assert found.capacity.low < 0.99 * 1173.3 < found.capacity.high
    assert sentence(found, "mean_ms", "boats").startswith("By the mean frame the budget carries 1,1")
    assert paper(found, BUDGET, "boats").startswith("16.67 ms budget, less 1.99 for nothing loaded")
    slow = ramp_of_legs(legs(discard_s=0.0), "mean_ms", BUDGET)
    assert (slow.level_ms > found.level_ms + 2.0).all()
    assert not ramp_of_legs(legs(counter=False), "mean_ms", BUDGET).seen


def test_one_order_in_every_run_has_no_interval():
    same = ramp_of_legs(legs([ORDERS[0]] * 4), "mean_ms", BUDGET)
    assert (same.confounded, same.capacity.low, same.capacity.high) == (True, None, None)
    assert same.capacity.value == pytest.approx(0.99 * 1173.3, rel=0.02)
    assert sentence(same, "mean_ms", "boats").endswith(", shown and not tested.")
    assert any("one order" in note for note in notes(same, 0))
    one = ramp_of_legs(legs(ORDERS[:1]), "mean_ms", BUDGET)
    assert (one.confounded, one.capacity.low) == (False, None)
    assert "One run has no interval. Record more." in notes(one, 2)


@pytest.mark.parametrize(("marks", "whole"), [
    (("0", "400", "800", "1600"), True), (("0", "400", "800"), False), (("0", "400", "800", "800"), False),
    (("0", "400", "800", "1600", "fireworks"), True), (("0.0", "400", "800", "1600"), False),
])  # fmt: skip
def test_a_run_without_a_leg_a_load_is_none(marks, whole):
    series = FrameSeries(np.full(500, 5.0), marks=[Mark(100 * i, name, True) for i, name in enumerate(marks)])
    assert (run_legs(series, LOADS, "", 0.0, POLICY) is not None) == whole


def test_the_warm_up_and_legs_that_are_no_play_do_not_count():
    found = run_legs(run(ORDERS[0], 1, lead_ms=3000.0), LOADS, "", 0.0, replace(POLICY, trim_s=3.0))
    assert found.frames[400.0] == 300
    # Ten slow frames of 107 ms and some of 7: what is left of the first leg after two more seconds.
    cut = run_legs(run(ORDERS[0], 1, lead_ms=3000.0), LOADS, "", 0.0, replace(POLICY, trim_s=5.0))
    assert cut.frames[400.0] < 200
    assert cut.frames[0.0] == 300
    assert run_legs(run(ORDERS[0], 1), LOADS, "", 60.0, POLICY) is None


def test_a_quantile_of_short_legs_is_withheld():
    found = ramp_of_legs(legs(), "p99_ms", BUDGET)
    assert (found.few_frames, found.capacity.value) == (True, None)
    assert notes(found, 0)[0].startswith("No capacity is told: of one frame in a hundred fewer than ten")
    long = ramp_of_legs(legs(frames=1200), "p99_ms", BUDGET)
    assert (long.few_frames, long.capacity.value is None) == (False, False)


def test_no_run_is_no_ramp():
    with pytest.raises(InvalidComparison, match="no run holds every load"):
        ramp_of_legs([], "mean_ms", BUDGET)
