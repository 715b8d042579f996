"""A recorder standing by starts what its own file names, and nothing a plan could smuggle in."""

import sys

import pytest
from bench.recording import QUICK
from rich.console import Console

from vigilant.bench.errors import DeliveryError
from vigilant.bench.spool import RecordingSpool
from vigilant.cli import record, standby

KNOWN = {"festival": (sys.executable, "-c", QUICK)}
ID = "7d8f0e62-3d3c-4f0c-9a55-6f9f3a3c8a10"


class Server:
    """Keeps what it is told; ``away`` makes every delivery fail."""

    def __init__(self, away=False):
        self.refused, self.lives, self.slots, self.registered, self.away = [], [], [], 0, away
        self.url, self.token = "http://127.0.0.1:9", "token"

    def refuse(self, recording, why):
        self.refused.append((recording, why))

    def register(self, spool):
        self.registered += 1

    def live(self, recording, state):
        self.lives.append(state)
        if self.away:
            raise DeliveryError("gone")
        return {"control": "run"}

    def slot(self, spool, slot):
        if self.away:
            raise DeliveryError("gone")
        slot.delivered = True
        self.slots.append((slot.position, dict(slot.measured)))


def asked(**tables):
    arms = [{"name": n, "subject": "festival", "arguments": [level]} for n, level in (("old", "12"), ("new", "9"))]
    plan = {"scenario": {"name": "river", "duration_s": 0.2}, "arm": arms, "recording": {"runs": 2}}
    for table, values in tables.items():
        if table == "arm":
            arms[1] |= values
        else:
            plan[table] = {**plan.get(table, {}), **values}
    return {"id": ID, "plan": plan}


@pytest.fixture
def carried_out(monkeypatch, tmp_path):
    def carry(plan, server=None):
        server = server or Server()
        monkeypatch.setattr(record, "Delivery", lambda url, token: server)
        notes = Console(file=(tmp_path / "notes").open("w"), width=200)
        standby._carry_out(notes, plan, KNOWN, "workbench", tmp_path, server)
        notes.file.close()
        return server, (tmp_path / "notes").read_text()

    return carry


@pytest.mark.parametrize(
    ("tables", "said"),
    [
        ({"arm": {"subject": "", "command": ["/bin/sh", "-c", "true"], "arguments": []}}, "named subjects only"),
        ({"arm": {"subject": "funfair"}}, "'funfair' of arm 'new' is not known on this machine"),
        ({"arm": {"env": {"LD_PRELOAD": "x"}}}, "no reset, env or cwd"),
        ({"arm": {"cwd": "/tmp"}}, "no reset, env or cwd"),
        ({"recording": {"reset": ["/bin/true"]}}, "no reset, env or cwd"),
        ({"recording": {"files": ["/etc/shadow"]}}, "files beside its spool only"),
        ({"recording": {"same_start": ["../../secret"]}}, "files beside its spool only"),
        ({"recording": {"runs": 0}}, "runs must be from 1 on, got 0"),
        ({"arm": {"cores": [4000]}}, "no core 4000"),
        ({"arm": {"arguments": ["a\0b"]}}, "arm.arguments holds a NUL"),
        ({"arm": {"arguments": ["\ud800"]}}, "half of a surrogate pair"),
        ({"arm": {"arguments": ["x" * 4001]}}, "4001 characters; 4000 are allowed"),
    ],
)
def test_what_it_will_not_do_is_refused_with_the_reason_and_nothing_starts(tables, said, carried_out, tmp_path):
    server, _ = carried_out(asked(**tables))
    ((recording, why),) = server.refused
    assert recording == ID
    assert said in why
    assert not list(tmp_path.glob("*/runs/*"))


def test_a_named_subject_is_recorded_reported_and_each_run_delivered(carried_out, tmp_path):
    server, _ = carried_out(asked())
    assert server.refused == []
    assert [position for position, _ in server.slots] == [0, 1, 2, 3]
    assert all("live view ms a frame" in measured for _, measured in server.slots)
    assert {state["phase"] for state in server.lives} == {"running", "between", "finished"}
    spool = RecordingSpool.load(tmp_path / ID)
    assert spool.rig["alias"] == "workbench"
    assert spool.rig["speed"]["ms"] > 0


def test_one_build_is_recorded_for_its_line_and_told_which_it_is(carried_out, tmp_path):
    plan = asked()["plan"]
    of_line = {**plan, "arm": plan["arm"][:1], "line": {"build": "b161"}}
    server, _ = carried_out({"id": ID, "plan": of_line})
    assert server.refused == []
    spool = RecordingSpool.load(tmp_path / ID)
    assert (spool.plan["line"], [arm["name"] for arm in spool.plan["arm"]]) == ({"build": "b161"}, ["b161"])
    assert [slot.outcome for slot in spool.slots] == ["complete"] * 2
    more = {**of_line, "arm": [{**plan["arm"][0], "env": {"VIGILANT_BUILD": "b161", "LD_PRELOAD": "x"}}]}
    server, _ = carried_out({"id": ID, "plan": more})
    assert "no reset, env or cwd" in server.refused[0][1]


def test_a_server_that_goes_away_stops_no_recording(carried_out, tmp_path):
    server, notes = carried_out(asked(), Server(away=True))
    assert [s.outcome for s in RecordingSpool.load(tmp_path / ID).slots] == ["complete"] * 4
    assert "run 4 waits in the spool, recording goes on: gone" in notes
    assert len(server.lives) < 6  # of nine; it backs off instead of asking at every look


def test_a_fault_in_one_recording_is_its_outcome_and_the_standby_goes_on(carried_out, monkeypatch, tmp_path):
    def breaks(*arguments, **more):
        raise ZeroDivisionError("boat")

    monkeypatch.setattr(standby, "prepare", breaks)
    server, notes = carried_out(asked())
    ((recording, why),) = server.refused
    assert (recording, why) == (ID, "a fault of the recorder: ZeroDivisionError: boat")
    assert "Traceback" in notes


def test_a_fault_in_the_middle_delivers_what_was_recorded(monkeypatch, tmp_path):
    def breaks(notes, plan, recording, *rest, **more):
        recording.slots[0].outcome = "complete"
        raise ZeroDivisionError("boat")

    monkeypatch.setattr(standby, "carry_out", breaks)
    server = Server()
    kept = standby._carry_out(Console(stderr=True), asked(), KNOWN, "workbench", tmp_path, server)
    assert (kept.stopped, "ZeroDivisionError" in kept.remark, server.refused) == (True, True, [])


def test_what_could_not_be_delivered_is_tried_again(monkeypatch, tmp_path):
    tries = []

    def deliver(notes, recording, delivery):
        tries.append(recording)
        if len(tries) == 1:
            raise DeliveryError("gone")
        if len(tries) == 2:
            raise DeliveryError("not yours", refused=True)

    monkeypatch.setattr(standby, "deliver", deliver)
    spool = RecordingSpool(tmp_path, ID, "", {}, 1, {}, {})
    given = [standby._delivered(Console(stderr=True), spool, Server()) for _ in range(3)]
    assert given == [False, True, True]
