"""What the recorder sees to: several arms, retries, conditions, quiet, controls, going on after a cut."""

import json
import sys

import pytest

from bench.recording import TURN, Silent, plan, quick, run_plan
from vigilant.bench.errors import BenchError
from vigilant.bench.live import MOST_GROUPS, LiveTrace
from vigilant.bench.machine import OtherWork
from vigilant.bench.record import Clock, prepare, record, verdict
from vigilant.bench.spool import RecordingSpool
from vigilant.core.audit.outcomes import fisher_p
from vigilant.formats.errors import PlanError
from vigilant.plan import load_subjects, parse_plan, with_subjects


def codes(comparison):
    return {f.code: f for f in comparison.findings}


def test_three_arms_and_an_empty_one_are_each_held_against_the_first(tmp_path):
    raw = plan(quick(12.0), quick(9.0), runs=4)
    raw["arm"] += [{"name": "slower", "command": quick(15.0)}, {"name": "meter", "command": quick(0.5), "empty": True}]
    parsed, spool = run_plan(raw, tmp_path)
    assert [spool.slots[i].arm for i in range(4)] != [spool.slots[i].arm for i in range(4, 8)]
    assert all(
        {s.arm for s in spool.slots[i : i + 4]} == {"before", "after", "after 2", "empty"} for i in (0, 4, 8, 12)
    )
    assert spool.arm_labels() == ["after", "after 2"]
    assert verdict(parsed, spool).verdict == "gain"
    assert verdict(parsed, spool, "after 2").verdict == "regression"
    assert len(spool.arms("after")[2]) == 16


def failing_once(flag, then):
    code = f"import os, subprocess, sys\nif not os.path.exists({str(flag)!r}):\n open({str(flag)!r}, 'w').close()\n"
    code += " print('no water'); sys.exit(9)\nsys.exit(subprocess.call(sys.argv[1:]))"
    return [sys.executable, "-c", code, *then]


def test_a_crash_in_one_run_of_eight_is_tried_again_and_both_attempts_are_kept(tmp_path):
    after = failing_once(tmp_path / "flag", quick(9.0))
    parsed, spool = run_plan(plan(quick(12.0), after, runs=8, recording={"retries": 1}), tmp_path)
    failed = [s for s in spool.slots if s.outcome != "complete"]
    assert [(s.attempt, s.outcome) for s in failed] == [(1, "wrong exit")]
    assert "no water" in failed[0].output_tail
    assert len(spool.slots) == 17
    assert [s.position for s in spool.counting()] == list(range(16))
    got = verdict(parsed, spool)
    assert got.runs == (8, 8)
    assert codes(got)["runs-failed"].evidence["failed"] == 1


def test_a_file_that_changed_between_the_arms_voids(tmp_path):
    setting = tmp_path / "festival.ini"

    def writing(text, level):
        code = f"open({str(setting)!r}, 'w').write({text!r})\nimport subprocess, sys; sys.exit(subprocess.call(sys.argv[1:]))"
        return [sys.executable, "-c", code, *quick(level)]

    setting.write_text("lanterns = 40")
    raw = plan(
        writing("lanterns = 40", 12.0), writing("lanterns = 20", 9.0), runs=3, recording={"files": ["festival.ini"]}
    )
    parsed, spool = run_plan(raw, tmp_path)
    got = verdict(parsed, spool)
    assert got.verdict == "void"
    assert codes(got)["conditions-differ"].evidence["differences"][0]["condition"] == "file festival.ini"


def test_a_reset_brings_back_the_start_and_one_that_fails_breaks_the_run(tmp_path):
    state = tmp_path / "state"
    reset = [sys.executable, "-c", f"open({str(state)!r}, 'w').write('fresh')"]
    subject = [sys.executable, "-c", f"open({str(state)!r}, 'a').write('!')\nimport subprocess, sys; sys.exit(subprocess.call(sys.argv[1:]))", *quick(9.0)]  # fmt: skip
    raw = plan(subject, subject, runs=2, recording={"reset": reset, "same_start": ["state"]})
    parsed, spool = run_plan(raw, tmp_path)
    assert len({s.conditions["start state"] for s in spool.slots}) == 1
    assert "conditions-differ" not in codes(verdict(parsed, spool))
    raw["recording"]["reset"] = [sys.executable, "-c", "import sys; sys.exit('no boat')"]
    _, spool = run_plan(raw, tmp_path / "again")
    assert {s.detail for s in spool.slots} == {"the reset ended with exit code 1: no boat"}


