"""Sweeps really recorded: levels chosen one after the other, ceilings, loads that leave, two arms, cores."""

import json
import re
import sys
from dataclasses import replace

import pytest
import tomli_w
from click.testing import CliRunner

from bench.recording import LANTERNFALL, TURN, Silent
from vigilant.bench.levels import levels_of, loads_of
from vigilant.bench.record import prepare, record
from vigilant.bench.spool import RecordingSpool
from vigilant.cli.record import record_command
from vigilant.cli.swept import cores_of, knob_of, leg_ramp_of, ramp_of
from vigilant.core.sheet import RECORDER_ENDED
from vigilant.formats.errors import PlanError
from vigilant.plan import parse_plan

#: Frames of 2 ms and so much a unit, with the load counted; some of it leaves, or the subject crashes above a load, or is capped.
SUBJECT = """
import json, os, random, sys
each, load = (float(a) for a in sys.argv[1:] if "=" not in a)
said = dict(a.split("=") for a in sys.argv[1:] if "=" in a)
crash, leaves, cap, rich = (float(said.get(k, 0)) for k in ("crash", "leaves", "cap", "rich"))
if crash and load >= crash:
    os.abort()
rng = random.Random(TURN)
with open(os.environ["VIGILANT_FRAMES"], "w") as out:
    print(json.dumps({"vigilant_frames": 1, "columns": ["frame"], "counters": ["boats"]}), file=out)
    spread = rng.gauss(1.0, 0.004)
    for i in range(400):
        there = load * (1.0 - leaves * i / 400)
        ms = (2.0 + each * there * (1.0 + rich)) * spread * rng.uniform(0.85, 1.15)
        print(json.dumps([cap if cap and ms < cap else ms, there]), file=out)
    print(json.dumps({"end": {"frames": 400}}), file=out)
""".replace("TURN", TURN)


def subject(each, *more):
    return [sys.executable, "-c", SUBJECT, str(each)], list(more)


def plan(sweep, *arms, runs=3, **scenario):
    command = [{**({"name": name} if name else {}), "command": base} for name, base in arms]
    return {
        "scenario": {"name": "river", "target_fps": 60, "duration_s": 0.2, **scenario},
        "arm": command,
        "sweep": {"name": "boats", "of": "load", "arguments": ["{value}"], "counter": "boats", **sweep},
        "recording": {"order_seed": 5, **({} if runs is None else {"runs": runs})},
    }


def recorded(raw, tmp_path, watcher=None):
    made = parse_plan(raw, tmp_path)
    spool = prepare(made, tmp_path / "spool", speed=False)
    record(made, spool, watcher or Silent())
    return made, spool


class Watching(Silent):
    def __init__(self, stop_after=None):
        super().__init__()
        self.steps, self.stop_after = [], stop_after

    def chosen(self, spool, step):
        self.steps.append(step)

    def control(self):
        return "stop" if self.stop_after is not None and len(self.steps) >= self.stop_after else "run"


CHOOSING = plan({"values": [0, 400, 800, 1600], "until_pct": 1.5, "most_runs": 32}, ("", subject(0.0125)[0]), runs=None)


def test_levels_are_chosen_around_the_budget(tmp_path):
    watcher = Watching()
    made, spool = recorded(CHOOSING, tmp_path, watcher)
    (arm,) = ramp_of(made, spool).arms
    assert arm.capacity.low < 1173 < arm.capacity.high
    assert (arm.capacity.high - arm.capacity.low) / 2 / 1173 < 0.03
    assert watcher.steps[-1].why in ("narrow enough", "the runs are spent")
    assert len(watcher.steps) >= 2
    chosen = {load for step in watcher.steps for load in step.loads} - {0.0, 400.0, 800.0, 1600.0}
    assert chosen
    assert all(1000 < load < 1350 for load in chosen)
    assert {arm["value"] for arm in spool.plan["arm"]} == {0.0, 400.0, 800.0, 1600.0} | chosen
    assert len(spool.slots) == 8 + sum(len(step.loads) for step in watcher.steps) <= 32


