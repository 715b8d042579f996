"""The demo as a process of its own, for browser tests and pictures."""

import os
import re
import subprocess
import sys
import time
from contextlib import contextmanager
from pathlib import Path

from made_once import ROOT, copy_of

from vigilant.server.launch.ports import free_port

LINK = re.compile(r"http://127\.0\.0\.1:\d+/sign-in/\S+")
#: A demo that loads its book beside other tests may take so long, s.
START_S = 900
COMMAND = [sys.executable, "-m", "vigilant.server.launch.demo"]


def start(var: Path, port: int | None = None) -> tuple[subprocess.Popen, str]:
    """Start a demo on data in ``var``; the process and its sign-in link."""
    out = var / "demo.out"
    var.mkdir(parents=True, exist_ok=True)
    with out.open("w") as file:
        process = subprocess.Popen(
            [*COMMAND, "--port", str(port or free_port())],
            env={**os.environ, "VIGILANT_VAR": str(var)},
            stdout=file,
            stderr=subprocess.STDOUT,
            start_new_session=True,
        )
    until = time.monotonic() + START_S
    while time.monotonic() < until:
        found = LINK.search(out.read_text())
        if found:
            return process, found.group()
        if process.poll() is not None:
            raise RuntimeError(out.read_text())
        time.sleep(0.1)
    process.kill()
    raise RuntimeError("the demo did not start")


def load(var: Path) -> None:
    """A demo's data, as its first start leaves them."""
    copy_of(
        "demo",
        (path for path in ROOT.glob("src/vigilant/**/*") if path.is_file() and path.suffix != ".pyc"),
        _load,
        var,
    )


def _load(var: Path) -> None:
    process, _ = start(var)
    process.terminate()
    process.wait(180)


@contextmanager
def running(var: Path):
    process, link = start(var)
    try:
        yield link
    finally:
        process.terminate()
        process.wait(180)


def sign_in(page, link: str) -> None:
    """Open the link and say yes, as a person would."""
    page.goto(link)
    page.get_by_role("button", name="Sign in as").click()


def signed_in(client, link: str) -> None:
    """The same for an HTTP client."""
    client.get(link)
    client.post(link, data={"csrfmiddlewaretoken": client.cookies["csrftoken"]})


CHROMIUM_ARGUMENTS = [
    "--no-sandbox",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]
CHROMIUM = "/usr/bin/chromium"
