"""Scenario sheets and goals in words."""

import tomllib
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from vigilant.core.goals import ArmLevel
from vigilant.plan import parse_plan, plan_text
from vigilant.wording.goals import goal_sentence, level_words, threshold
from vigilant.wording.run import measured_rows
from vigilant.wording.sheets import differences, rows_of

FULL = {
    "target_fps": 72.0, "duration_s": 90, "warm_up_s": 5, "cool_down_s": 2.5, "seed": 7, "kind": "stress",
    "legs": [{"name": "pier", "play": False}, {"name": "fireworks", "from_s": 40}],
    "settle": {"counter": "boats", "within": 0.02, "for_s": 3}, "load": {"knob": "boats", "values": [100, 400]},
    "policy": {"primaries": ["p99_ms", "late_share"], "margins": {"p99_ms": 0.1, "late_share": 0.002},
               "witnesses": ["boats"], "guards": ["draws", {"name": "load_ms", "margin": 0.1}], "may_differ": ["driver"]},
}  # fmt: skip


def test_every_key_of_a_definition_is_said():
    assert {r["label"]: r["value"] for r in rows_of(FULL)} == {
        "Target": "72 fps = 13.89 ms",
        "Length of a run": "90 s",
        "Warm-up": "5 s",
        "Cool-down": "2.5 s",
        "Seed": "7",
        "Kind": "stress",
        "Settled when": "boats changes by less than 2 % for 3 s",
        "Legs": "pier (not play), fireworks from 40 s",
        "Carry the verdict": "99th percentile, Late frames",
        "Margins": "99th percentile 10 %, Late frames 0.2 points",
        "Load": "100, 400 boats",
        "Witnesses": "boats",
        "Guards": "draws, load_ms within 10 %",
        "May differ": "driver",
    }


def test_what_carries_the_verdict_is_said_where_it_is_the_usual():
    (row,) = [r for r in rows_of({"target_fps": 60}) if r["key"] == "policy.primaries"]
    assert row["value"] == "Mean frame, Slowest 1 %, Late frames, Stutters a minute"


def test_a_difference_names_both_sides_and_nothing_that_is_alike():
    other = {**FULL, "duration_s": 120, "policy": {**FULL["policy"], "witnesses": ["boats", "draws"]}, "settle": None}
    assert [(d["label"], d["before"], d["after"]) for d in differences(FULL, other)] == [
        ("Length of a run", "90 s", "120 s"),
        ("Settled when", "boats changes by less than 2 % for 3 s", "not stated"),
        ("Witnesses", "boats", "boats, draws"),
    ]
    assert differences(FULL, FULL) == []


def test_a_copied_plan_file_reads_back_as_the_same_scenario():
    plan = parse_plan(tomllib.loads(plan_text('River "course"', FULL)), Path())
    assert plan.scenario == 'River "course"'
    assert (plan.policy.target_fps, plan.policy.trim_s, plan.seed) == (72.0, 5.0, 7)
    assert [(leg.name, leg.from_s, leg.play) for leg in plan.policy.legs] == [
        ("pier", None, False),
        ("fireworks", 40, True),
    ]
    assert plan.policy.primaries == ("p99_ms", "late_share")
    assert dict(plan.policy.margins) == FULL["policy"]["margins"]
    assert plan.policy.settle.within == 0.02


@pytest.mark.parametrize(
    ("figure", "value", "said"),
    [
        ("slowest_second_fps", 72.0, "at least 72 fps"),
        ("late_share", 0.005, "at most 0.5 %"),
        ("p99_ms", 33.3, "at most 33.3 ms"),
        ("most:draws", 2500.0, "at most 2,500"),
    ],
)
def test_thresholds(figure, value, said):
    assert threshold(figure, value) == said


def test_a_goal_says_where_it_must_hold():
    said = goal_sentence("slowest_second_fps", 72, ["pier", "fireworks"], "2", "thin laptop")
    assert said == "Slowest second: at least 72 fps, in pier and fireworks, at load 2, on thin laptop"
    assert goal_sentence("most:draws", 900, [], "", "") == "draws in any frame: at most 900"


@pytest.mark.parametrize(
    ("level", "value", "words"),
    [
        (ArmLevel("p99_ms", 20.04, 19.5, 20.6, 21.0, 5), 22.0, ("20.0 ms", "19.5 to 20.6", "2.0 ms to spare")),
        (ArmLevel("late_share", 0.012, 0.010, 0.014, 0.02, 5), 0.01, ("1.20 %", "1.00 to 1.40", "0.20 points missing")),
        (ArmLevel("slowest_second_fps", 64.5, 64.5, 64.5, 64.5, 8, True), 72.0, ("64.50 fps", "the worst of 8 runs", "7.50 fps missing")),
        (ArmLevel("mean_ms", 10.0, None, None, 10.0, 1), 11.0, ("10 ms", "one run: no interval", "1 ms to spare")),
        (ArmLevel("most:draws", 896.0, 896.0, 896.0, 896.0, 1, True), 950.0, ("896", "the worst of 1 run", "54 to spare")),
    ],
)  # fmt: skip
def test_a_level_its_interval_and_the_distance(level, value, words):
    got = level_words(level, value)
    assert (got["level"], got["interval"], got["distance"]) == words


def test_what_was_measured_in_words():
    rows = measured_rows({"other work": 0.123, "temperature_c": 71.4, "live view ms a frame": 0.0215, "wind": 3.0})
    assert [(r["label"], r["value"]) for r in rows] == [
        ("Other work", "12 % of a core"),
        ("Temperature", "71 °C"),
        ("Live view", "0.021 ms of processor time a frame"),
        ("wind", "3.00"),
    ]


KEYS = st.text(min_size=1, max_size=12)
SCALARS = st.text(max_size=20) | st.integers(-(2**31), 2**31) | st.booleans()


@given(
    st.text(min_size=1, max_size=30),
    st.dictionaries(KEYS, SCALARS | st.dictionaries(KEYS, SCALARS, max_size=3), max_size=5),
)
def test_whatever_a_definition_holds_its_plan_reads_back(name, more):
    """Names that look like TOML stay names: nothing of a definition becomes a table or a command."""
    definition = {**more, "policy": {"margins": more}}
    definition.pop("name", None)
    back = tomllib.loads(plan_text(name, definition))
    assert back["scenario"] == {"name": name, **{k: v for k, v in definition.items() if k != "policy"}}
    assert [arm["command"] for arm in back["arm"]] == [["./festival"]] * 2
    assert set(back) == {"scenario", "policy", "arm", "recording"}
