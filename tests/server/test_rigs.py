"""The rigs of a book: their recorders, whether each takes as long as before, and what waits for them."""

import uuid

import pytest

from server.delivering import recording
from vigilant.server.scenarios.models import Rig, RigTiming

pytestmark = pytest.mark.django_db
RIGS = "/api/books/river/rigs/"
PLAN = {
    "scenario": {"name": "River course", "duration_s": 5},
    "arm": [{"name": "old", "subject": "festival"}, {"name": "new", "subject": "festival"}],
    "entry": {"title": "Sparks from a table"},
}


def record(recorder, alias, ms, load="boats 1", day=1):
    """A recording that was begun on a day of May, and timed the load first."""
    rig = {"alias": alias, "facts": {"cores": "8"}, "speed": {"load": load, "ms": ms, "log_error": 0.004}}
    made = recording(["before", "after"], rig=rig, created=f"2026-05-{day:02d}T18:30:00Z", id=str(uuid.uuid4()))
    answer = recorder.post("/api/recordings/", made)
    assert answer.status_code == 201, answer.json()


def rigs(client):
    return {rig["alias"]: rig for rig in client.get(RIGS).json()}


def test_a_rig_that_slowed_down_is_said_to_have(recorder, editor):
    for day, ms in enumerate([4.0, 4.02, 3.98, 4.01, 3.99], 1):
        record(recorder, "thin laptop", ms, day=day)
    early = rigs(editor)["thin laptop"]
    assert early["drift"] is None
    assert early["said"] == "timed 5 times, too few to say more"
    # Delivered out of their order: what counts is when they were recorded.
    for day, ms in ((8, 4.38), (6, 4.4), (7, 4.42)):
        record(recorder, "thin laptop", ms, day=day)
    late = rigs(editor)["thin laptop"]
    assert [t["ms"] for t in late["timings"]] == [4.0, 4.02, 3.98, 4.01, 3.99, 4.4, 4.42, 4.38]
    assert late["drift"]["state"] == "slower"
    assert late["said"].startswith("slower: the calibration load takes 1.10 times as long as before (1.0")
    # Another load is another work.
    record(recorder, "thin laptop", 9.0, load="boats 2", day=9)
    assert rigs(editor)["thin laptop"]["said"] == "timed 1 time, too few to say more"


def test_a_rig_says_who_stands_by_there_and_what_waits_for_it(recorder, editor):
    body = {"name": "workbench", "subjects": ["festival"], "facts": {"cores": "4"}, "version": "0.1.0"}
    recorder.post("/api/standby/", body)
    recorder.post("/api/standby/", {"name": "handheld", "subjects": [], "facts": {}})  # one that says no version
    asked = editor.post("/api/books/river/recordings/", {"plan": PLAN, "asked_of": "workbench"})
    assert asked.status_code == 201, asked.json()
    found = rigs(editor)
    bench = found["workbench"]
    assert (bench["there"], bench["facts"], bench["recording"]) == (True, {"cores": "4"}, None)
    assert (bench["standby"]["version"], bench["standby"]["subjects"]) == ("0.1.0", ["festival"])
    assert [w["title"] for w in bench["waiting"]] == ["Sparks from a table"]
    assert (found["handheld"]["standby"]["version"], found["handheld"]["waiting"]) == ("", [])
    assert bench["said"] == "never timed"


def test_a_recording_that_is_sent_again_times_its_rig_once(recorder):
    made = recording(
        ["before", "after"],
        rig={"alias": "rack", "facts": {}, "speed": {"load": "boats 1", "ms": 4.0, "log_error": 0.01}},
    )
    assert [recorder.post("/api/recordings/", made).status_code for _ in range(2)] == [201, 200]
    assert RigTiming.objects.count() == 1
    assert Rig.objects.get(alias="rack").speed["ms"] == 4.0
