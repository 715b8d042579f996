"""``script/demo``: database, migrations, demo book, web server, one sign-in link."""

from __future__ import annotations

import argparse
import fcntl
import json
import os
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path
from types import FrameType
from typing import NoReturn

import httpx

from . import children
from .mariadb import DatabaseFailed, MariaDB
from .private import kept_secret, write_private
from .redis import QueueFailed, Redis

DEFAULT_PORT = 8470
START_S = 40.0
#: Between tries to start a database again.
AGAIN_S = 5.0
#: The alias under which the demo's own machine records.
RIG = "workbench"
#: Where a running demo leaves what a fresh sign-in link needs.
DOOR = "demo-door.json"


class Stopped(Exception):
    """A signal asked us to end."""


def _stop(signum: int, frame: FrameType | None) -> NoReturn:
    raise Stopped(signal.Signals(signum).name)


def _refuse(message: str) -> NoReturn:
    print(f"demo: {message}", file=sys.stderr)
    sys.exit(2)


def _check_port(port: int) -> None:
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", port))
        except OSError as error:
            _refuse(f"port {port} is taken ({error.strerror}); choose another with --port")


def _link(url: str) -> str:
    from django.contrib.auth import get_user_model

    from vigilant.server.books.models import SignInLink

    user = get_user_model().objects.filter(is_active=True, is_superuser=True).order_by("pk").first()
    return f"{url}/sign-in/{SignInLink.issue(user)}"


def _print_fresh_link(var: Path) -> int:
    """``--link``: of the demo that runs on this data."""
    try:
        door = json.loads((var / DOOR).read_text())
    except OSError:
        _refuse(f"no demo is running on the data in {var}; start it with script/demo")
    os.environ.update(
        door["environment"],
        DJANGO_SETTINGS_MODULE="vigilant.server.settings",
        VIGILANT_SECRET_KEY=kept_secret(var / "secret-key"),
    )
    import django
    from django.db import OperationalError

    django.setup()
    try:
        print(_link(door["url"]))
    except OperationalError as error:
        _refuse(f"the demo's database does not answer: {error}")
    return 0


