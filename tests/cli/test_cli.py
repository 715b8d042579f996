"""The commands as a user runs them: output, JSON, exit codes."""

import json
import signal
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest
from bench.recording import TURN, as_toml, plan, quick
from core.generators import ordinary

from vigilant.bench.spool import RecordingSpool


def vigilant(*args, cwd=None):
    command = [sys.executable, "-m", "vigilant.cli.main"]
    return subprocess.run([*command, *map(str, args)], capture_output=True, text=True, cwd=cwd, check=False)


@pytest.fixture
def files(tmp_path):
    rng = np.random.default_rng(9)
    levels = {"b": 12.0, "a": 10.5, "s": 12.0}
    for name, level in levels.items():
        for i in range(5):
            x = ordinary(rng, 400, level)
            (tmp_path / f"{name}{i}.csv").write_text("dt\n" + "\n".join(map(repr, x.tolist())))
    return tmp_path


def arms(folder, before="b", after="a"):
    def pick(letter):
        return sorted(folder.glob(f"{letter}?.csv"))

    return ["--before", *pick(before), "--after", *pick(after), "--target-fps", 60, "--column", "dt"]


def test_compare_says_it_on_the_terminal(files):
    got = vigilant("compare", *arms(files), "--order", "baabbaabba")
    assert got.returncode == 0, got.stderr
    for part in (" Gain ", "A frame takes 1.", "Mean frame *", "Rows marked * carry the verdict"):
        assert part in got.stdout


@pytest.mark.parametrize("name", ["t", "fps"])
def test_stamps_and_rates_are_never_compared_as_frame_times(name, files):
    """They gave a verdict once. Stamps are told by their shape, a rate by its name; both are asked about or read right."""
    for path in files.glob("[ab]?.csv"):
        ms = np.array([float(v) for v in path.read_text().split()[1:]])
        values = np.cumsum(ms) if name == "t" else 1000.0 / ms
        path.write_text(f"{name}\n" + "\n".join(map(repr, values.tolist())))
    asked = ["compare", *arms(files)[:-2], "--order", "baabbaabba"]
    plain, times = vigilant(*asked), vigilant(*asked, "--reading", "times")
    assert times.returncode == 2
    right = plain if name == "t" else vigilant(*asked, "--reading", "rate")
    assert (right.returncode, " Gain " in right.stdout) == (0, True), right
    if name == "t":
        assert "read as stamps in ms: it only rises" in right.stdout
    else:
        assert (plain.returncode, "Say which: --reading" in " ".join(plain.stderr.split())) == (2, True)


@pytest.mark.parametrize(
    ("claim", "code", "said"),
    [
        ("14 % faster", 0, '"14 % faster" holds.'),
        ("2.2x", 1, "does not hold"),
        ("a tenth fewer stutters", 3, "cannot be told"),
        ("splendid", 2, "Say it like"),
    ],
)
def test_a_claim_is_held_against_files(claim, code, said, files):
    got = vigilant("claim", claim, *arms(files), "--order", "baabbaabba")
    assert (got.returncode, said in " ".join((got.stdout + got.stderr).split())) == (code, True), got


def test_a_blank_test_says_what_the_bench_can_see(tmp_path):
    # Runs that differ by far less than the floor: others would be called different in one of twenty.
    once = quick(12.0)
    once[2] = once[2].replace(TURN, "7").replace("[level *", f"[(1 + {TURN} * 2e-5) * level *")
    (tmp_path / "plan.toml").write_text(as_toml(plan(once, quick(3.0), runs=5)))
    got = vigilant("blank", "plan.toml", "--spool", "spool", "--json", cwd=tmp_path)
    answer = json.loads(got.stdout)
    assert got.returncode == 0
    assert not answer["false_alarm"]
    mean = next(row for row in answer["outlook"] if row["figure"] == "mean_ms")
    assert mean["runs"] == [3, 5, 8, 12]
    assert mean["needed"] <= 5
    # Both arms are the first one's build: the second of the plan, four times as fast, is not in it.
    assert answer["figures"]["mean_ms"]["before"] == pytest.approx(12.0, rel=0.02)
    assert answer["figures"]["mean_ms"]["after"] == pytest.approx(12.0, rel=0.02)


