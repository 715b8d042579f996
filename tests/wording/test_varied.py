"""What is said of ramps of two arms, crossings, cores, matrices, laps and what is carried over."""

import math

import numpy as np
import pytest

from vigilant.core.carrying import Factor
from vigilant.core.vary import Capacity, Contrast, Crossings, Interval, MatrixCell, Process, laps, matrix, scaling
from vigilant.core.vary.choose import Step
from vigilant.core.vary.laps import InFrame
from vigilant.wording import carrying, cores, ramp, two_arms
from vigilant.wording import laps as laps_wording
from vigilant.wording import matrix as matrix_wording


@pytest.mark.parametrize(("found", "said"), [
    (Capacity(1170.0, 1156.0, 1185.0, (2, 3)), "1,170 boats (1,156 to 1,185)"), (Capacity(None, 1600.0, None, None), "at least 1,600 boats"),
    (Capacity(None, None, 40.0, None), "less than 40 boats"), (Capacity(None, 800.0, 1200.0, None), "between 800 and 1,200 boats"),
    (Capacity(None, None, None, None), "no boats that can be told"), (Capacity(72.4, 71.0, None, (0, 1)), "72.4 boats (at least 71)"),
])  # fmt: skip
def test_a_capacity(found, said):
    assert ramp.capacity_words(found, "boats") == said


@pytest.mark.parametrize(("step", "said"), [
    (Step(None, False, (1131.0, 1200.0, 1131.0, 1200.0)), "After 8 runs: its interval is open; next 1,131 twice and 1,200 twice."),
    (Step(4.12, False, (3200.0,)), "After 8 runs: half of the interval 4.1 %; next 3,200 once."),
    (Step(1.9, True, (), "narrow enough"), "After 8 runs: half of the interval 1.9 %; narrow enough."),
])  # fmt: skip
def test_how_levels_were_chosen(step, said):
    assert ramp.step_sentence(step, 8) == said


@pytest.mark.parametrize(("ratio", "said"), [
    (Interval(math.log(1.05), math.log(1.03), math.log(1.07)), "5.0 % more (3.0 to 7.0)"),
    (Interval(math.log(0.9), math.log(0.88), math.log(0.92)), "10.0 % fewer (8.0 to 12.0)"),
    (Interval(0.001, -0.01, 0.012), "the two cannot be told apart (-1.00 % to +1.2 %)"),
    (Interval(math.log(1.5), math.log(1.4), None), "+50.0 %, at least +40.0 %"),
    (Interval(math.log(1.5), None, None), "+50.0 %, without an interval"),
])  # fmt: skip
def test_a_ratio_of_capacities(ratio, said):
    assert two_arms.ratio_words(ratio) == said


@pytest.mark.parametrize(("ratio", "said"), [
    (None, "is not set against the other"), (Interval(0.8, 0.75, 0.85), "each costs 20.0 % less (15.0 to 25.0)."),
    (Interval(1.02, 0.97, 1.07), "cannot be told from the same (-3.0 % to +7.0 %)"), (Interval(1.02, None, None), "without an interval"),
])  # fmt: skip
def test_what_a_unit_costs_in_one_over_the_other(ratio, said):
    assert said in two_arms.unit_sentence(ratio, 800.0, "boats")


@pytest.mark.parametrize(("found", "said"), [
    (Crossings((1, 0, -1), (Interval(240.0, 178.0, 302.0),), (178.0, 302.0)), "cells is dearer than pairs below size 240 (178 to 302), and cheaper above."),
    (Crossings((-1, 0, 1), (Interval(240.0, 178.0, 302.0),), None), "cells is cheaper than pairs below size 240 (178 to 302), and dearer above."),
    (Crossings((1, -1, 1), (Interval(75.0, 60.0, 90.0), Interval(150.0, 110.0, 190.0)), None), "cross at size 75 (60 to 90), 150 (110 to 190)"),
    (Crossings((1, 1, 1), (), None), "No crossing at the values run: cells is dearer than pairs at every one"),
    (Crossings((0, 0, 0), (), (50.0, 800.0)), "could cross anywhere from 50 to 800"), (Crossings((1, 0, 0), (), (120.0, 800.0)), "could cross between size 120 and 800"),
    (None, "Two runs of every value in both arms"),
])  # fmt: skip
def test_where_two_arms_cross(found, said):
    assert said in two_arms.crossing_sentence(found, ["pairs", "cells"], "size", [50.0, 200.0, 800.0])


