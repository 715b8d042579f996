"""Plans and the order of runs."""

import re
from itertools import pairwise
from pathlib import Path

import pytest

from vigilant.core.schedule import draw_order
from vigilant.core.settle import Settle
from vigilant.formats.errors import PlanError
from vigilant.plan import ArmRef, PlanTables, load_plan, page_origin, parse_plan
from vigilant.plan.armref import PATTERN, held, in_order
from vigilant.plan.tables import SettleTable

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
        ({"scenario": {"name": "x", "duration_s": -1}}, r"\[scenario\] duration_s must be from 0.1 on, got -1"),
        ({"scenario": {"name": "x", "target_fps": -60}}, "target_fps"),
        ({"recordings": {}}, r"unknown table \[recordings\]"),
        ({"recording": {"runs": 0}}, "runs must be from 1 on, got 0"),
        ({"recording": {"order": "abab"}}, "order must be"),
        ({"policy": {"primaries": ["fastness"]}}, "unknown figure"),
        ({"recording": {"load": 400}}, "the scenario has no load"),
        ({"scenario": {"name": "x", "load": {"knob": "boats"}}}, "load needs its values"),
        (
            {"scenario": {"name": "x", "load": {"knob": "boats", "values": ["many"]}}},
            "load values 1 must be a number, got 'many'",
        ),
        ({"scenario": {"name": "x", "load": {"knob": "boats", "values": []}}}, "load values is empty"),
        (
            {"scenario": {"name": "x", "load": {"knob": "boats", "values": [1, 4]}}, "recording": {"load": 2}},
            "load 2 is none of the scenario's; it has 1, 4",
        ),
        ({"arm": [{"command": "a b"}, {"command": ["b"]}]}, "arm 1 command must be a list"),
        ({"arm": [{"command": ["a"], "shell": True}, {"command": ["b"]}]}, "unknown key 'shell'"),
        ({"arm": [{"page": "http://a"}, {"command": ["b"]}]}, "either all arms are pages"),
        ({"arm": [{"page": "http://a"}, {"page": "http://b", "command": ["b"]}]}, "one of them"),
        ({"arm": [{"page": "http://a", "tap": True}, {"page": "http://b"}]}, "not ours to start"),
        *(
            ({"arm": [{"page": page}, {"page": "http://b"}]}, said)
            for page, said in {
                "festival.html": "begins with http",
                "javascript:alert(1)": "begins with http",
                "http://": "begins with http",
                "http://a b/": "begins with http",
                "http://a:99999/": "is no address",
                "http://me:word@a/": "neither a name",
                "http://a/#b": "nor a # part",
            }.items()
        ),
        *(
            ({"arm": [{"page": "http://a"}, {"page": "http://b"}], "recording": asked}, "needs a recorder")
            for asked in ({"files": ["a"]}, {"until_decided": True}, {"played": "by hand"}, {"quiet_share": 0.3})
        ),
    ],
)
def test_bad_plans_are_refused(change, message):
    with pytest.raises(PlanError, match=message):
        parse_plan({**GOOD, **change}, Path())


def test_every_fault_of_a_plan_is_named_with_its_place():
    legs = [{"name": "pier"}, {"name": 7, "play": "yes"}]
    guards = ["load_ms", {"name": "peak_mb", "margin": -1}]
    bad = {
        "scenario": {"name": "x", "target_fps": "sixty", "legs": legs},
        "recording": {"runs": True, "pairs": 5},
        "policy": {"guards": guards},
        "conditions": {"vsync": ["off"]},
        "arm": [{"command": ["a", 4]}, {"command": ["b"]}],
    }
    with pytest.raises(PlanError) as refused:
        parse_plan(bad, Path(), "p.toml")
    for said in (
        "p.toml: [scenario] target_fps must be a number, got 'sixty'",
        "[scenario] legs 2 name must be a text, got 7",
        "[scenario] legs 2 play must be true or false, got 'yes'",
        "[recording] runs must be a whole number, got True",
        "unknown key 'pairs' in [recording]; known: blank, discard_s, ",
        "[policy] guards 2 margin must be above 0",
        "[conditions] vsync must be a text, a number, or true or false, got ['off']",
        "arm 1 command 2 must be a text, got 4",
    ):
        assert said in str(refused.value)


def test_a_default_stands_in_one_place():
    plan = parse_plan(GOOD, Path())
    tables = PlanTables.model_validate(GOOD)
    assert (plan.duration_s, plan.bench.quiet_wait_s) == (tables.scenario.duration_s, tables.recording.quiet_wait_s)
    assert plan.policy.primaries == tuple(tables.policy.primaries)
    assert plan.policy.late_tolerance == tables.policy.late_tolerance
    assert (Settle("boats").within, Settle("boats").for_s) == (0.01, 2.0)
    settle = SettleTable(counter="boats")
    assert Settle("boats") == Settle(**settle.model_dump())


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


def test_an_arm_is_a_place_and_a_role_and_its_label_is_only_written():
    refs = [ArmRef.at(i) for i in range(33)]
    assert [r.label for r in refs[:4]] == ["before", "after", "after 2", "after 3"]
    assert [ArmRef.of(r.label) for r in refs] == refs
    shuffled = ["after 10", "empty", "after 2", "before", "after", "after 2"]
    assert in_order(shuffled) == ["before", "after", "after 2", "after 10", "empty"]
    assert held(shuffled) == ["after", "after 2", "after 10"]
    for wrong in ("after 0", "after 1", "after 33", "After", ""):
        with pytest.raises(ValueError, match="no label"):
            ArmRef.of(wrong)
        assert not re.match(PATTERN, wrong)


@pytest.mark.parametrize(
    ("page", "origin"),
    [
        ("http://A.lantern.test/x?y=1", "http://a.lantern.test"),
        ("https://a.lantern.test:443/", "https://a.lantern.test"),
        ("http://a.lantern.test:8800", "http://a.lantern.test:8800"),
        ("http://[::1]:80/x", "http://[::1]"),
    ],
)
def test_an_origin_is_what_browsers_say_it_is(page, origin):
    assert page_origin(page) == origin
