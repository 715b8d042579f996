"""Plans and the order of runs."""

from itertools import pairwise
from pathlib import Path

import pytest

from vigilant.core.schedule import draw_order
from vigilant.formats.errors import PlanError
from vigilant.formats.plan import load_plan, parse_plan

GOOD = {"scenario": {"name": "river"}, "arm": [{"command": ["a"]}, {"command": ["b"]}]}


@pytest.mark.parametrize("kind", ["pairs", "mirrored"])
@pytest.mark.parametrize("runs", [1, 2, 5, 8])
def test_order_is_balanced_seeded_and_never_alternates(kind, runs):
    for seed in range(200):
        order = draw_order(runs, seed, kind)
        assert order == draw_order(runs, seed, kind)
        assert order.count("before") == order.count("after") == runs
        assert all(set(order[i : i + 2]) == {"before", "after"} for i in range(0, 2 * runs, 2))
        assert runs == 1 or any(a == b for a, b in pairwise(order))
        if kind == "mirrored" and runs >= 2:
            assert order[:4] == order[3::-1]


@pytest.mark.parametrize(
    ("change", "message"),
    [
        ({"arm": GOOD["arm"][:1]}, "needs two"),
        ({"scenario": {}}, "needs a name"),
        ({"scenario": {"name": "x", "target": 60}}, "unknown key 'target'"),
        ({"scenario": {"name": "x", "duration_s": -1}}, "duration_s must be a number"),
        ({"scenario": {"name": "x", "target_fps": -60}}, "target_fps"),
        ({"recordings": {}}, r"unknown table \[recordings\]"),
        ({"recording": {"runs": 0}}, "runs must be a whole number"),
        ({"recording": {"order": "abab"}}, "order must be"),
        ({"policy": {"primaries": ["fastness"]}}, "unknown figure"),
        ({"recording": {"load": 400}}, "the scenario has no load"),
        ({"scenario": {"name": "x", "load": {"knob": "boats"}}}, "needs a knob"),
        ({"scenario": {"name": "x", "load": {"knob": "boats", "values": ["many"]}}}, "values of load must be a number"),
        ({"scenario": {"name": "x", "load": {"knob": "boats", "values": []}}}, "must be a list of numbers"),
        (
            {"scenario": {"name": "x", "load": {"knob": "boats", "values": [1, 4]}}, "recording": {"load": 2}},
            "load 2 is none of the scenario's; it has 1, 4",
        ),
        ({"arm": [{"command": "a b"}, {"command": ["b"]}]}, "list of strings"),
        ({"arm": [{"command": ["a"], "shell": True}, {"command": ["b"]}]}, "unknown key 'shell'"),
    ],
)
def test_bad_plans_are_refused(change, message):
    with pytest.raises(PlanError, match=message):
        parse_plan({**GOOD, **change}, Path())


def test_a_plan_that_is_not_toml(tmp_path):
    (tmp_path / "p.toml").write_text("[scenario\n")
    with pytest.raises(PlanError, match="not TOML"):
        load_plan(tmp_path / "p.toml")


@pytest.mark.parametrize(
    ("tables", "patience_s"),
    [
        ({}, 2 * 120 + 30),
        ({"scenario": {"name": "river", "duration_s": 10.0, "warm_up_s": 2.0}}, 54),
        ({"recording": {"played": "by hand"}}, 3600),
        ({"recording": {"timeout_s": 7.0}}, 7),
    ],
)
def test_a_run_is_waited_for_twice_its_length_and_half_a_minute(tables, patience_s):
    assert parse_plan({**GOOD, **tables}, Path()).timeout_s == patience_s