def scaled(law, spread=0.004, counts=(1, 2, 4, 8)):
    rng = np.random.default_rng(801)
    own = [[20.0 * law(p) * math.exp(spread * rng.standard_normal()) for _ in range(5)] for p in counts]
    return scaling("mean_ms", counts, own, None, 0)


@pytest.mark.parametrize(("law", "sentence", "law_said"), [
    (lambda p: 0.1 + 0.9 / p + 0.005 * (p - 1), "The mean frame on 8 cores against 1 is 4.", "each further core costs 0."),
    (lambda p: 0.3 + 0.7 / p, "times as fast; 3", "no overhead of further cores is seen. By this law, a bound of the model, cores bring 3."),
    (lambda p: 1.0, "cannot be told apart: 1.0", "stays serial"),
    (lambda p: p**-1.4, "times as fast", "No law of a serial share"),
])  # fmt: skip
def test_what_more_cores_bring(law, sentence, law_said):
    found = scaled(law)
    assert sentence in cores.sentence(found)
    assert law_said in cores.law_sentence(found)


def test_cores_that_are_few_or_not_held():
    few = scaled(lambda p: 1 / p, counts=(1, 2))
    assert cores.law_sentence(few).startswith("What stays serial is not told: it takes 4")
    assert cores.notes(few, [2], 8) == [
        "With 2 cores the subject used more processor time than 2 can give: they were not held.",
        "The machine has 8 cores; nothing is said beyond 2.",
    ]
    assert "faster than 4 cores can account for" in cores.notes(scaled(lambda p: p**-1.4), [], None)[1]
    assert cores.sentence(scaling("mean_ms", [1, 2], [[2.0], [1.0]], None, 0)).startswith("Too few runs")


@pytest.mark.parametrize(("d", "said", "worst"), [
    ([-0.05] * 4, "It gains everywhere it was measured.", "it is cheaper everywhere it was measured"),
    ([-0.05, -0.05, -0.05, 0.04], "It gains in a; b; c and loses in d.", "nowhere is it more than"),
    ([-0.05, 0.0, 0.0, 0.0], "It gains in a; in the other 3 nothing is shown.", "cannot be told from it"),
    ([0.0] * 4, "Nowhere is a gain shown, nor a loss.", "3 other cells cannot be told from it"),
    ([0.05, 0.0, 0.0, 0.0], "It loses in a and is shown to gain nowhere.", "The dearest is a"),
])  # fmt: skip
def test_a_matrix(d, said, worst):
    found = matrix([MatrixCell(x, 0.005, 8.0) for x in d])
    assert matrix_wording.sentence(found, list("abcd"), 5) == said
    assert worst in matrix_wording.worst_sentence(found, list("abcd"))


def test_a_whole_matrix_and_one_that_is_not():
    same = matrix([MatrixCell(-0.05, 0.005, 8.0)] * 4)
    assert matrix_wording.sentence(same, list("abcd"), 4) == "It gains everywhere."
    (note,) = matrix_wording.notes(same, 4, 4)
    assert note.startswith("No difference between cells was seen; over those recorded the change is -4.9 %")
    assert matrix_wording.notes(None, 1, 4) == [
        "3 of 4 cells are missing, void or held, and enter nothing that is said of all."
    ]
    assert matrix_wording.missing("planned", "") == "not recorded yet"
    assert matrix_wording.missing("finished", "no run is complete") == "no verdict: no run is complete"
    assert matrix_wording.missing(None, "") == "its recording is gone"


