"""Switching off one at a time: the arms that a plan's switches make, and a recording of them with its account."""

import json
import sys

import pytest
import tomli_w
from click.testing import CliRunner

from bench.recording import QUICK
from vigilant.cli.gate import gate_command
from vigilant.cli.record import record_command
from vigilant.formats.errors import PlanError
from vigilant.plan import parse_plan, with_arms

#: Everything on takes 12 ms; what is given is taken off.
FESTIVAL = [sys.executable, "-c", QUICK.replace("float(sys.argv[1])", "12.0 - sum(map(float, sys.argv[1:]))")]
PLAN = {
    "scenario": {"name": "river", "target_fps": 60, "duration_s": 0.2},
    "arm": [{"command": FESTIVAL}, {"name": "nothing", "command": [*FESTIVAL, "9"], "empty": True}],
    "switch": [{"name": "boats", "off": ["4"], "cure": ["2.5"]}, {"name": "ripples", "off": ["2"]}],
    "recording": {"runs": 3, "order_seed": 5},
}


def test_switches_make_arms(tmp_path):
    made = parse_plan(PLAN, tmp_path)
    assert [(a.label, a.name, a.command[3:], a.off, a.cures) for a in made.arms] == [
        ("before", "everything on", (), "", ""),
        ("after", "boats off", ("4",), "boats", ""),
        ("after 2", "boats cured", ("2.5",), "", "boats"),
        ("after 3", "ripples off", ("2",), "ripples", ""),
        ("empty", "nothing", ("9",), "", ""),
    ]
    assert made.account == "switched"
    assert parse_plan(made.raw, tmp_path).arms == made.arms  # as it is stored and sent
    named = with_arms({"arm": [{"subject": "festival", "arguments": ["--all"]}], "switch": PLAN["switch"][1:]})
    assert named["arm"][1] == {"subject": "festival", "arguments": ["--all", "2"], "name": "ripples off", "off": "ripples"}  # fmt: skip


@pytest.mark.parametrize(("change", "said"), [
    ({"arm": [{"command": ["a"]}, {"command": ["b"]}]}, r"one \[\[arm\]\]; there are 2"),
    ({"arm": [{"command": ["a"], "empty": True}]}, "there are 0"),
    ({"switch": [{"name": "boats"}]}, "boats says neither"),
    ({"switch": [{"off": ["4"]}]}, "needs a name"),
    ({"switch": [{"name": f"s{i}", "off": ["1"], "cure": ["2"]} for i in range(17)]}, "36 arms; 33 are the most"),
    ({"switch": [{"name": "boats", "off": ["1"]}, {"name": "boats", "off": ["2"]}]}, "two switches have one name: boats, boats"),
    ({"switch": [], "arm": [{"command": ["a"], "off": "boats"}, {"command": ["b"], "cures": "boats"}]}, "the first arm has everything on"),
    ({"switch": [], "arm": [{"command": ["a"]}, {"command": ["b"], "off": "boats"}, {"command": ["c"]}]}, "after 2 of a screening has one switch off"),
    ({"switch": [], "arm": [{"command": ["a"]}, {"command": ["b"], "off": "boats", "cures": "boats"}]}, "has one switch off, or cured"),
    ({"switch": [], "arm": [{"command": ["a"]}, {"command": ["b"], "off": "x"}, {"command": ["c"], "off": "x"}]}, "two arms have x off"),
    ({"recording": {"until_decided": True}}, "until_decided is for two arms"),
    ({"arm": [{"page": "http://a/"}]}, "not ours to start"),
])  # fmt: skip
def test_switches_that_make_no_plan_are_refused(change, said, tmp_path):
    with pytest.raises(PlanError, match=said):
        parse_plan({**PLAN, **change}, tmp_path)


@pytest.fixture(scope="module")
def plan_file(tmp_path_factory):
    path = tmp_path_factory.mktemp("switches") / "plan.toml"
    path.write_text(tomli_w.dumps(PLAN))
    return path


