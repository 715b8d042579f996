"""A recorded ramp as a whole: which levels count, what is refused, what comes next."""

import math
from dataclasses import replace

import numpy as np
import pytest

from vigilant.core.vary import LevelRuns, RunLoad, chosen_next, edges_of, ramp_arms, to_confirm
from vigilant.wording.ramp import ramp_notes

BUDGET = 1000 / 60
LOADS = (0.0, 400.0, 800.0, 1200.0, 1600.0)


def ramp(seed=901, frames=1200, counter=True, passes=4, each=0.0125, spread=0.004):
    rng = np.random.default_rng(seed)
    order = [int(i) for _ in range(passes) for i in rng.permutation(len(LOADS))]
    levels = []
    for i, load in enumerate(LOADS):
        slots = [slot for slot, at in enumerate(order) if at == i]
        ms = [(2.0 + each * load) * math.exp(spread * rng.standard_normal()) for _ in slots]
        seen = [RunLoad(load if counter else None, 0.0, 0.001 * rng.standard_normal()) for _ in slots]
        figures = {"mean_ms": ms, "slowest_1pct_ms": [1.3 * x for x in ms], "p99_ms": [1.2 * x for x in ms]}
        levels.append(LevelRuns(load, figures, slots, seen, passes, frames=frames))
    return levels, len(order)


def test_a_ramp_is_read_by_each_figure():
    levels, slots = ramp()
    (mean,), two = ramp_arms([levels], "mean_ms", slots, BUDGET)
    assert mean.capacity.low < 1173.3 < mean.capacity.high
    assert (two, mean.asked, mean.held, mean.withheld) == (None, LOADS, (), "")
    assert to_confirm(mean) == (400.0, 800.0, 1200.0, 1600.0)
    (late,), _ = ramp_arms([levels], "p99_ms", slots, BUDGET * 1.05)
    assert late.capacity.value == pytest.approx((BUDGET * 1.05 / 1.2 - 2.0) / 0.0125, rel=0.02)


def test_a_quantile_needs_frames_beyond_it_in_the_bracket():
    levels, slots = ramp(frames=900)
    (late,), _ = ramp_arms([levels], "p99_ms", slots, BUDGET * 1.05)
    assert (late.withheld, late.capacity.value, to_confirm(late)) == ("few frames", None, ())
    (mean,), _ = ramp_arms([levels], "mean_ms", slots, BUDGET)
    assert mean.capacity.value is not None  # a mean does not
    elsewhere = [replace(one, frames=5000 if one.value in (800.0, 1200.0) else 100) for one in levels]
    (late,), _ = ramp_arms([elsewhere], "p99_ms", slots, BUDGET * 1.05)
    assert not late.withheld


def test_runs_whose_loads_spread_are_moved_and_narrow_the_interval():
    rng = np.random.default_rng(902)
    levels, slots = ramp(spread=0.0005)
    spread = []
    for one in levels:
        loads = [one.value * (1 + e) for e in rng.normal(0.0, 0.03, len(one.slots))]
        ms = [2.0 + 0.0125 * x for x in loads]
        spread.append(replace(one, figures={"mean_ms": ms}, loads=[RunLoad(x, 0.0, 0.0) for x in loads]))
    (moved,), _ = ramp_arms([spread], "mean_ms", slots, BUDGET)
    assert moved.capacity.high - moved.capacity.low < 20
    assert moved.capacity.value == pytest.approx(1173.3, abs=4)
    unseen = [replace(one, loads=[RunLoad(None, None, 0.0) for _ in one.loads]) for one in spread]
    (rough,), _ = ramp_arms([unseen], "mean_ms", slots, BUDGET)
    assert rough.capacity.high - rough.capacity.low > 40
    assert dict(rough.placed.said) == {"load-not-seen": LOADS[1:]}


def test_two_arms_and_one_that_has_no_levels_yet():
    (levels, slots), (cheaper, _) = ramp(), ramp(903, each=0.01)
    levels = [replace(one, slots=[2 * slot for slot in one.slots]) for one in levels]
    cheaper = [replace(one, slots=[2 * slot + 1 for slot in one.slots]) for one in cheaper]
    slots *= 2
    arms, two = ramp_arms([levels, cheaper], "mean_ms", slots, BUDGET)
    assert [arm.capacity.value for arm in arms] == [pytest.approx(1173, rel=0.02), pytest.approx(1467, rel=0.02)]
    assert two.equal[-1].shown
    bare = [replace(one, figures={"mean_ms": []}, slots=[], loads=[], attempts=0) for one in cheaper]
    arms, two = ramp_arms([levels, bare], "mean_ms", slots, BUDGET)
    assert (two, arms[1].levels, arms[0].capacity.value) == (None, None, pytest.approx(1173, rel=0.02))


def test_what_is_chosen_next_is_the_same_for_recorder_and_server():
    levels, slots = ramp(passes=2, spread=0.01)
    first = chosen_next(levels, "mean_ms", slots, BUDGET, 7, wish_pct=0.2)
    assert first == chosen_next(levels, "mean_ms", slots, BUDGET, 7, wish_pct=0.2)
    assert len(first.loads) == 4
    assert chosen_next(levels, "mean_ms", slots, BUDGET, 7, most_runs=10).why == "the runs are spent"
    failing = [
        replace(one, failures=2, reason="crashed", slots=[], figures={"mean_ms": []}, loads=[])
        if one.value > 800
        else one
        for one in levels
    ]
    step = chosen_next(failing, "mean_ms", slots, BUDGET, 7)
    assert (step.loads, step.why) == ((), "runs fail at 1200")
    none = [replace(one, figures={"mean_ms": []}, slots=[], loads=[]) for one in levels]
    assert "fewer than two levels" in chosen_next(none, "mean_ms", slots, BUDGET, 7).why


@pytest.mark.parametrize(("pauses", "withheld"), [(12, "at edge"), (3, ""), (60, "")])
def test_a_quantile_between_body_and_pauses_is_withheld(pauses, withheld):
    """Of 1,200 frames twelve are one in a hundred; runs have a few more or fewer pauses of 60 ms."""
    rng = np.random.default_rng(903)
    levels, slots = ramp()
    runs = []
    for extra in (-2, -1, 1, 2):
        ms = 14.0 * np.exp(0.05 * rng.standard_normal(1200))
        ms[rng.choice(1200, pauses + extra, replace=False)] = 60.0 + rng.random(pauses + extra)
        runs.append(ms)
    edged = [replace(one, at_edge=edges_of(runs)) if one.value == 800.0 else one for one in levels]
    (late,), _ = ramp_arms([edged], "p99_ms", slots, BUDGET * 1.05)
    assert (late.withheld, late.capacity.value is None) == (withheld, withheld != "")
    assert any("body of the frames" in note for note in ramp_notes(late)) == (withheld != "")
    (mean,), _ = ramp_arms([edged], "mean_ms", slots, BUDGET)
    assert (mean.withheld, mean.capacity.value is None) == ("", False)
