"""Whole sentences, word for word, from results made by hand."""

import contextlib
import json
from dataclasses import replace

import numpy as np
import pytest

from vigilant.core import Finding, FrameSeries, InvalidSeries, Mark, Policy, compare
from vigilant.wording import finding_sentence, interval_words, verdict_sentence
from vigilant.wording.report import comparison_document
from vigilant.wording.run import run_rows
from wording.made import MADE, result


def comparison(verdict, figures=(), **changes):
    table = {**MADE.figures, **{f.name: f for f in figures}}
    return replace(MADE, **{"verdict": verdict, "figures": table, "material": None, "runs_needed": None, **changes})


TAIL = result("slowest_1pct_ms", 28.1, 33.0, 2.1, 7.9, call="worse")
SENTENCES = {
    "gain": (
        comparison("gain", [result()], reasons=("mean_ms", "late_share"), material=True),
        "A frame takes 1.84 ms less (95 % interval 1.63 to 2.02): -14.2 % time, +16.5 % rate; 11 % of the budget."
        " Also better: late frames. More than the margin: shown.",
    ),
    "regression": (
        comparison(
            "regression", [result(before=11.12, after=12.96, low=1.63, high=2.02)], reasons=("mean_ms",), material=False
        ),
        "A frame takes 1.84 ms more (95 % interval 1.63 to 2.02): +16.5 % time, -14.2 % rate; 11 % of the budget."
        " More than the margin: not shown.",
    ),
    "trade-off": (
        comparison("trade-off", [result(call="better"), TAIL], reasons=("mean_ms", "slowest_1pct_ms")),
        "Better: A frame takes 1.84 ms less (95 % interval 1.63 to 2.02): -14.2 % time, +16.5 % rate; 11 % of the budget."
        " Worse: Slowest 1 %: 4.9 ms more (+17.4 % time, from 28.1 to 33.0 ms), 95 % interval 2.1 to 7.9.",
    ),
    "no material change": (
        comparison("no material change", [result(before=12.0, after=12.02, low=-0.04, high=0.08)], reasons=()),
        "A frame takes 0.02 ms more (95 % interval 0.04 less to 0.08 more): +0.17 % time, -0.17 % rate; 0.1 % of the budget."
        " Every figure chosen beforehand lies inside its margin. A change of 0.3 ms (2.6 %) or more in the mean frame"
        " would very likely have been seen.",
    ),
    "undecided": (
        comparison(
            "undecided", [result(before=12.0, after=11.8, low=-0.6, high=0.2)], reasons=("mean_ms",), runs_needed=9
        ),
        "A frame takes 0.2 ms less (95 % interval 0.6 less to 0.2 more): -1.7 % time, +1.7 % rate; 1.2 % of the budget."
        " Neither a change nor the absence of one the size of the margin is shown (open: mean frame)."
        " About 9 runs an arm would show a change as large as the margin.",
    ),
    "void": (
        comparison(
            "void",
            findings=(Finding("cap-one-side", "void", {"before_ms": 1000 / 60, "after_ms": None}),),
            reasons=("cap-one-side",),
        ),
        "Not comparable. One arm is held by a refresh cap, the other is not: 60 fps before, no cap after.",
    ),
}


@pytest.mark.parametrize("verdict", SENTENCES)
def test_sentences(verdict):
    made, sentence = SENTENCES[verdict]
    assert verdict_sentence(made) == sentence


def test_loose_files_add_their_condition():
    made = replace(SENTENCES["gain"][0], design="order-unknown")
    assert verdict_sentence(made).endswith("More than the margin: shown, if the runs were interleaved.")


@pytest.mark.parametrize(
    ("low", "high", "words"),
    [
        (-2.02, -1.63, "95 % interval 1.63 to 2.02"),
        (1.63, 2.02, "95 % interval 1.63 to 2.02"),
        (-0.04, 0.08, "95 % interval 0.04 less to 0.08 more"),
        (None, None, "no interval"),
    ],
)
def test_intervals(low, high, words):
    assert interval_words(result(low=low, high=high)) == words


def test_conditions_that_differ_are_named_with_both_sides():
    evidence = {"differences": [{"condition": "driver", "before": ["1"], "after": ["2", "3"]}]}
    sentence = finding_sentence(Finding("conditions-differ", "void", evidence))
    assert sentence == "Conditions that must match differ: driver (1 before, 2 or 3 after)."
    one = finding_sentence(
        Finding("condition-one-side", "warn", {"differences": [{"condition": "fan", "before": [], "after": ["on"]}]})
    )
    assert one == "Known on one side only: fan (unknown before, on after)."


def test_the_document_holds_finite_numbers_and_nothing_else():
    assert json.loads(json.dumps(comparison_document(MADE), allow_nan=False))["figures"].keys() == MADE.figures.keys()


def test_rows_of_a_run():
    values = {
        "mean_ms": 12.5,
        "late_share": 0.0123,
        "late_frames": 1,
        "stutters_per_min": 6.0,
        "stutters": 2,
        "p99_ms": 20.0,
    }
    rows = {r["name"]: r for r in run_rows({**values, "few_beyond": ["p99_ms"], "slowest_second_fps": None})}
    assert (rows["mean_ms"]["value"], rows["mean_ms"]["note"]) == ("12.50", "80.0 fps")
    assert (rows["late_share"]["value"], rows["late_share"]["note"]) == ("1.23", "1 frame")
    assert rows["p99_ms"]["note"] == "rests on fewer than 10 frames"
    assert rows["stutters_per_min"]["note"] == "2 in all"
    assert "slowest_second_fps" not in rows


def strange_run(rng):
    """Runs that nobody records on purpose: one frame, all alike, half zero, over eight orders of magnitude."""
    n = int(rng.choice([1, 2, 5, 17, 31, 32, 33, 200, 900]))
    kinds = (
        rng.exponential(10, n), np.full(n, 16.0), np.abs(np.round(rng.normal(16, 3, n))), rng.lognormal(0, 4, n),
        np.where(rng.random(n) < 0.5, 0, 16.0), np.abs(rng.normal(8, 0.1, n)),
    )  # fmt: skip
    x = kinds[rng.integers(0, 6)]
    x[0] = x[0] or 1.0
    marks = [Mark(int(rng.integers(0, n + 1)), "a", bool(rng.random() < 0.7)) for _ in range(rng.integers(0, 3))]
    lanes = {"w": np.abs(rng.normal(3, 2, n))} if rng.random() < 0.5 else {}
    return FrameSeries(x, lanes=lanes, lane_roles=dict.fromkeys(lanes, "waiting"), marks=marks)


def test_strange_runs_give_a_document_or_a_named_refusal():
    rng = np.random.default_rng(0)
    given = 0
    for _ in range(250):
        before, after = ([strange_run(rng) for _ in range(k)] for k in rng.integers(1, 6, 2))
        order = None
        if rng.random() < 0.7:
            order = [str(o) for o in rng.permutation(["before"] * len(before) + ["after"] * len(after))]
        policy = Policy(target_fps=[None, 60, 1000][rng.integers(0, 3)], trim_s=float(rng.choice([0, 0, 0.1])))
        with contextlib.suppress(InvalidSeries):
            json.dumps(comparison_document(compare(before, after, policy, order)), allow_nan=False)
            given += 1
    assert given > 100