def test_a_recording_of_switches_says_its_account(plan_file, monkeypatch):
    monkeypatch.setenv("COLUMNS", "80")
    spool = plan_file.parent / "spool"
    got = CliRunner().invoke(record_command, [str(plan_file), "--spool", str(spool)])
    assert got.exit_code == 0, got.output
    assert "Switching boats off saves most of the mean frame" in got.stdout
    rows = [line.split() for line in got.stdout.splitlines()]
    assert [row[1] for row in rows if row and row[0] in ("1.", "2.")][:2] == ["boats", "ripples"]
    assert "boats cured: Its own price: 1." in got.stdout
    assert all(len(line) <= 80 for line in got.stdout.splitlines())


def test_the_account_as_json_and_no_gate_of_it(plan_file):
    (spool,) = (plan_file.parent / "spool").iterdir()
    got = CliRunner().invoke(record_command, ["--go-on", str(spool), "--json"])
    found = json.loads(got.stdout)["account"]["mean_ms"]
    by = {row["name"]: row for row in found["switches"]}
    assert (by["boats"]["ms"], by["ripples"]["ms"]) == (pytest.approx(4.0, abs=0.3), pytest.approx(2.0, abs=0.3))
    assert found["cures"][0]["ms"] == pytest.approx(2.5, abs=0.3)
    assert found["total"]["ms"] == pytest.approx(9.0, abs=0.3)
    assert found["gap"]["high_ms"] < 0  # 3 ms are gone only when everything is off
    policy = plan_file.parent / "gate.toml"
    policy.write_text('[gate]\nplan = "plan.toml"\n')
    refused = CliRunner().invoke(gate_command, [str(policy)])
    assert (refused.exit_code, "a gate judges builds" in " ".join(refused.output.split())) == (2, True)


CHANGES = {
    **PLAN,
    "arm": [{"command": [*FESTIVAL, "0"]}],
    "switch": [{"name": "cells", "on": ["3"]}, {"name": "half", "on": ["1"]}],
    "recording": {"runs": 3, "order_seed": 5, "switches": "in combinations"},
}


def test_changes_make_the_combinations_of_a_design(tmp_path):
    made = parse_plan(CHANGES, tmp_path)
    assert made.account == "untangled"
    assert [(a.name, a.command[3:], a.on) for a in made.arms] == [
        ("none of them", ("0",), ()), ("cells", ("0", "3"), ("cells",)), ("half", ("0", "1"), ("half",)),
        ("cells + half", ("0", "3", "1"), ("cells", "half")),
    ]  # fmt: skip
    assert parse_plan(made.raw, tmp_path).arms == made.arms
    five = parse_plan({**CHANGES, "switch": [{"name": f"c{i}", "on": [str(i)]} for i in range(5)]}, tmp_path)
    assert len(five.arms) == 16
    off = with_arms({**CHANGES, "arm": [{"subject": "festival"}], "switch": [{"name": "old way", "off": ["--old"]}, *CHANGES["switch"][1:]]})  # fmt: skip
    assert [arm["arguments"] for arm in off["arm"]] == [["--old"], [], ["--old", "1"], ["1"]]


@pytest.mark.parametrize(("change", "said"), [
    ({"switch": CHANGES["switch"][:1]}, "from 2 to 8 changes are untangled, got 1"),
    ({"switch": [{"name": f"c{i}", "on": ["1"]} for i in range(9)]}, "got 9"),
    ({"switch": [{"name": "a", "cure": ["1"]}, {"name": "b", "on": ["1"]}]}, "change a says neither"),
    ({"switch": [], "arm": [{"command": ["a"], "on": []}, {"command": ["b"], "on": ["x"]}]}, "from 2 to 8"),
    ({"switch": [], "arm": [{"command": [c], "on": on} for c, on in (("a", []), ("b", ["x"]), ("c", ["y"]))]}, "not the combinations of x, y"),
    ({"switch": [], "arm": [{"command": ["a"], "on": []}, {"command": ["b"]}]}, "every arm says which are on"),
])  # fmt: skip
def test_changes_that_are_no_design_are_refused(change, said, tmp_path):
    with pytest.raises(PlanError, match=said):
        parse_plan({**CHANGES, **change}, tmp_path)


