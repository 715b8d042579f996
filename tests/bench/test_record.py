"""Real subjects, really recorded."""

import json
import sys
from pathlib import Path

import numpy as np
import pytest

from bench.recording import Silent, lanternfall, plan, quick, run_plan
from vigilant.bench.errors import BenchError, NoRuns
from vigilant.bench.launcher import run_subject
from vigilant.bench.record import record, verdict
from vigilant.bench.spool import RecordingSpool
from vigilant.core import compare
from vigilant.formats import frames
from vigilant.plan import Arm


@pytest.fixture(scope="module")
def festival(tmp_path_factory):
    """All pairs against river cells, 8 runs of about 2 s an arm."""
    # Judged by the level of the frames: stutters here come from whatever else the test machine does.
    judged = {"primaries": ["mean_ms", "p50_ms"]}
    raw = plan(lanternfall("pairs"), lanternfall("cells"), 8, 2.0, policy=judged)
    return run_plan(raw, tmp_path_factory.mktemp("festival"))


def test_river_cells_are_a_gain_and_swapped_labels_a_regression(festival):
    parsed, spool = festival
    got = verdict(parsed, spool)
    assert got.verdict == "gain"
    assert got.figures["mean_ms"].call == "better"
    before, after, order = spool.arms()
    swapped = compare(after, before, parsed.policy, [{"before": "after", "after": "before"}[o] for o in order])
    assert swapped.verdict == "regression"


def test_lanes_and_counters_come_along(festival):
    _, spool = festival
    series = spool.read(spool.slots[0]).series
    assert [m.name for m in series.marks][:2] == ["landing stage", "under the bridge"]
    assert series.lane_roles == {"river": "processor", "paint": "processor"}
    lanes = series.lanes["river"] + series.lanes["paint"]
    assert (lanes <= series.frame_ms + 1e-6).mean() > 0.999
    assert 0.7 < lanes.sum() / series.frame_ms.sum() <= 1.0


def test_the_same_switches_never_clear_the_margin(tmp_path):
    # On the level alone and a wide margin: a busy test machine makes stutters, and its own noise, in either arm.
    judged = {"primaries": ["mean_ms"], "margins": {"mean_ms": 0.2}}
    parsed, spool = run_plan(plan(lanternfall("cells"), lanternfall("cells"), 5, 1.0, policy=judged), tmp_path)
    got = verdict(parsed, spool)
    assert not (got.verdict in ("gain", "regression") and got.material)


