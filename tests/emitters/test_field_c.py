"""The field's sender in C programs: what it sends is what was played, a kill loses nothing, and nothing is kept without consent."""

import hashlib
import json
import signal
import subprocess
from pathlib import Path

import numpy as np
import pytest

from emitters.building import SANITIZED, built
from vigilant.core.cap import cap_period_ms
from vigilant.core.field import EDGES_MS, histogram_of
from vigilant.formats.field import read_snapshot

#: Reads what to do from its input, a line each: `place NAME PLAY`, `tier LEVEL SET_BY BUDGET NAME`, `label N ON`, `play MS...`, `end HOW`.
PROGRAM = r"""
#define _GNU_SOURCE
#define VIGILANT_FIELD_BODY
#include "vigilant_field.h"

int main(int count, char **words) {
    static char line[1 << 20];
    vigilant_field_setup setup = {0};
    vigilant_field *f;
    double processor = -1, graphics = -1, waited = -1;
    setup.folder = words[2];
    setup.server = words[1];
    setup.key = "vl_key";
    setup.build = "river \"41\"";
    setup.salt = "lanternfall";
    setup.model = "Reed 5, größer";
    setup.kind = "handheld";
    setup.memory_gib = 4;
    setup.labels[0] = "charger out";
    setup.labels[1] = "rain";
    f = vigilant_field_open(&setup);
    if (!f) return 3;
    vigilant_field_consent(f, count < 4);
    while (fgets(line, sizeof line, stdin)) {
        char name[200], by[16], *at = line + 5, *end;
        int a, b;
        double budget;
        if (sscanf(line, "place %d %199[^\n]", &a, name) == 2) vigilant_field_place(f, name, a);
        else if (sscanf(line, "tier %d %15s %lf %199[^\n]", &a, by, &budget, name) == 4)
            vigilant_field_tier(f, a, name, "reflections=full;lanterns=320", by, budget, 0.05);
        else if (sscanf(line, "label %d %d", &a, &b) == 2) vigilant_field_label(f, a, b);
        else if (sscanf(line, "lanes %lf %lf %lf", &processor, &graphics, &waited) == 3) continue;
        else if (!strncmp(line, "play ", 5)) {
            for (double ms = strtod(at, &end); end != at; ms = strtod(at = end, &end)) vigilant_field_frame(f, ms, processor, graphics, waited);
        } else if (sscanf(line, "figure %lf %199[^\n]", &budget, name) == 2) vigilant_field_figure(f, name, budget);
        else if (!strncmp(line, "consent", 7)) vigilant_field_consent(f, 0);
        else if (sscanf(line, "end %15s", by) == 1) {
            printf("%d\n", vigilant_field_close(f, by));
            return 0;
        }
        fputs("ok\n", stdout);
        fflush(stdout);
    }
    return 4;
}
"""
PARTS = r"""
#define _GNU_SOURCE
#define VIGILANT_FIELD_BODY
#include "vigilant_field.h"
int main(int count, char **words) {
    char hex[72];
    double ms[VIGILANT_FIELD__CHECKED];
    int n = 0;
    if (count > 1) {
        vigilant_field__sha256(words[1], hex);
        puts(hex);
        return 0;
    }
    for (double x; scanf("%lf", &x) == 1;) {
        if (x < 0) {
            printf("%.9g\n", vigilant_field__held_at(ms));
            n = 0;
        } else if (x > 1e10) printf("%d\n", vigilant_field__bucket(x / 1e12));
        else ms[n++ % VIGILANT_FIELD__CHECKED] = x;
    }
    return 0;
}
"""


@pytest.fixture(scope="module")
def program(tmp_path_factory):
    return built(tmp_path_factory.mktemp("field"), "game", PROGRAM, *SANITIZED)


@pytest.fixture(scope="module")
def parts(tmp_path_factory):
    return built(tmp_path_factory.mktemp("field"), "parts", PARTS, *SANITIZED)


def played(values):
    return f"play {' '.join(repr(float(x)) for x in values)}"


def run(program, server, folder, *lines, words=()):
    address = server.address if server else "http://127.0.0.1:9"
    command = [program, address, str(folder), *words]
    return subprocess.run(
        command, input="\n".join(lines) + "\n", capture_output=True, text=True, timeout=60, check=True
    ).stdout.splitlines()


