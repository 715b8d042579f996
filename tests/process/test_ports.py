"""A port that one process was told of is not given to another before it listens there."""

import socket
import subprocess
import sys
from contextlib import ExitStack

import pytest

from vigilant.server.launch import ports

OTHER = """
import sys
from vigilant.server.launch import ports
ports.PORTS = range(*map(int, sys.argv[1:]))
print(ports.free_port(), flush=True)
sys.stdin.read()
"""


@pytest.fixture
def few(monkeypatch):
    """Three ports in a row that nobody has, and all that are given."""
    monkeypatch.setattr(ports, "_claims", ExitStack())
    first = ports.free_port(following=2)
    ports._claims.close()
    monkeypatch.setattr(ports, "PORTS", range(first, first + 3))
    return ports.PORTS


def given_to_another(few):
    child = subprocess.Popen(
        [sys.executable, "-c", OTHER, str(few.start), str(few.stop)],
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        text=True,
    )
    return child, int(child.stdout.readline())


def test_what_another_process_was_told_is_not_given_as_long_as_it_lives(few):
    child, taken = given_to_another(few)
    with child:
        mine = {ports.free_port() for _ in range(2)}
        assert mine == set(few) - {taken}
        child.kill()
    assert ports.free_port() == taken


def test_a_port_that_somebody_listens_at_is_not_given(few):
    with socket.create_server(("127.0.0.1", few[1])):
        assert {ports.free_port() for _ in range(2)} == {few[0], few[2]}


def test_those_that_follow_are_claimed_with_the_first(few):
    first = ports.free_port(following=1)
    assert ports.free_port() not in (first, first + 1)
