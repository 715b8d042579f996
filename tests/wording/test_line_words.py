"""A line over builds in words: steps and drifts, what joins two set-ups, the newest build, and the gate."""

import math

import numpy as np
import pytest

from vigilant.wording import trend
from wording.made import some

BUILDS = [f"b{i}" for i in range(12)]


def step(size=0.03, at=5, first=4, last=6):
    return some(size=size, low=size - 0.01, high=size + 0.01, at=at, first=first, last=last)


def line(**changes):
    values = {
        "short": False, "steps": (), "drifts": (), "slope": 0.0, "odd": (), "tau2": 0.004**2, "noise": some(s2=0.01**2),
    }  # fmt: skip
    return some(**{**values, **changes})


@pytest.mark.parametrize(
    ("found", "said"),
    [
        (line(), "The mean frame over 12 builds: no step."),
        (line(short=True), "The mean frame over 12 builds: levels only, as eight builds are the least to tell a step from another session."),
        (line(steps=(step(),)), "The mean frame over 12 builds: +3.0 % (+2.0 to +4.1 %) from b5 on; it may begin with any from b4 to b6."),
        (line(steps=(step(first=5, last=5),)), "The mean frame over 12 builds: +3.0 % (+2.0 to +4.1 %) from b5 on."),
        (
            line(steps=(step(-0.03, 2, 2, 2),), drifts=(some(size=0.02, first=3, last=9),), slope=0.001),
            "The mean frame over 12 builds: -3.0 % (-3.9 to -2.0 %) from b2 on; a drift of +2.0 % from b3 to b9; +0.10 % a build all along.",
        ),
    ],
)  # fmt: skip
def test_what_a_line_holds(found, said):
    assert trend.line_sentence("mean_ms", found, BUILDS) == said


def test_what_is_odd_and_what_sessions_differ_by_is_noted():
    assert trend.notes(line(short=True), BUILDS) == []
    told = trend.notes(line(odd=(3, 7)), BUILDS)
    assert told == [
        "Odd: b3, b7. Such a build stands alone and weighs little; record it again.",
        "Sessions of one build differ by 0.40 %, runs of one session by 1.0 %: the intervals are what a repeat in another session agrees with.",
    ]


# -- two set-ups


@pytest.mark.parametrize(("shifts", "shown"), [((0.0,), False), ((0.0, 0.0), False), ((0.1, 0.0), True)])
def test_a_stretch_that_is_drawn_elsewhere_is_said(shifts, shown):
    assert trend.shown_shifted(some(stretches=[some(shift=one) for one in shifts])) is shown


@pytest.mark.parametrize(("low", "high", "said"), [(-0.01, 0.03, "+3.0 % at most"), (-0.05, 0.03, "-4.9 % at most"), (-math.inf, 0.03, "not told"), (-0.01, math.inf, "not told")])  # fmt: skip
def test_what_another_rig_changed_by_at_most(low, high, said):
    assert trend.at_most(some(low=low, high=high), trend.share_said) == said


# -- the newest build


def alert(call, d):
    return some(call=call, d=d, sudden=some(d=d))


@pytest.mark.parametrize(
    ("found", "higher", "sentence", "words"),
    [
        (alert("", 0.004), False, "b58 is what its line expects of the mean frame: +0.40 %, which is no alarm.", "+0.40 %, no alarm"),
        (alert("sudden", 0.03), False, "b58 is worse than its line: the mean frame +3.0 %.", "worse: +3.0 %"),
        (alert("sudden", -0.03), False, "b58 is better than its line: the mean frame -3.0 %.", "better: -3.0 %"),
        (alert("sudden", 0.03), True, "b58 is better than its line: the mean frame +3.0 %.", "better: +3.0 %"),
        (alert("creeping", 0.03), False, "b58 is worse than its line: the mean frame +3.0 %, by the newest four builds together.", "worse: +3.0 %, by the newest four together"),
    ],
)  # fmt: skip
def test_the_newest_build_against_its_line(found, higher, sentence, words):
    assert trend.alert_sentence("mean_ms", found, "b58", higher) == sentence
    assert trend.alert_words(found, higher, trend.share_said) == words


@pytest.mark.parametrize(
    ("rate", "figures", "said"),
    [(0.005, 1, "One false alarm in 200 builds is expected; record"), (1 / 50, 3, "One false alarm in 50 builds is expected, 3 figures watched; record")],
)  # fmt: skip
def test_how_often_an_alarm_is_false(rate, figures, said):
    assert trend.rate_sentence(rate, figures).startswith(said)


# -- the gate


@pytest.mark.parametrize(
    ("rows", "said"),
    [
        ([], "b58 against its line: void."),
        (
            [{"name": "the mean frame", "change": "+3.0 %", "interval": "+1.0 to +5.1 %"}, {"name": "late frames", "change": "+1.0 points", "interval": "0.2 to 1.8 points"}],
            "b58 against its line: void. The mean frame +3.0 % (+1.0 to +5.1 %), late frames +1.0 points (0.2 to 1.8 points).",
        ),
    ],
)  # fmt: skip
def test_what_the_gate_says(rows, said):
    assert trend.gate_sentence("b58", "void", rows) == said


def test_a_figure_without_a_line_is_judged_elsewhere():
    told = trend.no_line(["mean_ms", "late_share"])
    assert told == "Mean frame, Late frames: no line is made of it, so that it is not judged here; an entry judges it."


def test_findings_of_the_gate_are_sentences():
    document = trend.gate_document(
        "b58", some(verdict="void", rows=(), lines=(), codes=("level-young",)), 0.005, [("own", "what was before")]
    )
    assert [f["text"] for f in document["findings"]] == [
        "What was before.",
        "The level it is held against began fewer than three builds ago.",
    ]
    assert document["false_failure"] == "One build in 200 fails falsely where nothing changed."


# -- the page


def times(y):
    return math.exp(y)


MS = some(kind=some(unit="ms"), back=times)


@pytest.mark.parametrize(
    ("short", "runs", "sessions", "said"),
    [
        (False, 8, 1, "12.00 ms (11.50 to 12.50 ms), 8 runs"),
        (False, 8, 2, "12.00 ms (11.50 to 12.50 ms), 8 runs of 2 sessions"),
        (True, 1, 1, "12.00 ms, 1 run"),
    ],
)
def test_a_measurement_says_its_level_and_how_many_runs(short, runs, sessions, said):
    ends = (None, None) if short else (np.log([11.5]), np.log([12.5]))
    found = some(short=short, low=ends[0], high=ends[1], noise=some(k=np.array([runs]), m=np.log([12.0])))
    assert trend.point_words(MS, found, 0, sessions) == said


@pytest.mark.parametrize(
    ("place", "trade_off", "said"),
    [
        (("b4", "b4"), False, "From b5 on: the mean frame +3.0 %, late frames +1 points."),
        (
            ("b4", "b6"),
            False,
            "From b5 on: the mean frame +3.0 %, late frames +1 points; it may begin with any from b4 to b6.",
        ),
        (None, True, "From b5 on: the mean frame +3.0 %, late frames +1 points; their places differ. A trade-off."),
    ],
)
def test_an_event_of_several_figures(place, trade_off, said):
    steps = [("mean_ms", "+3.0 %", "the mean frame"), ("late_share", "+1 points", "late frames")]
    assert trend.event_sentence("b5", place, steps, trade_off) == said