def kept(folder):
    return sorted(Path(folder).glob("*.field"))


def test_what_is_sent_is_what_was_played(program, server, tmp_path):
    rng = np.random.default_rng(4)
    bank, pier = rng.lognormal(2.6, 0.3, 3000), np.concatenate([rng.lognormal(2.2, 0.2, 500), [0.4, 1.0, 1500.0]])
    out = run(
        program, server, tmp_path, f"tier 2 program {1000 / 60} full lanterns", "place 0 loading", "play 900 900", "place 1 market bank",
        "lanes 9 4 0.25", played(bank), "lanes -1 -1 -1", "place 1 landing stage", "tier 1 person 40 few lanterns", played(pier),
        "play 0 -1 nan inf", "figure 812.5 load_ms", "end person",
    )  # fmt: skip
    assert out[-1] == "1"
    assert server.keys == ["Bearer vl_key"]
    found = read_snapshot(server.bodies[0])
    cells = {found.places[cell.place].name: cell for cell in found.cells}
    assert set(cells) == {"market bank", "landing stage"}
    for name, frames, limit in (("market bank", bank, 1000 / 60 * 1.05), ("landing stage", pier, 42.0)):
        cell, told = cells[name], histogram_of(frames)
        assert cell.counts.tolist() == told.counts.tolist()
        assert (cell.sum_ms, cell.max_ms) == pytest.approx((told.sum_ms, told.max_ms), rel=1e-12)
        assert (cell.late, cell.late_ms) == (int((frames > limit).sum()), pytest.approx(frames[frames > limit].sum()))
    assert cells["market bank"].late_by == (cells["market bank"].late, 0, 0)
    assert cells["landing stage"].late_by == (0, 0, cells["landing stage"].late)
    assert cells["market bank"].work.counts.tolist() == histogram_of(bank - 0.25).counts.tolist()
    assert [found.tiers[cells[p].tier].set_by for p in ("market bank", "landing stage")] == ["program", "person"]
    assert found.tiers[0].settings == {"reflections": "full", "lanterns": "320"}
    assert (found.build, found.device.model) == ('river "41"', "Reed 5, größer")
    assert (found.ended, found.refused_frames, found.figures) == ("person", 4, {"load_ms": 812.5})
    assert kept(tmp_path) == []


def test_its_parts_are_the_cores_and_the_standards(parts):
    rng = np.random.default_rng(2)
    held = np.diff(np.round(np.cumsum(rng.normal(16.0, 2.0, 513)) / 16.667) * 16.667 + rng.normal(0, 0.15, 513))
    cases = [
        np.full(512, 8.3333) + np.diff(rng.normal(0, 0.05, 513)),
        rng.lognormal(2.6, 0.2, 512),
        rng.normal(16.667, 0.5, 512),
    ]
    cases += [held] if (held > 0).all() else []
    edges = EDGES_MS[:-1]
    asked = np.unique(np.concatenate([edges, np.nextafter(edges, 0), np.nextafter(edges, 1e9)]))
    asked = asked[asked * 1e12 > 1e11]
    text = "\n".join(
        [*(" ".join(map(repr, case.tolist())) + " -1" for case in cases), *(repr(float(x) * 1e12) for x in asked)]
    )
    out = subprocess.run([parts], input=text, capture_output=True, text=True, check=True).stdout.split()
    core = [cap_period_ms([case], np.sort(case)) or 0.0 for case in cases]
    assert [float(x) for x in out[: len(cases)]] == pytest.approx(core, rel=1e-6)
    read = [int(x) for x in out[len(cases) :]]
    assert read == [int(np.flatnonzero(histogram_of(np.array([float(x) * 1e12 / 1e12])).counts)[0]) for x in asked]
    for said in ("", "x" * 55, "x" * 56, "x" * 119, "x" * 200):
        out = subprocess.run([parts, said], capture_output=True, text=True, check=True).stdout.strip()
        assert out == hashlib.sha256(said.encode()).hexdigest()


def test_seconds_have_their_labels_and_what_was_shortly_before(program, server, tmp_path):
    calm, burst = played([10.0] * 100), played([20.0] * 50)
    run(
        program, server, tmp_path, "place 1 market bank", *[calm] * 40, "label 1 1", burst, "label 1 0", *[calm] * 39, "end person"
    )  # fmt: skip
    found = read_snapshot(server.bodies[0])
    assert [tuple(one)[2:] for one in found.sets] == [(0, 79, 7900, 0), (2, 1, 50, 50)]
    assert [tuple(one)[2:] for one in found.bursts] == [(10, 10)]
    assert (found.last.now, found.last.then) == (False, True)


