"""Programs on another device: the C emitter towards a recorder that listens."""

import socket
import subprocess

import pytest
from bench.recording import Silent, plan
from durable import Stand

from emitters.building import built
from emitters.test_c import FESTIVAL
from vigilant.bench.errors import BenchError
from vigilant.bench.listening import Listener
from vigilant.bench.machine import OtherWork
from vigilant.bench.record import Clock, prepare, record, verdict
from vigilant.bench.sampled import MEMORY, Sample
from vigilant.plan import parse_plan


@pytest.fixture(scope="module")
def festival(tmp_path_factory):
    return str(built(tmp_path_factory.mktemp("festival"), "festival", FESTIVAL))


@pytest.fixture
def listener():
    with Listener("127.0.0.1:0/LANTERN7") as made:
        yield made


class Seen(OtherWork):
    """As if the recorder had looked at what runs here: of a program elsewhere it says nothing."""

    def __init__(self, clock):
        super().__init__(clock)
        self.samples = [Sample(0.0, 99.0, 1.0)]


def recorded(tmp_path, listener, arms, runs=1, watcher=None, **recording):
    raw = plan(["x"], ["x"], runs, 20.0, recording=recording)
    raw["arm"] = [{"name": f"arm {i}", "listen": True, **arm} for i, arm in enumerate(arms)]
    parsed = parse_plan(raw, tmp_path)
    spool = prepare(parsed, tmp_path / "spool", speed=False)
    record(parsed, spool, watcher or Silent(), Clock(other_work=Seen), listener=listener)
    return parsed, spool


def test_a_command_starts_it_elsewhere_and_its_frames_come_over_the_network(festival, listener, tmp_path):
    assert listener.address.endswith("/LANTERN7")
    remote = ["env", "VIGILANT_FRAMES={frames}", festival]  # as over a shell to the device
    parsed, spool = recorded(
        tmp_path, listener, [{"command": [*remote, "300", "9000"]}, {"command": [*remote, "300", "3000"]}], runs=4
    )
    assert [(s.outcome, s.frames) for s in spool.slots] == [("complete", 300)] * 8
    assert verdict(parsed, spool).verdict == "gain"
    run = spool.read(spool.slots[0])
    assert (run.complete, run.series.conditions["window"]) == (True, "1600x900")
    assert MEMORY not in run.series.counters


class Person(Silent):
    """Starts the program by hand once the recorder says how, quicker than the recorder looks again."""

    def __init__(self, *command):
        super().__init__()
        self.command = command
        self.exits = []

    def waiting(self, slot, why):
        super().waiting(slot, why)
        done = subprocess.run(self.command, env={"VIGILANT_FRAMES": why.rpartition("=")[2]}, timeout=60, check=False)
        self.exits.append(done.returncode)


def test_without_a_command_a_person_starts_it(festival, listener, tmp_path):
    person = Person(festival, "40")
    _, spool = recorded(tmp_path, listener, [{}, {}], watcher=person)
    assert person.exits == [0, 0]
    assert [(s.outcome, s.frames) for s in spool.slots] == [("complete", 40)] * 2
    assert person.told[0] == f"start {spool.slots[0].arm.replace('before', 'arm 0').replace('after', 'arm 1')} on its device with VIGILANT_FRAMES={listener.address}"  # fmt: skip


@pytest.mark.parametrize(
    ("command", "outcome", "detail"),
    [
        (["true"], "hung", "nothing connected within"),
        (["false"], "wrong exit", "exit code 1"),
    ],
)
def test_a_program_that_never_connects(command, outcome, detail, listener, tmp_path, monkeypatch):
    monkeypatch.setattr("vigilant.bench.listening.CONNECT_S", 0.3)
    _, spool = recorded(tmp_path, listener, [{"command": command}, {"command": command}], blank=True)
    assert {s.outcome for s in spool.slots} == {outcome}
    assert all(s.detail.startswith(detail) for s in spool.slots)


@pytest.mark.parametrize("said", [b"vigilant OTHER\n", b"GET / HTTP/1.1\r\n", b"vigilant LANTERN7", b""])
def test_strangers_are_turned_away_and_the_next_one_is_taken(said, listener, tmp_path):
    sender = listener.expect(tmp_path / "run.jsonl")
    place = ("127.0.0.1", int(listener.address.split(":")[2].partition("/")[0]))
    with socket.create_connection(place, timeout=20) as stranger:
        stranger.sendall(said)
        stranger.shutdown(socket.SHUT_WR)
        assert stranger.recv(10) == b""
    assert not (tmp_path / "run.jsonl").exists()
    with socket.create_connection(place) as own, socket.create_connection(place) as late:
        own.sendall(b"vigilant LANTERN7\nlines\n")
        Stand.wait(lambda: sender.connection, "it was taken")
        late.sendall(b"vigilant LANTERN7\nother lines\n")
        assert late.recv(10) == b""
    assert sender.over.wait(20)
    assert (tmp_path / "run.jsonl").read_bytes() == b"lines\n"


GOES_ON = """
#define VIGILANT_EMITTER_BODY
#include "vigilant_emitter.h"
int main(void) {
    const struct timespec pause = {0, 2000000};
    vigilant *v = vigilant_open("start to start");
    vigilant_still_of(v, "rain 1.png", "rain");
    for (int i = 0; i < 5000 && v; i++) {
        nanosleep(&pause, NULL);
        vigilant_frame(v);
    }
    vigilant_close(v);
    return v ? 0 : 7;
}
"""


def test_a_recorder_that_goes_away_ends_no_program(listener, tmp_path):
    program = built(tmp_path, "goes_on", GOES_ON.replace("5000", "400"))
    sender = listener.expect(tmp_path / "run.jsonl")
    started = subprocess.Popen([program], env={"VIGILANT_FRAMES": listener.address}, stderr=subprocess.PIPE, text=True)
    Stand.wait(
        lambda: (tmp_path / "run.jsonl").exists() and b"\n[" in (tmp_path / "run.jsonl").read_bytes(), "frames come"
    )
    sender.cut()
    said = started.communicate(timeout=60)[1]
    assert started.returncode == 0
    assert "the run is not whole" in said
    text = (tmp_path / "run.jsonl").read_text()
    assert '{"still":"rain 1.png","sequence":"rain"}' in text
    assert '"end"' not in text


def test_a_run_is_skipped_while_it_still_sends(listener, tmp_path):
    program = str(built(tmp_path, "goes_on", GOES_ON))

    class Impatient(Silent):
        def control(self):
            seen = list((tmp_path / "spool").glob("*/runs/*.jsonl"))
            return "skip" if seen and b"\n[" in seen[0].read_bytes() else "run"

    _, spool = recorded(tmp_path, listener, [{"command": [program], "env": {}}] * 2, blank=True, watcher=Impatient())
    assert spool.slots[0].outcome == "skipped"


@pytest.mark.parametrize("asked", ["4700", "nowhere.lantern.test:1", "127.0.0.1:99999", "127.0.0.1:0/a b", ":0"])
def test_where_to_listen_is_checked(asked):
    with pytest.raises(BenchError, match="listen"):
        Listener(asked)


def test_a_port_is_free_again_at_once():
    with Listener("127.0.0.1:0") as first:
        place = first.address.split("/")[2]
        assert len(first.code) == 12
    with Listener(place) as again:
        assert again.address.split("/")[2] == place
