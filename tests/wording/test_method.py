"""The method under a verdict, and what further runs would show: word for word, from results made by hand."""

from dataclasses import replace

import pytest

from vigilant.core.planning import Outlook
from vigilant.wording.method import method_text
from vigilant.wording.outlook import blank_sentence, outlook_document, outlook_row, runs_said
from vigilant.wording.verdict import verdict_sentence
from wording.made import MADE, result


def made(**changes):
    return replace(MADE, **changes)


# -- the method


def test_the_unit_of_evidence_is_the_run():
    first = method_text(made(runs=(5, 6), frames=(12_000, 13_500), timer_step_ms=0.0))[0]
    assert first == (
        "The unit of evidence is the run: 5 before and 6 after, 12,000 and 13,500 frames. Every run gives one value a figure."
    )
    assert method_text(made(timer_step_ms=0.5))[0].endswith(" The clock's step is 0.5 ms.")


@pytest.mark.parametrize(
    ("changes", "said"),
    [
        ({"design": "position", "runs": (4, 5)}, "constant, linear and quadratic"),
        ({"design": "position", "runs": (3, 5)}, "constant and linear"),
        ({"design": "position", "runs": (8, 8), "sessions": 2}, "a constant and a slope for each of 2 sessions"),
        ({"design": "order-unknown"}, "The order of the runs is unknown: the arms were compared by Welch's test."),
        ({"design": "order-confounded"}, "One arm was recorded after the other: nothing was tested."),
        ({"design": "single"}, "An arm has a single run: nothing was tested."),
    ],
)
def test_it_says_what_was_taken_out(changes, said):
    assert said in method_text(made(**changes))[1]


def test_three_runs_have_no_quadratic_term():
    assert "quadratic" not in method_text(made(design="position", runs=(5, 3)))[1]


def test_the_figures_chosen_beforehand_are_named_and_looks_are_told():
    once, looks = method_text(made(look=None))[2], method_text(made(look=(6, 15), alpha=0.0123))[2]
    assert once.startswith("Chosen beforehand: Mean frame, Slowest 1 %, Late frames")
    assert "looks" not in once
    assert "with looks from 4 to 15 pairs; after 6 a figure on its own is tested at 1.23 %, so that all looks together stay at 5 %." in looks  # fmt: skip
    for text in (once, looks):
        assert text.endswith("all other figures are exploratory.")


@pytest.mark.parametrize(("p", "said"), [(0.00009, "p below 0.0001"), (0.0001, "p = 0.0001"), (0.03456, "p = 0.0346")])
def test_each_primary_gives_its_numbers(p, said):
    mean = replace(MADE.figures["mean_ms"], d=-0.0123456, se=0.00345, df=6.0, p_value=p, margin=0.0198, call="better")
    lines = method_text(made(figures={**MADE.figures, "mean_ms": mean}))
    (line,) = [one for one in lines if one.startswith("Mean frame, on ")]
    assert "d = -0.012346, standard error 0.00345, 6 degrees of freedom" in line
    assert f", {said}, margin 0.0198; call: better." in line


def test_what_was_not_tested_gives_none():
    untested = {name: replace(f, se=None) for name, f in MADE.figures.items()}
    assert not [one for one in method_text(made(figures=untested)) if "standard error" in one]


def test_guards_and_quantiles_at_an_edge_are_named_where_there_are_any():
    plain = method_text(made(guards={}, unstable=()))
    assert not [one for one in plain if one.startswith(("Guards", "Not tested"))]
    told = method_text(made(guards={"memory_mb": result()}, unstable=("p99_ms",)))
    assert "Guards, one-sided with Holm's procedure over them: memory_mb." in told
    assert [one for one in told if one.startswith("Not tested, since they lie between the body") and "99" in one]
    assert told[-1] == plain[-1]
    assert plain[-1].startswith("A run's variance is never taken below its floor")


def test_a_look_is_said_with_the_verdict_and_how_far_it_went():
    said = verdict_sentence(made(look=(6, 15), alpha=0.0123))
    assert said.endswith(" Tested at 1.2 % in the look after 6 of at most 15 pairs; 5 % over all looks.")
    assert "look" not in verdict_sentence(made(look=None))


# -- the outlook


def outlook(figure="mean_ms", needed=9, margin=0.02, visible=(0.05, 0.0123)):
    return Outlook(figure, 0.0123, 0.0081, 0.0251, 9.0, margin, (3, 8), visible, (0.2, 0.9), needed)


def test_an_outlook_of_times_is_in_shares_of_the_level():
    row = outlook_row(outlook(), result(), 2.0)
    assert (row["label"], row["margin"], row["needed_said"]) == ("Mean frame", "2.0 %", "9")
    assert row["visible"] == ["5.1 %", "1.2 %"]
    assert row["spread"] == "1.2 % (0.8 to 2.5 %)"
    assert row["sentence"] == "Mean frame: 9 runs an arm show a change of 2.0 %, its margin, with 80 % power."
    assert (row["runs"], row["chance"], row["needed"]) == ([3, 8], [0.2, 0.9], 9)


def test_beyond_what_is_reckoned_it_says_so():
    assert runs_said(None) == "over 500"
    row = outlook_row(outlook(needed=None), result(), 2.0)
    assert row["sentence"].startswith("Mean frame: over 500 runs an arm show a change of")


@pytest.mark.parametrize(
    ("figure", "before", "d", "said"),
    [
        ("late_share", 0.10, 0.2, "1.95 points"),
        ("late_share", 0.10, 0.5, "5.5 points"),
        ("late_share", 0.001, 0.2, "0.02 points"),
        ("stutters_per_min", 4.0, 1.0, "2.3 a minute"),
    ],
)
def test_counts_are_in_their_own_units(figure, before, d, said):
    row = outlook_row(outlook(figure, margin=d, visible=(d, d)), result(figure, before=before), 2.0)
    assert (row["margin"], row["visible"]) == (said, [said, said])
    assert row["spread"] == "0.012 (0.0081 to 0.025)"


def test_a_document_has_an_outlook_of_each_primary_that_was_tested():
    document = outlook_document(MADE)
    assert [row["figure"] for row in document] == [n for n in MADE.primaries if MADE.figures[n].se is not None]
    one = next(iter(document))
    assert one["runs"] == [3, 5, 8, 12]
    assert len(one["visible"]) == len(one["chance"]) == 4


@pytest.mark.parametrize(("alarm", "said"), [(True, "the bench is noisy"), (False, "nothing was called different, and nothing is")])  # fmt: skip
def test_a_blank_test_says_what_it_came_to(alarm, said):
    assert blank_sentence((5, 6), alarm).startswith("One build as both arms, 5 + 6 runs: ")
    assert blank_sentence((5, 6), alarm).endswith(f"{said}.")