def test_a_recording_until_decided_says_its_looks(tmp_path):
    raw = plan(quick(12.0), quick(6.0), policy={"primaries": ["mean_ms"]})
    (tmp_path / "plan.toml").write_text(as_toml(raw))
    got = vigilant("record", "plan.toml", "--until-decided", "--spool", "spool", cwd=tmp_path)
    assert got.returncode == 0, got.stderr
    assert "look after 4 pairs, at 0.015 %: gain" in got.stderr
    assert "in the look after 4 of at most 15 pairs" in " ".join(got.stdout.split())


@pytest.mark.parametrize(
    ("before", "after", "order", "verdict", "code"),
    [
        ("b", "a", "baabbaabba", "gain", 0),
        ("a", "b", "baabbaabba", "regression", 1),
        ("b", "a", "bbbbbaaaaa", "undecided", 3),
    ],
)
def test_compare_as_json_with_its_exit_code(files, before, after, order, verdict, code):
    got = vigilant("compare", *arms(files, before, after), "--order", order, "--json")
    assert got.returncode == code
    answer = json.loads(got.stdout)
    assert answer["verdict"] == verdict
    assert {"reasons", "figures", "findings", "sentence"} <= set(answer)
    assert answer["figures"]["mean_ms"]["before"] == pytest.approx(12.0 if before == "b" else 10.5, rel=0.05)


@pytest.mark.parametrize(
    ("extra", "message"),
    [
        (["--column", "u"], "there is no column 'u'; there are: dt"),
        (["--order", "xyz"], "letters b, a and -"),
        (["--order", "ba"], "order names 1 before and 1 after, but 5 and 5"),
        (["--unit", "parsec"], "'parsec' is not one of"),
        (["--before", "gone.csv"], "gone.csv: cannot be read"),
        (["--order", "recorded"], '"started" stamp'),
    ],
)
def test_wrong_use_is_code_2_with_the_reason(files, extra, message):
    got = vigilant("compare", *arms(files), *extra)
    assert got.returncode == 2
    assert message in got.stderr


def test_record_keeps_and_says(tmp_path):
    (tmp_path / "plan.toml").write_text(as_toml(plan(quick(12.0), quick(9.0))))
    got = vigilant("record", tmp_path / "plan.toml", "--spool", tmp_path / "spool", "--json")
    assert got.returncode == 0, got.stderr
    answer = json.loads(got.stdout)
    assert answer["verdict"] == "gain"
    assert answer["runs"] == {"before": 5, "after": 5}
    streams = list((tmp_path / "spool").glob("*/runs/*.jsonl"))
    assert len(streams) == 10
    kept = json.loads(next((tmp_path / "spool").glob("*/recording.json")).read_text())
    order = "".join(slot["arm"][0] for slot in kept["slots"])
    assert order != "ba" * 5

    again = vigilant("push", answer["spool"], "--server", "http://127.0.0.1:9", "--token", "x")
    assert again.returncode == 5
    assert "cannot be reached" in again.stderr


def test_record_without_its_server_keeps_everything(tmp_path):
    raw = plan(quick(12.0), quick(9.0), server={"url": "http://127.0.0.1:9"})
    (tmp_path / "plan.toml").write_text(as_toml(raw))
    got = vigilant("record", tmp_path / "plan.toml", "--spool", tmp_path / "spool", "--token", "t")
    assert got.returncode == 5
    assert "Gain" in got.stdout
    assert "vigilant push" in got.stderr


def test_record_refuses_a_bad_plan(tmp_path):
    (tmp_path / "plan.toml").write_text("[scenario]\nname = 'x'\n")
    got = vigilant("record", tmp_path / "plan.toml")
    assert got.returncode == 2
    assert "needs two [[arm]] tables" in got.stderr


@pytest.mark.parametrize(
    ("arms", "arguments", "said"),
    [
        (["page = 'http://a'", "page = 'http://b'"], [], "plan it on the Bench"),
        (["listen = true", "name = 'b'\nlisten = true"], [], "say where to listen"),
        (["listen = true", "name = 'b'\nlisten = true"], ["--listen", "4700"], "where to listen is HOST:PORT"),
    ],
)
def test_arms_that_play_elsewhere_say_what_they_need_before_the_first_run(arms, arguments, said, tmp_path):
    text = "[scenario]\nname = 'x'\n" + "".join(f"[[arm]]\n{arm}\n" for arm in arms)
    (tmp_path / "plan.toml").write_text(text)
    got = vigilant("record", tmp_path / "plan.toml", "--spool", tmp_path / "spool", *arguments)
    assert got.returncode == 2
    assert said in " ".join(got.stderr.split())
    assert not (tmp_path / "spool").exists()