def test_a_ramp_that_was_cut_off_goes_on_choosing(tmp_path):
    made, spool = recorded(CHOOSING, tmp_path, Watching(stop_after=1))
    assert spool.stopped
    planned = [s.arm for s in spool.slots if s.outcome == "planned"]
    assert len(planned) == 4
    again = RecordingSpool.load(spool.directory)
    watcher = Watching()
    record(parse_plan(again.plan, tmp_path), again, watcher)
    assert not again.stopped
    assert watcher.steps[-1].enough
    assert [s.arm for s in again.slots[8:12]] == planned
    assert ramp_of(parse_plan(again.plan, tmp_path), again).arms[0].capacity.value == pytest.approx(1173, rel=0.03)
    # At its end there is nothing more to record, however often it is gone on with.
    count = len(again.slots)
    record(parse_plan(again.plan, tmp_path), again, Silent())
    assert len(again.slots) == count
    assert made.choosing is not None


def test_a_run_cut_off_with_its_recorder_is_no_failure_of_its_level(tmp_path):
    made, spool = recorded(plan({"values": [0, 400, 800, 1600]}, ("", subject(0.0125)[0])), tmp_path)
    first = spool.slots[0]
    cut = replace(first, outcome="broken", detail=RECORDER_ENDED, run="cut off", frames=0)
    spool.slots.insert(0, cut)
    first.attempt = 2
    (arm,) = ramp_of(made, spool).arms
    assert arm.ceiling is None
    assert arm.capacity.low < 1173 < arm.capacity.high
    cut.detail = "ended by SIGSEGV"
    assert ramp_of(made, spool).arms[0].ceiling is not None


def test_levels_that_cannot_be_chosen_end_the_recording_with_the_reason(tmp_path, monkeypatch):
    made = parse_plan(CHOOSING, tmp_path)
    monkeypatch.setattr("vigilant.plan.sweeps.MOST_ARMS", 4)
    spool = prepare(made, tmp_path / "spool", speed=False)
    record(made, spool, Silent())
    assert spool.stopped
    assert spool.remark == "no further level was chosen: this ramp has 4 levels; 4 are the most"
    assert [s.outcome for s in spool.slots[:8]] == ["complete"] * 8


@pytest.mark.parametrize(("value", "argument"), [(1234567.0, "1234567"), (0.125, "0.125"), (1e8, "100000000")])
def test_a_value_is_passed_on_with_all_its_digits(value, argument, tmp_path):
    made = parse_plan(plan({"values": [1.0, value]}, ("", subject(0.0125)[0])), tmp_path)
    assert made.arms[1].command[-1] == argument


def test_a_subject_that_crashes_above_a_load_has_a_ceiling(tmp_path):
    base, _ = subject(0.002)
    raw = plan({"values": [0, 400, 800, 1600], "arguments": ["{value}", "crash=1500"]}, ("", base))
    made, spool = recorded(raw, tmp_path)
    assert not spool.stopped  # the other levels are recorded all the same
    (arm,) = ramp_of(made, spool).arms
    assert (arm.capacity.value, arm.capacity.low) == (None, 800)
    assert (arm.ceiling.load, arm.ceiling.reason, arm.ceiling.failures, arm.ceiling.attempts) == (1600, "crashed", 3, 3)
    assert arm.asked == (0, 400, 800)


def test_a_ramp_that_chooses_stays_below_its_ceiling(tmp_path):
    raw = plan(
        {"values": [0, 400, 800], "until_pct": 2.0, "arguments": ["{value}", "crash=1500"]},
        ("", subject(0.002)[0]),
        runs=None,
    )
    watcher = Watching()
    made, spool = recorded(raw, tmp_path, watcher)
    assert watcher.steps[0].loads == (1600.0, 1600.0)
    assert watcher.steps[-1].why == "runs fail at 1600"
    assert ramp_of(made, spool).arms[0].capacity.low == 800


@pytest.mark.parametrize(("more", "said"), [(["leaves=0.2"], "load-leaves"), ([], "")])
def test_boats_that_leave_are_said(more, said, tmp_path):
    raw = plan({"values": [400, 800, 1200, 1600], "arguments": ["{value}", *more]}, ("", subject(0.0125)[0]))
    made, spool = recorded(raw, tmp_path)
    (arm,) = ramp_of(made, spool).arms
    found = {code for code, _ in arm.placed.said}
    assert said in found if said else not found
    if said:
        assert list(arm.levels.loads) == pytest.approx([360, 720, 1080, 1440], rel=0.01)  # where they really were


