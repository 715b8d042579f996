"""The start command: nothing is left behind, whatever ends it."""

import json
import os
import re
import signal
import socket
import subprocess
import tempfile
import time
from pathlib import Path

import pytest
from running_demo import COMMAND, load, signed_in, start

from vigilant.server.launch.ports import free_port


@pytest.fixture(scope="module")
def var():
    """One data folder, with a space in its path, for all starts: the first was elsewhere, and what it left is copied. The
    database's own user can reach it, so that root does not start that as root."""
    with tempfile.TemporaryDirectory(prefix="my demo ") as made:
        Path(made).chmod(0o755)
        load(Path(made) / "var")
        yield Path(made) / "var"


def children_of(pid: int) -> list[int]:
    found = subprocess.run(["ps", "-o", "pid=", "--ppid", str(pid)], capture_output=True, text=True, check=False)
    return [int(line) for line in found.stdout.split()]


def running(pid: int) -> bool:
    try:
        return Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[0] != "Z"
    except OSError:
        return False


def gone(pids, seconds=120.0):
    until = time.monotonic() + seconds
    while any(running(p) for p in pids) and time.monotonic() < until:
        time.sleep(0.05)
    return [p for p in pids if running(p)]


@pytest.mark.parametrize("end", [signal.SIGINT, signal.SIGKILL, "web server dies"])
def test_no_child_is_left(end, var):
    process, _ = start(var)
    children = children_of(process.pid)
    assert len(children) == 5  # database, queue, worker, web server, a recorder standing by
    if end == "web server dies":
        os.kill(named(children, "uvicorn")[0], signal.SIGKILL)
        assert process.wait(120) == 1
        assert "the web server ended" in (var / "demo.out").read_text()
    else:
        os.kill(process.pid, end)
        code = process.wait(120)
        assert code == (-9 if end == signal.SIGKILL else 0)
    assert gone(children) == []


def named(pids, part):
    return [p for p in pids if part in Path(f"/proc/{p}/cmdline").read_bytes().decode(errors="replace")]


def owner_of(pid):
    return Path(f"/proc/{pid}").stat().st_uid


#: What a running demo starts again, by a word of its command.
RESTARTED = ("mariadbd", "redis-server", "celery", "standby")
SAID = (
    "MariaDB is back",
    "Redis ended; started again",
    "the worker ended; started again",
    "standing by ended; started again",
)


def test_what_ends_is_started_again_and_the_demo_goes_on(var):
    import httpx

    process, link = start(var)
    try:
        children = children_of(process.pid)
        killed = [named(children, name)[0] for name in RESTARTED]
        if os.geteuid() == 0:
            assert owner_of(killed[0]) != 0
        for child in killed:
            os.kill(child, signal.SIGKILL)
        out = var / "demo.out"
        until = time.monotonic() + 120
        while not all(said in out.read_text() for said in SAID):
            assert process.poll() is None, out.read_text()
            assert time.monotonic() < until, out.read_text()
            time.sleep(0.05)
        with httpx.Client(base_url=link.split("/sign-in")[0], timeout=30) as client:
            assert client.get("/api/session/").status_code == 401
        now = children_of(process.pid)
        assert [len(named(now, name)) for name in RESTARTED] == [1] * len(RESTARTED)
        assert not set(killed) & set(now)
    finally:
        process.terminate()
        assert process.wait(120) == 0
    assert gone(now) == []


def _holds_every_verdict(entries):
    """The demo's book has an entry of each, and marks each way of what was expected."""
    results = [e["result"] for e in entries if e["result"]]
    assert {r["verdict"] for r in results} == {
        "gain",
        "regression",
        "trade-off",
        "no material change",
        "undecided",
        "void",
    }
    (void,) = [r for r in results if r["verdict"] == "void"]
    assert [f["code"] for f in void["findings"] if f["severity"] == "void"] == ["cap-one-side"]
    marked = {d["expectation"] for e in entries for d in e["decisions"]} - {""}
    assert marked == {"supported", "not supported", "exceeded", "undecided"}


def test_the_second_start_is_on_the_same_data(var):
    import httpx

    process, link = start(var)
    try:
        with httpx.Client(base_url=link.split("/sign-in")[0]) as client:
            signed_in(client, link)
            entries = client.get("/api/books/lanternfall/entries/").json()
            asset = re.search(r'/assets/[^"]+\.js', client.get("/").text)[0]
            sent = client.get(asset, headers={"Accept-Encoding": "br, gzip"}).headers
            assert (sent["content-encoding"], "immutable" in sent["cache-control"]) == ("br", True)
            assert client.get(asset, headers={"Accept-Encoding": "gzip"}).headers["content-encoding"] == "gzip"
            ends = [client.get(f"/api/books/lanternfall/entries/{e['number']}/").json() for e in entries["results"]]
        assert entries["count"] == 13
        _holds_every_verdict(ends)
        assert oct((var / "demo-token").stat().st_mode & 0o777) == "0o600"
        second = subprocess.run(
            [*COMMAND, "--port", str(free_port())],
            env={**os.environ, "VIGILANT_VAR": str(var)},
            capture_output=True, text=True, timeout=120, check=False,
        )  # fmt: skip
        assert second.returncode == 2
        assert "is running on the data" in second.stderr
    finally:
        process.terminate()
        process.wait(120)


def test_a_taken_port_is_named(var):
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        done = subprocess.run(
            [*COMMAND, "--port", str(port)],
            env={**os.environ, "VIGILANT_VAR": str(var)},
            capture_output=True, text=True, timeout=120, check=False,
        )  # fmt: skip
    assert done.returncode == 2
    assert f"port {port} is taken" in done.stderr
    assert "--port" in done.stderr


def test_check_starts_proves_and_stops_with_a_read_only_home(var, tmp_path):
    home = tmp_path / "home"
    home.mkdir(mode=0o500)
    done = subprocess.run(
        [*COMMAND, "--check", "--port", str(free_port())],
        env={**os.environ, "VIGILANT_VAR": str(var), "HOME": str(home)},
        capture_output=True, text=True, timeout=240, check=False,
    )  # fmt: skip
    assert (done.returncode, done.stdout) == (0, "demo: page and API answer\n"), done.stderr


def test_production_refuses_a_default_secret():
    code = "import vigilant.server.settings"
    env = {**os.environ, "VIGILANT_PRODUCTION": "1"}
    env.pop("VIGILANT_SECRET_KEY", None)
    done = subprocess.run([COMMAND[0], "-c", code], env=env, capture_output=True, text=True, check=False)
    assert "VIGILANT_SECRET_KEY must be set in production" in done.stderr


def test_no_lock_file_names_a_host():
    root = Path(__file__).resolve().parents[2]
    lock = json.loads((root / "web" / "package-lock.json").read_text())
    assert not [p for p in lock["packages"].values() if str(p.get("resolved", "")).startswith("http")]
    assert "://" not in (root / "requirements" / "dev.txt").read_text()
