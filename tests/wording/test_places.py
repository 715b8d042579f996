"""Places in words: along the course, leg by leg, stutters that recur, and what a naive reading would have claimed."""

import pytest

from vigilant.wording import evidence
from wording.made import some

# -- a blind trial


@pytest.mark.parametrize(
    ("hits", "answers", "p", "said"),
    [
        (7, 8, 0.0352, "7 of 8 took after for the smoother one: by guessing 1 time in 28."),
        (5, 8, 0.3633, "5 of 8 took after for the smoother one: by guessing 1 time in 3."),
        (4, 8, 0.6367, "4 of 8 took after for the smoother one: by guessing 64 times in 100."),
        (12, 12, 1 / 4096, "12 of 12 took after for the smoother one: by guessing 1 time in 4,096."),
    ],
)
def test_what_guessing_would_have_hit(hits, answers, p, said):
    assert evidence.blind_sentence(some(hits=hits, answers=answers, p_value=p), "after") == said


def test_of_few_answers_nothing_is_said():
    told = evidence.blind_sentence(some(hits=2, answers=2, p_value=None), "after")
    assert (
        told
        == f"2 of 2 took after for the smoother one: of fewer than {evidence.LEAST_ANSWERS} answers nothing is said."
    )


# -- stutters


@pytest.mark.parametrize(
    ("unit", "period", "stood_out", "said"),
    [
        ("s", 2.0, [], "Before, stutters come every 2.00 s in 6 of 8 runs."),
        ("frames", 119.6, ["river", "river", "paint"], "Before, stutters come every 120 frames in 6 of 8 runs; in most of them river stood out."),
        ("s", 0.5, ["river", "paint"], "Before, stutters come every 0.50 s in 6 of 8 runs."),
        ("s", 0.5, ["", ""], "Before, stutters come every 0.50 s in 6 of 8 runs."),
    ],
)  # fmt: skip
def test_pauses_that_come_regularly(unit, period, stood_out, said):
    assert evidence.regular_sentence(some(unit=unit, period=period, runs=6, of=8), "before", stood_out) == said


@pytest.mark.parametrize(
    ("runs", "of", "differs", "said"),
    [
        (
            (8, 8),
            (8, 8),
            False,
            "the stutter at 41.2 s, in rain, is part of the course: 8 of 8 runs before, 8 of 8 after",
        ),
        ((8, 0), (8, 8), True, "the stutter at 41.2 s, in rain, is gone: 8 of 8 runs before, 0 of 8 after"),
        ((8, 2), (8, 8), True, "the stutter at 41.2 s, in rain, is rarer: 8 of 8 runs before, 2 of 8 after"),
        ((0, 8), (8, 8), True, "the stutter at 41.2 s, in rain, is new: 0 of 8 runs before, 8 of 8 after"),
        ((2, 8), (8, 8), True, "the stutter at 41.2 s, in rain, is more frequent: 2 of 8 runs before, 8 of 8 after"),
        ((5, 9), (5, 16), True, "the stutter at 41.2 s, in rain, is rarer: 5 of 5 runs before, 9 of 16 after"),
    ],
)
def test_a_stutter_at_one_place_is_gone_or_new_or_part_of_the_course(runs, of, differs, said):
    place = some(runs=runs, of=of, differs=differs)
    assert evidence.place_sentence(place, 41.23, "rain") == said
    assert evidence.place_sentence(place, 41.23, "", judged=False) == (
        f"the stutter at 41.2 s recurs: {runs[0]} of {of[0]} runs before, {runs[1]} of {of[1]} after"
    )


@pytest.mark.parametrize(
    ("places", "dense", "said"),
    [
        (0, 0.5, "No stutter recurs at one place: a stutter recurs where 9 runs of both arms, or 5 before or 6 after, have one at one place."),
        (1, 0.0, "1 place has a stutter in most runs: a stutter recurs where 9 runs of both arms, or 5 before or 6 after, have one at one place."),
        (3, 0.6, "3 places have a stutter in most runs: a stutter recurs where 9 runs of both arms, or 5 before or 6 after, have one at one place. They lie so dense that one place is hardly told from its neighbours."),
    ],
)  # fmt: skip
def test_how_many_places_have_a_stutter_in_most_runs(places, dense, said):
    assert evidence.recurring_sentence(some(places=[None] * places, dense=dense, needed=(9, 5, 6))) == said


# -- along the course


def stretch(from_s, to_s, least, most, leg=""):
    return some(from_s=from_s, to_s=to_s, least_ms=least, most_ms=most, leg=leg)


@pytest.mark.parametrize(
    ("found", "said"),
    [
        (stretch(41.4, 58.0, -1.2, -1.8, "rain"), "from 41 to 58 s, in rain: 1.20 to 1.80 ms less"),
        (stretch(41.4, 58.0, 1.2, 1.2), "from 41 to 58 s: 1.20 ms more"),
    ],
)
def test_a_stretch_of_the_course(found, said):
    assert evidence.stretch_sentence(found) == said


def course(stretches=(), **changes):
    values = {
        "se": [1.0],
        "low": [1.0],
        "stretches": tuple(stretches),
        "by": "legs",
        "drift_s": 0.4,
        "fewer": False,
        "unshared": (),
    }
    return some(**{**values, **changes})


