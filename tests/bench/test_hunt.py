"""The hunt for the build that did it, on a real repository: builds named by a command, made by another, recorded one after the other."""

import json
import subprocess
import sys

import pytest
import tomli_w
from click.testing import CliRunner

from bench.recording import TURN
from vigilant.bench.spool import RecordingSpool
from vigilant.cli.hunt import hunt_command
from vigilant.cli.record import record_command
from vigilant.formats.errors import PlanError
from vigilant.plan import parse_plan

#: A build of the festival: its frames take what its own source says.
SOURCE = """
import json, os, random
LEVEL = {level}
rng = random.Random(TURN)
with open(os.environ["VIGILANT_FRAMES"], "w") as out:
    print(json.dumps({{"vigilant_frames": 1, "columns": ["frame"]}}), file=out)
    own = rng.gauss(1.0, 0.006)
    for _ in range(120):
        print(json.dumps([LEVEL * own * rng.uniform(0.9, 1.1)]), file=out)
    print(json.dumps({{"end": {{"frames": 120}}}}), file=out)
""".replace("TURN", TURN)
COMMITS, AT = 14, 9


def git(folder, *arguments):
    whoever = ("-c", "user.name=Mira Quill", "-c", "user.email=mira@lanternfall.invalid")
    done = subprocess.run(["git", "-C", folder, *whoever, *arguments], capture_output=True, text=True, check=True)
    return done.stdout.strip()


@pytest.fixture(scope="module")
def repository(tmp_path_factory):
    """Fourteen commits; the tenth makes frames 5 % dearer; the sixth does not build."""
    folder = tmp_path_factory.mktemp("festival")
    git(folder, "init", "-q", "-b", "main")
    commits = []
    for i in range(COMMITS):
        (folder / "festival.py").write_text(SOURCE.format(level=12.0 * (1.05 if i >= AT else 1.0)) + f"# {i}\n")
        (folder / "makes").write_text("no" if i == 5 else "yes")
        git(folder, "add", "-A")
        git(folder, "commit", "-q", "-m", f"Change {i}")
        commits.append(git(folder, "rev-parse", "--short=10", "HEAD"))
    return folder, commits


def plan(folder, **hunt):
    make = f"git -C {folder} checkout -q $1 && grep -q yes {folder}/makes || {{ echo does not build >&2; exit 3; }}"
    return {
        "scenario": {"name": "river", "target_fps": 60, "duration_s": 0.2},
        "arm": [{"command": [sys.executable, str(folder / "festival.py")]}],
        "hunt": {"command": ["sh", "-c", make, "make", "{build}"], **hunt},
        "recording": {"order_seed": 5},
    }


def hunt(tmp_path, raw, *arguments):
    (tmp_path / "plan.toml").write_text(tomli_w.dumps(raw))
    return CliRunner().invoke(
        hunt_command, [str(tmp_path / "plan.toml"), "--spool", str(tmp_path / "spool"), *arguments]
    )


def test_the_build_that_did_it_is_found(repository, tmp_path, monkeypatch):
    monkeypatch.setenv("COLUMNS", "100")
    folder, commits = repository
    named = f"git -C {folder} rev-list --reverse --abbrev-commit --abbrev=10 main"
    got = hunt(tmp_path, plan(folder), "--builds-from", named)
    assert got.exit_code == 0, got.output
    said = " ".join(got.stdout.split())
    assert f"It begins with {commits[AT]} (+4." in said or f"It begins with {commits[AT]} (+5." in said
    assert f"{commits[0]} " in got.stdout  # the strip from the good end to the bad one
    assert "█" in got.stdout
    assert "next " in got.stderr
    (spool,) = (tmp_path / "spool").iterdir()
    again = CliRunner().invoke(hunt_command, ["--go-on", str(spool), "--json"])
    found = json.loads(again.stdout)["hunt"]
    assert (again.exit_code, found["first"], found["last"], found["why"]) == (0, commits[AT], commits[AT], "certain")
    assert found["runs"][commits[0]] == found["runs"][commits[-1]] == 3
    assert sum(found["runs"].values()) < 20  # every build five times would be 70
    assert found["change"] == pytest.approx(0.05, abs=0.02)
    assert len(found["posterior"]) == COMMITS - 1
    assert all(arm["env"]["VIGILANT_BUILD"] == arm["name"] for arm in RecordingSpool.load(spool).plan["arm"])


