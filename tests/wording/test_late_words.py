"""Late frames as a set, and what parts could give at most, in words."""

import pytest

from vigilant.wording import free, late
from wording.made import some

# -- late frames as a set


def row(kind="part", lane="main", path=("rain",), net=0.5, half=0.05, share=None, ms=100.0, main=9):
    key = (kind, lane, path)
    return some(kind=kind, lane=lane, path=path, key=key, net=net, half=half, share=net if share is None else share, ms=ms, main=main)  # fmt: skip


def account(rows=(), **changes):
    values = {
        "frames": 1200, "runs": 5, "refused": "", "by_level": 0, "not_told": 0, "over_ms": 900.0, "level_ms": 0.0, "rows": tuple(rows),
    }  # fmt: skip
    return some(**{**values, **changes})


@pytest.mark.parametrize(
    ("key", "name"),
    [
        (("part", "main", ("draw", "rain")), "rain"),
        (("lane", "gpu", ()), "gpu"),
        (("slack", "gpu", ()), "slack of gpu, filled first"),
        (("waiting", "", ()), "waiting and rounding"),
        (("rest", "main", ()), "and the rest"),
        (("rest of the frame", "", ()), "the rest of the frame"),
    ],
)
def test_a_row_of_an_excess_has_a_name(key, name):
    assert late.row_name(key) == name


@pytest.mark.parametrize(("key", "depth"), [(("part", "m", ("a",)), 0), (("part", "m", ("a", "b")), 1), (("rest", "m", ("a",)), 1), (("lane", "m", ()), 0)])  # fmt: skip
def test_a_row_stands_in_by_what_it_lies_in(key, depth):
    assert late.depth(key) == depth


HEAD = "1,200 of 36,000 frames were late after"


@pytest.mark.parametrize(
    ("found", "legs", "said"),
    [
        (account([row()]), [], f"{HEAD}. Of what they have more than the frames around them 50 % (± 5) is rain (main)."),
        (
            account([row(), row(path=("fog",), net=0.46)]),
            [],
            f"{HEAD}. Of what they have more than the frames around them 50 % (± 5) is rain (main), 46 % (± 5) fog (main): which of them is first cannot be told.",
        ),
        (
            account([row(), row(path=("fog",), net=0.2), row(path=("draw", "leaf"), net=0.9)]),
            [],
            f"{HEAD}. Of what they have more than the frames around them 50 % (± 5) is rain (main).",
        ),
        (account([row("rest", path=(), half=None)]), [], f"{HEAD}. Of what they have more than the frames around them 50 % is what no part of main names."),
        (account([row("slack"), row("waiting"), row(net=-0.1)]), [], f"{HEAD}."),
        (account([row()], by_level=240), [], f"{HEAD}, 20 % of them by the level of their leg. Of what they have more than the frames around them 50 % (± 5) is rain (main)."),
        (
            account(refused="by-level", by_level=900),
            [("pier", 700), ("bank", 200)],
            f"{HEAD}. 75 % of them are no longer than the frames around them: these legs are slow (pier: 700 of 1,200), and nothing is ranked.",
        ),
        (account(refused="by-level", by_level=900), [("", 1200)], f"{HEAD}. 75 % of them are no longer than the frames around them: these legs are slow, and nothing is ranked."),
        (account(refused="too-few-late", frames=3, runs=1), [], "3 of 36,000 frames were late after in 1 run: too few to share out what late frames have more of."),
        (account(refused="too-few-late", frames=3, runs=2), [], "3 of 36,000 frames were late after in 2 runs: too few to share out what late frames have more of."),
        (account(refused="too-few-late", frames=0), [], "No frame was late after."),
        (account(refused="not-told"), [], f"{HEAD}; in most of them a lane is not told, so that nothing is ranked."),
    ],
)  # fmt: skip
def test_what_late_frames_have_most_of(found, legs, said):
    assert late.account_sentence(found, "after", "late", 36_000, legs) == said


def test_stutters_have_sentences_of_their_own():
    assert (
        late.account_sentence(account(refused="too-few-late", frames=0), "before", "stutters", 36_000, [])
        == "No frame stuttered before."
    )
    assert late.account_sentence(account(), "before", "stutters", 36_000, []) == "1,200 frames of stutters before."


def test_what_an_account_takes_for_granted_is_noted():
    assert late.account_notes(account(), some(call="overlap")) == []
    notes = late.account_notes(account(not_told=30, level_ms=600.0), some(call="cannot be told"))
    assert notes[0].startswith("Whether the lanes overlap cannot be told")
    assert notes[1] == "In 30 of them a lane is not told: their excess is in the rest of the frame."
    assert (
        notes[2]
        == "Together they are 900 ms over the budget: 600 ms by the level of the frames around them, 300 ms of their own."
    )
    assert len(late.account_notes(account(refused="not-told", level_ms=600.0), None)) == 0


def test_a_row_says_its_share_and_what_slack_takes_of_it():
    words = late.row_words(row(net=0.5, share=0.55), account())
    assert words == {"ms": "0.08", "share": "55 %", "interval": "50 to 60", "net": "50 %", "main": "9"}
    plain = late.row_words(row(half=None, main=0), account())
    assert (plain["interval"], plain["net"], plain["main"]) == ("", "", "")


@pytest.mark.parametrize(
    ("d", "p", "untested", "said"),
    [
        (0.2, 0.01, "", "more"),
        (-0.2, 0.01, "", "less"),
        (0.2, 0.2, "", "not shown"),
        (0.2, None, "too-few-events", "too few of them"),
        (0.2, None, "", "not tested"),
        (0.2, 0.01, "one-run", "not tested"),
    ],
)
def test_a_row_of_two_arms_is_called(d, p, untested, said):
    assert late.change_sentence(some(d_ms=d, p_value=p, untested=untested)) == said


