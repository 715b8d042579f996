"""The API under requests made from its own schema, for as long as asked: ``script/timings --fuzz`` and a minute of the
tests. Whatever is sent, no answer is a server error, every list still answers and nothing is stored by half."""

import json
import re
import subprocess
import sys
from pathlib import Path

import httpx
import yaml
from durable import Stand

#: Signing in and out would end the exercise; batches are no JSON and have tests of their own.
LEFT_OUT = "session|batches|schema"
#: What each may write: a recorder delivers, an editor keeps the book.
PATHS = {"recorder": "standby|recordings|runs", "editor": "books|figures|runs"}

MAKE = """
import django; django.setup()
from django.contrib.auth import get_user_model
from vigilant.server.books.sessions import SessionStore
from django.contrib.auth import BACKEND_SESSION_KEY, HASH_SESSION_KEY, SESSION_KEY
from vigilant.server.books.models import Book, Member
book = Book.objects.get(slug="river")
user = get_user_model().objects.create_user("editor", password="lantern light over water")
Member.objects.create(book=book, user=user, role="editor")
session = SessionStore()
session[SESSION_KEY], session[HASH_SESSION_KEY] = str(user.pk), user.get_session_auth_hash()
session[BACKEND_SESSION_KEY] = "django.contrib.auth.backends.ModelBackend"
session.create()
from vigilant.server.runs.models import Run
from vigilant.server.scenarios.models import Scenario
run = Run.objects.filter(book=book).first()
print(session.session_key, run.pk, run.slot.recording_id, Scenario.objects.first().pk)
"""
CHECK = """
import django; django.setup()
from vigilant.formats.frames import FramesParser
from vigilant.server.runs.models import FrameChunk, Run
for run in Run.objects.all():
    chunks = sum(FrameChunk.objects.filter(run=run, column="frame").values_list("count", flat=True))
    assert run.state == "receiving" or chunks == run.frames, (run.pk, run.state, chunks, run.frames)
    assert run.batches.count() == run.next_batch, run.pk
print("whole")
"""


def _python(stand: Stand, code: str) -> str:
    done = subprocess.run(
        [sys.executable, "-c", code], env=stand.environment, capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stderr
    return done.stdout.strip().splitlines()[-1]


def fuzz(folder: Path, seconds: float, seed: int = 1) -> str:
    """Deliver a recording, send made-up requests as both kinds of client, look at what is left; the summary."""
    stand = Stand(folder, recorders=1)
    stand.start()
    try:
        stand.deliver(seed, frames=300)
        stand.finish()
        session, run, recording, scenario = _python(stand, MAKE).split()
        schema = yaml.safe_load((Path(__file__).parents[1] / "web/src/api/schema.yml").read_text())
        schema["components"].pop("securitySchemes", None)
        for path in schema["paths"].values():
            for operation in path.values():
                operation.pop("security", None)
        (folder / "schema.json").write_text(json.dumps(schema))
        (folder / "st.toml").write_text(
            f'[parameters]\n"path.book" = "river"\n"path.number" = 1\n"path.run_id" = "{run}"\n'
            f'"path.recording_id" = "{recording}"\n"path.scenario" = {scenario}\n'
        )
        headers = {
            "recorder": [f"Authorization: Bearer {stand.token}"],
            "editor": [f"Cookie: sessionid={session}; csrftoken={'c' * 32}", f"X-CSRFToken: {'c' * 32}"],
        }
        said = []
        for who, lines in headers.items():
            said.append(f"as {who}: {_sent(folder, stand.url, seconds / 2, seed, lines, PATHS[who])}")
            _still_answers(stand, session)
        assert _python(stand, CHECK) == "whole"
        log = (folder / "web.log").read_text()
        assert "Traceback" not in log, log[-3000:]
        return "; ".join(said)
    finally:
        stand.stop()


def _sent(folder: Path, url: str, seconds: float, seed: int, headers: list[str], paths: str) -> str:
    command = [
        str(Path(sys.executable).with_name("st")), "--config-file", str(folder / "st.toml"), "run", str(folder / "schema.json"),
        "--url", url, "--phases", "coverage,fuzzing", "--checks", "not_a_server_error", "--max-time", f"{seconds:.0f}",
        "--include-path-regex", paths, "--exclude-path-regex", LEFT_OUT, "--seed", str(seed), "--continue-on-failure",
        "--suppress-health-check", "all", "--no-shrink", "--warnings", "off", "--request-timeout", "30",
        *[part for header in headers for part in ("-H", header)],
    ]  # fmt: skip
    done = subprocess.run(command, capture_output=True, text=True, cwd=folder, timeout=seconds + 240, check=False)
    assert done.returncode == 0, done.stdout[-4000:] + done.stderr[-1000:]
    found = re.search(r"(\d[\d,]*) generated|Test cases:\s*\n?\s*(\d[\d,]*)", done.stdout)
    return f"{next(filter(None, found.groups())) if found else 'some'} requests"


def _still_answers(stand: Stand, session: str) -> None:
    """Every list of the book, for a person who reads it."""
    with httpx.Client(base_url=stand.url, cookies={"sessionid": session}, timeout=60) as client:
        for path in ("standing", "entries", "scenarios", "recordings", "standby", "entries/1"):
            answer = client.get(f"/api/books/river/{path}/")
            assert answer.status_code == 200, (path, answer.text[:500])
        assert client.get("/api/runs/").status_code == 200
