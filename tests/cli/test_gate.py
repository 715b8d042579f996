"""A build passes or does not by a policy: every exit code, what is written for the build server, a real build script."""

import json
import os
import re
import shlex
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from bench.recording import as_toml, plan, quick
from click.testing import CliRunner
from core.generators import capped, ordinary
from junitparser import JUnitXml

from vigilant.cli.gate import gate_command

ORDER = "baabbaabba"


def write(folder, letter, runs):
    for i, x in enumerate(runs):
        (folder / f"{letter}{i}.csv").write_text("frame_ms\n" + "\n".join(map(repr, np.asarray(x).tolist())))


@pytest.fixture(scope="module")
def files(tmp_path_factory):
    """Five runs each: the baseline, quicker, slower, the same, too noisy to tell, quicker with stutters, capped."""
    folder, rng = tmp_path_factory.mktemp("gate"), np.random.default_rng(9)
    for letter, level, pauses in (("b", 12.0, 3), ("q", 10.5, 3), ("s", 13.5, 3), ("e", 12.0, 3), ("t", 10.5, 60)):
        write(folder, letter, [ordinary(rng, 900, level, 0.003, pauses) for _ in range(5)])
    write(folder, "n", [ordinary(rng, 900, level, pauses_per_1000=3) for level in (10.5, 13.5, 11, 13, 12.4)])
    write(folder, "c", [capped(rng, 900) for _ in range(5)])
    return folder


def gate(files, letter, gate="", recorded="interleaved", more="", options=()):
    order = f'order = "{ORDER}"\n' if recorded == "interleaved" else ""
    policy = files / f"{letter}.toml"
    policy.write_text(
        f'[gate]\n{gate}\n[files]\nbefore = ["b?.csv"]\nafter = ["{letter}?.csv"]\n'
        f'recorded = "{recorded}"\n{order}target_fps = 60\n{more}'
    )
    return CliRunner().invoke(gate_command, [str(policy), *map(str, options)])


@pytest.mark.parametrize(
    ("letter", "policy", "recorded", "code", "verdict"),
    [
        ("q", "", "interleaved", 0, "gain"),
        ("q", "", "unknown", 0, "gain"),
        ("s", "", "interleaved", 1, "regression"),
        ("s", 'undecided = "allow"\ntrade_off = "allow"', "interleaved", 1, "regression"),
        ("t", "", "interleaved", 1, "trade-off"),
        ("t", 'trade_off = "allow"', "interleaved", 0, "trade-off"),
        ("n", "", "interleaved", 3, "undecided"),
        ("n", 'undecided = "allow"', "interleaved", 0, "undecided"),
        ("q", "", "apart", 3, "undecided"),
        ("q", 'undecided = "allow"', "apart", 3, "undecided"),  # a stored baseline was held against nothing
        ("c", 'undecided = "allow"', "interleaved", 4, "void"),
    ],
)
def test_every_verdict_has_its_exit_code_under_the_policy(files, letter, policy, recorded, code, verdict):
    got = gate(files, letter, policy, recorded, options=["--json"])
    assert got.exit_code == code, got.output
    (answer,) = json.loads(got.stdout)
    assert (answer["verdict"], answer["passes"]) == (verdict, code == 0)


@pytest.mark.parametrize(
    ("text", "fault"),
    [
        ("[gate]\n", "name either a plan to record or [files]"),
        ('[gate]\nplan = "p.toml"\n[files]\nbefore = ["a"]\nafter = ["b"]\nrecorded = "apart"\n', "name either a plan"),
        ('[gate]\n[files]\nbefore = ["b?.csv"]\nafter = ["q?.csv"]\n', "recorded"),
        ('[gate]\n[files]\nbefore = ["b?.csv"]\nafter = ["q?.csv"]\nrecorded = "interleaved"\n', "need the order"),
        ('[gate]\nundecided = "maybe"\nplan = "p.toml"\n', "must be"),
        ('[gate]\nundecided = "more runs"\n[files]\nbefore = ["a"]\nafter = ["b"]\nrecorded = "apart"\n', "more runs of files"),
        ('[gate]\nplan = "nowhere.toml"\n', "nowhere.toml"),
        ('[gate]\n[files]\nbefore = ["z?.csv"]\nafter = ["q?.csv"]\nrecorded = "apart"\n', "no file fits 'z?.csv'"),
        ("[gate\n", "not TOML"),
    ],
)  # fmt: skip
def test_a_policy_that_cannot_be_is_refused_with_its_place(files, text, fault):
    policy = files / "bad.toml"
    policy.write_text(text)
    got = CliRunner().invoke(gate_command, [str(policy)])
    assert (got.exit_code, fault in " ".join(got.output.split())) == (2, True), got.output


