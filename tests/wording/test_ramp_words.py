"""Ramps and knobs in words: the sum on paper, what a unit costs, how time grows, and what is to be known before it is believed."""

import math

import numpy as np
import pytest

from vigilant.core.vary import Capacity
from vigilant.wording import ramp
from wording.made import contrast, some


def levels(loads=(0.0, 400.0, 800.0), ms=(4.0, 8.0, 12.0), tested=True, df=12, not_monotone=()):
    return some(loads=np.array(loads), ms=np.array(ms), fit=some(tested=tested, df=df), not_monotone=not_monotone)


def cost(**changes):
    values = {
        "net": contrast(0.01, 0.0004), "net_level": 2, "slope": contrast(0.0104, 0.0008), "slope_level": 1, "lack_of_fit": 0.4,
        "line_se": 0.0001, "line_ms": 0.01002, "fixed_ms": 4.05,
    }  # fmt: skip
    return some(**{**values, **changes})


@pytest.mark.parametrize(("value", "said"), [(None, ""), (1170.4, "1,170"), (72.44, "72.4"), (72.0, "72"), (-120.4, "-120"), (0.0, "0")])  # fmt: skip
def test_a_load_has_as_many_digits_as_are_worth_saying(value, said):
    assert ramp.load(value) == said


# -- the sum on paper


def test_the_sum_that_a_person_would_do():
    told = ramp.paper(levels(), Capacity(1200.0, 1180.0, 1220.0, (1, 2)), cost(), 16.0, "boats")
    assert (
        told
        == "16.00 ms budget, less 4.00 for nothing loaded, leaves 12.00; at 0.01000 ms each there, that is 1,200 boats."
    )


@pytest.mark.parametrize(
    ("found", "at", "costs"),
    [
        (Capacity(None, 800.0, None, None), levels(), cost()),
        (Capacity(1200.0, None, None, (1, 2)), levels(loads=(100.0, 400.0, 800.0)), cost()),
        (Capacity(1200.0, None, None, (1, 2)), levels(), None),
        (Capacity(1200.0, None, None, None), levels(), cost()),
    ],
)
def test_without_an_empty_scene_or_a_capacity_there_is_no_sum(found, at, costs):
    assert ramp.paper(at, found, costs, 16.0, "boats") == ""


# -- what a unit costs


def test_a_unit_has_three_readings_with_what_was_subtracted():
    assert ramp.cost_rows(cost(), levels(), "boats") == [
        "At 800 boats, less the empty scene: 0.01000 (0.00960 to 0.01040) ms each.",
        "From one to the next between 400 and 800: 0.01040 (0.00960 to 0.01120) ms each.",
        "By a straight line over all levels: 0.01002 ms each on top of 4.05 ms.",
    ]


@pytest.mark.parametrize(
    ("changes", "at", "said"),
    [
        ({"net": None}, 0, "Not net of an empty scene: no level without boats was recorded."),
        ({"lack_of_fit": 0.01}, 2, "A straight line does not fit: no single cost a unit holds over the whole ramp."),
        ({"lack_of_fit": 0.05}, 2, "By a straight line over all levels: 0.01002 ms each on top of 4.05 ms."),
        ({"lack_of_fit": None}, 2, "By a straight line over all levels: 0.01002 ms each on top of 4.05 ms."),
    ],
)
def test_what_a_ramp_cannot_tell_of_a_unit_is_said(changes, at, said):
    assert ramp.cost_rows(cost(**changes), levels(), "boats")[at] == said


def test_a_line_without_a_spread_is_not_told():
    assert len(ramp.cost_rows(cost(line_se=None), levels(), "boats")) == 2
    assert ramp.each_words(contrast(0.0123456)) == "0.0123"


# -- how time grows


@pytest.mark.parametrize(
    ("found", "said"),
    [
        (None, "How the time grows is not told: it takes five levels, four to one apart, and runs to test."),
        (some(exponent=1.32, low=1.2, high=1.44, lack_of_fit=0.4, call="worse than linear"), "Time grows with the load to the power 1.32 (1.20 to 1.44): it scales worse than linearly."),
        (some(exponent=0.8, low=0.7, high=0.9, lack_of_fit=None, call="better than linear"), "Time grows with the load to the power 0.80 (0.70 to 0.90): it scales better than linearly."),
        (some(exponent=1.0, low=0.9, high=1.1, lack_of_fit=0.04, call="cannot be told from linear"), "Time grows with the load to the power 1.00 (0.90 to 1.10) over this range: it cannot be told from linear."),
    ],
)  # fmt: skip
def test_how_time_grows_with_the_load(found, said):
    assert ramp.growth_sentence(found) == said


# -- what the budget carries


def arm(**changes):
    values = {
        "levels": levels(), "ceiling": None, "capacity": Capacity(1170.0, 1156.0, 1185.0, (1, 2)), "withheld": "", "placed": None, "held": (),
    }  # fmt: skip
    return some(**{**values, **changes})


