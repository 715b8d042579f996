"""Bodies that are too long are refused before they are read; one that never comes holds nobody up."""

import socket

import httpx
import pytest
from durable import Stand


@pytest.fixture(scope="module")
def stand(tmp_path_factory):
    made = Stand(tmp_path_factory.mktemp("bodies"), recorders=0)
    made.start()
    yield made
    made.stop()


def raw(stand, head):
    with socket.create_connection(("127.0.0.1", stand.port), timeout=30) as line:
        line.sendall(head.encode())
        return b"".join(iter(lambda: line.recv(4096), b"")).decode()


@pytest.mark.parametrize(
    ("path", "length"),
    [("/api/recordings/", 5 * 1024 * 1024), ("/api/runs/x/batches/0/", 9 * 1024 * 1024), ("/admin/login/", 10**12)],
)
def test_a_length_that_is_too_long_is_refused_before_a_byte_of_it_is_sent(path, length, stand):
    said = raw(stand, f"POST {path} HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: {length}\r\n\r\n")
    assert said.startswith("HTTP/1.1 413")
    assert f"The body has {length} bytes" in said


def test_a_body_without_a_length_is_read_no_further_than_it_may_be(stand):
    sent = 0

    def endless():
        nonlocal sent
        for _ in range(200):
            sent += 1
            yield b"x" * 65536

    try:
        status = httpx.post(f"{stand.url}/api/recordings/", content=endless(), timeout=30).status_code
    except httpx.TransportError:
        status = 413  # the line was cut while it was sending
    assert status == 413
    assert sent < 200


def test_twenty_clients_that_send_half_a_request_hold_up_nobody(stand):
    half = []
    try:
        for _ in range(20):
            line = socket.create_connection(("127.0.0.1", stand.port), timeout=30)
            line.sendall(b"POST /api/recordings/ HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 1000\r\n\r\n{")
            half.append(line)
        assert httpx.get(f"{stand.url}/api/session/", timeout=20).status_code == 401
    finally:
        for line in half:
            line.close()