def test_a_build_server_reads_what_was_found(files, tmp_path):
    xml, text = tmp_path / "reports" / "gate.xml", tmp_path / "gate.md"
    got = gate(files, "s", options=["--junit", xml, "--markdown", text])
    assert got.exit_code == 1
    suites = JUnitXml.fromfile(str(xml))
    assert (suites.tests, suites.failures) == (5, 2)
    (suite,) = suites
    cases = {case.name: case for case in suite}
    assert cases["verdict"].result[0].message.startswith("A frame takes 1.")
    assert cases["Mean frame"].result[0].type == "worse"
    assert not cases["Stutters a minute"].result
    written = text.read_text()
    assert written.startswith("### s: Regression, does not pass")
    assert re.search(r"^\| Mean frame \(ms\) \| 1\d\.\d+ \| 1\d\.\d+ \| 1\.\d+ spent \|", written, re.MULTILINE)
    gate(files, "n", options=["--junit", xml])
    assert JUnitXml.fromfile(str(xml)).failures == 1
    gate(files, "n", 'undecided = "allow"', options=["--junit", xml])
    assert (JUnitXml.fromfile(str(xml)).failures, JUnitXml.fromfile(str(xml)).skipped) == (0, 1)
    assert gate(files, "q", options=["--junit", files]).exit_code == 2


def test_a_build_script_records_both_builds_and_stops_where_the_new_one_is_slower(tmp_path):
    """Names may hold what XML cannot; the report can be read all the same."""
    raw = plan(quick(9.0), quick(12.0), 4)
    raw["arm"][1]["name"] = "ripples <b> \u0007 | twice"
    (tmp_path / "plan.toml").write_text(as_toml(raw))
    (tmp_path / "gate.toml").write_text('[gate]\nplan = "plan.toml"\n')
    script = tmp_path / "build.sh"
    script.write_text(
        "set -e\n"
        f"{sys.executable} -m vigilant.cli.main gate gate.toml --spool spool --junit gate.xml --markdown gate.md\n"
        "echo published\n"
    )
    kept = {k: v for k, v in os.environ.items() if not k.startswith("VIGILANT_")}
    done = subprocess.run(["sh", script], cwd=tmp_path, capture_output=True, text=True, env=kept, check=False)
    assert (done.returncode, "published" in done.stdout) == (1, False), done.stderr
    assert len(list((tmp_path / "spool").glob("*/runs/*.jsonl"))) == 8
    (suite,) = JUnitXml.fromfile(str(tmp_path / "gate.xml"))
    assert suite.name == "ripples <b> \ufffd | twice"
    assert "### ripples  b  \u0007   twice: Regression" in (tmp_path / "gate.md").read_text()


def examples():
    """The files of docs/ci.md, by the name in their first line."""
    text = (Path(__file__).parents[2] / "docs" / "ci.md").read_text()
    return dict(re.findall(r"```\w+\n# (\S+)\n(.*?)```", text, re.DOTALL))


def build(folder, script):
    """Run a build script of the docs, with the command on its path."""
    kept = {k: v for k, v in os.environ.items() if not k.startswith("VIGILANT_")}
    found = f"{Path(sys.executable).parent}{os.pathsep}{kept['PATH']}"
    return subprocess.run(
        ["sh", script], cwd=folder, capture_output=True, text=True, env={**kept, "PATH": found}, check=False
    )


def test_the_example_that_records_on_the_spot(tmp_path):
    for name, text in examples().items():
        (tmp_path / name).write_text(text)
    for build_name, ms in (("main", 10.5), ("branch", 9.0)):
        (tmp_path / build_name).mkdir()
        program = tmp_path / build_name / "festival"
        program.write_text(f"#!/bin/sh\nexec {shlex.join(map(str, quick(ms)))}\n")
        program.chmod(0o755)
    done = build(tmp_path, "build.sh")
    assert (done.returncode, "published" in done.stdout) == (0, True), done.stderr
    (suite,) = JUnitXml.fromfile(str(tmp_path / "reports" / "gate.xml"))
    assert (suite.name, suite.tests, suite.failures) == ("branch", 5, 0)
    # Decided at the first look, after four pairs.
    assert "look after 4 pairs" in done.stderr
    assert (tmp_path / "reports" / "gate.md").read_text().startswith("### branch: ")


def test_the_example_that_compares_files(tmp_path):
    for name, text in examples().items():
        (tmp_path / name).write_text(text)
    (tmp_path / "runs").mkdir()
    rng = np.random.default_rng(5)
    for name, level in (("main", 12.0), ("branch", 11.0)):
        for i in range(4):
            x = ordinary(rng, 900, level, 0.003)
            (tmp_path / "runs" / f"{name}-{i}.csv").write_text("frame_ms\n" + "\n".join(map(repr, x.tolist())))
    done = build(tmp_path, "compare.sh")
    assert (done.returncode, "published" in done.stdout) == (0, True), done.stderr


# -- against the line over builds


