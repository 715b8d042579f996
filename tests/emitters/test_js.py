"""The JavaScript emitter: in Node, and in a page in Chromium, against the real reader."""

import json
import os
import shutil
import subprocess
import sys
import threading
from http.server import BaseHTTPRequestHandler, HTTPServer
from pathlib import Path

import numpy as np
import pytest
from bench.recording import plan, run_plan
from PIL import Image

from emitters.building import ROOT
from vigilant.bench import page as pages
from vigilant.bench.errors import BenchError
from vigilant.bench.page import PageAsked, read_course
from vigilant.bench.record import verdict
from vigilant.core.work.inventory import Item
from vigilant.formats import read_stream
from vigilant.formats.errors import PlanError

POND = Path(__file__).parent / "pages" / "pond.html"
EMITTER = ROOT / "emitters" / "js" / "vigilant_emitter.js"
NODE = """
import { Emitter, intoFile } from "./vigilant_emitter.js";
const rounds = Number(process.argv[2] ?? 100);
const emitter = new Emitter({
  lanes: { river: "processor" }, counters: ["boats"], conditions: { window: "1600x900" }, ...(await intoFile()),
});
emitter.mark("filling", false);
emitter.item("boat hull", 60, { triangles: 1240, KiB: 0.5 });
emitter.item("spark", 400);
emitter.start();
for (let i = 0; i < 300; i++) {
  if (i === 10) emitter.mark("under the bridge");
  let sum = 0;
  const answer = emitter.part("steer boats", () => {
    for (let k = 0; k < 3; k++)
      emitter.part("avoid pillars", () => { for (let n = 0; n < rounds; n++) sum += Math.sqrt(n); },
        { lane: "river", counts: { boats: 2 }, kind: "boats" });
    return 7;
  });
  if (answer !== 7) process.exit(9);
  emitter.frame(i % 2 ? { river: 0.125, boats: i, strange: 1 } : { boats: Infinity });
}
try { emitter.part("fails", () => { throw new Error("x"); }); } catch { emitter.figure("load_ms", 812.4); }
emitter.close();
emitter.frame({});
"""


@pytest.fixture(scope="module")
def node(tmp_path_factory):
    folder = tmp_path_factory.mktemp("node")
    shutil.copy(EMITTER, folder)
    (folder / "package.json").write_text('{"type":"module"}')
    (folder / "program.js").write_text(NODE)
    return [
        shutil.which("node", path=f"{Path(sys.executable).parent}:{os.environ['PATH']}"),
        str(folder / "program.js"),
    ]


def test_a_node_program_says_all_that_is_read(node, tmp_path):
    frames = tmp_path / "run.jsonl"
    subprocess.run(node, env={**os.environ, "VIGILANT_FRAMES": str(frames)}, check=True)
    read = read_stream(frames)
    series = read.series
    assert (read.complete, series.frame_ms.size, dict(read.skipped)) == (True, 300, {})
    assert np.isnan(series.lanes["river"][0::2]).all()
    assert set(series.lanes["river"][1::2]) == {0.125}
    assert series.counters["boats"][1::2].tolist() == list(range(1, 300, 2))
    assert np.isnan(series.counters["boats"][0::2]).all()
    assert [(m.index, m.name, m.play) for m in series.marks] == [(0, "filling", False), (10, "under the bridge", True)]
    assert read.items == (Item("boat hull", 60, {"triangles": 1240, "KiB": 0.5}), Item("spark", 400, {}))
    assert (series.figures, series.conditions["window"]) == ({"load_ms": 812.4}, "1600x900")
    assert {p.kind for p in series.parts if p.path[-1] == "avoid pillars"} == {"boats"}
    parts = [json.loads(line) for line in frames.read_text().splitlines() if line.startswith('{"part"')]
    inner, outer = parts[0], parts[1]
    assert (inner["part"], inner["calls"], inner["lane"]) == (["steer boats", "avoid pillars"], 3, "river")
    assert (inner["counts"], outer["part"], outer["calls"]) == ({"boats": 6}, ["steer boats"], 1)
    assert (len(parts), parts[-1]["frame"]) == (600, 299)
    silent = {k: v for k, v in os.environ.items() if k != "VIGILANT_FRAMES"}
    assert subprocess.run(node, env=silent, capture_output=True, check=True).stdout == b""


