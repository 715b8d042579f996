"""The field in words: every sentence from shares and differences made by hand."""

import pytest

from vigilant.core.field import Compared, Difference, Expected, GoesWith, LeftEarly, Share, Told
from vigilant.wording import field


def share(p, low, high):
    return Share(p, low, high, 0.0, 9.0, 10.0, 10)


def differing(d, p, before=0.05, se=0.002):
    return Difference(before, before + d, d, d - 2 * se, d + 2 * se, p, 60.0, se)


MORE, LESS, ALIKE = differing(0.02, 0.001), differing(-0.02, 0.001), differing(0.0, 0.9)
UNCLEAR = differing(0.01, 0.2, se=0.02)


# -- numbers


@pytest.mark.parametrize(("p", "said"), [(0.0042, "0.42 %"), (0.031, "3.1 %"), (0.12, "12 %"), (0.0, "0.00 %"), (1.0, "100 %"), (0.00999, "1.00 %")])  # fmt: skip
def test_a_share_has_digits_by_its_size(p, said):
    assert field.share(p) == said


@pytest.mark.parametrize(("p", "said"), [(0.02, "2 %"), (0.005, "0.5 %"), (0.125, "12.5 %")])
def test_a_goal_is_written_as_it_was_chosen(p, said):
    assert field.goal(p) == said


@pytest.mark.parametrize(
    ("d", "said"),
    [(0.021, "+2.1 points"), (-0.004, "-0.40 points"), (0.0, "0.00 points"), (-0.00001, "0.00 points"), (0.01, "+1.0 points")],
)  # fmt: skip
def test_a_difference_has_a_sign(d, said):
    assert field.points(d) == said


@pytest.mark.parametrize(
    ("low", "high", "said"),
    [
        (0.001, 0.004, "0.10 to 0.40 %"),
        (0.008, 0.03, "0.80 to 3.00 %"),
        (0.008, 0.3, "0.8 to 30.0 %"),
        (0.03, 0.05, "3.0 to 5.0 %"),
        (0.03, 0.25, "3.0 to 25.0 %"),
        (0.2, 0.4, "20 to 40 %"),
        (None, 0.4, ""),
        (0.2, None, ""),
    ],
)
def test_both_ends_of_an_interval_have_the_same_digits(low, high, said):
    assert field.between(low, high) == said


@pytest.mark.parametrize(("value", "said"), [(9.96, "10.0"), (10.4, "10"), (1234.0, "1,234"), (0.04, "0.0")])
def test_minutes(value, said):
    assert field.minutes(value) == said


def test_the_ends_of_a_difference_stand_in_points():
    assert field.apart(-0.02, 0.004) == "-2.0 to +0.40 points"


# -- a class


@pytest.mark.parametrize(
    ("found", "standing"),
    [
        (share(0.03, 0.021, 0.04), "over"),
        (share(0.03, 0.02, 0.04), "open"),
        (share(0.01, 0.005, 0.02), "within"),
        (share(0.01, 0.005, 0.021), "open"),
        (share(0.0, None, None), "within"),
        (share(1.0, None, None), "over"),
    ],
)
def test_a_class_stands_over_the_goal_within_it_or_neither_can_be_told(found, standing):
    assert field.standing(found, 0.02) == standing
    assert standing in field.STANDING


@pytest.mark.parametrize(
    ("processor", "graphics", "late", "said"),
    [
        (0, 0, 0, ""),
        (40, 9, 100, "not told for 51 % of its late frames"),
        (40, 10, 100, "the processor, in 80 % of late frames"),
        (20, 40, 100, "the graphics, in 67 % of late frames"),
        (45, 40, 100, "both: processor 53 %, graphics 47 % of late frames"),
        (50, 50, 100, "both: processor 50 %, graphics 50 % of late frames"),
    ],
)
def test_what_limits_a_class(processor, graphics, late, said):
    assert field.limited_by(processor, graphics, late) == said


@pytest.mark.parametrize(
    ("yes", "untold", "sessions", "work", "said"),
    [
        (0, 0, 0, True, ""),
        (49, 0, 100, True, ""),
        (50, 0, 100, True, "held at the refresh: its work times tell what room there is"),
        (25, 25, 100, False, "held at the refresh: how much faster it could run is not known"),
        (10, 60, 100, False, "not told whether held at the refresh: how much faster it could run is not known"),
    ],
)
def test_what_a_refresh_holds_says_nothing_of_room(yes, untold, sessions, work, said):
    assert field.held(yes, untold, sessions, work) == said


@pytest.mark.parametrize(("sessions", "said"), [(299, "few sessions: 299 of 300"), (300, "")])
def test_few_sessions_are_said(sessions, said):
    assert field.few(sessions) == said