@pytest.mark.parametrize(("seconds", "said"), [
    (12.2e-6, "12.2 µs"), (3.1e-9, "3.10 ns"), (0.25e-9, "0.25 ns"), (0.0123, "12.3 ms"), (123.0, "123 s"), (None, "under two steps of its clock"),
])  # fmt: skip
def test_a_time_has_the_unit_that_fits(seconds, said):
    assert laps_wording.time_words(seconds) == said


def lapped(each, processes=3, seed=1, sums="x", sizes=(50, 100, 200, 400)):
    rng = np.random.default_rng(seed)
    made = []
    for _ in range(processes):
        items = np.repeat(sizes, 10).astype(float)
        seconds = (
            10 * each(items) * math.exp(0.01 * rng.standard_normal()) * np.exp(0.01 * rng.standard_normal(items.size))
        )
        made.append(Process(items, np.full(items.size, 10.0), seconds, tuple(f"{sums}{i}" for i in items)))
    return made


LINE = lapped(lambda n: 2e-6 + 1e-8 * n)


@pytest.mark.parametrize(("after", "said", "note"), [
    (lapped(lambda n: 1e-6 + 0.5e-8 * n, seed=2), "A call is cheaper at every size that was lapped.", "3 processes; 5 of each version"),
    (lapped(lambda n: 2e-6 + 1e-8 * n, seed=2), "At no size is a difference shown.", "3 processes"),
    (lapped(lambda n: 0.3e-6 + 3e-8 * n, seed=2), "Dearer at some sizes and cheaper at others: dearer at", "3 processes"),
    (lapped(lambda n: 2e-6 + 1e-8 * n, processes=1), "One process of a version shows a time and no evidence", ""),
    (lapped(lambda n: 2e-6 + 1e-8 * n, sums="y"), "The two versions give different results", "Results differ"),
    (lapped(lambda n: 2e-6 + 0 * n, seed=2), "A call is cheaper", "the time does not follow the items"),
    (lapped(lambda n: 1e-12 * n, seed=2), "A call is cheaper", "less than 0.2 ns"),
])  # fmt: skip
def test_laps_of_two_versions(after, said, note):
    found = laps(LINE, after)
    assert laps_wording.sentence(found).startswith(said)
    assert any(note in one for one in laps_wording.notes(found)) or not note


@pytest.mark.parametrize(("ms", "said"), [
    (Contrast(-0.5, 0.05, 6.0, 0.001, -0.62, -0.38), "the frame would save 0.50 ms (0.38 to 0.62), 3.0 % of the budget: that matters"),
    (Contrast(-0.01, 0.001, 6.0, 0.001, -0.012, -0.008), "that does not matter: it is under 0.25 ms"),
    (Contrast(-0.3, 0.3, 6.0, 0.4, -1.0, 0.4), "cannot be told from nothing (1.0 ms saved to 0.4 spent): whether that matters cannot be told"),
    (Contrast(0.4), "the frame would change by 0.400 ms, without an interval"),
])  # fmt: skip
def test_what_a_frame_would_save(ms, said):
    told = laps_wording.frame_sentence(InFrame(Contrast(-0.1), 5.0, ms, 16.67, 0.25), 40.0)
    assert told.startswith("With 5 calls a frame of 40 items ")
    assert said in told


def test_what_is_carried_over_stays_an_extrapolation():
    factor = Factor(1.6, 1.5, 1.75, True, ("the calibration load", "the scenario Known work"))
    told = carrying.capacity_sentence(Capacity(60.0, 50.0, 70.0, (1, 2)), factor, "handheld", "thin laptop", "boats")
    assert told.startswith("On handheld it would carry 60 boats (50 to 70), if all of its work scaled alike")
    assert "take 1.60 times as long as on thin laptop (within 9.4 %, and do not agree)" in told
    assert told.endswith("An extrapolation, never a proof: record it there.")
    assert "takes 0.50 of the time" in carrying.carrying_words(
        Factor(0.5, 0.49, 0.51, False, ("the calibration load",)), "laptop"
    )