def test_levels_that_a_cap_holds_are_in_no_fit(tmp_path):
    raw = plan({"values": [100, 400, 1400, 1600], "arguments": ["{value}", "cap=16.6666667"]}, ("", subject(0.0125)[0]))
    made, spool = recorded(raw, tmp_path)
    (arm,) = ramp_of(made, spool).arms
    assert arm.held == (100, 400)
    assert (arm.capacity.value, arm.capacity.low, arm.capacity.high) == (None, 400, 1400)


def test_two_arms_are_recorded_in_the_same_passes(tmp_path):
    raw = plan({"values": [0, 400, 800, 1600]}, ("pairs", subject(0.0125)[0]), ("cells", subject(0.0100)[0]), runs=4)
    made, spool = recorded(raw, tmp_path)
    for first in range(0, 32, 8):
        assert len({s.arm for s in spool.slots[first : first + 8]}) == 8
    found = ramp_of(made, spool)
    assert found.names == ["pairs", "cells"]
    assert found.arms[0].capacity.low < 1173 < found.arms[0].capacity.high
    assert found.arms[1].capacity.low < 1467 < found.arms[1].capacity.high
    unit = found.two.per_unit(2)
    assert unit.low < 0.8 < unit.high
    assert [one.shown for one in found.two.equal] == [False, True, True, True]


def test_two_arms_of_a_knob_on_a_terminal(tmp_path, monkeypatch):
    monkeypatch.setenv("COLUMNS", "100")
    path = tmp_path / "plan.toml"
    raw = plan(
        {"name": "size", "of": "knob", "values": [200, 400, 600, 800], "counter": ""},
        ("steep", [sys.executable, "-c", SUBJECT.replace("2.0 + each", "3.0 + 2 * each"), "0.0125"]),
        ("flat", [sys.executable, "-c", SUBJECT.replace("2.0 + each", "12.0 + 0 * each"), "0.0125"]), runs=4,
    )  # fmt: skip
    path.write_text(tomli_w.dumps(raw))
    got = CliRunner().invoke(record_command, [str(path), "--spool", str(tmp_path / "spool")])
    assert got.exit_code == 0, got.output
    assert "flat is dearer than steep below size 3" in got.stdout
    assert "steep: Size is best at 200" in got.stdout
    assert all(len(line) <= 100 for line in got.stdout.splitlines())


def test_a_ramp_that_chooses_on_a_terminal_and_as_json(tmp_path, monkeypatch):
    monkeypatch.setenv("COLUMNS", "100")
    path = tmp_path / "plan.toml"
    path.write_text(tomli_w.dumps(CHOOSING))
    got = CliRunner().invoke(record_command, [str(path), "--spool", str(tmp_path / "spool")])
    assert got.exit_code == 0, got.output
    assert "to begin with, at most 32 in all" in got.stderr
    assert "After 8 runs: " in got.stderr
    assert "By the mean frame the budget carries 1,1" in got.stdout
    (spool,) = (tmp_path / "spool").iterdir()
    got = CliRunner().invoke(record_command, ["--go-on", str(spool), "--json"])
    found = json.loads(got.stdout)["account"]
    (arm,) = found["arms"]
    assert arm["capacity"]["value"] == pytest.approx(1173, rel=0.03)
    assert arm["findings"] == []


#: Frames that so many cores share, as the subject finds that it may use them.
SHARING = SUBJECT.replace("there = load *", "there = len(os.sched_getaffinity(0)) *").replace(
    "2.0 + each * there * (1.0 + rich)", "20.0 / there"
)


def test_cores_are_given_by_the_recorder_and_seen_in_the_data(tmp_path):
    """On the two that every machine here has."""
    arm = {"command": [sys.executable, "-c", SHARING, "0", "0"]}
    raw = {
        **plan({"name": "cores", "of": "cores", "values": [1, 2], "arguments": [], "counter": ""}, ("", [])),
        "arm": [arm],
    }
    made, spool = recorded(raw, tmp_path)
    assert [s.conditions["cores used"] for s in spool.slots if s.arm == "after"] == ["0, 1"] * 3
    assert {one.value: one.attempts for one in levels_of(made, spool)[""]} == {1.0: 3, 2.0: 3}
    mean, _ = cores_of(made, spool)
    assert mean.speed_ups[1].speed_up == pytest.approx(2.0, rel=0.05)
    assert mean.law is None


