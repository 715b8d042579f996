"""Counters beside time: states apart, zero as a matter of fact, flat by runs, and slopes that the course cannot make."""

import numpy as np
import pytest

from core.made_lanes import CASES
from vigilant.core.gaps import GAP
from vigilant.core.work.counters import (
    CounterRun,
    active,
    along_the_course,
    at_one_place,
    collections,
    flat_after,
    states,
    zero_after,
)

CASE = CASES["shares and counters"]


def run_of(values, frame_ms=None, leg=None):
    values = np.asarray(values, float)
    x = np.full(values.size, 100.0) if frame_ms is None else np.asarray(frame_ms, float)
    start = (np.cumsum(x) - x) / 1000.0
    return CounterRun(values, x, start, (np.arange(values.size) + 0.5) / values.size, np.zeros(values.size, np.int64) if leg is None else leg)  # fmt: skip


def test_the_worked_case_of_a_flat_counter():
    j = np.arange(600)
    runs = [run_of(400 + 0.01 * (j * (7 + i) % 13) + s * j / 600) for i, s in enumerate((0.5, 0.3, 0.6))]
    call, slope, half, level = CASE["outputs"]["flat"]
    found = flat_after(runs)
    assert (found.call, found.slope, found.half, found.level) == (call, pytest.approx(slope, abs=1e-4), pytest.approx(half, abs=1e-4), pytest.approx(level, abs=1e-3))  # fmt: skip
    assert [flat_after([run]).slope for run in runs] == pytest.approx(CASE["outputs"]["slopes"], abs=1e-4)
    assert flat_after(runs[:1]).call == "cannot be told"  # one run has no interval


def test_states_are_three_and_none_is_zero():
    values = np.full(100, 5.0)
    values[10:40] = GAP["stale"]
    values[50:55], values[60] = GAP["missing"], GAP["below"]
    found = states([run_of(values)])
    assert (found.fresh, found.stale, found.missing, found.below) == pytest.approx((0.64, 0.30, 0.05, 0.01))
    assert found.age_frames == 30
    assert found.every_frames == 1
    sampled = np.where(np.arange(100) % 6, GAP["stale"], 1.0)
    assert states([run_of(sampled)]).every_frames == 6


def test_zero_after_loading_is_a_matter_of_fact():
    loads = np.zeros(300)
    loads[:20] = 4.0
    loads[[120, 130]] = GAP["missing"], GAP["below"]
    runs = [run_of(loads), run_of(loads)]
    held = zero_after(runs, 2.0)
    assert (held.holds, held.frames, held.not_told, held.below) == (True, 0, 2, 2)
    assert held.most_a_minute == pytest.approx(3 / (2 * 28 / 60))
    first = zero_after(runs, 1.0)
    assert (first.holds, first.first, first.frames, first.amount) == (False, (0, 10), 20, 80.0)
    level = np.where(np.arange(300) == 200, 7.0, 6.0)
    assert zero_after([run_of(level)], 0.0, constant=True).first == (0, 200)


@pytest.mark.parametrize(("leak", "call"), [(0.0, "flat"), (20.0, "rising"), (-20.0, "falling")])
def test_a_leak_is_told_by_runs(leak, call):
    rng = np.random.default_rng(51)
    minutes = np.arange(400) / 600
    runs = [run_of(200 + leak * minutes + rng.normal(0, 0.5, 400)) for _ in range(4)]
    assert flat_after(runs).call == call


def test_a_sawtooth_is_judged_by_its_troughs():
    """Every run starts alike: a slope of all values calls half of such counters rising."""
    j = np.arange(600)
    rng = np.random.default_rng(52)
    saw = [run_of(100 + (j + 7 * i) % 70 + rng.normal(0, 0.05, 600)) for i in range(5)]
    found = flat_after(saw)
    assert (found.call, found.collections > 7) == ("flat", True)
    assert collections(saw[0].values).size == 8
    few = [run_of(100 + j % 280) for _ in range(3)]
    assert flat_after(few).call == "too-few-collections"
    leak = [run_of(100 + (j + 7 * i) % 70 + 0.1 * j + rng.normal(0, 0.05, 600)) for i in range(5)]
    assert flat_after(leak).call == "rising"


def test_active_and_idle_within_legs():
    up = np.zeros(200)
    up[50:80] = 3.0
    x = np.where(up > 0, 130.0, 100.0)
    x[100:] += 200.0  # another leg, dearer all through
    found = active([run_of(up, x, np.repeat([0, 1], 100))])
    assert (found.share, found.longest_s, found.over_ms) == (pytest.approx(0.15), pytest.approx(3.9), pytest.approx(30.0))  # fmt: skip
    assert found.changes_a_minute == pytest.approx(2 / (x.sum() / 60_000))


def related(rng, true_ms, common, runs=5):
    """Runs whose counter differs between them by waves of its own; frame and counter may follow the course as well."""
    course = 3 * np.sin(np.arange(3000) / 300)
    made = []
    for _ in range(runs):
        own = np.convolve(rng.standard_normal(3059), 0.98 ** np.arange(60), "valid")
        counter = 400 + 10 * own + (60 * course if common else 0)
        x = 12 + true_ms * (counter - 400) + (course if common else 0) + rng.normal(0, 0.3, 3000)
        made.append(run_of(counter, x))
    return made


def test_what_both_follow_along_the_course_is_no_relation_at_one_place():
    rng = np.random.default_rng(53)
    called = [0, 0]
    for _ in range(30):
        runs = related(rng, 0.0, common=True)
        for i, slope in enumerate((along_the_course(runs), at_one_place(runs, 36.0))):
            called[i] += abs(slope.ms) > slope.half
    assert called[0] == 30  # same place, not same cause
    assert called[1] <= 30 * 0.05 + 3 * (30 * 0.05 * 0.95) ** 0.5


def test_a_true_slope_is_found_at_one_place_though_the_course_hides_it():
    rng = np.random.default_rng(54)
    held = 0
    for _ in range(20):
        found = at_one_place(related(rng, 0.005, common=True), 36.0)
        held += abs(found.ms - 0.005) <= found.half
    assert held >= 17


def test_no_variation_and_too_few_runs_are_said():
    steady = [run_of(np.full(300, 40.0), np.full(300, 12.0) + i) for i in range(4)]
    assert at_one_place(steady, 36.0).refused == "no-variation"
    assert along_the_course(steady).refused == "no-variation"
    assert at_one_place(steady[:2], 36.0).refused == "too-few-runs"
