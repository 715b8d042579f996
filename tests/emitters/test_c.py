"""The C emitter, by programs written from its own docs, against the real reader."""

import json
import os
import subprocess

import numpy as np
import pytest
from bench.recording import plan, run_plan

from emitters.building import SANITIZED, built
from vigilant.bench.by_hand import finish_by_hand
from vigilant.bench.record import verdict
from vigilant.bench.spool import judge_stream
from vigilant.core.work.inventory import Item
from vigilant.formats import read_stream

FESTIVAL = r"""
#define VIGILANT_EMITTER_BODY
#include "vigilant_emitter.h"

static double spin(int rounds) {
    volatile double sum = 0;
    for (int i = 0; i < rounds; i++) sum += i * 0.5;
    return sum;
}

int main(int count, char **words) {
    int frames = count > 1 ? atoi(words[1]) : 50, rounds = count > 2 ? atoi(words[2]) : 2000;
    vigilant *v = vigilant_open("start to start");
    int river = vigilant_lane(v, "river", "processor");
    int paint = vigilant_lane(v, "paint \"glow\"\n", "graphics");
    int boats = vigilant_counter(v, "boats, größer");
    int steer = vigilant_part(v, VIGILANT_NONE, "steer boats", river);
    int avoid = vigilant_part(v, steer, "avoid pillars", river);
    int twice = vigilant_counter(v, "river"), frame = vigilant_lane(v, "frame", "processor");
    int late = vigilant_part(v, VIGILANT_NONE, "", VIGILANT_NONE);
    vigilant_kind(v, steer, "\"boats\"");
    vigilant_condition(v, "window", "1600x900");
    vigilant_mark(v, "filling", 0);
    vigilant_start(v);
    for (int i = 0; i < frames; i++) {
        if (i == 10) vigilant_mark(v, "under the bridge", 1);
        if (i == 20) vigilant_still(v, "bridge.png");
        vigilant_begin(v, steer);
        for (int k = 0; k < 3; k++) {
            vigilant_begin(v, avoid);
            spin(rounds);
            vigilant_end(v, avoid);
        }
        vigilant_end(v, steer);
        vigilant_end(v, steer);  /* ended twice: once */
        vigilant_add(v, late, 1.0, 1);
        vigilant_count(v, twice, 7);
        vigilant_set(v, frame, 7);
        if (i % 2) vigilant_set(v, river, 0.125);
        vigilant_count(v, boats, 0.1 + i);
        vigilant_set(v, paint, 1e300 * 1e300);
        vigilant_frame(v);
    }
    vigilant_item(v, "boat \"hull\"", 60, "triangles", 1240);
    vigilant_item(v, "boat \"hull\"", 60, "KiB", 0.5);
    vigilant_item(v, "spark", 400, NULL, 9);
    vigilant_figure(v, "load_ms", 812.4);
    vigilant_close(v);
    return 0;
}
"""


@pytest.fixture(scope="module")
def festival(tmp_path_factory):
    return built(tmp_path_factory.mktemp("festival"), "festival", FESTIVAL)


def run(program, frames, *words, code=0):
    done = subprocess.run(
        [program, *map(str, words)],
        env={**os.environ, "VIGILANT_FRAMES": str(frames)}, capture_output=True, text=True, check=False,
    )  # fmt: skip
    assert done.returncode == code, done.stderr
    return done.stderr


