"""What reporting costs a frame: the emitters, the tap, a watched page, and a real drawing program with the tap and without."""

from __future__ import annotations

import os
import re
import statistics
import subprocess
import sys
import tempfile
from pathlib import Path

from emitters.building import built
from playwright.sync_api import sync_playwright

from vigilant.bench.page import QUIET, browser_path, emitter_source
from vigilant.bench.tapped import tap_library

STUBS = Path(__file__).resolve().parents[1] / "tests" / "emitters"
REPEATS = 7
PROGRAM = r"""
#define VIGILANT_EMITTER_BODY
#include "vigilant_emitter.h"
int main(void) {
    enum { FRAMES = 20000, PARTS = 10, OTHERS = 4 };
    int lanes[OTHERS], counters[OTHERS], parts[PARTS];
    char name[20];
    int64_t spent = 0, clock;
    vigilant *v = vigilant_open("start to start");
    for (int i = 0; i < OTHERS; i++) {
        snprintf(name, sizeof name, "lane %d", i);
        lanes[i] = vigilant_lane(v, name, "processor");
        snprintf(name, sizeof name, "counter %d", i);
        counters[i] = vigilant_counter(v, name);
    }
    for (int i = 0; i < PARTS; i++) {
        snprintf(name, sizeof name, "part %d", i);
        parts[i] = vigilant_part(v, VIGILANT_NONE, name, lanes[0]);
    }
    vigilant_start(v);
    for (int k = 0; k < FRAMES; k++) {
        int64_t began = vigilant_now_ns();
        for (int i = 0; i < OTHERS; i++) {
            vigilant_set(v, lanes[i], 1.5);
            vigilant_count(v, counters[i], k);
        }
        for (int i = 0; i < PARTS; i++) {
            vigilant_begin(v, parts[i]);
            vigilant_end(v, parts[i]);
        }
        vigilant_frame(v);
        spent += vigilant_now_ns() - began;
    }
    vigilant_close(v);
    clock = vigilant_now_ns();
    for (int k = 0; k < FRAMES; k++) vigilant_now_ns();
    clock = (vigilant_now_ns() - clock) / FRAMES;
    printf("%.0f %.0f\n", (double)spent / FRAMES - (double)clock, (double)clock); /* less the two reads that time it */
    return 0;
}
"""
PYTHON = r"""
import sys, time
sys.path.insert(0, sys.argv[1])
from vigilant_emitter import Emitter
lanes, counters = [f"lane {i}" for i in range(4)], [f"counter {i}" for i in range(4)]
emitter = Emitter(lanes=dict.fromkeys(lanes, "processor"), counters=counters)
values = dict.fromkeys([*lanes, *counters], 1.5)
parts = [f"part {i}" for i in range(10)]
began = time.perf_counter_ns()
for _ in range(5000):
    for part in parts:
        with emitter.part(part):
            pass
    emitter.frame(**values)
print((time.perf_counter_ns() - began) / 5000)
emitter.close()
"""
NODE = r"""
import { Emitter, intoFile } from "./vigilant_emitter.mjs";
const lanes = Array.from({ length: 4 }, (_, i) => `lane ${i}`), counters = Array.from({ length: 4 }, (_, i) => `counter ${i}`);
const roles = Object.fromEntries(lanes.map((lane) => [lane, "processor"]));
const emitter = new Emitter({ lanes: roles, counters, ...(await intoFile()) });
const values = Object.fromEntries([...lanes, ...counters].map((name) => [name, 1.5]));
const parts = Array.from({ length: 10 }, (_, i) => `part ${i}`);
const began = process.hrtime.bigint();
for (let k = 0; k < 5000; k++) {
  for (const part of parts) emitter.part(part, () => {});
  emitter.frame(values);
}
console.log(Number(process.hrtime.bigint() - began) / 5000);
emitter.close();
"""
#: What the watch itself runs on the page's main thread: frames by a loop instead of the browser, for a page with one
#: callback. Frames counted by a real page differ more from run to run than by being watched.
WATCHED = """async () => {
  let waiting = [];
  globalThis.requestAnimationFrame = (callback) => waiting.push(callback);
  const frames = (from, to) => {
    const began = performance.now();
    for (let k = from; k < to; k++) {
      const now = waiting;
      waiting = [];
      for (const callback of now) callback(5 * k);
    }
    return ((performance.now() - began) * 1000) / (to - from);
  };
  watchPage({ write: () => {} });
  requestAnimationFrame(function own() { requestAnimationFrame(own); });
  frames(1, 2000);
  await new Promise((then) => setTimeout(then, 300));
  return frames(2000, 10000);
}"""
PRESENTS = 1_000_000
#: So long the stub's present spins: the writer has that time for a frame, as with any real program.
SPIN_NS = 4000


