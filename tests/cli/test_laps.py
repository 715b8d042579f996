"""``vigilant laps``: from files and by starting programs; every way it can be asked wrongly."""

import json
import sys

import pytest
from click.testing import CliRunner

from vigilant.cli.laps import laps_command

#: A made-up routine on a made-up clock, so that nothing depends on the machine: each process is a little quicker or slower as a whole.
PROGRAM = """
import json, os, random, sys
each, fails = float(sys.argv[1]), len(sys.argv) > 2
if fails:
    sys.exit("out of boats")
rng = random.Random(len(os.listdir(os.path.dirname(os.environ["VIGILANT_LAPS"]))))
own = rng.gauss(1.0, 0.01)
with open(os.environ["VIGILANT_LAPS"], "w") as out:
    print(json.dumps({"vigilant_laps": 1, "name": "find", "version": f"{each:g}"}), file=out)
    for size in (50, 100, 200, 400):
        for _ in range(12):
            print(json.dumps([size, 10, 10 * (2e-6 + each * size) * own * rng.gauss(1.0, 0.01), size]), file=out)
"""


@pytest.fixture(scope="module")
def program(tmp_path_factory):
    path = tmp_path_factory.mktemp("laps") / "lapped.py"
    path.write_text(PROGRAM)
    return f"{sys.executable} {path}"


def laps(*arguments):
    return CliRunner().invoke(laps_command, list(map(str, arguments)))


def test_versions_are_started_and_what_they_wrote_is_kept(program, tmp_path, monkeypatch):
    monkeypatch.setenv("COLUMNS", "100")
    got = laps("--start", f"{program} 1e-6", f"{program} 0.7e-6", "--processes", 4, "--keep", tmp_path)
    assert got.exit_code == 0, got.output
    assert "find: A call is cheaper at every size that was lapped." in got.stdout
    assert "% less (" in got.stdout
    assert "each item: " in got.stdout
    assert "4 and 4 processes" in got.stdout
    assert sorted(p.name for p in tmp_path.iterdir()) == [
        f"{s}-{n}.jsonl" for s in ("after", "before") for n in range(1, 5)
    ]
    before, after = tmp_path / "b", tmp_path / "a"
    for folder, side in ((before, "before"), (after, "after")):
        folder.mkdir()
        for file in tmp_path.glob(f"{side}-*.jsonl"):
            file.rename(folder / file.name)
    again = json.loads(laps(before, after, "--json").stdout)
    assert (again["processes"], again["checked"], again["versions"]) == ([4, 4], "same", ["1e-06", "7e-07"])
    assert again["per_item"]["high_s"] < 0
    assert [row["items"] for row in again["sizes"]] == [50, 100, 200, 400]


def test_versions_that_differ_in_their_results_are_void(program, tmp_path):
    assert laps("--start", f"{program} 1e-6", f"{program} 1e-6", "--processes", 2, "--keep", tmp_path).exit_code == 0
    other = tmp_path / "other.jsonl"
    other.write_text((tmp_path / "before-1.jsonl").read_text().replace(", 400]", ", 401]"))
    got = laps(other, tmp_path / "after-1.jsonl")
    assert got.exit_code == 4
    assert "different results" in got.stdout


@pytest.mark.parametrize(("make", "said"), [
    (lambda p, t: ("--start", f"{p} 1e-6 fail", f"{p} 1e-6"), "ended with 1: out of boats"),
    (lambda p, t: ("--start", "no-such-program", f"{p} 1e-6"), "no laps in the file"),
    (lambda p, t: ("--start", f"{sys.executable} -c pass", f"{p} 1e-6"), "no laps in the file"),
    (lambda p, t: (t / "missing", t / "missing"), "cannot be read"),
    (lambda p, t: (t, t), "holds no file"),
    (lambda p, t: (_written(t, b"\xff\xfe"), _written(t, b"\xff\xfe")), "no text in UTF-8"),
    (lambda p, t: (_written(t, b"items,repeats,seconds\n1,1,1\n"), _written(t, b"items,repeats,seconds\n2,1,1\n", "b")), "same sizes"),
    (lambda p, t: (_written(t, b"nothing"), _written(t, b"nothing")), "items, repeats, seconds"),
    (lambda p, t: (_written(t, b"items,repeats,seconds\n1,1,1\n"),) * 2 + ("--push",), "server"),
])  # fmt: skip
def test_what_cannot_be_lapped_is_said(program, tmp_path, make, said, monkeypatch):
    for name in ("VIGILANT_SERVER", "VIGILANT_TOKEN"):
        monkeypatch.delenv(name, raising=False)
    got = laps(*make(program, tmp_path))
    assert got.exit_code == 2
    assert said in got.output


def _written(folder, body, name="a"):
    path = folder / f"{name}.csv"
    path.write_bytes(body)
    return path
