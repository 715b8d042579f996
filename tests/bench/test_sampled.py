"""What the recorder saw of a subject, laid along its frames."""

import json
import sys

import pytest

from bench.recording import plan, run_plan
from vigilant.bench.sampled import CORES, MEMORY, Sample, add_samples
from vigilant.formats import read_stream

SAMPLES = [Sample(101.0, 40.0, 0.5), Sample(102.0, 48.25, 1.5)]


def written(path, lines, **head):
    head = {"vigilant_frames": 1, "columns": ["frame"], "counters": ["boats"], "unit": "ms", **head}
    path.write_text("".join(json.dumps(line, ensure_ascii=False) + "\n" for line in (head, *lines)))
    return path


FRAMES = [[400.0, 7], {"mark": "größer", "play": True}, [400.0, "stale"], [400.0, 9], [1000.0, 9], [400.0, 9]]
MEMORY_MIB = [None, None, 40.0, 48.2, 48.2]
CORES_BUSY = [0.5, 0.5, 1.5, None, None]


@pytest.mark.parametrize(("began", "ended_s"), [({"began_ns": 100_000_000_000}, 999.0), ({}, 102.6)])
def test_frames_have_what_was_read_when_they_ended(began, ended_s, tmp_path):
    """Stated, or counted back from the end: the first frame began at 100 s."""
    stream = written(tmp_path / "run.jsonl", [*FRAMES, {"end": {"frames": 5, "ms": 2600.0}}], **began)
    add_samples(stream, SAMPLES, ended_s)
    run = read_stream(stream)
    none = [None if value != value else value for value in run.series.counters[MEMORY].tolist()]
    assert none == MEMORY_MIB
    assert [None if v != v else v for v in run.series.counters[CORES].tolist()] == CORES_BUSY
    assert (run.complete, run.series.marks[-1].name, run.series.marks[-1].index) == (True, "größer", 1)
    assert run.series.frame_ms.tolist() == [400.0, 400.0, 400.0, 1000.0, 400.0]
    assert run.series.counters["boats"][2:].tolist() == [9, 9, 9]
    assert sorted(file.name for file in tmp_path.iterdir()) == ["run.jsonl"]


def test_stamps_have_a_line_more_than_frames(tmp_path):
    stamps = [[100.0, 7], [100.4, 7], [101.4, 8]]
    stream = written(tmp_path / "run.jsonl", stamps, columns=["at"], unit="s")
    add_samples(stream, SAMPLES, 101.4)
    run = read_stream(stream)
    assert not run.complete
    assert run.series.counters[CORES].tolist() == [0.5, 1.5]


@pytest.mark.parametrize(
    ("lines", "head"),
    [
        (FRAMES, {"counters": [MEMORY]}),
        (FRAMES, {"counters": [f"c{i}" for i in range(63)]}),
        ([], {}),
        ([["?"]], {}),
    ],
    ids=["says it itself", "no room", "no frame", "unreadable"],
)
def test_what_cannot_take_them_is_left_as_it_is(lines, head, tmp_path):
    stream = written(tmp_path / "run.jsonl", lines, **head)
    before = stream.read_bytes()
    add_samples(stream, SAMPLES, 102.6)
    add_samples(written(tmp_path / "other.jsonl", FRAMES), [], 102.6)
    assert stream.read_bytes() == before
    assert MEMORY not in (tmp_path / "other.jsonl").read_text()


def test_a_recorded_subject_has_its_memory_and_its_cores_beside_its_frames(tmp_path):
    code = """
import json, os, time
held = b"x" * 80 * 2**20
with open(os.environ["VIGILANT_FRAMES"], "w") as out:
    print(json.dumps({"vigilant_frames": 1, "columns": ["frame"]}), file=out)
    began = last = time.monotonic()
    while last - began < 2.6:
        time.sleep(0.005)
        now = time.monotonic()
        print(json.dumps([1000 * (now - last)]), file=out)
        last = now
    print(json.dumps({"end": {}}), file=out)
"""
    subject = [sys.executable, "-c", code]
    _, spool = run_plan(plan(subject, subject, runs=1, recording={"blank": True}), tmp_path)
    for slot in spool.slots:
        series = spool.read(slot).series
        memory, cores = series.counters[MEMORY], series.counters[CORES]
        assert memory[memory == memory].size > 50
        assert 80 < memory[-1] < 400
        assert 0 <= cores[0] < 2
        assert (slot.outcome, series.frame_ms.size) == ("complete", slot.frames)
