"""A recording cut off anywhere, gone on with and delivered to a real server."""

import json
import os
import signal
import subprocess
import sys
import uuid

import httpx
import numpy as np
import pytest
from bench.recording import QUICK, ROOT, as_toml, plan, quick
from core.generators import ordinary
from durable import Stand

# Frames at once, then the run goes on until its go-ahead is there: so a test can cut it off inside.
HELD = (
    QUICK.replace("import json, os, random, sys", "import json, os, random, sys, time")
    + """
while not os.path.exists(sys.argv[2]):
    time.sleep(0.01)
"""
)


@pytest.fixture(scope="module")
def stand(tmp_path_factory):
    made = Stand(tmp_path_factory.mktemp("stand"), recorders=0)
    made.start()
    yield made
    made.stop()


def vigilant(stand, *arguments, server=True, apart=False):
    address = {"VIGILANT_SERVER": stand.url, "VIGILANT_TOKEN": stand.token} if server else {}
    kept = {k: v for k, v in os.environ.items() if not k.startswith("VIGILANT_")}
    return subprocess.Popen(
        [sys.executable, "-m", "vigilant.cli.main", *map(str, arguments)],
        env={**kept, **address}, stdout=subprocess.PIPE, stderr=subprocess.PIPE if apart else subprocess.STDOUT, text=True,
    )  # fmt: skip


def wait(done, what):
    Stand.wait(done, what)
    return done()


def spool_of(folder):
    return next(iter(folder.glob("spool/*/recording.json")), None)


def slots(folder):
    return json.loads(spool_of(folder).read_text())["slots"]


CUTS = {
    "Ctrl-C in the middle of a run": (signal.SIGINT, "in a run"),
    "SIGKILL in the middle of a run": (signal.SIGKILL, "in a run"),
    "SIGTERM in the middle of a run": (signal.SIGTERM, "in a run"),
    "SIGKILL between two runs": (signal.SIGKILL, "between"),
}


#: Each cut once: by one that asks and by one that does not, in a run and between two, watched by the server and pushed.
CASES = [(name, name != "SIGKILL between two runs") for name in CUTS]


@pytest.mark.parametrize(
    ("name", "watched"), CASES, ids=[f"{n}, {'watched' if w else 'pushed later'}" for n, w in CASES]
)
def test_a_recording_cut_off_is_gone_on_with_and_delivered(name, watched, stand, tmp_path):
    sign, where = CUTS[name]
    go_ahead = tmp_path / "go"
    held = [sys.executable, "-c", HELD, "12", str(go_ahead)]
    cool = "cool_down_s = 600.0" if where == "between" else ""
    arms = "".join(f"[[arm]]\nname = '{n}'\ncommand = {json.dumps(held)}\n" for n in ("old", "new"))
    plan = tmp_path / "plan.toml"
    plan.write_text(f"[scenario]\nname = 'cut off'\nduration_s = 0.2\n{cool}\n{arms}[recording]\nruns = 2\n")
    if where == "between":
        go_ahead.touch()
    first = vigilant(stand, "record", plan, "--spool", tmp_path / "spool", server=watched)
    if where == "between":
        wait(lambda: spool_of(tmp_path) and slots(tmp_path)[0]["outcome"] == "complete", "the first run ended")
    else:
        wait(lambda: list(tmp_path.glob("spool/*/runs/*.jsonl")), "the first run has begun")
    first.send_signal(sign)
    first.wait(60)
    go_ahead.touch()
    folder = spool_of(tmp_path).parent
    if where != "between" and not watched:  # as spools of an earlier version left it: no start of what was cut off
        kept = json.loads(spool_of(tmp_path).read_text())
        for slot in kept["slots"]:
            slot["started"] = ""
        spool_of(tmp_path).write_text(json.dumps(kept))
    if cool:  # a recording that is gone on with need not wait ten minutes after each run
        kept = json.loads(spool_of(tmp_path).read_text())
        del kept["plan"]["scenario"]["cool_down_s"]
        spool_of(tmp_path).write_text(json.dumps(kept))
    second = vigilant(stand, "record", "--go-on", folder, server=watched)
    said = second.communicate(timeout=120)[0]
    assert second.returncode in (0, 1, 3), said
    if not watched:
        pushed = vigilant(stand, "push", folder)
        said = pushed.communicate(timeout=60)[0]
        assert pushed.returncode == 0, said
    assert "Entry" in said, said
    assert not any(line.rstrip().endswith("..") for line in said.splitlines()), said
    number = int(said.partition("Entry ")[2].partition(":")[0])
    with httpx.Client(base_url=stand.url, headers={"Authorization": f"Bearer {stand.token}"}, timeout=30) as client:
        entry = client.get(f"/api/books/river/entries/{number}/").json()
        dots = entry["dots"]
    tried = [s["outcome"] for s in slots(tmp_path)]
    assert tried == (["complete"] * 4 if where == "between" else ["broken", *["complete"] * 4])
    assert [d["outcome"] for d in dots].count("complete") == 4
    assert all(s["delivered"] for s in slots(tmp_path))