def report() -> None:
    with tempfile.TemporaryDirectory() as folder:
        _emitter(Path(folder))
        _scripts(Path(folder))
        _tap(Path(folder))
    _page()
    _drawing()


def _run(command: list[str], **more: str) -> str:
    done = subprocess.run(command, env={**os.environ, **more}, capture_output=True, text=True, check=True)
    return done.stdout


def _emitter(folder: Path) -> None:
    program = built(folder, "program", PROGRAM)
    runs = [
        list(map(float, _run([str(program)], VIGILANT_FRAMES=str(folder / "run.jsonl")).split()))
        for _ in range(REPEATS)
    ]
    whole, clock = ([run[i] for run in runs] for i in (0, 1))
    print(
        f"C emitter, 4 lanes, 4 counters, 10 parts: {min(whole):.0f} to {max(whole):.0f} ns a frame, median"
        f" {statistics.median(whole):.0f}; the system's clock alone {statistics.median(clock):.0f} a reading"
    )


def _scripts(folder: Path) -> None:
    emitters = Path(__file__).resolve().parents[1] / "emitters"
    (folder / "vigilant_emitter.mjs").write_text((emitters / "js" / "vigilant_emitter.js").read_text())
    (folder / "program.mjs").write_text(NODE)
    commands = {
        "Python": [sys.executable, "-c", PYTHON, str(emitters / "python")],
        "JavaScript": [str(Path(sys.executable).with_name("node")), str(folder / "program.mjs")],
    }
    for name, command in commands.items():
        runs = [float(_run(command, VIGILANT_FRAMES=str(folder / "run.jsonl"))) for _ in range(REPEATS)]
        print(
            f"{name} emitter, 4 lanes, 4 counters, 10 parts: {min(runs) / 1000:.1f} to {max(runs) / 1000:.1f} us a frame,"
            f" median {statistics.median(runs) / 1000:.1f}, writing included"
        )


def _page() -> None:
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=browser_path(), args=[*QUIET, "--no-sandbox"])
        runs = []
        for _ in range(REPEATS):
            page = browser.new_page()
            page.add_script_tag(content=emitter_source())
            runs.append(float(page.evaluate(WATCHED)))
            page.close()
        browser.close()
    print(
        f"a watched page: {min(runs):.1f} to {max(runs):.1f} us of its main thread a frame, median {statistics.median(runs):.1f}"
    )


def _tap(folder: Path) -> None:
    built(folder, "libstub_gl.so", (STUBS / "stub_gl.c").read_text(), "-shared", "-fPIC")
    source = (STUBS / "stub_program.c").read_text()
    program = built(folder, "program", source, f"-L{folder}", "-l:libstub_gl.so", f"-Wl,-rpath,{folder}", "-ldl")
    command = [str(program), "times", str(PRESENTS)]
    cost = []
    for _ in range(3):
        plain = float(_run(command, STUB_WAIT_NS="0", STUB_SPIN_NS=str(SPIN_NS)))
        frames = tempfile.mkdtemp(dir=folder)
        tapped = float(
            _run(
                command,
                STUB_WAIT_NS="0",
                STUB_SPIN_NS=str(SPIN_NS),
                LD_PRELOAD=str(tap_library()),
                VIGILANT_TAP_FOLDER=frames,
            )
        )
        cost.append(tapped - plain)
    print(
        f"tap, {PRESENTS:,} presents of a stub with time stamps: {min(cost):.0f} to {max(cost):.0f} ns of the thread's processor time a frame"
    )


def _drawing() -> None:
    """Frames a second as the program itself counts them, with the tap and without, in turn."""
    server = subprocess.Popen(["Xvfb", ":93", "-screen", "0", "800x600x24"], stderr=subprocess.DEVNULL)
    try:
        seen: dict[bool, list[float]] = {False: [], True: []}
        for tapped in (False, True) * 3:
            with tempfile.TemporaryDirectory() as folder:
                own = {"LD_PRELOAD": str(tap_library()), "VIGILANT_TAP_FOLDER": folder} if tapped else {}
                done = subprocess.run(
                    ["timeout", "6", "stdbuf", "-oL", "glxgears"],
                    env={**os.environ, "DISPLAY": ":93", **own}, capture_output=True, text=True, check=False,
                )  # fmt: skip
            seen[tapped] += [float(fps) for fps in re.findall(r"= ([\d.]+) FPS", done.stdout)]
        plain, with_tap = (statistics.median(seen[tapped]) for tapped in (False, True))
        print(
            f"glxgears counts {plain:.0f} frames a second without the tap, {with_tap:.0f} with it:"
            f" {1e6 * (1 / with_tap - 1 / plain):.1f} us a frame"
        )
    finally:
        server.terminate()
        server.wait(20)