def test_one_answer_from_the_recorder_and_from_delimited_files(tmp_path):
    (tmp_path / "plan.toml").write_text(as_toml(plan(quick(12.0), quick(11.5))))
    recorded = json.loads(vigilant("record", tmp_path / "plan.toml", "--spool", tmp_path / "spool", "--json").stdout)
    spool = RecordingSpool.load(Path(recorded["spool"]))
    letters = ""
    for slot in spool.slots:
        x = spool.read(slot).series.frame_ms.tolist()
        name = tmp_path / f"{slot.arm}{slot.position:02}.csv"
        name.write_text("n,frame_us\n" + "".join(f"{i},{v * 1000!r}\n" for i, v in enumerate(x)))
        letters += slot.arm[0]
    got = vigilant(
        "compare", "--before", *sorted(tmp_path.glob("before*.csv")), "--after", *sorted(tmp_path.glob("after*.csv")),
        "--column", "frame_us", "--target-fps", 60, "--order", letters, "--json",
    )  # fmt: skip
    answer = json.loads(got.stdout)
    assert (answer["verdict"], answer["sentence"]) == (recorded["verdict"], recorded["sentence"])
    for name, figure in recorded["figures"].items():
        for key in ("difference", "ci_low", "ci_high", "p_value"):
            expected = None if figure[key] is None else pytest.approx(figure[key], rel=1e-6, abs=1e-9)
            assert answer["figures"][name][key] == expected, (name, key)