def test_cores_and_observers_go_onto_the_sheet_and_observers_on_one_side_void(tmp_path):
    raw = plan(quick(9.0), quick(9.0), runs=2)
    raw["arm"][0]["cores"] = raw["arm"][1]["cores"] = [0]
    raw["arm"][1]["observers"] = ["instruments"]
    parsed, spool = run_plan(raw, tmp_path)
    assert spool.slots[0].conditions["cores used"] == "0"
    assert codes(verdict(parsed, spool))["conditions-differ"].severity == "void"
    raw["policy"] = {"change": ["observers"]}
    parsed = parse_plan(raw, tmp_path)
    assert "conditions-differ" not in codes(verdict(parsed, spool))
    raw["arm"][0]["cores"] = [4000]
    with pytest.raises(BenchError, match="no core 4000"):
        prepare(parse_plan(raw, tmp_path), tmp_path, speed=False)


@pytest.mark.parametrize(("chosen", "value"), [({}, "100"), ({"load": 400}, "400")])
def test_the_load_reaches_the_subject_and_the_sheet(chosen, value, tmp_path):
    told = tmp_path / "told"
    code = f"import os, sys; open({str(told)!r}, 'w').write(sys.argv[1] + ' ' + os.environ['VIGILANT_LOAD'])"
    subject = [sys.executable, "-c", code, "{load}"]
    raw = plan(subject, subject, runs=1, recording=chosen)
    raw["scenario"]["load"] = {"knob": "boats", "values": [100, 400]}
    _, spool = run_plan(raw, tmp_path)
    assert told.read_text() == f"{value} {value}"
    assert {s.conditions["load"] for s in spool.slots} == {f"{value} boats"}


class Busy(OtherWork):
    """Other work as told: each look takes the next share."""

    told: list = []

    def __init__(self, clock):
        self.group, self.samples = None, []

    def follow(self, group): ...

    def share(self):
        return self.told.pop(0) if self.told else 0.0


@pytest.mark.parametrize(
    ("shares", "waits", "quiet"), [([0.0], 0, None), ([0.9, 0.8, 0.1], 2, None), ([0.9] * 99, 3, "no")]
)
def test_it_waits_for_a_quiet_machine_and_not_for_ever(shares, waits, quiet, tmp_path):
    time = [0.0]
    Busy.told = list(shares)
    watcher = Silent()
    clock = Clock(sleep=lambda s: time.__setitem__(0, time[0] + s), now=lambda: time[0], other_work=Busy)
    raw = plan(quick(9.0), quick(9.0), runs=1, recording={"quiet_share": 0.3, "quiet_wait_s": 4})
    _, spool = run_plan(raw, tmp_path, watcher, clock=clock)
    told = [t for t in watcher.told if "quiet" in t]
    assert len(told) >= waits
    assert spool.slots[0].conditions.get("started quiet") == quiet
    if waits:
        assert "90 % of a core" in told[0]


def test_pause_skip_and_stop(tmp_path):
    sleeper = [sys.executable, "-c", "import time; time.sleep(30)"]
    slept = []
    watcher = Silent(["pause", "pause", "run", "run", "skip"])
    raw = plan(sleeper, sleeper, runs=2)
    parsed = parse_plan(raw, tmp_path)
    spool = prepare(parsed, tmp_path, speed=False)

    def ended(slot):
        watcher.controls = ["stop"] * 9

    watcher.slot_ended = ended
    record(parsed, spool, watcher, Clock(sleep=slept.append))
    assert watcher.told == ["paused", "paused"]
    assert [s.outcome for s in spool.slots] == ["skipped", "planned", "planned", "planned"]
    assert spool.stopped


def test_a_recording_cut_off_is_gone_on_with_where_it_stopped(tmp_path):
    parsed = parse_plan(plan(quick(12.0), quick(9.0), runs=3), tmp_path)
    spool = prepare(parsed, tmp_path, speed=False)

    class Cut(Exception):
        pass

    watcher = Silent()

    def ended(slot):
        if slot.position == 2:
            raise Cut

    watcher.slot_ended = ended
    with pytest.raises(Cut):
        record(parsed, spool, watcher)
    again = RecordingSpool.load(spool.directory)
    kept = [s.run for s in again.slots[:3]]
    assert [s.outcome for s in again.slots] == ["complete"] * 3 + ["planned"] * 3
    head = json.dumps({"vigilant_frames": 1, "columns": ["frame"]})
    again.stream_path(again.slots[3]).write_text(f"{head}\n[9.0]\n[9.")  # the recorder was killed during this one
    record(parsed, again, Silent())
    assert [s.run for s in again.slots[:3]] == kept
    assert [(s.attempt, s.outcome, s.frames) for s in again.slots[3:5]] == [(1, "broken", 1), (2, "complete", 300)]
    assert again.slots[3].detail == "the recorder was ended during this run"
    assert verdict(parsed, again).runs == (3, 3)


