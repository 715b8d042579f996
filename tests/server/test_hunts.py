"""A hunt as it is delivered: its builds come as they are chosen, and its account says where the step may lie."""

import csv
import io
import math

import pytest

from server.delivering import deliver, recording
from vigilant.core.trend import hunted
from vigilant.server.entries.models import Entry
from vigilant.server.runs.models import Recording, RunFigures

pytestmark = pytest.mark.django_db

BUILDS = [f"c{i}" for i in range(8)]
#: The places of the arms: both ends, then as they were chosen.
CHOSEN = [0, 7, 4, 2, 3]


def plan(chosen):
    return {
        "scenario": {"name": "River course", "target_fps": 60, "duration_s": 5},
        "arm": [{"name": BUILDS[p], "command": ["x"], "value": float(p)} for p in chosen],
        "hunt": {"builds": BUILDS, "command": ["make", "{build}"], "build_spread_pct": 0.2},
        "entry": {"title": "Which commit did it?"},
    }


def labels(count):
    return ["before", "after", *(f"after {i}" for i in range(2, count))]


def sent(chosen, runs=3):
    """Three runs of both ends, one of each further build."""
    order = ["before", "after"] * runs + labels(len(chosen))[2:]
    return recording(order, plan=plan(chosen))


@pytest.fixture
def delivered(recorder):
    """A step of 8 % at c3, found by five builds."""
    made = sent(CHOSEN)
    levels = {label: 12.0 * (1.08 if place >= 3 else 1.0) for label, place in zip(labels(5), CHOSEN, strict=True)}
    deliver(recorder, made, levels, seed=3)
    return made


def test_a_hunts_account_says_where_the_step_may_lie(editor, recorder, book, delivered):
    done = recorder.post(f"/api/recordings/{delivered['id']}/complete/", {})
    assert done.json() == {"path": f"/{book.slug}/hunt/{delivered['id']}"}
    assert not Entry.objects.exists()
    (found,) = editor.get(f"/api/recordings/{delivered['id']}/hunt/").json()["figures"]
    assert found["builds"] == BUILDS
    assert [one["build"] for one in found["recorded"]] == ["c0", "c2", "c3", "c4", "c7"]
    assert [len(one["runs"]) for one in found["recorded"]] == [3, 1, 1, 1, 3]
    assert found["sentence"].startswith("It begins with c3 (+")
    assert (found["first"], found["last"], found["next"]) == (3, 3, None)
    assert sum(found["chances"]) == pytest.approx(1.0)
    assert max(range(8), key=found["chances"].__getitem__) == 3
    assert [one["after"] > 0.5 for one in found["recorded"]] == [False, False, True, True, True]
    # The same as the core says of the same run values.
    values: dict[int, list[float]] = {}
    for slot in Recording.objects.get().slots.all():
        level = RunFigures.objects.get(run=slot.run).values["mean_ms"]
        values.setdefault(CHOSEN[labels(5).index(slot.arm)], []).append(math.log(level))
    assert found["chances"][1:] == pytest.approx(list(hunted(8, values, 0.002).posterior))


def test_builds_come_to_a_hunt_as_they_are_chosen_and_nothing_else_changes(editor, recorder, book):
    begun = sent([0, 7])
    assert recorder.post("/api/recordings/", begun).status_code == 201
    deliver(recorder, begun, {"before": 12.0, "after": 12.96}, seed=4)
    (found,) = editor.get(f"/api/recordings/{begun['id']}/hunt/").json()["figures"]
    assert found["next"] in BUILDS[1:7]
    more = sent([0, 7, 4])
    grown = {**begun, "plan": plan([0, 7, 4]), "slots": [*begun["slots"], {**more["slots"][-1], "position": 6}]}
    assert recorder.post("/api/recordings/", grown).status_code == 200
    assert len(Recording.objects.get().plan["arm"]) == 3
    for changed in ({"hunt": {**plan([0])["hunt"], "builds": [*BUILDS[:7], "d"]}}, {"scenario": {"name": "Lake"}}):
        other = {**grown, "plan": {**plan([0, 7, 4, 2]), **changed}}
        assert recorder.post("/api/recordings/", other).json()["code"] == "plan-changed"


def test_a_build_without_a_complete_run_is_left_out_and_said(editor, recorder, book):
    made = sent([0, 7, 4])
    made["slots"][-1]["outcome"] = "crashed"
    deliver(recorder, made, {"before": 12.0, "after": 12.96, "after 2": 12.96}, seed=5)
    (found,) = editor.get(f"/api/recordings/{made['id']}/hunt/").json()["figures"]
    assert found["notes"] == ["Could not be recorded, and left out: c4."]
    assert "c4" not in [one["build"] for one in found["recorded"]]


def test_a_hunts_statement_and_what_is_none(editor, recorder, book, delivered):
    recorder.post(f"/api/recordings/{delivered['id']}/complete/", {})
    address = f"/api/books/{book.slug}/statement/"
    page = editor.get(address, {"account": delivered["id"], "as": "html"}).content.decode()
    assert "A hunt for the build that did it" in page
    assert "It begins with c3" in page
    text = editor.get(address, {"account": delivered["id"], "as": "csv"}).content.decode()
    rows = [row for row in csv.DictReader(io.StringIO(text)) if row["column"] == "build"]
    assert [row["value"] for row in rows] == ["c0", "c2", "c3", "c4", "c7"]
    assert editor.get(f"/api/recordings/{delivered['id']}/ramp/").json()["code"] == "no-account"
    other = recording()
    deliver(recorder, other, {"before": 12.0, "after": 12.0})
    assert editor.get(f"/api/recordings/{other['id']}/hunt/").json()["code"] == "no-account"