def test_where_along_the_course_the_change_is_shown():
    assert evidence.course_sentence(course(se=None), (5, 5)).startswith(
        "The difference along the course cannot be tested"
    )
    assert (
        evidence.course_sentence(course(low=None), (3, 5))
        == "With 3 runs in an arm the difference along the course has no band; four are needed."
    )
    assert evidence.course_sentence(course(), (5, 5)).startswith(
        "Nowhere along the course is the change shown by itself"
    )
    short, long = stretch(10.0, 11.0, -1.0, -1.0), stretch(20.0, 50.0, -2.0, -2.0)
    assert (
        evidence.course_sentence(course([short, long]), (5, 5))
        == "Shown from 20 to 50 s: 2.00 ms less; from 10 to 11 s: 1.00 ms less."
    )
    assert evidence.course_sentence(course([short, long, short, short]), (5, 5)).endswith("; and in 1 shorter stretch.")
    assert evidence.course_sentence(course([short, long, *[short] * 3]), (5, 5)).endswith(
        "; and in 2 shorter stretches."
    )


def test_what_limits_the_picture_of_a_course_is_noted():
    hatching = "The hatching goes from the lowest to the highest run: a range of runs, not an interval."
    assert evidence.course_notes(course()) == [hatching]
    assert evidence.course_notes(course(by="time", fewer=True)) == [
        "The runs have no legs: places are told by time alone, and lie a median of 0.40 s apart at the end.",
        "That is over half a step of the picture, which has fewer steps for it.",
    ]
    assert evidence.course_notes(course(unshared=("pier", ""))) == [
        "Not all runs have pier, what lies before the first leg: left out of the picture.",
        hatching,
    ]
    assert "a, b, c, d and 2 more" in evidence.course_notes(course(unshared=tuple("abcdef")))[0]


# -- leg by leg


def worst(name="pier", difference=0.84, low=0.4, high=1.3):
    return some(name=name, difference=difference, ci_low=low, ci_high=high)


@pytest.mark.parametrize(
    ("figure", "found", "said"),
    [
        ("mean_ms", worst(), "Mean frame: pier fared worst, with 0.8 ms more (+0.4 to +1.3; the interval is wider for being chosen among the legs)."),
        ("mean_ms", worst(difference=-0.84, low=-1.04, high=-0.64), "Mean frame: pier fared worst, with 0.84 ms less (-1.04 to -0.64; the interval is wider for being chosen among the legs)."),
        ("late_share", worst(difference=0.021, low=-0.001, high=0.043), "Late frames: pier fared worst, with 2.1 points more (-0.1 to +4.3; the interval is wider for being chosen among the legs)."),
    ],
)  # fmt: skip
def test_the_leg_that_fared_worst(figure, found, said):
    table = some(worst={figure: found}, no_leg_worse={})
    assert evidence.legs_sentences(table, figure) == [said]


@pytest.mark.parametrize(
    ("claim", "said"),
    [
        (some(said=True), "No leg got worse by its margin or more: that is shown for every leg at once."),
        (some(said=False, leg="bank", runs_needed=None), "That no leg got worse is not shown: bank may have."),
        (some(said=False, leg="bank", runs_needed=14), "That no leg got worse is not shown: bank may have; 14 runs an arm would settle it."),
    ],
)  # fmt: skip
def test_whether_no_leg_got_worse(claim, said):
    assert evidence.legs_sentences(some(worst={}, no_leg_worse={"mean_ms": claim}), "mean_ms") == [said]
    assert evidence.legs_sentences(some(worst={}, no_leg_worse={}), "mean_ms") == []


# -- pictures of a sequence


def test_why_a_sequence_is_not_compared():
    assert evidence.sequence_missing(["before"], []) == "only before has it"
    assert evidence.sequence_missing([], []) == evidence.COST_STILL
    assert evidence.sequence_missing(["before", "after"], ["after"]) == "no run after has all of its pictures"


@pytest.mark.parametrize(
    ("share", "floor", "said"),
    [
        (None, None, "none of its pictures could be compared"),
        (0.0123, None, "of 3 pictures 1 changed, 2 same; on the mean 1.2 % of the pixels differ; no arm has a second run of it to tell noise by"),
        (0.0123, 0.0004, "of 3 pictures 1 changed, 2 same; on the mean 1.2 % of the pixels differ, between runs of one arm at most 0.040 %"),
    ],
)  # fmt: skip
def test_what_the_pictures_of_a_sequence_say_together(share, floor, said):
    assert evidence.sequence_sentence(some(pictures=["same", "changed", "same"], share=share, floor=floor)) == said


# -- naive readings


@pytest.mark.parametrize(
    ("before", "after", "p", "claimed"),
    [
        (48.0, 56.0, None, "8.0 ms more"),
        (56.0, 48.0, 0.03, "8.0 ms less, p = 0.0300, called significant"),
        (56.0, 48.0, 0.05, "8.0 ms less, p = 0.0500"),
        (56.0, 55.0, 0.00001, "1.00 ms less, p below 0.0001, called significant"),
        (56.0, 56.0, None, "no difference"),
    ],
)
def test_what_a_naive_reading_would_have_claimed(before, after, p, claimed):
    told = evidence.naive_reading(some(name="worst frame", before=before, after=after, unit="ms", p_value=p))
    assert told["claimed"] == claimed
    assert told["label"] == "The worst frame of all runs"
    assert told["why"].startswith("It is one frame")