def test_a_refusal_names_the_field_the_value_and_no_html(stand, tmp_path):
    headers = {"Authorization": f"Bearer {stand.token}"}
    body = {"recording": "x", "position": -1, "started": "", "outcome": "splendid", "head": None}
    answer = httpx.put(f"{stand.url}/api/runs/00000000-0000-4000-8000-000000000001/", json=body, headers=headers)
    detail = answer.json()["detail"]
    for part in ("recording: ", "got 'x'", "position: ", "got -1", "started: ", "got ''", "got 'splendid'"):
        assert part in detail
    assert not detail.endswith("..")


def test_a_server_that_refuses_the_token_is_found_before_the_first_run(stand, tmp_path):
    go_ahead = tmp_path / "go"
    held = json.dumps([sys.executable, "-c", HELD, "12", str(go_ahead)])
    plan = tmp_path / "plan.toml"
    plan.write_text(
        f"[scenario]\nname = 'x'\n[[arm]]\nname = 'a'\ncommand = {held}\n[[arm]]\nname = 'b'\ncommand = {held}\n"
    )
    for token, said in (("vl_wrong", "This token is not known"), ("", "no token is given")):
        got = vigilant(stand, "record", plan, "--spool", tmp_path / "spool", "--server", stand.url, "--token", token)
        out = got.communicate(timeout=60)[0]
        assert (got.returncode, said in out) == (2, True), out
    assert not list(tmp_path.glob("spool/*/runs/*"))


def test_a_gate_links_the_entry_that_its_runs_became(stand, tmp_path):
    (tmp_path / "plan.toml").write_text(as_toml(plan(quick(10.0), quick(9.0), 4)))
    (tmp_path / "gate.toml").write_text('[gate]\nplan = "plan.toml"\n')
    reports = ("--markdown", tmp_path / "gate.md", "--json")
    gate = vigilant(stand, "gate", tmp_path / "gate.toml", "--spool", tmp_path / "spool", *reports, apart=True)
    out, notes = gate.communicate(timeout=120)
    assert gate.returncode == 0, notes
    (build,) = json.loads(out)
    assert f"]({build['link']})" in (tmp_path / "gate.md").read_text()
    with httpx.Client(headers={"Authorization": f"Bearer {stand.token}"}, timeout=30) as client:
        page = build["link"].removeprefix(f"{stand.url}/river/entries/")
        entry = client.get(f"{stand.url}/api/books/river/entries/{page}/").json()
        dots = [(d["arm"], d["outcome"]) for d in entry["dots"]]
    assert sorted(dots) == [("after", "complete")] * 4 + [("before", "complete")] * 4
    assert entry["result"]["verdict"] == build["verdict"] == "gain"


def test_files_are_brought_in_from_the_command_line_and_sent_once(stand, tmp_path):
    """Read here first; sent where the reading is plain, and only once however often it is asked for."""
    folders = [tmp_path / "olden", tmp_path / "newer"]
    rng = np.random.default_rng(7)
    for folder, level in zip(folders, (16.0, 14.0), strict=True):
        folder.mkdir()
        for i in range(5):
            rows = "".join(f"{x * 1000:.0f};{x / 2:.3f}\n".replace(".", ",") for x in ordinary(rng, 300, level))
            (folder / f"pond {i}.csv").write_text(f"Pond recorder\nduration (us);river_ms\n{rows}")
    asked = [
        "--before",
        "olden",
        "--after",
        "newer",
        "--scenario",
        "Pond",
        "--rig",
        "thin laptop",
        "--title",
        "The pond",
    ]
    first = vigilant(stand, "bring", *folders, *asked)
    said = first.communicate(timeout=120)[0]
    assert (first.returncode, "river_ms" in said, "nothing was sent" in said) == (2, True, True), said
    reading = tmp_path / "pond.toml"
    reading.write_text(
        'vigilant_reading = 1\n[columns."duration (us)"]\nis = "times"\nunit = "us"\n'
        '[columns.river_ms]\nis = "lane"\nunit = "ms"\nrole = "processor"\n'
    )
    # File by file, as a shell writes a pattern out, the folder sorts them as well.
    files = sorted(path for folder in folders for path in folder.iterdir())
    again = vigilant(stand, "bring", *files, *asked, "--reading", reading, "--condition", "window=1600x900")
    said = again.communicate(timeout=120)[0]
    assert again.returncode == 0, said
    assert "/entries/" in said
    alone = tmp_path / "alone.jsonl"
    alone.write_text('{"vigilant_frames":1,"columns":["frame"]}\n[16.5]\n[17.5]\n{"end":{"frames":2}}\n')
    power = tmp_path / "power.csv"
    power.write_text("time_s,power [W]\n0.001,20\n0.02,21\n0.5,22\n")
    kept = vigilant(stand, "bring", alone, "--beside", power, "--scenario", "Pond", "--rig", "thin laptop", "--json")
    said = kept.communicate(timeout=120)[0]
    assert (kept.returncode, '"runs": 1' in said) == (0, True), said
    twice = vigilant(stand, "bring", *folders, *asked, "--reading", reading)
    said = twice.communicate(timeout=120)[0]
    assert (twice.returncode, "was brought in already" in " ".join(said.split())) == (2, True), said