def test_subjects_are_named_and_only_known_ones_start(tmp_path):
    (tmp_path / "subjects.toml").write_text(f"[subjects]\nfestival = {json.dumps([sys.executable, '-c'])}\n")
    known = load_subjects(tmp_path / "subjects.toml")
    raw = plan(["x"], ["x"])
    raw["arm"] = [{"name": n, "subject": "festival", "arguments": ["pass"]} for n in ("a", "b")]
    assert with_subjects(parse_plan(raw, tmp_path), known).arms[0].command == (sys.executable, "-c", "pass")
    raw["arm"][1]["subject"] = "funfair"
    with pytest.raises(PlanError, match="'funfair' of arm 'b' is not known on this machine; known: festival"):
        with_subjects(parse_plan(raw, tmp_path), known)


def test_the_live_view_holds_peaks_and_joins_groups_without_losing_one(tmp_path):
    stream = tmp_path / "run.jsonl"
    frames = [10.0] * 30_000
    frames[12_345] = 400.0
    stream.write_text(json.dumps({"vigilant_frames": 1, "columns": ["frame"]}) + "\n" + "[10.0]\n" * 100 + "[10")
    live = LiveTrace(stream)
    live.follow()
    state = live.state()
    assert (state["frames"], state["newest"]) == (100, {"first": 0, "frame_ms": [10.0] * 100})
    assert live.state()["newest"] == {"first": 100, "frame_ms": []}
    rest = "".join(f"[{x}]\n" for x in frames[100:])
    stream.write_text(json.dumps({"vigilant_frames": 1, "columns": ["frame"]}) + "\n" + "[10.0]\n" * 100 + rest)
    live.follow()
    state = live.state()
    assert state["frames"] == 30_000
    assert state["peak_ms"] == max(high for _, _, high in state["trace"]) == 400.0
    assert len(state["trace"]) <= MOST_GROUPS
    assert state["newest"] == {"first": 29_000, "frame_ms": [10.0] * 1_000}
    assert state["window"] == {"s": 1.0, "frames": 100, "mean_ms": 10.0}


@pytest.mark.parametrize(
    ("before", "after", "p"),
    # Fisher's tea tasting (1935): 3 of 4 against 1 of 4 is 0.4857; the others by hand from the hypergeometric
    [((3, 4), (1, 4), 34 / 70), ((0, 8), (0, 8), 1.0), ((0, 8), (8, 8), 2 / 12870), ((0, 0), (3, 3), 1.0)],
)
def test_crash_rates_by_the_exact_test(before, after, p):
    assert fisher_p(before, after) == pytest.approx(p, rel=1e-12)


PLAYED = """
import json, os, signal, sys, time
over = []
signal.signal(signal.SIGTERM, lambda *_: over.append(1))
out = open(os.environ["VIGILANT_FRAMES"], "w", buffering=1)
print(json.dumps({"vigilant_frames": 1, "columns": ["frame"]}), file=out)
last, n = time.perf_counter(), 0
while not over:
    time.sleep(0.005)
    now = time.perf_counter(); print(json.dumps([1000 * (now - last)]), file=out); last = now; n += 1
if sys.argv[1] == "ends":
    print(json.dumps({"end": {"frames": n}}), file=out)
"""


@pytest.mark.parametrize("ending", ["ends", "just stops"])
def test_a_run_played_by_hand_gets_its_marks_and_its_end(ending, tmp_path):
    subject = [sys.executable, "-c", PLAYED, ending]
    seconds = []

    class Player(Silent):
        """Plays from the first frame on, however long the subject takes to it."""

        def slot_started(self, slot, total):
            seconds.clear()

        def slot_running(self, slot, passed):
            streams = list((tmp_path / "spool").glob(f"**/{slot.run}.jsonl"))
            if streams and streams[0].read_bytes().count(b"[") > 12:
                seconds.append(passed)

        def marks(self):
            return [("fireworks", 0.0)] if len(seconds) == 12 else []

        def control(self):
            return "end" if len(seconds) > 24 else "run"

    parsed, spool = run_plan(plan(subject, subject, runs=2, recording={"played": "by hand"}), tmp_path, Player())
    assert [s.outcome for s in spool.slots] == ["complete"] * 4
    for slot in spool.slots:
        series = spool.read(slot).series
        assert spool.read(slot).complete
        (mark,) = series.marks
        share = series.frame_ms[: mark.index].sum() / series.frame_ms.sum()
        assert mark.name == "fireworks"
        assert 0.15 < share < 0.75
    got = codes(verdict(parsed, spool))
    assert got["played-by-hand"].severity == "note"


def test_only_runs_played_by_hand_are_ended_so(tmp_path):
    watcher = Silent(["end"] * 50)
    _, spool = run_plan(plan(quick(9.0), quick(9.0), runs=1), tmp_path, watcher)
    assert [s.detail for s in spool.slots] == ["", ""]
    with pytest.raises(PlanError, match='played must be "by itself" or "by hand"'):
        parse_plan(plan(quick(9.0), quick(9.0), recording={"played": "somehow"}), tmp_path)


