"""The line over builds from folders of runs: steps, odd builds, and the newest build, with the exit code for a build server."""

import json

import numpy as np
import pytest
from click.testing import CliRunner

from vigilant.cli.line import line_command


def folders(root, levels, seed=5, k=4):
    """Folders b01, b02 ... of runs whose mean is so many ms; sessions of one build differ by 0.3 %, its runs by 0.5 %."""
    rng = np.random.default_rng(seed)
    made = []
    for i, level in enumerate(levels):
        folder = root / f"b{i + 1:02}"
        folder.mkdir(parents=True)
        session = level * np.exp(0.003 * rng.standard_normal())
        for run in range(k):
            ms = session * np.exp(0.005 * rng.standard_normal()) * np.exp(0.08 * rng.standard_normal(400))
            (folder / f"{run}.csv").write_text("frame_ms\n" + "\n".join(f"{x:.6f}" for x in ms) + "\n")
        made.append(str(folder))
    return made


def called(*arguments):
    return CliRunner().invoke(line_command, [str(a) for a in arguments], env={"COLUMNS": "100"})


STEPPED = [12.0] * 8 + [12.6] * 8


def test_a_step_an_odd_build_and_a_newest_build_that_is_worse(tmp_path):
    levels = [*STEPPED, 13.4]
    levels[3] = 12.9
    got = called(*folders(tmp_path, levels))
    assert got.exit_code == 1, got.output
    said = " ".join(got.stdout.split())
    assert "The mean frame over 17 builds: +5." in said or "The mean frame over 17 builds: +4." in said
    assert "from b09 on" in said
    assert "Odd: b04, b17." in said or "Odd: b04." in said
    assert "b17 is worse than its line: the mean frame +" in said
    assert "One false alarm in 200 builds is expected, 2 figures watched" in said
    assert all(len(line) <= 100 for line in got.stdout.splitlines() if not line.startswith("The "))
    found = json.loads(called(*folders(tmp_path / "again", levels), "--json").stdout)
    mean = found["figures"]["mean_ms"]
    (step,) = mean["steps"]
    assert step["build"] == "b09"
    assert step["low"] < np.log(12.6 / 12.0) < step["high"]
    assert (mean["newest"]["call"], mean["newest"]["d"] > 0) == ("sudden", True)
    assert [level["runs"] for level in mean["levels"]] == [4] * 17


@pytest.mark.parametrize(("newest", "code", "said"), [
    (12.6, 0, "which is no alarm"), (11.4, 0, "is better than its line"), (13.6, 1, "is worse than its line"),
])  # fmt: skip
def test_only_a_worse_newest_build_is_a_failure(tmp_path, newest, code, said):
    got = called(*folders(tmp_path, [*STEPPED, newest], seed=9), "--figure", "mean_ms")
    assert (got.exit_code, said in " ".join(got.stdout.split())) == (code, True), got.output


def test_few_builds_have_levels_and_no_alarm(tmp_path):
    got = called(*folders(tmp_path, [12.0] * 4 + [14.0]))
    assert got.exit_code == 0
    assert "levels only, as eight builds are the least" in " ".join(got.stdout.split())
    assert "alarm" not in got.stdout
    eight = called(*folders(tmp_path / "eight", [12.0] * 8))
    assert (eight.exit_code, "alarm" in eight.stdout) == (0, False)


def test_wrong_use_of_a_line_is_said(tmp_path):
    made = folders(tmp_path, [12.0] * 3)
    (tmp_path / "none").mkdir()
    for arguments, said in (
        ([*made, made[0]], "two folders have one name"), ([*made, tmp_path / "none"], "holds no run"), ([*made, "--false-alarm-in", "7"], "is not in the range"),
        ([*made, "--figure", "late_share"], "is not one of"), ([tmp_path / "gone"], "does not exist"),
    ):  # fmt: skip
        got = called(*arguments)
        assert (got.exit_code, said in got.output) == (2, True), got.output
    (tmp_path / "b02" / "9.csv").write_bytes((tmp_path / "b01" / "0.csv").read_bytes())
    got = called(*made)
    assert (got.exit_code, "one run stands for two builds, b01 and b02" in " ".join(got.output.split())) == (2, True)