def test_stopping_keeps_what_was_recorded_and_ends_the_subject(tmp_path):
    """Ctrl-C is no regression: code 130, the first run kept, no subject left."""
    pid = tmp_path / "pid"
    slow = [sys.executable, "-c", f"import os, time; open({str(pid)!r}, 'w').write(str(os.getpid())); time.sleep(60)"]
    (tmp_path / "plan.toml").write_text(as_toml(plan(slow, slow, runs=1, recording={"timeout_s": 50.0})))
    command = [sys.executable, "-m", "vigilant.cli.main", "record", "plan.toml", "--spool", "spool"]
    process = subprocess.Popen(command, cwd=tmp_path, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
    until = time.monotonic() + 30
    while time.monotonic() < until and not (pid.exists() and pid.read_text()):
        time.sleep(0.02)
    process.send_signal(signal.SIGINT)
    _, said = process.communicate(timeout=120)
    assert process.returncode == 130
    assert "what was recorded is kept" in said
    assert not Path(f"/proc/{pid.read_text()}").exists()
    assert list(tmp_path.glob("spool/*/recording.json"))


def test_a_fault_of_ours_is_not_a_regression(monkeypatch, tmp_path):
    code = (
        "import sys, vigilant.cli.files as c, vigilant.cli.main as m\n"
        "c.read_runs = lambda *a: 1 / 0\n"
        "sys.argv = ['vigilant', 'compare', '--before', 'x', '--after', 'y']\n"
        "m.run()"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=False)
    assert (done.returncode, "ZeroDivisionError" in done.stderr) == (70, True)


def test_the_subject_does_not_see_the_recorders_token(monkeypatch, tmp_path):
    spy = [sys.executable, "-c", "import os; print('token', os.environ.get('VIGILANT_TOKEN')); raise SystemExit(3)"]
    monkeypatch.setenv("VIGILANT_TOKEN", "vl_secret")
    (tmp_path / "plan.toml").write_text(as_toml(plan(spy, spy, runs=1)))
    done = vigilant("record", tmp_path / "plan.toml", "--spool", tmp_path / "spool")
    assert (done.returncode, "Usage" in done.stderr) == (6, False)
    assert "token None" in done.stderr
    assert "vl_secret" not in done.stderr + done.stdout


def test_a_third_arm_is_one_more_comparison_in_the_one_json_object(tmp_path):
    raw = plan(quick(12.0), quick(9.0), runs=3)
    raw["arm"].append({"name": "slower", "command": quick(15.0)})
    (tmp_path / "plan.toml").write_text(as_toml(raw))
    got = vigilant("record", tmp_path / "plan.toml", "--spool", tmp_path / "spool", "--json")
    assert got.returncode == 1  # the worst of the two
    answer = json.loads(got.stdout)
    assert answer["verdict"] == "gain"
    assert [(a["arm"], a["verdict"]) for a in answer["further_arms"]] == [("slower", "regression")]
    assert "two" not in got.stderr


@pytest.mark.parametrize(
    ("arguments", "said"),
    [
        ([], "give one of PLAN.toml, --entry, --recording and --go-on"),
        (["--entry", "3"], "no server is named"),
        (["--go-on", "nowhere"], "nowhere holds no recording"),
        (["x.toml", "--subjects", "none.toml"], "cannot be read: No such file"),
    ],
)
def test_record_says_what_it_misses(arguments, said):
    got = vigilant("record", *arguments)
    assert got.returncode == 2
    assert said in got.stderr.replace("\n", " ")


@pytest.mark.parametrize("json_", [True, False])
def test_folders_are_arms_side_by_side(json_, tmp_path):
    rng = np.random.default_rng(9)
    for name, level in {"old": 12.0, "cells": 10.0, "table": 8.0, "bare": 3.0}.items():
        (tmp_path / name).mkdir()
        for i in range(5):
            x = ordinary(rng, 400, level)
            (tmp_path / name / f"{i}.csv").write_text("frame_ms\n" + "\n".join(map(repr, x.tolist())))
    got = vigilant("arms", "old", "cells", "table", "--all-pairs", "--empty", "bare", *["--json"] * json_, cwd=tmp_path)
    assert got.returncode == 0, got.stderr
    if json_:
        said = json.loads(got.stdout)
        assert [(p["before"], p["after"], p["verdict"]) for p in said["pairs"]] == [
            ("old", "cells", "gain"), ("old", "table", "gain"), ("cells", "table", "gain")
        ]  # fmt: skip
        assert said["places"]["mean_ms"] == {
            n: {"best": i, "worst": i} for n, i in (("old", 3), ("cells", 2), ("table", 1))
        }
        assert said["net"][0]["low"] < 9.0 < said["net"][0]["high"]
    else:
        assert "Mean frame: old 3, cells 2, table 1" in got.stdout
        assert "Net of the empty arm" in got.stdout


@pytest.mark.parametrize(
    ("folders", "said"),
    [
        (["old"], "two or more"),
        (["old", "none"], "holds no run"),
        (["old", "gone"], "does not exist"),
        (["old", "old"], "one name"),
    ],
)
def test_folders_that_are_no_arms_are_refused(folders, said, tmp_path):
    for name in ("old", "none"):
        (tmp_path / name).mkdir()
    (tmp_path / "old" / "0.csv").write_text("frame_ms\n" + "\n".join(["12.5", "12.25"] * 100))
    got = vigilant("arms", *folders, cwd=tmp_path)
    assert (got.returncode, said in got.stderr) == (2, True), got.stderr


@pytest.mark.parametrize(("columns", "part"), [(120, "Margin"), (80, "Margins: Mean frame 0.2")])
def test_margins_stand_beside_the_figures_and_no_word_is_broken(columns, part, tmp_path, monkeypatch):
    rng = np.random.default_rng(2)
    names = {"b": [], "a": []}
    for side, level in (("b", 12.0), ("a", 9.0)):
        for i in range(4):
            names[side].append(tmp_path / f"{side}{i}.csv")
            names[side][-1].write_text("frame_ms\n" + "\n".join(map(str, rng.normal(level, 0.3, 400))))
    monkeypatch.setenv("COLUMNS", str(columns))
    got = vigilant("compare", "--before", *names["b"], "--after", *names["a"], "--target-fps", "60")
    assert part in got.stdout
    assert "  better" in got.stdout


def test_a_file_given_twice_is_one_run(tmp_path):
    for name in ("b1", "b2", "a1", "a2"):
        (tmp_path / f"{name}.csv").write_text("frame_ms\n" + "\n".join(str(10 + i % 7 + len(name)) for i in range(300)))
    got = vigilant("compare", "--before", tmp_path / "b1.csv", tmp_path / "b1.csv", "--after", tmp_path / "a1.csv")
    assert (got.returncode, "b1.csv and b1.csv of arm before hold the same frames" in got.stderr) == (2, True)