def test_a_recording_of_changes_untangles_them(tmp_path, monkeypatch):
    monkeypatch.setenv("COLUMNS", "80")
    (tmp_path / "plan.toml").write_text(tomli_w.dumps(CHANGES))
    got = CliRunner().invoke(record_command, [str(tmp_path / "plan.toml"), "--spool", str(tmp_path / "spool")])
    assert got.exit_code == 0, got.output
    assert "Most of the change of the mean frame is cells: " in got.stdout
    assert all(len(line) <= 80 for line in got.stdout.splitlines())
    (spool,) = (tmp_path / "spool").iterdir()
    found = json.loads(CliRunner().invoke(record_command, ["--go-on", str(spool), "--json"]).stdout)["account"]["mean_ms"]  # fmt: skip
    credit = {row["name"]: row["ms"] for row in found["credits"]}
    assert credit == {"cells": pytest.approx(-3.0, abs=0.3), "half": pytest.approx(-1.0, abs=0.3)}
    assert sum(credit.values()) == pytest.approx(found["total"]["ms"])
    assert not found["interactions"][0]["shown"]


#: Together the two take 1.5 ms more than one by one.
MIXED = {
    **PLAN,
    "arm": [{"command": [sys.executable, "-c", QUICK.replace("float(sys.argv[1])", "(5.0 + sum(map(float, sys.argv[1:])) + 1.5 * (len(sys.argv) > 2))")]}],
    "switch": [{"name": "boats", "on": ["4"]}, {"name": "sparks", "on": ["2"]}],
    "recording": {"runs": 4, "order_seed": 5, "switches": "alone and together"},
}  # fmt: skip


def test_loads_alone_and_together(tmp_path, monkeypatch):
    monkeypatch.setenv("COLUMNS", "80")
    made = parse_plan(MIXED, tmp_path)
    assert made.account == "mixture"
    assert [a.on for a in made.arms] == [(), ("boats",), ("sparks",), ("boats", "sparks")]
    assert parse_plan(made.raw, tmp_path).arms == made.arms
    three = [*MIXED["switch"], {"name": "rain", "on": ["1"]}]
    assert [a.on for a in parse_plan({**MIXED, "switch": three}, tmp_path).arms][1:] == [
        ("boats",), ("sparks",), ("rain",), ("boats", "sparks", "rain"),
    ]  # fmt: skip
    (tmp_path / "plan.toml").write_text(tomli_w.dumps(MIXED))
    got = CliRunner().invoke(record_command, [str(tmp_path / "plan.toml"), "--spool", str(tmp_path / "spool")])
    assert got.exit_code == 0, got.output
    assert "Boats and sparks take 1." in got.stdout
    assert "more together than one by one" in " ".join(got.stdout.split())
    (spool,) = (tmp_path / "spool").iterdir()
    found = json.loads(CliRunner().invoke(record_command, ["--go-on", str(spool), "--json"]).stdout)["account"]["mean_ms"]  # fmt: skip
    assert found["call"] == "more than the sum"
    assert found["beyond"]["low_ms"] < 1.5 < found["beyond"]["high_ms"]
    assert found["together_ms"] == pytest.approx(12.5, rel=0.03)


@pytest.mark.parametrize(("change", "said"), [
    ({"switch": MIXED["switch"][:1]}, "from 2 to 8 loads, got 1"),
    ({"switch": [{"name": "a", "off": ["1"]}, {"name": "b", "on": ["1"]}]}, "load a says nothing"),
    ({"switch": [{"name": f"l{i}", "on": ["1"]} for i in range(9)]}, "got 9"),
    ({"switch": [], "arm": [{"command": [c], "on": on} for c, on in (("a", []), ("b", ["x"]), ("c", ["x", "y"]))]}, "not the combinations of x, y"),
])  # fmt: skip
def test_loads_that_are_no_mixture_are_refused(change, said, tmp_path):
    with pytest.raises(PlanError, match=said):
        parse_plan({**MIXED, **change}, tmp_path)
