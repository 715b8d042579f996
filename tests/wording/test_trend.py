"""The line over builds in words: sizes by scale, steps and their places, breaks, alarms from the first to the last, and the gate."""

from datetime import UTC, datetime

import numpy as np
import pytest

from vigilant.core.trend import Across, Bridge, Elsewhere, RunValues, Step, line, scaled
from vigilant.wording import trend as wording


def of(figure, value, late=0):
    return scaled(figure, RunValues(*(np.array([float(one)]) for one in (value, 600, 60.0, late, 0.0))), [1])


@pytest.mark.parametrize(("scale", "level", "to", "said", "shown"), [
    (of("mean_ms", 12.0), 12.0, 12.6, "+5.0 %", "12.00 ms"), (of("mean_ms", 12.0), 12.0, 11.94, "-0.50 %", "12.00 ms"),
    (of("late_share", 0.1, 60), 0.1, 0.15, "+5.0 points", "10.00 %"), (of("late_share", 0.1, 60), 0.1, 0.098, "-0.20 points", "10.00 %"),
    (of("stutters_per_min", 4.0), 4.0, 9.0, "+5.0 a minute", "4.0 a minute"), (of("stutters_per_min", 4.0), 4.0, 4.0, "0.0 a minute", "4.0 a minute"),
])  # fmt: skip
def test_a_size_is_said_in_what_its_figure_is_counted_in(scale, level, to, said, shown):
    y, other = (scale.kind.scale.at(value, scale.minutes) for value in (level, to))
    assert wording.size_said(scale, y, other - y) == said
    assert wording.value_said(scale, y) == shown


BUILDS = [f"b{i}" for i in range(20)]


def test_a_step_says_its_size_its_interval_and_where_it_may_begin():
    step = Step(9, 9, 9, np.log(1.029), np.log(1.021), np.log(1.036))
    assert wording.step_words(step, BUILDS) == "+2.9 % (+2.1 to +3.6 %) from b9 on"
    wide = Step(9, 8, 11, -0.02, -0.03, -0.01)
    assert wording.step_words(wide, BUILDS).endswith("from b9 on; it may begin with any from b8 to b11")


def test_a_build_on_two_set_ups_counts_once():
    made = line([[2.0, 2.01]] * 4)
    assert wording.line_sentence("mean_ms", made, ["b1", "b2", "b2", "b3"]).startswith("The mean frame over 3 builds: levels only")  # fmt: skip


@pytest.mark.parametrize(("facts", "said"), [
    ({"driver": ("24.1", "24.2")}, "driver 24.1, then 24.2"), ({"version": ("3", "4")}, "version of the scenario 3, then 4"),
    ({"tier": ("", "low")}, "tier not stated, then low"), (dict.fromkeys("abcde", ("1", "2")), "a 1, then 2; b 1, then 2; c 1, then 2; and 2 more"),
])  # fmt: skip
def test_a_break_says_what_changed(facts, said):
    assert wording.break_reason(facts) == said


def test_a_break_says_what_joins_it_or_what_would():
    bridge, none = Bridge(np.log(0.98), 1e-6, 20, 2), Across(0.001, -0.01, 0.012)
    said = wording.break_sentence(bridge, none, ["b4", "b5"], wording.share_said, [])
    assert said.startswith("Joined by b4 and b5, recorded on both: the set-ups differ by -2.0 % (-2.2 to -1.8 %).")
    assert said.endswith("No change of the program is shown across; it would have had to exceed 1.1 %.")
    shown = wording.break_sentence(bridge, Across(0.03, 0.02, 0.04), ["b4"], wording.share_said, [])
    assert "Joined by b4, recorded" in shown
    assert shown.endswith("Beside that the program changed by +3.0 % (+2.0 to +4.1 %).")
    apart = wording.break_sentence(None, None, [], wording.share_said, ["b5", "b6"])
    assert apart.endswith("To join them record b5 or b6 on the other side: one is usable, two are better.")
    assert wording.break_sentence(None, None, [], wording.share_said, []).endswith("nothing is compared across.")


def row(worse=True, figure="mean_ms", said="+3.1 %"):
    return {"figure": figure, "worse": worse, "said": said}


@pytest.mark.parametrize(("figures", "said"), [
    ([row()], "b8 is worse than its line: the mean frame +3.1 %"),
    ([row(False, said="-2.0 %")], "b8 is better than its line: the mean frame -2.0 %"),
    ([row(), row(False, "slowest_1pct_ms", "-4.0 %")], "b8 is worse and better than its line: the mean frame +3.1 %, the slowest 1 % of frames -4.0 %"),
])  # fmt: skip
def test_an_alarm_names_every_figure(figures, said):
    assert wording.alarm_sentence("b8", figures) == said


@pytest.mark.parametrize(("state", "later", "said"), [
    ("asked", [], "Record b8 again in another session: that confirms it or takes it back."),
    ("confirmed", [("b9", 1), ("c1", 0)], "A second session says so too. Still there in b9. Not in c1."),
    ("withdrawn", [], "With a second session it is within what sessions differ by."),
    ("explained", [(f"c{i}", 1) for i in range(6)], "Still there in c0 to c5 (6 builds)."),
])  # fmt: skip
def test_an_alarm_says_where_it_stands(state, later, said):
    rows = [{"build": build, "still": ["mean_ms"] * still} for build, still in later]
    assert wording.alarm_state(state, "b8", rows) == said


def test_an_event_names_its_figures_its_place_and_the_other_rigs():
    steps = [("mean_ms", "+2.9 %", "the mean frame"), ("late_share", "+1.2 points", "the share of late frames")]
    head = "From b9 on: the mean frame +2.9 %, the share of late frames +1.2 points"
    assert wording.event_sentence("b9", ("b9", "b9"), steps, False) == f"{head}."
    assert (
        wording.event_sentence("b9", ("b8", "b10"), steps, True)
        == f"{head}; it may begin with any from b8 to b10. A trade-off."
    )
    assert wording.event_sentence("b9", None, steps, False) == f"{head}; their places differ."
    assert wording.elsewhere_sentence("laptop", ["desk"], [("handheld", "+0.4 % at most")]) == "Seen on 2 of 3 rigs: laptop, desk; not on handheld: +0.4 % at most."  # fmt: skip
    assert wording.elsewhere_sentence("laptop", [], []) == ""
    assert wording.at_most(Elsewhere(False, 0.001, -0.002, 0.004), wording.share_said) == "+0.40 % at most"
    assert wording.at_most(Elsewhere(False, 0.0, -np.inf, np.inf), wording.share_said) == "not told"


@pytest.mark.parametrize(("last", "since", "said"), [
    (None, None, "To be recorded every 7 days; it never was."),
    (datetime(2026, 5, 1, tzinfo=UTC), None, "Last recorded on 2026-05-01, to be recorded every 7 days."),
    (datetime(2026, 5, 1, tzinfo=UTC), datetime(2026, 5, 8, tzinfo=UTC), "Last recorded on 2026-05-01, to be recorded every 7 days: overdue since 2026-05-08."),
])  # fmt: skip
def test_what_is_overdue_says_since_when(last, since, said):
    assert wording.recheck_sentence(7, last, since) == said


def test_runs_left_out_are_counted_by_reason():
    assert wording.left_out({}) == ""
    assert wording.left_out({"broken": 2, "set aside": 1}) == "Runs left out: 2 broken, 1 set aside."