@pytest.mark.parametrize(("compiler", "more"), [("gcc", ()), ("g++", ()), ("gcc", SANITIZED)])
def test_all_that_a_program_says_is_read(compiler, more, tmp_path):
    program = built(tmp_path, "festival", FESTIVAL, "-Wpedantic", *more, compiler=compiler)
    assert run(program, tmp_path / "run.jsonl") == ""
    read = read_stream(tmp_path / "run.jsonl")
    series = read.series
    assert (read.complete, series.frame_ms.size, dict(read.skipped)) == (True, 50, {})
    # An odd name is a name all the same; what was no part was not made one.
    assert list(series.lanes) == ["river", 'paint "glow" ']
    river = series.lanes["river"]
    assert np.isnan(river[0::2]).all()
    assert (river[1::2] == 0.125).all()
    assert np.isnan(next(v for name, v in series.lanes.items() if name != "river")).all()
    assert series.counters["boats, größer"].tolist() == [0.1 + i for i in range(50)]
    assert [(m.index, m.name, m.play) for m in series.marks] == [(0, "filling", False), (10, "under the bridge", True)]
    assert (series.figures["load_ms"], series.conditions["window"]) == (812.4, "1600x900")
    assert [(s.name, s.frame, s.leg) for s in read.stills] == [("bridge.png", 20, "under the bridge")]
    assert read.items == (Item('boat "hull"', 60, {"triangles": 1240, "KiB": 0.5}), Item("spark", 400, {}))
    lines = [json.loads(line) for line in (tmp_path / "run.jsonl").read_text().splitlines()]
    parts = [line for line in lines if isinstance(line, dict) and "part" in line]
    assert {(p.path[-1], p.kind) for p in series.parts} == {("steer boats", '"boats"'), ("avoid pillars", "")}
    assert len(parts) == 100
    inner, outer = (
        [p for p in parts if p["part"] == path] for path in (["steer boats", "avoid pillars"], ["steer boats"])
    )
    assert {p["calls"] for p in inner} == {3}
    assert {p["calls"] for p in outer} == {1}
    assert all(0 < i["ms"] <= o["ms"] and o["at"] <= i["at"] for i, o in zip(inner, outer, strict=True))
    # Beginning ns of the clock and all frames: to the digit what the end states.
    total = sum(round(f[0] * 1e6) for f in lines if isinstance(f, list))
    assert round(lines[-1]["end"]["ms"] * 1e6) == total


def test_without_a_recorder_nothing_is_written_and_a_file_that_cannot_be_is_said(festival, tmp_path):
    assert run(festival, "") == ""
    assert "cannot be written" in run(festival, tmp_path / "nowhere" / "run.jsonl")


def test_a_built_program_goes_from_two_builds_to_a_verdict(festival, tmp_path):
    raw = plan([str(festival), "400", "60000"], [str(festival), "400", "20000"], 4, policy={"primaries": ["mean_ms"]})
    parsed, spool = run_plan(raw, tmp_path)
    assert [s.outcome for s in spool.slots] == ["complete"] * 8
    got = verdict(parsed, spool)
    assert got.verdict == "gain"


FORKS = FESTIVAL.replace("vigilant_figure(", "if (!fork()) { vigilant_frame(v); vigilant_close(v); _exit(0); }\n    vigilant_figure(").replace(
    "#include", "#include <unistd.h>\n#include"
)  # fmt: skip


def test_a_child_leaves_its_parents_stream_alone(tmp_path):
    run(built(tmp_path, "forks", FORKS), tmp_path / "run.jsonl")
    read = read_stream(tmp_path / "run.jsonl")
    assert (read.complete, read.series.frame_ms.size) == (True, 50)


LOSES = """
#define VIGILANT_WRITE_MS 400
#define VIGILANT_RING 4096
#define VIGILANT_EMITTER_BODY
#include "vigilant_emitter.h"
int main(void) {
    vigilant *v = vigilant_open("start to start");
    vigilant_start(v);
    for (int i = 0; i < 2000; i++) vigilant_frame(v);
    vigilant_close(v);
    return 0;
}
"""


def test_frames_that_find_no_room_are_counted_and_the_run_is_broken(tmp_path):
    said = run(built(tmp_path, "loses", LOSES), tmp_path / "run.jsonl")
    read = read_stream(tmp_path / "run.jsonl")
    assert not read.complete
    assert 0 < read.series.frame_ms.size < 2000
    assert read.lost >= 2000 - read.series.frame_ms.size - 5  # some stamps of so quick a loop are equal
    assert f"{read.lost} frames were lost" in said
    finish_by_hand(tmp_path / "run.jsonl", [(0.0, "dusk")], 1e9)  # what is ended from outside stays broken too
    assert judge_stream(tmp_path / "run.jsonl")[:2] == (
        "broken",
        f"{read.lost:,} frames were lost on their way to the disk; {read.series.frame_ms.size} whole frames are kept",
    )