def test_a_knob_of_one_arm_has_no_crossings(tmp_path):
    raw = plan({"name": "size", "of": "knob", "values": [200, 400, 600], "counter": ""}, ("", subject(0.0125)[0]))
    found = knob_of(*recorded(raw, tmp_path))
    assert (found.names, found.crossings) == ([], None)
    assert found.sides[0].chosen == (0,)


RICH = plan(
    {"values": [0, 400, 800, 1600],
     "richness": {"name": "sparks a boat", "values": [1, 2], "arguments": ["rich={value}"]}},
    ("", subject(0.006)[0]),
)  # fmt: skip


def test_a_load_is_ramped_at_each_richness(tmp_path, monkeypatch):
    """2 + 0.006 boats (1 + sparks a boat) ms."""
    monkeypatch.setenv("COLUMNS", "100")
    path = tmp_path / "plan.toml"
    path.write_text(tomli_w.dumps(RICH))
    got = CliRunner().invoke(record_command, [str(path), "--spool", str(tmp_path / "spool")])
    assert got.exit_code == 0, got.output
    assert "What one of the boats costs grows in a straight line with sparks a boat: 0.00" in " ".join(
        got.stdout.split()
    )
    (spool,) = (tmp_path / "spool").iterdir()
    told = json.loads(CliRunner().invoke(record_command, ["--go-on", str(spool), "--json"]).stdout)["account"]
    for row, true in zip(told["carried"], (1222.0, 815.0), strict=True):
        assert row["low"] < true < row["high"]
    assert told["straight"]
    assert told["per_richness_ms"]["low"] < 0.006 < told["per_richness_ms"]["high"]


def test_the_arms_of_a_richness(tmp_path):
    made = parse_plan(RICH, tmp_path)
    assert made.account == "trade"
    assert [(a.name, a.line, a.value, a.command[4:]) for a in made.arms[3:6]] == [
        ("1 sparks a boat, 1600 boats", "1", 1600.0, ("rich=1", "1600")),
        ("2 sparks a boat, 0 boats", "2", 0.0, ("rich=2", "0")),
        ("2 sparks a boat, 400 boats", "2", 400.0, ("rich=2", "400")),
    ]
    assert parse_plan(made.raw, tmp_path).arms == made.arms
    bare = [{k: v for k, v in arm.items() if k != "richness" or i} for i, arm in enumerate(made.raw["arm"])]
    with pytest.raises(PlanError, match="every arm has one"):
        parse_plan({**made.raw, "arm": bare}, tmp_path)


@pytest.mark.parametrize(("sweep", "said"), [
    ({"of": "knob"}, "a load of one arm"), ({"until_pct": 2.0}, "not chosen one after the other at several"),
    ({"richness": {**RICH["sweep"]["richness"], "arguments": ["--rich"]}}, "must hold"),
    ({"richness": {**RICH["sweep"]["richness"], "values": [2, 2.0]}}, "are the same"),
    ({"richness": {**RICH["sweep"]["richness"], "values": [1]}}, "richness.values"),
    ({"richness": {**RICH["sweep"]["richness"], "values": [*range(1, 10)]}}, "richness.values"),
    ({"values": [*range(16)], "richness": {**RICH["sweep"]["richness"], "values": [1, 2, 3]}}, "makes 48 arms"),
])  # fmt: skip
def test_richnesses_that_are_no_plan_are_refused(sweep, said, tmp_path):
    with pytest.raises(PlanError, match=said):
        parse_plan({**RICH, "sweep": {**RICH["sweep"], **sweep}}, tmp_path)