def goes(call="goes with late frames", lag=0, **changes):
    values = {
        "name": "counter:garbage", "call": call, "lag": lag, "held": 0.81, "others": 0.012, "beyond": 0.7, "half": 0.1, "adds": None,
        "least": None, "runs": 5, "of": 6,
    }  # fmt: skip
    return some(**{**values, **changes})


@pytest.mark.parametrize(
    ("rows", "said"),
    [
        ([], "After: too few late frames, or in one run only; nothing is told."),
        ([goes("not shown")], "After: nothing that was recorded is shown to go with late frames."),
        ([goes(lag=-1)], "After: nothing that was recorded is shown to go with late frames."),
        (
            [goes("not shown"), goes(lag=1)],
            "After: garbage explains at most 81 % of the late frames (the others do not hold it); 70 % (60 to 80) beyond chance; seen in 5 of 6 runs.",
        ),
    ],
)  # fmt: skip
def test_what_late_frames_go_with(rows, said):
    assert late.goes_sentence(rows, "after", "late") == said


def test_a_row_of_what_goes_with_them():
    assert late.goes_words(goes(lag=-1, adds=0.05), "stutters") == {
        "when": "the frame after", "held": "81 %", "others": "1.2 %", "beyond": "70 % (60 to 80)", "adds": "5 %", "runs": "5 of 6",
        "call": "goes with stutters",
    }  # fmt: skip
    told = late.goes_words(goes("not shown", lag=1, half=None, least=0.2), "late")
    assert (told["when"], told["beyond"], told["call"]) == (
        "the frame before",
        "70 %",
        "not shown; 20 % beyond chance would have been",
    )
    assert late.goes_words(goes(beyond=0.95, half=0.1), "late")["beyond"] == "95 % (85 to 100)"


# -- what parts could give


def gain(value, half=None):
    return some(value=value, half=half)


def bound(mean=None, p99=None, late_=None, now=(12.0, 20.0, 0.05), refused="", paced=False):
    return some(mean_ms=mean, p99_ms=p99, late=late_, now=now, refused=refused, paced=paced)


@pytest.mark.parametrize(
    ("gains", "ranks"),
    [
        ([], []),
        ([gain(2.0), gain(1.0)], [1, 2]),
        ([gain(2.0, 0.5), gain(1.6, 0.1), gain(1.4, 0.1)], [1, 1, 3]),
        ([gain(2.0, 0.1), gain(1.6, 0.1), gain(1.5, 0.2)], [1, 2, 2]),
        ([gain(2.0), None, gain(1.0)], [1, 2, 3]),
        ([gain(2.0), gain(2.0)], [1, 1]),
    ],
)
def test_parts_that_cannot_be_told_apart_have_one_rank(gains, ranks):
    assert free.ranks(gains) == ranks


RAIN = ("main", ("draw", "rain"))


@pytest.mark.parametrize(
    ("rows", "by", "refused", "said"),
    [
        ([], "mean_ms", "", "The runs report no parts in their lanes."),
        ([], "mean_ms", "held-by-cap", free.REFUSED["held-by-cap"]),
        ([(RAIN, bound(gain(0.97, 0.03)))], "mean_ms", "", "If main / draw / rain were free it would give 0.97 (± 0.03) ms of the mean frame at most, if nothing else changes."),
        ([(RAIN, bound(gain(0.97), late_=gain(0.02)))], "late", "", "If main / draw / rain were free it would give 2.00 points of late frames at most, if nothing else changes."),
        ([(RAIN, bound(gain(0.001, 0.002)))], "mean_ms", "", "No part alone would make frames shorter: the lanes balance, or something else limits them. Two together may."),
    ],
)  # fmt: skip
def test_what_the_first_part_would_give_at_most(rows, by, refused, said):
    assert free.free_sentence(rows, by, refused) == said


@pytest.mark.parametrize(("value", "half", "nothing"), [(0.005, 0.0009, True), (0.005, 0.0011, False), (0.0059, None, True), (0.0061, None, False)])  # fmt: skip
def test_what_is_less_than_a_two_thousandth_is_nothing(value, half, nothing):
    assert free.nothing(bound(gain(value, half)), 1.0) is nothing


def test_a_part_without_a_lane_has_its_path_for_a_name():
    assert free.key_name(("", ("rain",))) == "rain"
    assert not free.nothing(bound(), 1.0)


def test_two_parts_together_say_now_and_then():
    assert free.together_sentence(bound(refused="no-lane")) == free.REFUSED["no-lane"]
    told = free.together_sentence(bound(gain(2.0, 0.1), gain(1.0), gain(0.03)))
    assert (
        told
        == "At most: the mean frame 12.00 to 10.00 ms, 2.00 (± 0.10) ms less; late frames 5.00 to 2.00 %; if nothing else changes."
    )
    assert "late" not in free.together_sentence(bound(gain(2.0), gain(1.0), now=(12.0, 20.0, None)))


def test_a_kept_bound_is_told_again_and_none_is_not():
    assert free.most({"mean_ms": {"value": 0.5, "half": None}}, "mean_ms") == "0.50 ms of the mean frame"
    assert free.most({"p99_ms": {"value": 0.5, "half": 0.25}}, "p99_ms") == "0.50 (± 0.25) ms of the 99th percentile"
    assert free.most(None, "late") == free.most({"late": None}, "late") == ""
    assert free.gain_words(bound(gain(0.5)), 1.234) == {"ms": "1.23", "mean_ms": "0.50", "p99_ms": "", "late": ""}
