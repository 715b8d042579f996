"""The commands as a user runs them: output, JSON, exit codes."""

import json
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from bench.recording import as_toml, plan, quick
from core.generators import ordinary

from vigilant.bench.spool import RecordingSpool


def vigilant(*args, cwd=None):
    command = [sys.executable, "-c", "from vigilant.cli.main import main; main(prog_name='vigilant')"]
    return subprocess.run([*command, *map(str, args)], capture_output=True, text=True, cwd=cwd, check=False)


@pytest.fixture
def files(tmp_path):
    rng = np.random.default_rng(9)
    levels = {"b": 12.0, "a": 10.5, "s": 12.0}
    for name, level in levels.items():
        for i in range(5):
            x = ordinary(rng, 400, level)
            (tmp_path / f"{name}{i}.csv").write_text("t\n" + "\n".join(map(repr, x.tolist())))
    return tmp_path


def arms(folder, before="b", after="a"):
    def pick(letter):
        return sorted(folder.glob(f"{letter}?.csv"))

    return ["--before", *pick(before), "--after", *pick(after), "--target-fps", 60, "--column", "t"]


def test_compare_says_it_on_the_terminal(files):
    got = vigilant("compare", *arms(files), "--order", "baabbaabba")
    assert got.returncode == 0, got.stderr
    for part in (" Gain ", "A frame takes 1.", "Mean frame *", "Rows marked * carry the verdict"):
        assert part in got.stdout


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
        (["--column", "u"], "there is no column 'u'; there are: t"),
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
