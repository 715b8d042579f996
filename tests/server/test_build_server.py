"""A build server's evening: a real repository, builds ordered by a command, each recorded for its line, the alarm, the gate, the hunt."""

import json
import subprocess
import sys

import httpx
import pytest
import tomli_w
from bench.recording import TURN
from click.testing import CliRunner
from django.core.wsgi import get_wsgi_application

from vigilant.bench import deliver
from vigilant.cli.main import main
from vigilant.server.trend.models import Alarm, BuildPlace

pytestmark = pytest.mark.django_db(transaction=True)

COMMITS, AT = 13, 11
OURS = httpx.Client
#: The festival of one commit: its frames take what its own source says, its sessions differ a little.
SOURCE = """
import json, os, random
LEVEL = {level}
own, session = random.Random("{level}" + str(TURN)), random.Random(os.environ.get("VIGILANT_BUILD", "") + os.environ.get("SESSION", ""))
with open(os.environ["VIGILANT_FRAMES"], "w") as out:
    print(json.dumps({{"vigilant_frames": 1, "columns": ["frame"]}}), file=out)
    level = LEVEL * session.gauss(1.0, 0.003) * own.gauss(1.0, 0.004)
    for _ in range(150):
        print(json.dumps([level * own.uniform(0.9, 1.1)]), file=out)
    print(json.dumps({{"end": {{"frames": 150}}}}), file=out)
""".replace("TURN", TURN)


def git(folder, *arguments):
    whoever = ("-c", "user.name=Mira Quill", "-c", "user.email=mira@lanternfall.invalid")
    done = subprocess.run(["git", "-C", folder, *whoever, *arguments], capture_output=True, text=True, check=True)
    return done.stdout.strip()


@pytest.fixture
def repository(tmp_path):
    """Thirteen commits; the twelfth makes frames 6 % dearer."""
    folder = tmp_path / "festival"
    folder.mkdir()
    git(folder, "init", "-q", "-b", "main")
    commits = []
    for i in range(COMMITS):
        (folder / "festival.py").write_text(SOURCE.format(level=12.0 * (1.06 if i >= AT else 1.0)) + f"# {i}\n")
        git(folder, "add", "-A")
        git(folder, "commit", "-q", "-m", f"Change {i}")
        commits.append(git(folder, "rev-parse", "--short=10", "HEAD"))
    return folder, commits


@pytest.fixture
def vigilant(monkeypatch, token, tmp_path):
    """The command line, against this server."""
    transport = httpx.WSGITransport(app=get_wsgi_application())
    monkeypatch.setattr(deliver.httpx, "Client", lambda **given: OURS(transport=transport, **given))
    monkeypatch.setenv("COLUMNS", "160")
    for name, value in (("SERVER", "http://testserver"), ("TOKEN", token), ("SPOOL", str(tmp_path / "spool"))):
        monkeypatch.setenv(f"VIGILANT_{name}", value)

    def call(*arguments, **more):
        return CliRunner().invoke(main, [str(a) for a in arguments], **more)

    return call


def test_a_step_is_found_by_line_alarm_gate_and_hunt(repository, vigilant, tmp_path, monkeypatch, book):
    folder, commits = repository
    named = f"git -C {folder} rev-list --reverse --abbrev-commit --abbrev=10 main"
    got = vigilant("order", "--builds-from", named)
    assert (got.exit_code, got.stdout) == (0, f"{COMMITS} new builds, {COMMITS} in order.\n"), got.output
    assert vigilant("order", "--builds-from", named).stdout.startswith("0 new builds")
    raw = {
        "scenario": {"name": "river", "target_fps": 60, "duration_s": 0.2},
        "arm": [{"command": [sys.executable, str(folder / "festival.py")]}],
        "recording": {"runs": 3, "order_seed": 5},
        "policy": {"primaries": ["mean_ms"]},
    }
    plan = tmp_path / "line.toml"
    plan.write_text(tomli_w.dumps(raw))
    codes = []
    for commit in commits:
        git(folder, "checkout", "-q", commit)
        got = vigilant("record", plan, "--build", commit, "--line")
        codes.append(got.exit_code)
    # Only what is worse than its line fails; the second one is still the first one's level.
    assert codes == [0] * AT + [1, 1], got.output
    said = " ".join(got.stdout.split())
    assert f"{commits[-1]} is worse than its line: the mean frame +" in said
    assert f"Open: {commits[AT]} is worse than its line" in said
    assert f"Record {commits[AT]} again in another session" in said
    assert "One false alarm in 200 builds is expected" in said
    assert "The line: http://testserver/river/trend/" in said
    alarm = Alarm.objects.get()
    assert (alarm.build, [row["build"] for row in alarm.later]) == (commits[AT], [commits[-1]])
    # Another session of the same build confirms it.
    monkeypatch.setenv("SESSION", "again")
    git(folder, "checkout", "-q", commits[AT])
    again = vigilant("record", plan, "--build", commits[AT], "--line", "--json")
    assert (again.exit_code, json.loads(again.stdout)["line"]["line"]["alarms"][0]["state"]) == (1, "confirmed")
    # The gate of a build that has no place yet: held to the level before the alarm.
    policy = tmp_path / "gate.toml"
    policy.write_text('[gate]\nplan = "line.toml"\n[line]\nalpha = 0.01\n')
    git(folder, "checkout", "-q", "main")
    judged = vigilant("gate", policy, "--build", "merge", "--markdown", tmp_path / "gate.md")
    assert judged.exit_code == 1, judged.output
    assert "merge against its line: regression" in judged.stdout
    assert "An alarm is open since" in judged.stdout
    assert "[The line, with everything behind it](http://testserver/river/line/" in (tmp_path / "gate.md").read_text()
    assert not BuildPlace.objects.filter(name="merge").exists()
    # And the hunt between the ends of it names the commit, on its own.
    hunting = {k: raw[k] for k in ("scenario", "arm")} | {
        "hunt": {"command": ["git", "-C", str(folder), "checkout", "-q", "{build}"]},
        "recording": {"order_seed": 5},
    }
    (tmp_path / "hunt.toml").write_text(tomli_w.dumps(hunting))
    found = vigilant("hunt", tmp_path / "hunt.toml", "--builds-from", named)
    assert found.exit_code == 0, found.output
    assert f"It begins with {commits[AT]} (+" in " ".join(found.stdout.split())