def test_sessions_that_are_over_and_none_that_are():
    assert field.sessions_over(Told(0.12, 0.1, 0.15), 0.02) == "12 % of sessions are over 2 % (10 to 15 %)"
    assert field.none_late(0.005) == "nothing was late; at most 0.50 % of sessions have any"


@pytest.mark.parametrize(
    ("names", "most", "said"),
    [
        (["slate"], 8, "One more class (slate) with 14 sessions, too few to show; the largest of them needs 42 more."),
        (["slate", "reed"], 50, "2 more classes with 14 sessions, too few to show."),
    ],
)
def test_classes_too_small_to_show_say_what_they_lack(names, most, said):
    assert field.folded(names, 14, most, 50) == said


@pytest.mark.parametrize(
    ("over", "open_", "shown", "worst", "said"),
    [
        ([], [], 0, "", "river 41: too few sessions so far to say anything of a class."),
        ([], [], 3, "", "In river 41 no class is shown to be over 2 % late."),
        (["slate"], [], 3, "slate", "In river 41 slate is over 2 % late. Of all late minutes 62 % are slate's."),
        (
            ["slate", "reed"],
            ["moss"],
            3,
            "",
            "In river 41 slate and reed are over 2 % late; of moss it cannot be told.",
        ),
        (["a", "b", "c"], [], 3, "", "In river 41 a, b and c are over 2 % late."),
    ],
)
def test_what_a_builds_page_says_first(over, open_, shown, worst, said):
    assert field.headline("river 41", over, open_, shown, 0.02, worst, 0.62) == said


@pytest.mark.parametrize(
    ("value", "low", "high", "said"),
    [
        (20.0, 19.0, 21.0, "20.0 ms (\u2213 5.0 %)"),
        (1500.0, 1024.0, 2400.0, "over 1,024 ms, at most 2,400 ms"),
    ],
)
def test_a_percentile_is_read_off_to_half_its_bucket(value, low, high, said):
    assert field.read_off(0.99, value, low, high) == said


@pytest.mark.parametrize(("low", "high", "said"), [(0.1, 0.1, "10 % over 20.0 ms"), (0.1, 0.2, "10 to 20 % over 20.0 ms: its bounds tell no nearer")])  # fmt: skip
def test_a_histogram_of_other_bounds_tells_no_nearer(low, high, said):
    assert field.other(Told(0.15, low, high), 20.0) == said


@pytest.mark.parametrize(("models", "said"), [(1, "One more model of"), (1200, "1,200 more models of")])
def test_models_that_are_not_named(models, said):
    told = field.other_models(models, 0.031)
    assert told.startswith(said)
    assert told.endswith("hold 3.1 % of its frames.")


# -- builds against each other


def test_a_difference_says_both_levels_and_its_ends():
    assert field.difference(MORE) == "5.0 % to 7.0 %, +2.0 points (+1.6 to +2.4 points)"


@pytest.mark.parametrize(
    ("crude", "alike", "covered", "moved", "said"),
    [
        (MORE, None, 0.0, 0.0, "No class has sessions enough in b 1 and in b 2."),
        (MORE, MORE, 1.0, 0.0, "In total and class by class more is late."),
        (LESS, LESS, 1.0, 0.0, "In total and class by class less is late."),
        (MORE, ALIKE, 1.0, 0.3, "In total more is late; class by class it is alike: other devices play it now."),
        (MORE, LESS, 1.0, 0.1, "In total more is late; class by class less is late."),
        (ALIKE, UNCLEAR, 1.0, 0.0, "In total it is alike; class by class it cannot be told."),
        (MORE, MORE, 0.79, 0.0, "In total more is late. Class by class only 79 % of frames can be held against each other: no call."),
    ],
)  # fmt: skip
def test_both_readings_of_two_builds(crude, alike, covered, moved, said):
    assert field.compared(Compared(crude, alike, covered, moved), "b 1", "b 2") == said


def test_how_far_the_mix_moved():
    told = field.mixed(Compared(MORE, MORE, 0.93, 0.12))
    assert told == "The mix of classes moved by 12 %; 93 % of frames are in classes with sessions enough in both."


# -- labels, and ends


@pytest.mark.parametrize(("part", "said"), [(0.31, "31 %"), (-0.02, "-2.0 %"), (0.0, "0.00 %")])
def test_what_is_beyond_unlabelled_play(part, said):
    assert field.excess(part) == said


@pytest.mark.parametrize(("names", "said"), [([], "no label"), (["rain"], "only rain"), (["rain", "fog", "wind"], "shared by rain, fog and wind")])  # fmt: skip
def test_a_set_of_labels_has_a_name(names, said):
    assert field.set_name(names) == said


def label(d, used=1.0):
    return GoesWith(d, d - 0.004, d + 0.004, 0.5, 20.0, used)