def lined(root, newest, build="b99", levels=(12.0,) * 14, policy="", conditions="", more=()):
    """Folders of builds and the new one's runs, judged by a policy with [line]."""
    rng = np.random.default_rng(21)
    for name, level, said in [*((f"builds/b{i:02}", level, "") for i, level in enumerate(levels)), ("new", newest, conditions)]:  # fmt: skip
        folder = root / name
        folder.mkdir(parents=True)
        session = level * np.exp(0.002 * rng.standard_normal())
        for run in range(6):
            ms = session * np.exp(0.003 * rng.standard_normal()) * np.exp(0.08 * rng.standard_normal(900))
            head = {"vigilant_frames": 1, "columns": ["frame"], "conditions": {"driver": said or "24.1"}}
            rows = [json.dumps(head), *(json.dumps([float(x)]) for x in ms), json.dumps({"end": {"frames": ms.size}})]
            (folder / f"{run}.jsonl").write_text("\n".join(rows) + "\n")
    (root / "gate.toml").write_text(f'[gate]\n{policy}\n[line]\nbuilds = ["builds/*"]\nruns = ["new/*.jsonl"]\n')
    return CliRunner().invoke(gate_command, [str(root / "gate.toml"), "--build", build, *map(str, more)])


@pytest.mark.parametrize(("newest", "given", "code", "verdict", "finding"), [
    (12.0, {}, 0, "no material change", ""), (11.0, {}, 0, "gain", ""), (13.4, {}, 1, "regression", ""),
    (13.4, {"policy": 'undecided = "allow"'}, 1, "regression", ""),
    (13.4, {"levels": (12.0,) * 5}, 3, "undecided", "session-spread-unknown"),
    (13.4, {"levels": (12.0,) * 5, "policy": 'undecided = "allow"'}, 0, "undecided", "session-spread-unknown"),
    (12.0, {"conditions": "25.0"}, 4, "void", "set-up-differs"),
])  # fmt: skip
def test_a_build_against_its_line_has_every_exit_code(tmp_path, newest, given, code, verdict, finding):
    got = lined(tmp_path, newest, more=["--json"], **given)
    assert got.exit_code == code, got.output
    (found,) = json.loads(got.stdout)
    assert (found["verdict"], found["passes"], found["build"]) == (verdict, code == 0, "b99")
    assert [one["code"] for one in found["findings"]] == ([finding] if finding else [])
    assert found["false_failure"] == "One build in 20 fails falsely where nothing changed."


def test_a_build_against_its_line_is_reported(tmp_path):
    xml, text = tmp_path / "gate.xml", tmp_path / "gate.md"
    got = lined(tmp_path, 13.4, more=["--junit", xml, "--markdown", text])
    assert "b99 against its line: regression. The mean frame +1" in " ".join(got.stdout.split())
    assert "b99: does not pass." in got.stdout
    (suite,) = JUnitXml.fromfile(str(xml))
    assert {case.name: bool(case.result) for case in suite} == {
        "verdict": True, "Mean frame": True, "Slowest 1 %": True, "Stutters a minute": False,
    }  # fmt: skip
    written = text.read_text()
    assert written.startswith("### b99: Regression, does not pass")
    assert re.search(r"^\| Mean frame \| 1\d\.\d\d ms \| 1\d\.\d\d ms \| \+\d+\.\d % \|", written, re.MULTILINE)


@pytest.mark.parametrize(("text", "fault"), [
    ('[gate]\n[line]\nbuilds = ["b*"]\n', "names the folders of builds and the new runs"),
    ('[gate]\n[line]\n', "[line] goes with a plan to record"),
    ('[gate]\nplan = "p.toml"\n[line]\nbuilds = ["b*"]\nruns = ["n*"]\n', "[line] goes with a plan to record"),
    ('[gate]\n[files]\nbefore = ["a"]\nafter = ["b"]\nrecorded = "apart"\n[line]\nbuilds = ["b*"]\nruns = ["n*"]\n', "or against [files], not both"),
    ('[gate]\nundecided = "more runs"\nplan = "p.toml"\n[line]\n', "do not decide what a line cannot"),
    ('[gate]\n[line]\nbuilds = ["none/*"]\nruns = ["n*"]\n', "no folder fits 'none/*'"),
    ('[gate]\n[line]\nalpha = 0.5\nbuilds = ["b*"]\nruns = ["n*"]\n', "alpha"),
])  # fmt: skip
def test_a_policy_of_a_line_that_cannot_be_is_refused(tmp_path, text, fault):
    (tmp_path / "gate.toml").write_text(text)
    got = CliRunner().invoke(gate_command, [str(tmp_path / "gate.toml"), "--build", "b1"])
    assert (got.exit_code, fault in " ".join(got.output.split())) == (2, True), got.output


def test_a_run_or_a_name_that_stands_for_two_builds_is_refused(tmp_path):
    assert "stands twice" in lined(tmp_path / "one", 12.0, build="b03").output
    got = lined(tmp_path / "two", 12.0)
    (tmp_path / "two" / "new" / "7.jsonl").write_text((tmp_path / "two" / "builds" / "b03" / "0.jsonl").read_text())
    got = CliRunner().invoke(gate_command, [str(tmp_path / "two" / "gate.toml"), "--build", "b99"])
    assert (got.exit_code, "one run stands for two builds" in " ".join(got.output.split())) == (2, True), got.output