def test_what_a_build_server_may_get_wrong_is_said(vigilant, tmp_path, monkeypatch, book):
    plan = {
        "scenario": {"name": "river", "target_fps": 60, "duration_s": 0.2},
        "arm": [{"command": [sys.executable, "-c", "raise SystemExit(3)"]}],
        "recording": {"runs": 1},
    }
    (tmp_path / "line.toml").write_text(tomli_w.dumps(plan))
    (tmp_path / "gate.toml").write_text('[gate]\nplan = "line.toml"\n[line]\n')
    (tmp_path / "dated").write_text("b1 2026-05-01T10:00:00Z\nb2 yesterday\n")
    (tmp_path / "builds").write_text("b2\nb1\n")
    (tmp_path / "other way").write_text("b1\nb2\n")
    here = tmp_path / "line.toml"
    for code, said, *arguments in (
        (2, "--line goes with --build", "record", here, "--line"), (2, "--line goes with --build", "record", here, "--build", "b1"),
        (2, "two [[arm]] tables", "record", here), (6, "No run of b1 is complete", "record", here, "--build", "b1", "--line"),
        (2, "--build ID goes with a policy that has [line]", "gate", tmp_path / "gate.toml"),
        (6, "No run of b1 is complete", "gate", tmp_path / "gate.toml", "--build", "b1"),
        (2, "give FILE or --builds-from", "order"), (2, "no build is named", "order", "--builds-from", "true"),
        (2, "naming the builds ended with exit code 1", "order", "--builds-from", "false"),
        (2, "Not ordered", "order", tmp_path / "dated", "--by-date"),
        (0, "2 new builds", "order", tmp_path / "builds"), (2, "the other way round", "order", tmp_path / "other way"),
    ):  # fmt: skip
        got = vigilant(*arguments)
        assert (got.exit_code, said in " ".join(got.output.split())) == (code, True), (arguments, got.output)
    monkeypatch.setenv("VIGILANT_TOKEN", "wrong")
    assert vigilant("order", tmp_path / "builds").exit_code == 2


def test_a_build_without_a_place_is_told_how_it_gets_one(vigilant, tmp_path, book):
    raw = {
        "scenario": {"name": "river", "target_fps": 60, "duration_s": 0.2},
        "arm": [{"command": [sys.executable, "-c", SOURCE.format(level=12.0)]}],
        "recording": {"runs": 1},
    }
    plan = tmp_path / "line.toml"
    plan.write_text(tomli_w.dumps(raw))
    got = vigilant("record", plan, "--build", "b1", "--line")
    assert (got.exit_code, "has no place in the order" in got.stdout) == (0, True), got.output
    got = vigilant("record", plan, "--build", "b1", "--line", "--newest")
    assert "b1 is held against nothing: no build before it was recorded on its set-up." in got.stdout, got.output
    assert list(BuildPlace.objects.values_list("name", flat=True)) == ["b1"]


def test_a_server_that_is_away_is_code_5_and_the_runs_are_kept(vigilant, tmp_path, monkeypatch, book):
    def away(request):
        raise httpx.ConnectError("nobody answers")

    plan = {
        "scenario": {"name": "river", "target_fps": 60, "duration_s": 0.2},
        "arm": [{"command": [sys.executable, "-c", SOURCE.format(level=12.0)]}],
        "recording": {"runs": 1},
    }
    (tmp_path / "line.toml").write_text(tomli_w.dumps(plan))
    (tmp_path / "gate.toml").write_text('[gate]\nplan = "line.toml"\n[line]\n')
    (tmp_path / "builds").write_text("b1\n")
    monkeypatch.setattr(deliver.httpx, "Client", lambda **given: OURS(transport=httpx.MockTransport(away)))
    asked = (("record", "line.toml", "--line"), ("gate", "gate.toml"))
    for kept, (command, file, *more) in enumerate(asked, start=1):
        got = vigilant(command, tmp_path / file, "--build", "b1", *more)
        assert (got.exit_code, "Not delivered" in got.output) == (5, True), got.output
        assert len(list((tmp_path / "spool").glob("*/runs/*.jsonl"))) == kept
    assert vigilant("order", tmp_path / "builds").exit_code == 5