@pytest.mark.parametrize(
    ("d", "p", "said"),
    [
        (0.02, 0.001, "goes with more lateness in the same place, tier and class: +2.0 points (+1.6 to +2.4 points)"),
        (-0.02, 0.049, "goes with less lateness in the same place, tier and class: -2.0 points (-2.4 to -1.6 points)"),
        (0.02, 0.05, "nothing shown in the same place, tier and class: +2.0 points (+1.6 to +2.4 points)"),
    ],
)
def test_what_a_label_goes_with(d, p, said):
    assert field.goes_with("rain", label(d), p) == said


def test_a_label_that_cannot_be_held_against_anything():
    assert field.goes_with("rain", None, None) == "is nowhere both there and not there: nothing to hold it against"
    assert field.goes_with("rain", label(0.0, used=0.3), None) == (
        "only 30 % of its frames can be held against the same place, tier and class without it: no call"
    )


def ending(ratio, p, pairs=80.0):
    return LeftEarly(ratio, *((None, None) if ratio is None else (ratio * 0.8, ratio * 1.25)), p, pairs)


@pytest.mark.parametrize(
    ("found", "said"),
    [
        (ending(None, None, 12.0), "Too few endings near a late burst to tell (12; 50 are asked for)."),
        (ending(2.0, 0.01), "Sessions end 2.00 times as often (1.60 to 2.50) within 10 s after a late burst as half a minute later: the end goes with it, which does not say because."),
        (ending(1.2, 0.3), "It is not shown that sessions end more often within 10 s after a late burst: 1.20 times as often (0.96 to 1.50)."),
        (ending(2.0, 0.01, 30.0), "Sessions end 2.00 times as often (1.60 to 2.50) within 10 s after a late burst as half a minute later: the end goes with it, which does not say because. 30 endings tell it; 50 are asked for."),
    ],
)  # fmt: skip
def test_whether_sessions_end_after_a_late_burst(found, said):
    assert field.left_early(found) == said


def test_how_sessions_ended_in_one_order_and_only_what_was_seen():
    assert field.endings({"crash": 3, "person": 9, "update": 0}) == [("by the person", 9), ("by a crash", 3)]


# -- devices and tiers


@pytest.mark.parametrize(
    ("cumulated", "said"),
    [
        ([], "No model holds anything beyond 2 % late."),
        ([0.7, 1.0], "This one holds 70 % of what is late beyond 2 %."),
        ([0.3, 0.6, 1.0], "These two hold 60 % of what is late beyond 2 %."),
        ([0.1, 0.2], "These two hold 20 % of what is late beyond 2 %."),
        ([i / 20 for i in range(1, 21)], "These 12 hold 60 % of what is late beyond 2 %."),
    ],
)
def test_how_much_the_first_devices_of_a_list_hold(cumulated, said):
    assert field.borrow(cumulated, 0.02) == said


def test_what_is_expected_of_a_tier():
    assert field.expected(None) == ""
    assert field.expected(Expected(0.03, 0.02, 0.05, "seen")) == "3.0 % (2.0 to 5.0 %)"


@pytest.mark.parametrize(
    ("move", "waits", "said"),
    [
        ("down", "", "down a tier"),
        ("down", "over the goal", "down a tier"),
        ("stay", "", "stay"),
        ("stay", "over the goal for 3 days; moved after 7", "stay: over the goal for 3 days; moved after 7"),
        ("the tier is not what makes it late", "", "stay: the tier is not what makes it late"),
    ],
)
def test_what_is_proposed_of_a_class(move, waits, said):
    assert field.proposed(move, waits) == said


@pytest.mark.parametrize(("days", "said"), [(6, "over the goal for 6 days; moved after 7"), (7, "")])
def test_a_class_is_late_for_some_days_before_it_is_moved(days, said):
    assert field.late_since(days, 7) == said


@pytest.mark.parametrize(
    ("times", "said"),
    [
        (None, "no tier would bring it within the goal"),
        (1.0, "needs none"),
        (0.75, "a new lowest tier would have to take 25 % less to be within 2 %"),
    ],
)
def test_a_new_lowest_tier(times, said):
    assert field.new_lowest(times, 0.02) == said


@pytest.mark.parametrize(
    ("times", "said"),
    [
        (None, "no room for a higher tier"),
        (1.0, "no room for a higher tier"),
        (1.3, "a new highest tier may take 30 % more and stay under half the goal"),
    ],
)
def test_a_new_highest_tier(times, said):
    assert field.new_highest(times) == said


def test_two_kinds_of_devices_in_one_tier():
    assert field.split(2.345, 3, 8).startswith(
        "two kinds of devices in one tier: 3 of 8 models, and the others with 2.3 times"
    )
    assert "fewer than 4 models were seen here and at low" in field.too_few_models(4, "low")
