"""The field's sender in Node: what it sends is what was played, and a kill, a closed line or a refused consent change nothing of that."""

import json
import os
import signal
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest

from emitters.building import ROOT
from vigilant.core.cap import cap_period_ms
from vigilant.core.field import EDGES_MS, histogram_of
from vigilant.formats.field import read_snapshot

SENDER = ROOT / "emitters" / "js" / "vigilant_field.js"
NODE = Path(sys.executable).with_name("node")
BUDGET_MS = 1000 / 60
LIMIT_MS = BUDGET_MS * 1.05
#: A sender on a clock of its own: what is played takes no time.
HEAD = """
import { FieldSender, folderStore, bucketOf, heldAt, sha256 } from "./vigilant_field.js";
let clock = 0;
const made = async (more = {}) => new FieldSender({
  server: process.env.SERVER, key: "vl_key", build: "river 41", salt: "lanternfall",
  device: { model: "Reed 5", kind: "handheld", memory_gib: 4 }, labels: ["charger out", "rain"],
  store: await folderStore("kept"), consent: true, now: () => clock, wall: () => 1.7e12 + clock, ...more,
});
const play = (field, frames, lanes) => { for (const ms of frames) { clock += ms; field.frame(ms, lanes); } };
"""


@pytest.fixture
def folder(tmp_path):
    (tmp_path / "package.json").write_text('{"type":"module"}')
    (tmp_path / "vigilant_field.js").write_bytes(SENDER.read_bytes())
    return tmp_path


def run(folder, server, program, **options):
    (folder / "program.js").write_text(HEAD + program)
    environment = {"SERVER": server.address if server else "http://127.0.0.1:9", "PATH": "/usr/bin:/bin"}
    return subprocess.run(
        [NODE, "program.js"],
        cwd=folder,
        env=environment,
        capture_output=True,
        text=True,
        timeout=60,
        check=True,
        **options,
    ).stdout


def test_what_is_sent_is_what_was_played(folder, server):
    rng = np.random.default_rng(4)
    bank = rng.lognormal(2.6, 0.3, 3000)
    pier = np.concatenate([rng.lognormal(2.2, 0.2, 500), [0.4, 1.0, 1500.0]])
    run(
        folder,
        server,
        f"""
const field = await made();
field.tier(2, "full lanterns", {{ settings: {{ reflections: "full" }} }});
field.place("loading", false);
play(field, [900, 900]);
field.place("market bank");
play(field, {bank.tolist()}, {{ processor: 9, graphics: 4, waited: 0.25 }});
field.place("landing stage");
field.tier(1, "few lanterns", {{ setBy: "person", budgetMs: 40 }});
play(field, {pier.tolist()});
for (const ms of [0, -1, NaN, Infinity]) field.frame(ms);
field.figure("load_ms", 812.5);
await field.end("person");
play(field, [12, 12]);
""",
    )
    assert server.keys == ["Bearer vl_key"]
    found = read_snapshot(server.bodies[0])
    places = [place.name for place in found.places]
    cells = {places[cell.place]: cell for cell in found.cells}
    assert set(cells) == {"market bank", "landing stage"}
    for name, frames, limit in (("market bank", bank, LIMIT_MS), ("landing stage", pier, 42.0)):
        cell, told = cells[name], histogram_of(frames)
        assert cell.counts.tolist() == told.counts.tolist()
        assert (cell.sum_ms, cell.max_ms) == pytest.approx((told.sum_ms, told.max_ms), rel=1e-12)
        assert cell.late == int((frames > limit).sum())
        assert cell.late_ms == pytest.approx(frames[frames > limit].sum())
        assert cell.play_s == pytest.approx(frames.sum() / 1000)
    assert cells["market bank"].late_by == (cells["market bank"].late, 0, 0)
    assert cells["landing stage"].late_by == (0, 0, cells["landing stage"].late)
    assert cells["market bank"].work.counts.tolist() == histogram_of(bank - 0.25).counts.tolist()
    assert [found.tiers[cells[p].tier].set_by for p in ("market bank", "landing stage")] == ["program", "person"]
    assert (found.ended, found.refused_frames, found.figures) == ("person", 4, {"load_ms": 812.5})
    assert not list((folder / "kept").glob("*-*.json"))  # nothing is left for the next start