def test_a_statement_is_drawn_up_from_the_command_line(stand, tmp_path):
    """Of the entry that was brought in before."""
    headers = {"Authorization": f"Bearer {stand.token}"}
    book = httpx.get(f"{stand.url}/api/token/", headers=headers).json()["book"]
    entries = httpx.get(f"{stand.url}/api/books/{book}/entries/?recorded=true", headers=headers).json()
    number = entries["results"][0]["number"]
    page = tmp_path / "statement.pdf"
    made = vigilant(stand, "statement", number, "--as", "pdf", "--output", page)
    said = made.communicate(timeout=120)[0]
    assert (made.returncode, page.read_bytes()[:5], "Written to" in said) == (0, b"%PDF-", True), said
    printed = vigilant(stand, "statement", number).communicate(timeout=60)[0]
    assert f"## No. {number}: " in printed
    for arguments, code in (
        (("4-",), 2),
        ((), 2),
        (("7777",), 2),
        (("1", "--goal", "1"), 2),
        (("--account", stand.token), 2),
        (("--account", str(uuid.uuid4())), 2),
    ):
        refused = vigilant(stand, "statement", *arguments)
        assert (refused.communicate(timeout=60)[0] != "", refused.returncode) == (True, code), arguments
    away = vigilant(stand, "statement", "1", "--server", "http://127.0.0.1:9")
    assert "cannot be reached" in away.communicate(timeout=60)[0]
    assert away.returncode == 5


# A subject that speaks by the emitter and takes two pictures, one of which is none.
SEEING = """
import random, sys
sys.path.insert(0, sys.argv[2])
from PIL import Image
from vigilant_emitter import Emitter
emitter = Emitter()
emitter.mark("landing stage")
for i in range(300):
    emitter.frame(float(sys.argv[1]) * random.uniform(0.8, 1.2))
picture = Image.new("RGB", (64, 36), (20, 30, 60))
if len(sys.argv) > 3:
    picture.paste((250, 190, 90), (20, 10, 30, 20))
picture.save(emitter.still("dusk.png"))
open(emitter.still("torn.png", shows="cost"), "w").write("no picture")
emitter.close()
"""


def test_stills_come_with_their_runs_and_one_that_is_none_stops_nothing(stand, tmp_path):
    emitters = str(ROOT / "emitters" / "python")
    arms = ""
    for name, level, *lantern in (("plain", "12"), ("lit", "10", "lantern")):
        command = json.dumps([sys.executable, "-c", SEEING, level, emitters, *lantern])
        arms += f"[[arm]]\nname = '{name}'\ncommand = {command}\n"
    plan = tmp_path / "plan.toml"
    plan.write_text(f"[scenario]\nname = 'seen'\nduration_s = 0.2\n{arms}[recording]\nruns = 3\n")
    made = vigilant(stand, "record", plan, "--spool", tmp_path / "spool")
    said = " ".join(made.communicate(timeout=120)[0].split())
    assert "A still of 6 runs was not sent, and is kept: torn.png: no PNG, JPEG or WebP" in said, said
    number = int(said.partition("Entry ")[2].partition(":")[0])
    with httpx.Client(base_url=stand.url, headers={"Authorization": f"Bearer {stand.token}"}, timeout=30) as client:
        leaf = f"/api/books/river/entries/{number}/evidence/stills/"
        wait(lambda: not client.get(leaf).json()["pending"], "the pictures are compared")
        (still,) = client.get(leaf).json()["stills"]
        assert (still["name"], still["leg"], still["state"]) == ("dusk.png", "landing stage", "changed")
        assert still["runs"] == {"before": 3, "after": 3}
        run = still["pair"]["after"]
        assert client.get(f"/api/runs/{run}/stills/dusk.png/").content[:4] == b"\x89PNG"
        assert client.get(f"/api/runs/{run}/stills/").json()[0]["frame"] == 300
