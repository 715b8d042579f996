"""What the leaves say in words."""

import pytest

from vigilant.core.evidence import Block, Difference, Drift, QuantileRange, SpreadFound, StillsJudged
from vigilant.wording.evidence import (
    blocks_sentence,
    drift_sentence,
    spread_sentence,
    still_remark,
    still_sentence,
    stills_sentence,
)

SLOW = QuantileRange(0.55, 0.995, -0.4, -2.13)
ONE = QuantileRange(0.01, 0.01, 0.2, 0.2)


@pytest.mark.parametrize(
    ("found", "mean", "said"),
    [
        (SpreadFound("untold"), True, "Where in the distribution the change is cannot be told: four runs an arm are needed for its band."),
        (SpreadFound("nowhere"), False, "At no quantile is the change shown by itself: the band holds for all of them at once."),
        (
            SpreadFound("nowhere"), True,
            "At no quantile is the change shown by itself, though the mean frame moved: the band holds for all of them at once.",
        ),
        (
            SpreadFound("slow half", (SLOW,)), True,
            "The change is in the slow half of the frames: from the 55th to the 99.5th percentile 0.40 to 2.13 ms less;"
            " the quickest tenth is not shown to have moved.",
        ),
        (
            SpreadFound("some", (ONE, SLOW), True, True), True,
            "The change is in a part of the distribution, for better and for worse: at the 1st percentile 0.20 ms more;"
            " from the 55th to the 99.5th percentile 0.40 to 2.13 ms less.",
        ),
        (
            SpreadFound("all over", (QuantileRange(0.11, 0.92, -1.0, -1.0),), False), True,
            "The change is all over the distribution: from the 11th to the 92nd percentile 1.00 ms less.",
        ),
    ],
)  # fmt: skip
def test_where_in_the_distribution_the_change_is(found, mean, said):
    assert spread_sentence(found, mean) == said


def test_further_ranges_are_counted():
    assert "; and in 2 further ranges" in spread_sentence(SpreadFound("some", (ONE,) * 5, True), True)


@pytest.mark.parametrize(
    ("judged", "said"),
    [
        (StillsJudged("same", "", (0, 0), Difference(0, 0, (0, 0, 0, 0)), None), "no pixel differs"),
        (
            StillsJudged("changed", "", (0, 0), Difference(0.0321, 1558, (1, 2, 41, 38)), Difference(0.001, 7, (0, 0, 3, 3))),
            "3.2 % of its pixels differ, 1,558 in one region; between runs of one arm at most 0.10 %, 7 in one region",
        ),
        (
            StillsJudged("to be looked at", "", (0, 0), Difference(0.0004, 9, (1, 2, 3, 3))),
            "0.040 % of its pixels differ, 9 in one region; no arm has a second run of it to tell noise by",
        ),
        (StillsJudged("not compared", "only before has it"), "only before has it"),
    ],
)  # fmt: skip
def test_what_the_pixels_say(judged, said):
    assert still_sentence(judged) == said


def test_pictures_are_counted_the_worst_first():
    assert stills_sentence(["same", "changed", "same"]) == "3 pictures: 1 changed, 2 same."


def test_a_remark_names_who_saw_it_and_what_it_means_for_a_gain():
    seen = {"by": "Mira Quill", "why": "A lantern is gone."}
    assert still_remark("picture bank.png", "", "4.0 % differ", seen, False) == (
        "the picture bank.png changed: Mira Quill saw: A lantern is gone"
    )
    assert still_remark("picture bank.png", "market bank", "4.0 % differ", None, True).endswith(
        "is not one in the same picture"
    )


@pytest.mark.parametrize(
    ("found", "said"),
    [
        (Drift(0.0203, 0.0161, 0.0246), "From the first slot to the last a frame grew by 2.0 % (1.6 to 2.5 %); the verdict allows for it."),
        (Drift(-0.03, -0.041, -0.018), "From the first slot to the last a frame shrank by 3.0 % (1.8 to 4.1 %); the verdict allows for it."),
        (Drift(0.001, -0.004, 0.006), "No drift is told: from the first slot to the last a frame changed by 0.1 % (-0.4 to 0.6 %)."),
    ],
)  # fmt: skip
def test_drift_is_told_in_its_own_direction(found, said):
    assert drift_sentence(found) == said


def test_blocks_are_counted():
    found = [Block(0, 1, 2, -0.1), Block(2, 5, 4, 0.02), Block(6, 7, 2, -0.01)]
    assert blocks_sentence(found) == "After was quicker in 2 of 3 blocks, each of which holds both arms equally often."
    assert blocks_sentence(found[:1]) == ""