SWITCHING = """
import json, os, random
rng = random.Random(TURN)
out = open(os.environ["VIGILANT_FRAMES"], "w")
print(json.dumps({"vigilant_frames": 1, "columns": ["frame"]}), file=out)
print("[99.0]", file=out)
arms, n = json.loads(os.environ["VIGILANT_ARMS"]), 1
for turn in range(6):
    arm = arms[turn % 2]
    print(json.dumps({"arm": arm}), file=out)
    for i in range(200):
        level = {"as it was": 12.0, "with the table": 9.0}[arm]
        print(json.dumps([40.0 if i < 10 else level * rng.uniform(0.8, 1.2)]), file=out); n += 1
print(json.dumps({"end": {"frames": n}}), file=out)
""".replace("TURN", TURN)


def switching_plan(code, **recording):
    raw = plan([sys.executable, "-c", code], [sys.executable, "-c", code], runs=4)
    raw["recording"] |= {"switching": True, "discard_s": 0.4, **recording}
    raw["arm"][0]["name"], raw["arm"][1]["name"] = "as it was", "with the table"
    return raw


def test_a_subject_that_switches_arms_in_process(tmp_path):
    parsed, spool = run_plan(switching_plan(SWITCHING), tmp_path)
    assert [s.outcome for s in spool.slots] == ["complete"] * 8
    assert {s.frames for s in spool.slots} == {600}
    assert len(list((spool.directory / "runs").glob("*.whole.jsonl"))) == 4
    got = verdict(parsed, spool)
    assert got.verdict == "gain"
    assert got.figures["mean_ms"].before == pytest.approx(12.0, abs=0.1)  # what follows a switch is left out
    assert got.figures["mean_ms"].after == pytest.approx(9.0, abs=0.1)
    assert got.runs == (4, 4)


@pytest.mark.parametrize(
    ("change", "said"),
    [
        (('json.dumps({"arm": arm})', 'json.dumps({"arm": "third"})'), "announces arm 'third'"),
        (("arm = arms[turn % 2]", "arm = arms[0]"), "announced no frames of arm"),
        (('json.dumps({"end": {"frames": n}})', "''"), "the stream has no end"),
    ],
)
def test_a_switch_that_went_wrong_is_an_outcome(change, said, tmp_path):
    _, spool = run_plan(switching_plan(SWITCHING.replace(*change), retries=1), tmp_path)
    bad = [s for s in spool.slots if s.outcome != "complete"]
    assert bad
    assert said in bad[0].detail
    assert max(s.attempt for s in spool.slots) == 2


def test_arms_that_are_switched_are_started_one_way(tmp_path):
    raw = switching_plan(SWITCHING)
    raw["arm"][1]["env"] = {"TABLE": "1"}
    with pytest.raises(PlanError, match="started one way for all"):
        parse_plan(raw, tmp_path)


@pytest.mark.parametrize(
    ("after_ms", "ends"),
    # A third less is seen at the first look; the same level with the frames' noise of 0.2 % is called equal a little later.
    [(8.0, "gain"), (12.0, "no material change")],
)
def test_a_recording_ends_once_it_is_decided_and_its_looks_are_kept(after_ms, ends, tmp_path):
    judged = {"primaries": ["mean_ms"], "margins": {"mean_ms": 0.05}}
    raw = plan(quick(12.0), quick(after_ms), policy=judged, recording={"until_decided": True, "runs": 15})
    parsed, spool = run_plan(raw, tmp_path)
    assert spool.decided
    pairs = [look["pairs"] for look in spool.looks]
    assert pairs == list(range(4, pairs[-1] + 1))
    assert pairs[-1] < 15
    assert [look["verdict"] for look in spool.looks] == ["undecided"] * (len(pairs) - 1) + [ends]
    got = verdict(parsed, spool)
    assert (got.verdict, got.look, got.runs) == (ends, (pairs[-1], 15), (pairs[-1], pairs[-1]))
    assert got.alpha == spool.looks[-1]["level"] < 0.05
    recorded = [s.outcome for s in spool.slots]
    again = RecordingSpool.load(spool.directory)
    record(parsed, again, Silent())  # going on with one that is decided records nothing more
    assert [s.outcome for s in again.slots] == recorded


def test_until_decided_is_for_two_arms(tmp_path):
    raw = plan(quick(12.0), quick(9.0), recording={"until_decided": True, "runs": 15})
    raw["arm"].append({"name": "third", "command": quick(9.0)})
    with pytest.raises(PlanError, match="until_decided is for two arms"):
        parse_plan(raw, tmp_path)
