"""The rigs of a book: their recorders, whether each takes as long as before, and what waits for them."""

import uuid
from datetime import timedelta

import pytest
from django.utils import timezone
from rest_framework.test import APIClient

from server.delivering import recording
from vigilant.server.bench.models import ReservedTime
from vigilant.server.books.models import LogLine
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


# -- reserved times


def hours(n):
    return (timezone.now() + timedelta(hours=n)).isoformat()


def reserve(client, rig="workbench", begins=-1, ends=1, **more):
    return client.post(f"{RIGS}reserved/", {"rig": rig, "begins_at": hours(begins), "ends_at": hours(ends), **more})


def plan(client, seconds=5):
    asked = {**PLAN, "scenario": {**PLAN["scenario"], "duration_s": seconds}}
    answer = client.post("/api/books/river/recordings/", {"plan": asked, "asked_of": "workbench"})
    assert answer.status_code == 201, answer.json()
    return answer.json()["id"]


@pytest.fixture
def standing_by(recorder):
    """What the recorder of the workbench is given."""

    def given():
        answer = recorder.post("/api/standby/", {"name": "workbench", "subjects": ["festival"], "facts": {}})
        return (answer.json()["recording"] or {}).get("id")

    assert given() is None
    return given


def test_a_reserved_rig_records_for_its_keeper_alone(editor, owner, standing_by):
    theirs = plan(owner)
    assert standing_by() == theirs
    kept = reserve(editor, why="the festival, before the fair")
    assert kept.status_code == 201, kept.json()
    assert standing_by() is None
    mine = plan(editor)
    assert standing_by() == mine
    rig = rigs(owner)["workbench"]
    assert [(w["id"], w["held_by"] and w["held_by"]["by"]) for w in rig["waiting"]] == [
        (theirs, "editor"),
        (mine, None),
    ]
    assert [(one["why"], one["mine"]) for one in rig["reserved"]] == [("the festival, before the fair", False)]
    assert rigs(editor)["workbench"]["reserved"][0]["mine"]
    waits = owner.get(f"/api/recordings/{theirs}/").json()["held_by"]
    assert (waits["by"], waits["ends_at"]) == ("editor", rig["reserved"][0]["ends_at"])
    assert owner.get(f"/api/recordings/{mine}/").json()["held_by"] is None
    # Once it is given back the oldest comes first again.
    assert editor.delete(f"{RIGS}reserved/{kept.json()['id']}/").status_code == 204
    assert standing_by() == theirs
    assert [line.what for line in LogLine.objects.filter(what__startswith="rig ").order_by("-id")] == [
        "rig given back",
        "rig reserved",
    ]


@pytest.mark.parametrize(("begins", "seconds", "held"), [(0.5, 5, False), (0.5, 300, True), (0.1, 5, False), (-2, 5, True)])  # fmt: skip
def test_what_would_reach_into_a_reserved_time_waits(editor, owner, standing_by, begins, seconds, held):
    """Ten runs of so many seconds: fifty minutes at three hundred."""
    asked = plan(owner, seconds)
    assert reserve(editor, begins=begins, ends=begins + 3).status_code == 201
    assert (standing_by() is None) is held
    assert (rigs(owner)["workbench"]["waiting"][0]["held_by"] is not None) is held
    assert asked


def test_a_time_that_is_over_holds_nothing_back(editor, owner, standing_by):
    asked = plan(owner)
    assert reserve(editor).status_code == 201
    ReservedTime.objects.update(
        begins_at=timezone.now() - timedelta(hours=2), ends_at=timezone.now() - timedelta(seconds=1)
    )
    assert standing_by() == asked
    assert rigs(editor)["workbench"]["reserved"] == []


@pytest.mark.parametrize(("asked", "code"), [
    ({"begins": 2, "ends": 1}, "time-backwards"), ({"begins": -3, "ends": -2}, "time-over"), ({"begins": 0, "ends": 15 * 24}, "time-long"),
    ({"begins": 401 * 24, "ends": 401 * 24 + 1}, "time-far"), ({"rig": "no such rig"}, "rig-unknown"),
    ({"begins": 0.5, "ends": 3}, "time-taken"), ({"begins": -0.5, "ends": 0.5}, "time-taken"),
])  # fmt: skip
def test_a_time_that_cannot_be_is_refused(editor, owner, standing_by, asked, code):
    assert reserve(owner).status_code == 201
    assert reserve(editor, **asked).json()["code"] == code
    assert reserve(editor, begins=1.01, ends=2).status_code == 201  # right after the other


def test_who_may_reserve_and_give_back(editor, owner, people, recorder, standing_by):
    reader = APIClient()
    reader.force_login(people["reader"])
    assert reserve(reader).status_code == 403
    assert reserve(recorder).status_code == 403
    first, second = (reserve(who, begins=at, ends=at + 1).json()["id"] for who, at in ((owner, 0), (editor, 2)))
    assert editor.delete(f"{RIGS}reserved/{first}/").status_code == 403
    assert owner.delete(f"{RIGS}reserved/{second}/").status_code == 204  # anybody's
    assert editor.delete(f"{RIGS}reserved/{second}/").status_code == 404