BAD_SUBJECTS = {
    "crashed": ("import os, signal; os.kill(os.getpid(), signal.SIGSEGV)", "crashed", "SIGSEGV"),
    "hung": ("import time; print('waiting for rain', flush=True); time.sleep(60)", "hung", "still running"),
    "wrong exit": ("import sys; print('no river'); sys.exit(3)", "wrong exit", "exit code 3"),
    "nonsense": ("import os; open(os.environ['VIGILANT_FRAMES'], 'w').write('boats!')", "broken", "head is not JSON"),
    "silent": ("pass", "broken", "wrote no frames"),
    "cut off": (
        "import os; open(os.environ['VIGILANT_FRAMES'], 'w')"
        """.write('{"vigilant_frames":1,"columns":["frame"]}\\n[4.0]\\n[4')""",
        "broken", "1 whole frames are kept",
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", BAD_SUBJECTS)
def test_a_bad_end_is_recorded_and_the_rest_goes_on(name, tmp_path):
    code, outcome, detail = BAD_SUBJECTS[name]
    flag = tmp_path / "done"
    once = f"import os\nif not os.path.exists({str(flag)!r}):\n open({str(flag)!r}, 'w').close()\n exec({code!r})\n"
    once += "else:\n import subprocess, sys; sys.exit(subprocess.call(sys.argv[1:]))"
    after = [sys.executable, "-c", once, *quick(8.0)]
    limit = {"timeout_s": 5.0} if name == "hung" else {}
    parsed, spool = run_plan(plan(quick(12.0), after, recording=limit), tmp_path)
    bad = [s for s in spool.slots if s.outcome != "complete"]
    assert [(s.arm, s.outcome) for s in bad] == [("after", outcome)]
    assert detail in bad[0].detail
    got = verdict(parsed, spool)
    assert got.runs == (5, 4)
    assert "runs-failed" in [f.code for f in got.findings]
    assert RecordingSpool.load(spool.directory).slots == spool.slots


def test_an_arm_without_a_complete_run_gives_no_verdict(tmp_path):
    parsed, spool = run_plan(plan(quick(12.0), ["/nowhere/at/all"], runs=1), tmp_path)
    with pytest.raises(BenchError, match="no run of arm after completed: could not be started"):
        verdict(parsed, spool)


def test_the_emitter_times_parts_of_a_frame(monkeypatch, tmp_path):
    monkeypatch.syspath_prepend(str(Path(__file__).parents[2] / "emitters" / "python"))
    from vigilant_emitter import Emitter

    emitter = Emitter(counters=["boats"], path=tmp_path / "r.jsonl")

    @emitter.part("ripples")
    def ripples():
        pass

    emitter.item("boat hull", 60, triangles=1240, KiB=0.5)
    emitter.item("spark", 400)
    emitter.start()
    for frame in range(3):
        with emitter.part("steer boats", counts={"boats": 40}, kind="boats"):
            for _ in range(5):
                with emitter.part("avoid pillars", lane=""):
                    pass
        if frame == 1:
            ripples()
            emitter.add_part(["paint", "lanterns"], 2.5, calls=7, at=1.25)
        with pytest.raises(ZeroDivisionError), emitter.part("fails"):
            raise ZeroDivisionError  # what fails is timed all the same
        emitter.frame(boats=40)
    emitter.close()
    with (tmp_path / "r.jsonl").open("rb") as stream:
        run = frames.read(stream, "r")
    assert [(i.kind, i.count, i.weights) for i in run.items] == [("boat hull", 60, {"triangles": 1240, "KiB": 0.5}), ("spark", 400, {})]  # fmt: skip
    assert {p.path: p.kind for p in run.series.parts if p.kind} == {("steer boats",): "boats"}
    rows = run.series.part_rows
    assert (run.complete, dict(run.skipped)) == (True, {})
    of = {}
    for frame, part, calls in zip(rows.frame.tolist(), rows.part.tolist(), rows.calls.tolist(), strict=True):
        of.setdefault(rows.parts[part].path, []).append((frame, calls))
    assert of == {
        ("steer boats", "avoid pillars"): [(0, 5), (1, 5), (2, 5)],
        ("steer boats",): [(0, 1), (1, 1), (2, 1)],
        ("ripples",): [(1, 1)],
        ("paint", "lanterns"): [(1, 7)],
        ("fails",): [(0, 1), (1, 1), (2, 1)],
    }
    by_path = {p.path: p for p in run.series.parts}
    assert by_path["paint", "lanterns"].ms == 2.5
    assert by_path["steer boats",].ms >= by_path["steer boats", "avoid pillars"].ms > 0
    placed = [i for i, p in enumerate(rows.part.tolist()) if rows.parts[p].path == ("paint", "lanterns")]
    assert rows.at_ms[placed].tolist() == [1.25]
    boats = rows.counts["boats"]
    assert (np.nansum(boats), int(np.isfinite(boats).sum())) == (120, 3)
    assert np.nanmin(rows.at_ms) >= 0


def test_the_emitter_writes_nothing_without_a_place(monkeypatch, tmp_path):
    monkeypatch.syspath_prepend(str(Path(__file__).parents[2] / "emitters" / "python"))
    monkeypatch.delenv("VIGILANT_FRAMES", raising=False)
    from vigilant_emitter import Emitter

    Emitter().close()
    monkeypatch.setenv("VIGILANT_FRAMES", str(tmp_path / "run"))
    emitter = Emitter(lanes={"gpu": "graphics"})
    emitter.frame(12.5, gpu=3.0)
    emitter.figure("load_ms", 800)
    emitter.close()
    lines = [json.loads(line) for line in (tmp_path / "run").read_text().splitlines()]
    assert lines[1:] == [[12.5, 3.0], {"figure": "load_ms", "value": 800}, {"end": {"frames": 1, "ms": 12.5}}]


FAILING = [sys.executable, "-c", "import sys; sys.exit('no boat')"]


def test_an_arm_that_always_fails_the_same_way_stops_the_recording_with_what_was_kept(tmp_path):
    raw = plan(quick(9.0), FAILING, runs=6)
    parsed, spool = run_plan(raw, tmp_path)
    tried = [s for s in spool.slots if s.arm == "after" and s.outcome == "wrong exit"]
    assert (len(tried), spool.stopped) == (3, True)
    assert "all 3 attempts at arm after failed the same way (wrong exit: exit code 1)" in spool.remark
    with pytest.raises(NoRuns, match="no run of arm after completed"):
        verdict(parsed, spool)
    record(parsed, spool, Silent(), all_the_same=True)
    assert (spool.stopped, spool.remark) == (False, "")
    assert sum(s.outcome == "wrong exit" for s in spool.slots) == 6
    assert sum(s.outcome == "complete" for s in spool.slots) == 6


def test_an_arm_that_fails_in_other_ways_or_not_always_is_tried_to_the_end(tmp_path):
    state = tmp_path / "state"
    code = f"import sys; open({str(state)!r}, 'a').write('x'); sys.exit(len(open({str(state)!r}).read()))"
    raw = plan(quick(9.0), [sys.executable, "-c", code], runs=4)
    _, spool = run_plan(raw, tmp_path)
    assert {s.detail for s in spool.slots if s.arm == "after"} == {f"exit code {n}" for n in (1, 2, 3, 4)}
    assert not spool.stopped


def test_the_recorders_own_clock_is_the_second_one(tmp_path):
    _, spool = run_plan(plan(quick(9.0), quick(9.0), runs=1), tmp_path)
    for slot in spool.slots:
        assert slot.measured["wall_s"] == pytest.approx(slot.seconds, abs=0.01)


@pytest.mark.parametrize("argument", ["a\0b", "\ud800"])
def test_a_command_that_no_system_takes_is_an_outcome(argument, tmp_path):
    arm = Arm("before", "a", (sys.executable, argument))
    ended = run_subject(arm, tmp_path / "frames", {}, 5.0)
    assert (ended.outcome, "could not be started" in ended.detail) == ("crashed", True)


def test_what_a_subject_prints_is_delivered_whatever_it_is():
    from vigilant.bench.deliver import printable

    assert printable("a\0b\x1b[1m\ud800\nc") == "a\ufffdb\ufffd[1m?\nc"