def test_two_builds_of_a_node_program_become_a_verdict(node, tmp_path):
    raw = plan([*node, "60000"], [*node, "20000"], 4, policy={"primaries": ["mean_ms"]})
    parsed, spool = run_plan(raw, tmp_path)
    assert verdict(parsed, spool).verdict == "gain"


def page_command(address, *options):
    return [sys.executable, "-m", "vigilant.cli.main", "page", str(address), *map(str, options)]


def shown(tmp_path, address, *options, code=0):
    """What the page reported; its output where that is asked for by another exit code."""
    frames = tmp_path / "page.jsonl"
    env = {**os.environ, "VIGILANT_FRAMES": str(frames)}
    done = subprocess.run(page_command(address, *options), env=env, capture_output=True, text=True, check=False)
    assert done.returncode == code, done.stderr
    return done.stderr if code else read_stream(frames)


@pytest.fixture(scope="module")
def pond(tmp_path_factory):
    folder = tmp_path_factory.mktemp("pond")
    course = folder / "course.toml"
    course.write_text("""
        step = [
          { at_s = 0.9, click = "#dusk" },
          { at_s = 0.5, mark = "filling", play = false },
          { at_s = 0.6, still = "pond.png" },
          { at_s = 1.2, press = "Tab" },
          { at_s = 1.2, wheel = [0, 10] },
          { at_s = 1.2, pointer = [5, 5] },
          { at_s = 1.3, script = "performance.mark('finale', {detail: {play: true}})" },
          { at_s = 1.4, script = "Object.defineProperty(document, 'visibilityState', {value: 'hidden', configurable: true})" },
          { at_s = 1.4, script = "document.dispatchEvent(new Event('visibilitychange'))" },
          { at_s = 1.6, script = "delete document.visibilityState" },
          { at_s = 1.6, script = "document.dispatchEvent(new Event('visibilitychange'))" },
        ]""")
    options = ("--seconds", 1.8, "--seed", 7, "--steps", course, "--viewport", "640x360", "--pixel-ratio", 2)
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("VIGILANT_STILLS", str(folder))
        run = shown(folder, f"{POND}?rounds=100", *options)
    return run, folder


def test_a_pages_frames_have_lanes_parts_legs_stills_and_a_sheet(pond):
    run, folder = pond
    series = run.series
    assert run.complete
    assert [(s.name, s.leg) for s in run.stills] == [("pond.png", "filling")]
    with Image.open(folder / "pond.png") as picture:
        assert picture.size == (1280, 720)  # of 640 x 360 at two pixels each
    assert list(series.lanes) == ["animation callbacks", "rendering", "waiting"]
    lanes = np.vstack(list(series.lanes.values()))
    known = ~np.isnan(lanes).any(axis=0)
    assert known.mean() > 0.5  # what is told after the next frame began is missing
    assert lanes[:2, known].sum() <= 1.1 * series.frame_ms[known].sum()
    names = ["loading", "the page", "filling", "dusk", "finale", "hidden", "finale"]
    assert [m.name for m in series.marks] == names
    assert [m.play for m in series.marks] == [False, True, False, True, True, False, True]
    assert series.conditions["visible"] == "no"  # once it was not
    totals = {part.path: part for part in series.parts}
    assert totals[("steer boats",)].calls > 20
    assert ("long animation frame",) in totals
    assert {k: series.conditions[k] for k in ("recorded by", "viewport", "pixel ratio", "network", "seed")} == {
        "recorded by": "page", "viewport": "640x360", "pixel ratio": "2", "network": "off but for the page's own origin",
        "seed": "7",
    }  # fmt: skip
    assert "SwiftShader" in series.conditions["renderer"]
    assert series.conditions["page clock step"] in ("0.1 ms", "0.005 ms")


def test_what_a_frame_measures_lies_in_the_frame_it_was_measured_in(pond):
    series = pond[0].series
    rows, names = series.part_rows, [part.path for part in series.parts]
    assert rows is not None
    steer = names.index(("steer boats",))
    frames = rows.frame[rows.part == steer]
    # One call a frame, none moved into its neighbour, but for the few that are drawn twice within one stamp.
    assert np.unique(frames).size >= 0.97 * frames.size > 20


def test_frames_are_not_held_to_a_screen_unless_it_is_asked_for(pond, tmp_path):
    free = pond[0].series
    held = shown(tmp_path, POND, "--seconds", 1.0, "--paced").series

    def on_step(series):
        """The share of frames that last whole steps of 60 Hz; on a machine that has other work some last several."""
        steps = series.frame_ms[5:] * 60 / 1000
        return np.mean((np.abs(steps - np.round(steps)) < 0.06) & (steps > 0.5))

    assert on_step(held) > 0.8
    assert on_step(free) < 0.5
    assert held.conditions["frames asked to be"] == "paced by the screen"
    assert np.nanmedian(held.lanes["waiting"]) > 5