def test_buckets_are_the_cores_at_every_edge(folder):
    edges = EDGES_MS[:-1]
    asked = np.unique(np.concatenate([edges, np.nextafter(edges, 0), np.nextafter(edges, 1e9), [1e-9, 1e8]]))
    out = run(folder, None, f"console.log(JSON.stringify({asked.tolist()}.map(bucketOf)));")
    assert json.loads(out) == [int(np.flatnonzero(histogram_of(np.array([x])).counts)[0]) for x in asked]


@pytest.mark.parametrize("text", ["", "lanternfall:1", "é" * 40, "x" * 55, "x" * 56, "x" * 200])
def test_the_hash_is_the_standards(folder, text):
    import hashlib

    out = run(folder, None, f"console.log(sha256({json.dumps(text)}));")
    assert out.strip() == hashlib.sha256(text.encode()).hexdigest()


def test_a_refresh_that_holds_is_found_as_the_core_finds_it(folder):
    rng = np.random.default_rng(2)
    held = np.diff(np.round(np.cumsum(rng.normal(16.0, 2.0, 513)) / 16.667).clip(0) * 16.667 + rng.normal(0, 0.15, 513))
    cases = [
        held[held > 0],
        np.full(512, 8.3333) + np.diff(rng.normal(0, 0.05, 513)),
        rng.lognormal(2.6, 0.2, 512),
        rng.normal(12.0, 0.4, 512),
        rng.normal(16.667, 0.5, 512),
    ]
    cases = [case[:512] for case in cases]
    out = run(
        folder, None, f"for (const c of {[c.tolist() for c in cases]}) console.log(heldAt(Float64Array.from(c)) ?? 0);"
    )
    told = [float(line) for line in out.split()]
    core = [cap_period_ms([case], np.sort(case)) or 0.0 for case in cases]
    assert told == pytest.approx(core, rel=1e-6)
    assert [bool(x) for x in core] == [True, True, False, False, False]


def test_seconds_have_their_labels_and_what_was_shortly_before(folder, server):
    run(
        folder,
        server,
        """
const field = await made();
field.place("market bank");
const second = Array(50).fill(20);
const calm = Array(100).fill(10);
for (let s = 0; s < 40; s++) play(field, calm);
field.label("rain", true);
play(field, second);                      // a burst in second 41
field.label("rain", false);
for (let s = 0; s < 39; s++) play(field, calm);
await field.end("person");
""",
    )
    found = read_snapshot(server.bodies[0])
    assert [tuple(one)[2:] for one in found.sets] == [(0, 79, 7900, 0), (2, 1, 50, 50)]
    # Seconds 41 to 50 have the burst in their last ten; 71 to 80 in the ten that ended thirty seconds before.
    assert [tuple(one)[2:] for one in found.bursts] == [(10, 10)]
    assert (found.last.now, found.last.then) == (False, True)