#: A leg for each load it is told, in the order told.
IN_TURN = """
import json, os, random, sys
rng = random.Random(TURN + 40)
with open(os.environ["VIGILANT_FRAMES"], "w") as out:
    print(json.dumps({"vigilant_frames": 1, "columns": ["frame"], "counters": ["boats"]}), file=out)
    own = rng.gauss(1.0, 0.006)
    for load in sys.argv[1].split(","):
        print(json.dumps({"mark": load}), file=out)
        for i in range(200):
            ms = (2.0 + 0.0125 * float(load)) * own * rng.uniform(0.9, 1.1) + (80.0 if i < 3 else 0.0)
            print(json.dumps([ms, float(load)]), file=out)
    print(json.dumps({"end": {"frames": 200 * len(sys.argv[1].split(","))}}), file=out)
""".replace("TURN", TURN)
LEGS = {
    "scenario": {"name": "river", "target_fps": 60, "duration_s": 0.2},
    "arm": [{"command": [sys.executable, "-c", IN_TURN]}],
    "sweep": {"name": "boats", "of": "load", "values": [0, 400, 800, 1600], "arguments": ["{values}"], "counter": "boats", "in_one_run": True},
    "recording": {"order_seed": 5, "runs": 4, "discard_s": 0.2},
}  # fmt: skip


def test_every_run_plays_all_loads_in_an_order_of_its_own(tmp_path, monkeypatch):
    monkeypatch.setenv("COLUMNS", "100")
    made = parse_plan(LEGS, tmp_path)
    assert (made.account, len(made.arms), made.arms[0].command[-1]) == ("ramp", 1, "{values}")
    assert parse_plan(made.raw, tmp_path).arms == made.arms
    path = tmp_path / "plan.toml"
    path.write_text(tomli_w.dumps(LEGS))
    got = CliRunner().invoke(record_command, [str(path), "--spool", str(tmp_path / "spool")])
    assert got.exit_code == 0, got.output
    assert "The run is the unit: legs of one are no repeats of each other." in got.stdout
    (directory,) = (tmp_path / "spool").iterdir()
    spool = RecordingSpool.load(directory)
    orders = [tuple(m.name for m in spool.read(slot).series.marks) for slot in spool.slots]
    assert len(set(orders)) > 1
    assert all(sorted(map(float, order)) == [0.0, 400.0, 800.0, 1600.0] for order in orders)
    assert [tuple(map(float, order)) for order in orders] == [
        tuple(loads_of(made, spool, slot)) for slot in spool.slots
    ]
    told = json.loads(CliRunner().invoke(record_command, ["--go-on", str(directory), "--json"]).stdout)["account"]
    assert told["capacity"]["low"] < 1173 < told["capacity"]["high"]
    assert (told["in_one_run"], told["confounded"], told["runs"]) == (True, False, 4)
    assert [level["load"] for level in told["levels"]] == [0.0, 400.0, 800.0, 1600.0]


@pytest.mark.parametrize(("change", "said"), [
    ({"sweep": {"arguments": ["{value}"]}}, "must hold {values}"), ({"sweep": {"of": "knob"}}, "loads of one arm"),
    ({"sweep": {"until_pct": 2.0}}, "none of them chosen later"), ({"sweep": {"values": [0, 400, 400]}}, "are the same"),
    ({"arm": [{"command": ["a"]}, {"name": "b", "command": ["b"]}]}, "loads of one arm"),
    ({"arm": [{"page": "http://127.0.0.1/"}]}, "that the recorder starts"), ({"arm": [{"listen": True}]}, "that the recorder starts"),
])  # fmt: skip
def test_loads_in_one_run_that_are_no_plan_are_refused(change, said, tmp_path):
    raw = {**LEGS, **change, "sweep": {**LEGS["sweep"], **change.get("sweep", {})}}
    with pytest.raises(PlanError, match=re.escape(said)):
        parse_plan(raw, tmp_path)


def test_the_festival_plays_boats_in_turn(tmp_path):
    raw = {
        **LEGS,
        "arm": [{"command": [sys.executable, str(LANTERNFALL), "--seconds", "0.6", "--neighbours", "cells"]}],
        "sweep": {**LEGS["sweep"], "values": [0, 150, 300], "arguments": ["--boats-in-turn", "{values}"]},
        "recording": {"order_seed": 5, "runs": 2, "discard_s": 0.02},
    }
    found = leg_ramp_of(*recorded(raw, tmp_path))
    assert (found.left_out, found.ramp.loads, found.ramp.seen) == (0, (0.0, 150.0, 300.0), True)