class Demo:
    """Everything that runs for a demo; :meth:`stop` ends all of it, in order."""

    def __init__(self, var: Path, port: int) -> None:
        self.var, self.port = var, port
        self.database = MariaDB(var / "demo-db")
        self.queue = Redis(var / "demo-queue")
        self.worker: subprocess.Popen[bytes] | None = None
        self.web: subprocess.Popen[bytes] | None = None
        self.standby: subprocess.Popen[bytes] | None = None

    def start(self) -> None:
        self.database.start()
        os.environ.update(
            self.database.environment(),
            # While the book is loaded, jobs are done at once.
            VIGILANT_REDIS="",
            DJANGO_SETTINGS_MODULE="vigilant.server.settings",
            VIGILANT_SECRET_KEY=kept_secret(self.var / "secret-key"),
            VIGILANT_VAR=str(self.var),
            MPLCONFIGDIR=str(self.var / "cache" / "matplotlib"),  # its list of fonts, made once
        )
        import django
        from django.core.management import call_command

        django.setup()
        call_command("migrate", verbosity=0, interactive=False)
        call_command("load_demo", token_file=str(self.var / "demo-token"))
        self.queue.start()
        os.environ.update(self.queue.environment())
        self._start_worker()
        self.web = children.start(
            [
                sys.executable, "-m", "uvicorn", "vigilant.server.asgi:application", "--host", "127.0.0.1",
                "--port", str(self.port), "--lifespan", "off", "--timeout-graceful-shutdown", "3",
                "--log-level", "warning", "--timeout-keep-alive", "20", "--no-server-header",
            ],
            self.var / "web.log",
        )  # fmt: skip
        self._wait()
        self._stand_by()

    def _start_worker(self) -> None:
        """What goes on behind an answer: runs are closed and compared, goals are read."""
        self.worker = children.start(
            [
                sys.executable, "-m", "celery", "-A", "vigilant.server.worker", "worker", "-P", "threads", "-c", "2",
                "--without-gossip", "--without-mingle", "-n", "demo@%h", "--loglevel", "warning",
            ],
            self.var / "worker.log",
        )  # fmt: skip

    def _stand_by(self) -> None:
        """A recorder on this machine that the Bench screen can ask for recordings of the festival."""
        subjects = self.var / "demo-subjects.toml"
        command = json.dumps([sys.executable, "-m", "vigilant.subjects.lanternfall"])
        subjects.write_text(f"[subjects]\nlanternfall = {command}\n", encoding="utf-8")
        environment = {k: v for k, v in os.environ.items() if not k.startswith(("VIGILANT_", "DJANGO_"))}
        self.standby = children.start(
            [sys.executable, "-m", "vigilant.cli.main", "standby", "--rig", RIG, "--subjects", str(subjects)],
            self.var / "standby.log",
            {
                **environment,
                "VIGILANT_SERVER": self.url,
                "VIGILANT_TOKEN": (self.var / "demo-token").read_text().strip(),
                "VIGILANT_SPOOL": str(self.var / "demo-spool"),
            },
        )

    @property
    def url(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    def link(self) -> str:
        """A fresh sign-in link for the demo's user, good for an hour."""
        return _link(self.url)

    def leave_door(self) -> None:
        """What ``--link`` of another process needs, readable by us alone."""
        write_private(self.var / DOOR, json.dumps({"url": self.url, "environment": self.database.environment()}))

    def _wait(self) -> None:
        assert self.web is not None
        until = time.monotonic() + START_S
        while time.monotonic() < until:
            if self.web.poll() is not None:
                raise RuntimeError(f"the web server ended:\n{children.tail(self.var / 'web.log')}")
            try:
                httpx.get(f"{self.url}/api/session/", timeout=5)
                return
            except httpx.HTTPError:
                time.sleep(0.05)
        raise RuntimeError(f"the web server did not answer within {START_S:.0f} s")

    def check(self) -> None:
        """Prove that the page and the API answer, and that the link is needed."""
        with httpx.Client(base_url=self.url, timeout=20) as client:
            if client.get("/api/session/").status_code != 401 and client.get("/api/session/").status_code != 403:
                raise RuntimeError("the API answers without a sign-in")
            link = self.link()
            asked = client.get(link)
            token = {"csrfmiddlewaretoken": client.cookies.get("csrftoken", "")}
            page = client.post(link, data=token, follow_redirects=True)
            if asked.status_code != 200 or "sessionid" not in client.cookies:
                raise RuntimeError(f"the sign-in link answers {asked.status_code} and {page.status_code}")
            books = client.get("/api/session/").json()["books"]
            answer = client.get(f"/api/books/{books[0]['slug']}/standing/")
            if answer.status_code != 200:
                raise RuntimeError(f"the standing answers {answer.status_code}:\n{children.tail(self.var / 'web.log')}")
            standing = answer.json()
            if page.status_code != 200 or "<title>" not in page.text or not standing["rows"]:
                raise RuntimeError(f"the page answers {page.status_code} and the standing {standing}")

    def supervise(self) -> NoReturn:
        """Wait. Database, queue, worker and recorder are started again where they end; the web server takes all
        with it."""
        assert self.web is not None
        while True:
            try:
                self.web.wait(0.5)
            except subprocess.TimeoutExpired:
                if not self.database.running():
                    self._start_database_again()
                if self.standby is not None and self.standby.poll() is not None:
                    print("demo: the recorder standing by ended; started again", file=sys.stderr, flush=True)
                    self._stand_by()
                if not self.queue.running():
                    print("demo: Redis ended; started again", file=sys.stderr, flush=True)
                    self._try(self.queue.start)
                if self.worker is not None and self.worker.poll() is not None:
                    print("demo: the worker ended; started again", file=sys.stderr, flush=True)
                    self._start_worker()
                continue
            raise RuntimeError(f"the web server ended:\n{children.tail(self.var / 'web.log')}")

    def _start_database_again(self) -> None:
        """A database that ended (a full disk ends it) is started until it stays: what it acknowledged is kept."""
        print("demo: MariaDB ended; starting it again until it stays", file=sys.stderr, flush=True)
        while True:
            try:
                self.database.start()
            except DatabaseFailed as error:
                print(f"demo: {str(error).splitlines()[0]}; next try in {AGAIN_S:.0f} s", file=sys.stderr, flush=True)
                time.sleep(AGAIN_S)
            else:
                print("demo: MariaDB is back", file=sys.stderr, flush=True)
                return

    @staticmethod
    def _try(start: Callable[[], None]) -> None:
        try:
            start()
        except QueueFailed as error:
            print(f"demo: {str(error).splitlines()[0]}; tried again", file=sys.stderr, flush=True)
            time.sleep(AGAIN_S)

    def stop(self) -> None:
        for name in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
            signal.signal(name, signal.SIG_IGN)
        for child, grace_s in ((self.standby, 4.0), (self.web, 8.0), (self.worker, 8.0)):
            if child is not None:
                children.stop(child, grace_s)
        self.queue.stop()
        self.database.stop()
        (self.var / DOOR).unlink(missing_ok=True)


def main() -> int:
    parser = argparse.ArgumentParser(prog="script/demo", description="Start Vigilant Ledger with a demo book.")
    parser.add_argument("--port", type=int, default=DEFAULT_PORT, help=f"port on loopback (default {DEFAULT_PORT})")
    parser.add_argument("--check", action="store_true", help="start, prove that page and API answer, stop")
    parser.add_argument("--link", action="store_true", help="print a fresh sign-in link of the demo that runs")
    arguments = parser.parse_args()
    var = Path(os.environ.get("VIGILANT_VAR") or Path(__file__).resolve().parents[4] / "var")
    var.mkdir(parents=True, exist_ok=True)
    if arguments.link:
        return _print_fresh_link(var)
    _check_port(arguments.port)
    lock = (var / "demo.lock").open("w")
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        _refuse(f"a demo is running on the data in {var} already; stop it first")
    for name in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        signal.signal(name, _stop)
    demo = Demo(var, arguments.port)
    try:
        demo.start()
        if arguments.check:
            demo.check()
            print("demo: page and API answer")
            return 0
        demo.leave_door()
        print(
            f"Vigilant Ledger is running. Sign in (good for an hour; script/demo --link prints a fresh one):\n\n    {demo.link()}\n"
        )
        print(f"Recorders deliver with VIGILANT_SERVER={demo.url} and the token in {var / 'demo-token'}.")
        print("Ctrl-C stops it.", flush=True)
        demo.supervise()
    except Stopped as signalled:
        print(f"demo: stopped by {signalled}", file=sys.stderr)
        return 0
    except (RuntimeError, DatabaseFailed, QueueFailed, httpx.HTTPError) as error:
        print(f"demo: {error}", file=sys.stderr)
        return 1
    finally:
        demo.stop()


if __name__ == "__main__":
    sys.exit(main())