CEILING = some(load=1600.0, reason="timed out", failures=3, attempts=4, at_least=1200.0, rate=0.31)


@pytest.mark.parametrize(
    ("found", "said"),
    [
        (arm(levels=levels(tested=False)), "Too few runs to test anything: 4 degrees of freedom are the least. Record more passes."),
        (arm(), "By the mean frame the budget carries 1,170 boats (1,156 to 1,185)."),
        (arm(ceiling=CEILING), "By the mean frame the budget carries 1,170 boats (1,156 to 1,185)."),
        (arm(capacity=Capacity(None, 1200.0, None, None), ceiling=CEILING), "By the mean frame the budget carries at least 1,200 boats, where runs fail (timed out)."),
        (arm(levels=None), "By the mean frame the budget carries 1,170 boats (1,156 to 1,185)."),
    ],
)  # fmt: skip
def test_what_the_budget_carries(found, said):
    assert ramp.ramp_sentence(found, "mean_ms", "boats") == said


def test_a_plain_ramp_has_nothing_to_be_known_first():
    assert ramp.ramp_notes(arm()) == []
    assert ramp.ramp_notes(arm(levels=None)) == []


@pytest.mark.parametrize(
    ("changes", "said"),
    [
        ({"withheld": "few frames"}, ramp.WITHHELD["few frames"]),
        ({"capacity": Capacity(1170.0, None, None, (1, 2), True)}, "The levels around it are far apart: a bend between them could move it. Record a level at 1,170."),
        ({"levels": levels(not_monotone=(1,))}, "At 400 something else changed: the time there lies apart from its neighbours."),
        ({"held": (400.0, 800.0, 1200.0)}, "At 400, 800 and 1,200 a refresh cap holds the frames: all that is known there is that they fit it."),
        ({"levels": levels(df=7)}, "With fewer than 8 degrees of freedom a capacity is not certified: record more passes."),
        ({"placed": some(said=(("load-not-seen", ()),))}, "The load is as it was asked for; no counter says what there really was."),
        ({"placed": some(said=(("load-saturates", (800.0,)),))}, "At 800 there was no more load than the level before: they are one level."),
        ({"placed": some(said=(("load-differs", ()),))}, "What was there differs from what was asked for by over 1 % at every level: levels stand where they really were."),
    ],
)  # fmt: skip
def test_what_is_to_be_known_first(changes, said):
    assert ramp.ramp_notes(arm(**changes)) == [said]


def test_a_capacity_that_is_coarse_but_not_there_says_nothing():
    assert ramp.ramp_notes(arm(capacity=Capacity(None, 800.0, None, None, True))) == []


def test_a_ceiling_is_no_time():
    assert ramp.ramp_notes(arm(ceiling=CEILING)) == [
        "At 1,600 3 of 4 runs failed (timed out): a ceiling that is no time.",
        "At 1,200 none did; so few attempts leave a rate of failures of up to 31 %.",
    ]
    assert len(ramp.ramp_notes(arm(ceiling=some(**{**vars(CEILING), "at_least": None})))) == 1


# -- knobs


def figure(name="mean_ms", matters=True, inside=(False, True, False), flat=None, lost=(None, 0.0, 0.03)):
    return some(figure=name, matters=matters, inside=inside, flat=flat, lost=lost)


def knob(call, chosen=(1,), at_end=False, figures=None):
    return some(values=(16.0, 32.0, 64.5), call=call, chosen=chosen, at_end=at_end, figures=figures or (figure(),))


@pytest.mark.parametrize(
    ("found", "said"),
    [
        (knob("cannot be told"), "Two runs of every value are the least to tell them apart. Record more passes."),
        (knob("best", figures=(figure(matters=False),)), "Batch size does not matter: no value is shown to differ by 2 % from another."),
        (knob("best"), "Batch size is best at 32, by mean and by the slowest 1 %."),
        (knob("best", (2,), at_end=True), "Batch size is best at 64.5, by mean and by the slowest 1 %. It is at the end of what was run: the best may lie outside."),
        (knob("one of", (0, 1, 2)), "Batch size at 16, 32 or 64.5: no matter which, none of them is shown to be worse than another."),
        (
            knob("trade", figures=(figure(), figure("slowest_1pct_ms", inside=(True, False, True)))),
            "A trade: no value of batch size is best for both. Best is 32 by the mean frame and 16 or 64.5 by the slowest 1 %.",
        ),
    ],
)  # fmt: skip
def test_which_value_is_best(found, said):
    assert ramp.knob_sentence(found, "batch size") == said


def test_what_a_value_loses_at_most():
    found = figure(flat=math.log(1.012), lost=(None, -0.001, math.log(1.034)))
    assert [ramp.lost_words(found, i) for i in range(3)] == ["", "nothing", "3.4 %"]
    assert ramp.flat_words(found) == "flat within 1.2 %"
    assert ramp.flat_words(figure()) == ""