def test_a_build_that_cannot_be_made_is_left_out(repository, tmp_path):
    folder, commits = repository
    raw = plan(folder, builds=[*commits[3:6], *commits[9:]])  # the middle one before the step does not build
    got = hunt(tmp_path, raw, "--json")
    found = json.loads(got.stdout)["hunt"]
    assert commits[5] not in found["runs"]
    if commits[5] in found["cannot"]:
        assert found["first"] in (commits[5], commits[9])
    assert found["last"] == commits[9]
    assert commits[9] in (found["first"], found["last"])


@pytest.mark.parametrize(("picked", "code", "said"), [
    ((0, 1, 2, 3, 4), 3, "Not reproduced: after 16 runs"), ((5, 6, 9), 6, "An end has no complete run"),
])  # fmt: skip
def test_what_is_not_between_is_not_looked_for(repository, tmp_path, picked, code, said):
    folder, commits = repository
    got = hunt(tmp_path, plan(folder, builds=[commits[i] for i in picked]))
    assert (got.exit_code, said in " ".join(got.output.split())) == (code, True), got.output


def test_runs_that_are_spent_leave_several_builds(repository, tmp_path):
    folder, commits = repository
    got = hunt(tmp_path, plan(folder, builds=commits, most_runs=7))
    assert got.exit_code == 3
    assert f"It begins between {commits[0]}"[:18] in got.stdout
    assert "hold 95 % after 7 runs" in " ".join(got.stdout.split())


@pytest.mark.parametrize(("change", "said"), [
    ({"hunt": {"builds": ["a"]}}, "hunt.*builds"), ({"hunt": {"builds": ["a", "b", "a"]}}, "name a twice"),
    ({"hunt": {}}, "hunt.*builds"), ({"arm": [{"command": ["a"]}, {"name": "b", "command": ["b"]}]}, "one \\[\\[arm\\]\\]"),
    ({"arm": [{"page": "http://127.0.0.1/"}]}, "which the recorder starts"),
    ({"sweep": {"name": "x", "of": "knob", "values": [1, 2], "arguments": ["{value}"]}}, "hunts, or it sweeps"),
    ({"hunt": {"builds": ["a", "b"], "figure": "fps"}}, "figure"),
])  # fmt: skip
def test_what_is_no_hunt_is_refused(change, said, tmp_path):
    raw = {"scenario": {"name": "river"}, "arm": [{"command": ["a"]}], "hunt": {"builds": ["a", "b"]}, **change}
    with pytest.raises(PlanError, match=said):
        parse_plan(raw, tmp_path)


def test_a_plan_to_hunt_is_a_recording_of_both_ends(tmp_path):
    made = parse_plan({"scenario": {"name": "river"}, "arm": [{"command": ["x", "{build}"]}], "hunt": {"builds": ["a", "b", "c"]}}, tmp_path)  # fmt: skip
    assert (made.account, made.runs, made.title) == ("hunt", 3, "Which build did it?")
    assert [(arm.name, arm.value, arm.env["VIGILANT_BUILD"]) for arm in made.arms] == [("a", 0.0, "a"), ("c", 2.0, "c")]
    assert parse_plan(made.raw, tmp_path).arms == made.arms


@pytest.mark.parametrize(("arguments", "said"), [
    ((), "one of them"), (("--builds-from", "false"), "exit code 1"), (("--builds-from", "no-such-program x"), "could not be named"),
    (("--builds-from", "echo one"), "builds"),
])  # fmt: skip
def test_wrong_use_of_a_hunt_is_said(repository, tmp_path, arguments, said):
    folder, _ = repository
    got = hunt(tmp_path, plan(folder), *arguments) if arguments else CliRunner().invoke(hunt_command, [])
    assert (got.exit_code, said in got.output) == (2, True), got.output


def test_a_recorder_says_who_hunts(tmp_path):
    raw = {"scenario": {"name": "river"}, "arm": [{"command": [sys.executable]}], "hunt": {"builds": ["a", "b"]}}
    (tmp_path / "plan.toml").write_text(tomli_w.dumps(raw))
    got = CliRunner().invoke(record_command, [str(tmp_path / "plan.toml")])
    assert (got.exit_code, "recorded by vigilant hunt" in got.output) == (2, True)