def test_chance_is_the_seeds_and_the_network_is_off(tmp_path):
    reached = []

    class Door(BaseHTTPRequestHandler):
        def do_GET(self):
            reached.append(self.path)
            self.send_response(200)
            self.send_header("Access-Control-Allow-Origin", "*")
            self.end_headers()

        def log_message(self, *of): ...

    door = HTTPServer(("127.0.0.1", 0), Door)
    thread = threading.Thread(target=door.serve_forever)
    thread.start()
    try:
        course = tmp_path / "course.toml"
        course.write_text(
            '[[step]]\nat_s = 0.3\nscript = "performance.mark(`${document.title} ${Math.random()}`, {detail: {play: true}})"\n'
        )
        said = []
        for options in ((), (), ("--network",)):
            address = f"{POND}?draws=1&reaches=http://127.0.0.1:{door.server_port}/lantern"
            run = shown(tmp_path, address, "--seconds", 0.7, "--seed", 3, "--steps", course, *options)
            said.append(run.series.marks[-1].name)
        assert said[0] == said[1]
        assert said[0].startswith("refused 0.")
        assert said[2].startswith("reached ")
        assert len(reached) == 1
    finally:
        door.shutdown()
        thread.join()
        door.server_close()


@pytest.mark.parametrize(
    ("address", "options", "said"),
    [
        ("nowhere.html", (), "there is no page nowhere.html"),
        ("http://127.0.0.1:9/", (), "the page cannot be shown"),
        (f"{POND}?leaves=1&draws=1", ("--seconds", 5), "the page went on to another one"),
        (POND, ("--steps", "nowhere.toml"), "nowhere.toml"),
    ],
)
def test_a_page_that_cannot_be_recorded_says_why(address, options, said, tmp_path):
    assert said in shown(tmp_path, address, *options, code=1)


def test_a_page_that_draws_nothing_is_found(tmp_path, monkeypatch):
    blank = tmp_path / "blank.html"
    blank.write_text("<script>requestAnimationFrame = null; alert('held')</script>")
    monkeypatch.setattr(pages, "FIRST_FRAME_S", 0.0)
    with (tmp_path / "out").open("w") as out:
        assert pages.play(PageAsked(str(blank), 1.0), out) in ("no frame", "complete")


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("[[step]]\nat_s = 1\n", "a step does one of"),
        ('[[step]]\nat_s = 1\nmark = "a"\npress = "b"\n', "a step does one of"),
        ('[[step]]\nat_s = -1\nmark = "a"\n', "at_s"),
        ('[[step]]\nat_s = 1\njump = "a"\n', "jump"),
        ('[[step]]\nat_s = 1\nstill = "../a.png"\n', "in no folder"),
        ("[[leap]]\n", "leap"),
        ("step", "not TOML"),
    ],
)
def test_a_course_that_cannot_be_played_is_refused_with_its_place(text, said, tmp_path):
    path = tmp_path / "course.toml"
    path.write_text(text)
    with pytest.raises(PlanError, match=said):
        read_course(path)


def test_without_the_browser_or_its_driver_it_says_what_to_install(tmp_path, monkeypatch):
    monkeypatch.setenv("VIGILANT_CHROMIUM", str(tmp_path / "none"))
    with pytest.raises(BenchError, match="VIGILANT_CHROMIUM names another one"):
        pages.browser_path()
    monkeypatch.setitem(sys.modules, "playwright.sync_api", None)
    with (tmp_path / "out").open("w") as out, pytest.raises(BenchError, match="pip install playwright"):
        pages.play(PageAsked(str(POND), 1.0), out)


def test_two_builds_of_a_page_become_a_verdict(tmp_path):
    options = ("--seconds", "{seconds}", "--seed", "{seed}")
    arms = (page_command(f"{POND}?rounds={rounds}", *options) for rounds in (4000, 400))
    parsed, spool = run_plan(plan(*arms, 3, 0.8, policy={"primaries": ["p50_ms"]}), tmp_path)
    assert [s.outcome for s in spool.slots] == ["complete"] * 6
    assert verdict(parsed, spool).figures["p50_ms"].call == "better"
