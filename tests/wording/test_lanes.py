"""Where the time goes, in words: each call has its own, and what is not told says why."""

import pytest

from vigilant.core.work import Headroom, LaneChange, LanesFound, Limit, Overlap, PartChange, PartOfArm
from vigilant.wording import lanes as wording

GPU, PAINT, PACED = Limit(1, "gpu", 0.61, 0.55, 0.67), Limit(0, "paint", 0.3, 0.26, 0.35), Limit(-2, "paced", 0.09, 0.07, 0.12)  # fmt: skip


def found(call="overlap", phi=0.1, limits=(PAINT, GPU, PACED), headroom=None, **more):
    return LanesFound(
        more.get("lags", {}), Overlap(call, phi, 0.02), tuple(limits), more.get("rounded", 0.0), more.get("not_told", 0.0),
        headroom or Headroom(2.31, 0.14, -0.6, 0.2),
    )  # fmt: skip


@pytest.mark.parametrize(
    ("call", "said"),
    [
        ("overlap", "as long as its longest lane"),
        ("serial", "all of them together"),
        ("partly", "about 35 % of what runs beside"),
        ("cannot be told", "one of them switched off"),
        ("one lane", "one lane"),
    ],
)
def test_how_lanes_add_up(call, said):
    assert said in wording.overlap_sentence(found(call, 0.35))


def test_what_limits_and_whether_it_moved():
    before = found(limits=[Limit(0, "paint", 0.55, 0.5, 0.6), Limit(1, "gpu", 0.4, 0.35, 0.45)])
    moved = (before.limits[0], GPU)
    assert (
        wording.limit_sentence(before, found(), moved) == "The limit moved from paint (55 % of frames) to gpu (61 %)."
    )
    assert wording.limit_sentence(before, found(), None) == "paint limits 55 % of the frames before and 30 % after."
    paced = found(limits=[Limit(-2, "paced", 0.999, 0.99, 1.0)])
    assert wording.limit_sentence(paced, found(), None).startswith("Paced, with time to spare, are 99.9 %")
    assert wording.limit_sentence(found(limits=[]), found(), None) == ""


@pytest.mark.parametrize("why", list(wording.REFUSED))
def test_headroom_that_is_not_told_says_why(why):
    said = wording.headroom_sentence(found(headroom=Headroom(refused=why), limits=[Limit(-3, "none", 0.4, 0.3, 0.5)]))
    assert said[:8] == "Headroom"
    assert "{" not in said
    assert ("40 %" in said) == (why == "limit-unknown")


def test_headroom_with_what_is_over_and_what_a_cap_hides():
    assert wording.headroom_sentence(found()) == (
        "2.31 ms (± 0.14) left in the mean frame, 0.60 ms (± 0.20) over at the 99th percentile"
    )
    paced = found(limits=[Limit(-2, "paced", 0.8, 0.7, 0.9)])
    assert wording.headroom_sentence(paced).endswith("clocks may be lowered while frames wait")
    untold = found("cannot be told", headroom=Headroom(2.0, 0.1, 1.0, 0.1, -3.5))
    assert "3.50 ms over in the mean frame if the lanes follow each other" in wording.headroom_sentence(untold)


@pytest.mark.parametrize(
    ("change", "said", "words"),
    [
        ((9.83, 7.59, -2.24, -2.32, -2.16, 0.001), "less", ("9.83", "7.59", "2.24", "saved", "2.16 to 2.32")),
        ((5.1, 5.4, 0.3, 0.2, 0.4, 0.01), "more", ("5.10", "5.40", "0.30", "spent", "0.20 to 0.40")),
        ((5.11, 5.12, 0.01, -0.04, 0.06, 0.7), "not shown", ("5.11", "5.12", "0.01", "spent", "0.04 saved to 0.06 spent")),
        ((5.0, 4.0, -1.0, None, None, None), "not tested", ("5.00", "4.00", "1.00", "saved", "")),
    ],
)  # fmt: skip
def test_a_lanes_row(change, said, words):
    row = LaneChange("gpu", *change)
    assert wording.lane_sentence(row) == said
    assert tuple(wording.lane_words(row).values()) == words


def test_notes():
    late = found(not_told=0.08, rounded=0.2, lags={"gpu": 1})
    said = " ".join(wording.lanes_notes(late, found("serial")))
    for part in ("8.0 % of the frames before", "20 % of the frames before were rounded up", "1 frame late before", "The arms differ"):  # fmt: skip
        assert part in said
    assert wording.lanes_notes(found(), found()) == []
    assert (wording.no_limit(found("serial")), wording.no_limit(found("one lane"))) == ("all together", "not told")
    assert wording.share_words(GPU) == {"share": "61 %", "interval": "55 to 67"}


ARM = PartOfArm(4.0, 34.0, 117.6, 1.0, 0.41)


@pytest.mark.parametrize(
    ("row", "said", "words"),
    [
        (PartChange("river", ("steer", "avoid"), "steady", ARM, PartOfArm(2.8, 27.1, 103.3, 1.0, 0.41), -1.2, -1.3, -1.1, 0.001),
         "less", {"difference": "1.20", "column": "saved", "interval": "1.10 to 1.30", "calls": "34.0 to 27.1", "us_a_call": "118 to 103", "share": "41 %"}),
        (PartChange("river", (), "rest", PartOfArm(0.8, 0, None, 1.0, 0.13), PartOfArm(0.9, 0, None, 1.0, 0.14), 0.1, -0.1, 0.3, 0.4),
         "not shown", {"calls": "", "us_a_call": "", "share": "13 to 14 %"}),
        (PartChange("", ("sparks",), "only after", PartOfArm(0, 0, None, 0, 0), ARM, 4.0, 3.9, 4.1, 0.03), "only after", {"calls": "none to 34.0"}),
        (PartChange("", ("sparks",), "only after", PartOfArm(0, 0, None, 0, 0), ARM, 4.0, 3.9, 4.1, 0.12), "only after, by few runs", {}),
        (PartChange("", ("rain",), "events", ARM, ARM, 0.0, untested="too-few-events"), "too few of them", {"interval": ""}),
    ],
)  # fmt: skip
def test_a_parts_row(row, said, words):
    assert wording.part_sentence(row) == said
    got = wording.part_words(row)
    assert {name: got[name] for name in words} == words


def test_notes_on_parts():
    rest = PartChange("river", ("steer",), "rest", ARM, ARM, 0.0, over=True)
    summed = PartChange("river", ("steer",), "steady", ARM, ARM, 0.0, summed=True)
    over, sums = wording.parts_notes([rest, summed])
    assert over.startswith("The parts of river / steer are more than the whole")
    assert sums.endswith("the sum of what lies in them: steer.")
    assert wording.part_name(rest) == "and the rest"