def test_a_kill_in_the_middle_loses_nothing_and_is_sent_once_at_the_next_start(program, server, tmp_path):
    child = subprocess.Popen(
        [program, "http://127.0.0.1:9", str(tmp_path)], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
    )
    for line in ("place 1 market bank", played([12.5] * 1000)):
        child.stdin.write(line + "\n")
        child.stdin.flush()
        assert child.stdout.readline() == "ok\n"
    # A second start while it runs leaves it alone.
    run(program, server, tmp_path, "place 1 quay", "play 20", "end program")
    assert [body["ended"] for body in server.bodies] == ["program"]
    child.send_signal(signal.SIGKILL)
    child.wait()
    child.stdin.close()
    child.stdout.close()
    assert len(kept(tmp_path)) == 1
    run(program, server, tmp_path, "place 1 quay", "play 20", "end program")
    left = read_snapshot(next(body for body in server.bodies if body["ended"] == "vanished"))
    assert int(left.cells[0].counts.sum()) == 1000
    assert kept(tmp_path) == []
    assert len({body["installation"] for body in server.bodies}) == 1


def test_without_a_line_it_is_sent_once_at_a_later_start_and_what_is_refused_is_not_sent_for_ever(
    program, server, tmp_path
):
    away = ("place 1 quay", "play 20 20", "end person")
    assert run(program, None, tmp_path, *away)[-1] == "0"
    server.status = 503
    assert run(program, server, tmp_path, *away)[-1] == "0"
    assert len(kept(tmp_path)) == 2
    server.bodies.clear()
    server.status = 201
    assert run(program, server, tmp_path, *away)[-1] == "1"
    assert len({body["session"] for body in server.bodies}) == len(server.bodies) == 3
    server.bodies.clear()
    server.status = 422
    run(program, server, tmp_path, *away)
    run(program, server, tmp_path, *away)
    assert len(server.bodies) == 2


def test_without_consent_nothing_is_kept_and_nothing_sent(program, server, tmp_path):
    run(program, server, tmp_path, "place 1 quay", "play 20 20", "end person", words=("refused",))
    assert list(tmp_path.iterdir()) == []
    run(program, server, tmp_path, "place 1 quay", "play 20 20", "consent", "place 1 bank", "play 20", "end person")
    assert server.bodies == []
    assert list(tmp_path.iterdir()) == []


def test_its_id_stays_at_home_and_a_folder_that_cannot_be_written_is_said(program, server, tmp_path):
    run(program, server, tmp_path, "place 1 quay", "play 20", "end person")
    own = (tmp_path / "installation").read_text().split()[0]
    sent = json.dumps(server.bodies)
    assert own not in sent
    assert server.bodies[0]["installation"] == hashlib.sha256(f"lanternfall:{own}".encode()).hexdigest()[:32]
    missing = subprocess.run(
        [program, server.address, str(tmp_path / "none")], input="", capture_output=True, text=True
    )
    assert missing.returncode == 3
    assert "cannot be written" in missing.stderr


def test_it_keeps_within_its_bounds_and_compiles_as_cpp(program, server, tmp_path):
    rng = np.random.default_rng(5)
    lines = []
    for place in range(40):
        for tier in range(9):
            lines += [f"place 1 place {place}", f"tier {tier} program 16.7 tier {tier}", played(rng.uniform(2, 42, 60))]
    run(program, server, tmp_path, *lines, "end person")
    newest = max(server.bodies, key=lambda body: body["seq"])
    found = read_snapshot(newest)
    told = sum(int(cell.counts.sum()) for cell in found.cells) + found.elsewhere_frames
    assert told == 40 * 9 * 60
    assert found.elsewhere_frames > 0
    assert len(json.dumps(newest, separators=(",", ":"))) < 32 * 1024
    built(tmp_path, "cpp", '#define VIGILANT_FIELD_BODY\n#include "vigilant_field.h"\nint main() { return vigilant_field_open(nullptr) != nullptr; }\n', compiler="g++")  # fmt: skip