def test_a_kill_in_the_middle_loses_a_second_at_most_and_is_sent_at_the_next_start(folder, server):
    (folder / "program.js").write_text(
        HEAD
        + """
const field = await made();
field.place("market bank");
play(field, Array(1000).fill(12.5));      // twelve and a half seconds
console.log("played");
setInterval(() => {}, 1000);
"""
    )
    environment = {"SERVER": "http://127.0.0.1:9", "PATH": "/usr/bin:/bin"}
    child = subprocess.Popen(
        [NODE, "program.js"], cwd=folder, env=environment, stdout=subprocess.PIPE, text=True, start_new_session=True
    )
    assert child.stdout.readline() == "played\n"
    os.killpg(child.pid, signal.SIGKILL)  # the command that starts Node, and Node
    child.wait()
    child.stdout.close()
    run(
        folder,
        server,
        'const field = await made(); field.place("quay"); play(field, [20, 20]); await field.end("program");',
    )
    killed, after = sorted(server.bodies, key=lambda body: -len(body["cells"]) and body["ended"] != "vanished")
    left = read_snapshot(killed)
    assert left.ended == "vanished"
    assert 920 <= int(left.cells[0].counts.sum()) <= 1000
    assert read_snapshot(after).ended == "program"
    assert left.installation == read_snapshot(after).installation
    run(
        folder,
        server,
        'const field = await made(); field.place("quay"); play(field, [20]); await field.end("program");',
    )
    assert len(server.bodies) == 3  # it was sent once


def test_without_a_line_it_is_sent_once_at_a_later_start(folder, server):
    away = 'const field = await made(); field.place("quay"); play(field, [20, 20]); console.log(await field.end("person"));'
    assert run(folder, None, away) == "false\n"
    server.status = 503
    assert run(folder, server, away) == "false\n"
    server.status = 201
    server.bodies.clear()
    assert run(folder, server, away) == "true\n"
    assert len({body["session"] for body in server.bodies}) == len(server.bodies) == 3
    server.bodies.clear()
    assert run(folder, server, away) == "true\n"
    assert len(server.bodies) == 1


def test_what_the_server_refuses_is_not_sent_for_ever(folder, server):
    server.status = 422
    away = 'const field = await made(); field.place("quay"); play(field, [20]); await field.end("person");'
    run(folder, server, away)
    run(folder, server, away)
    assert len(server.bodies) == 2


def test_without_consent_nothing_is_kept_and_nothing_sent(folder, server):
    played = 'field.place("quay"); play(field, Array(500).fill(20)); await field.upload();'
    run(folder, server, f"const field = await made({{ consent: false }}); {played} await field.end();")
    assert not server.bodies
    assert not list((folder / "kept").iterdir())
    run(folder, server, f"const field = await made(); {played} field.consent(false); {played} await field.end();")
    assert len(server.bodies) == 1  # what was sent before it was withdrawn
    assert not list((folder / "kept").iterdir())


def test_an_installation_is_another_one_after_ninety_days_and_its_id_stays_at_home(folder, server):
    program = 'const field = await made({ wall: () => 1.7e12 + DAYS * 864e5 }); field.place("quay"); play(field, [20]); await field.end();'
    for days in (0, 89, 91):
        run(folder, server, program.replace("DAYS", str(days)))
    first, second, third = (body["installation"] for body in server.bodies)
    assert first == second != third
    own = json.loads((folder / "kept" / "installation.json").read_text())["id"]
    assert own not in json.dumps(server.bodies)


def test_it_keeps_within_its_bounds_whatever_the_program_names(folder, server):
    run(
        folder,
        server,
        """
const field = await made();
let x = 1;
for (let p = 0; p < 40; p++) {
  field.place(`place ${p}`);
  for (let t = 0; t < 9; t++) {
    field.tier(t, `tier ${t}`);
    for (let l = 0; l < 4; l++) {
      field.label("rain", l & 1); field.label("charger out", l & 2);
      play(field, Array.from({ length: 60 }, () => { x = (x * 16807) % 2147483647; return 2 + (x % 40000) / 1000; }));
    }
  }
}
console.log(await field.end());
""",
    )
    text = json.dumps(max(server.bodies, key=lambda body: body["seq"]), separators=(",", ":"))
    found = read_snapshot(text.encode())
    assert 8 * 1024 < len(text) < 16 * 1024
    told = sum(int(cell.counts.sum()) for cell in found.cells) + found.elsewhere_frames
    assert told == 40 * 9 * 4 * 60
    assert found.elsewhere_frames > 0
