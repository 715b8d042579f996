"""Changes untangled: planned in combinations, finished with an account whose credits add up."""

import pytest

from server.delivering import deliver, recording
from vigilant.server.entries.models import Entry
from vigilant.server.runs.codec import decode, encode
from vigilant.server.runs.models import FrameChunk, Recording, RunFigures

pytestmark = pytest.mark.django_db

PLAN = {
    "scenario": {"name": "River course", "target_fps": 60, "duration_s": 5},
    "arm": [{"name": "none", "subject": "festival"}],
    "switch": [{"name": "cells", "on": ["--cells"]}, {"name": "half", "on": ["--half"]}],
    "recording": {"runs": 4, "switches": "in combinations"},
    "entry": {"title": "Which of them?"},
}
#: Half the picture brings nothing any more once the river is quick.
LEVELS = {"before": 12.0, "after": 9.0, "after 2": 11.0, "after 3": 9.0}
ORDER = ["before", "after", "after 2", "after 3", "after 3", "after", "before", "after 2"] * 2


@pytest.fixture
def recorded(editor, recorder, book):
    planned = editor.post(f"/api/books/{book.slug}/recordings/", {"plan": PLAN})
    assert planned.status_code == 201, planned.json()
    taken = recorder.get("/api/recordings/planned/", {"recording": planned.json()["id"]}).json()
    assert [arm["on"] for arm in taken["plan"]["arm"]] == [[], ["cells"], ["half"], ["cells", "half"]]
    sent = recording(ORDER, id=taken["id"], plan=taken["plan"])
    deliver(recorder, sent, LEVELS)
    return sent


def account(client, recording_id):
    return client.get(f"/api/recordings/{recording_id}/untangled/")


def test_credits_add_up_and_what_they_do_together_is_told(recorded, recorder, editor, book):
    done = recorder.post(f"/api/recordings/{recorded['id']}/complete/", {})
    assert done.json() == {"path": f"/{book.slug}/untangled/{recorded['id']}"}
    assert not Entry.objects.exists()
    found = account(editor, recorded["id"]).json()
    assert (found["recording"]["account"], found["changes"]) == ("untangled", ["cells", "half"])
    mean = found["figures"][0]
    cells, half = mean["credits"]  # the one that brought most first
    assert (cells["name"], cells["ms"], half["ms"]) == ("cells", pytest.approx(-2.5, abs=0.15), pytest.approx(-0.5, abs=0.15))  # fmt: skip
    assert (cells["shown"], cells["words"]["column"]) == (True, "saved")
    (pair,) = mean["interactions"]
    assert (pair["name"], pair["shown"], pair["said"]) == ("cells with half", True, "together they save less than alone")  # fmt: skip
    assert pair["low_ms"] < 1.0 < pair["high_ms"]
    assert mean["sentence"].startswith("Most of the change of the mean frame is cells: 2.")
    assert mean["gap"] == ""
    assert [c["name"] for c in mean["configurations"]] == ["none", "cells", "half", "cells + half"] or [c["name"] for c in mean["configurations"]][1:] == ["cells", "half", "cells + half"]  # fmt: skip
    assert editor.get(f"/api/recordings/{recorded['id']}/switched/").json()["code"] == "no-account"


def test_a_configuration_that_is_missing_or_held_leaves_no_account(recorded, editor):
    slots = Recording.objects.get().slots
    gone = [str(slot.run_id) for slot in slots.filter(arm="after 2")]
    editor.post("/api/books/river/runs/aside/", {"runs": gone, "aside": True, "why": "The wrong build."})
    refused = account(editor, recorded["id"])
    assert (refused.status_code, refused.json()["code"], "half" in refused.json()["detail"]) == (422, "configuration-missing", True)  # fmt: skip
    editor.post("/api/books/river/runs/aside/", {"runs": gone, "aside": False, "why": "It was the right one."})
    for slot in slots.filter(arm="after 3"):
        RunFigures.objects.filter(run=slot.run).update(values={**slot.run.figures.values, "cap_ms": 16.67})
    assert account(editor, recorded["id"]).json()["code"] == "configuration-held"


def test_witnesses_that_differ_refuse_but_for_a_change_that_claims_less_work(recorded, recorder, editor, book):
    """The stream's draws are the same in every run: they are made to differ in the store."""
    made = Recording.objects.get()
    version = made.scenario_version
    version.definition = {**version.definition, "policy": {"witnesses": ["draws"]}}
    version.save()
    assert account(editor, recorded["id"]).status_code == 200
    for slot in made.slots.filter(arm="after"):
        chunk = FrameChunk.objects.get(run=slot.run, column="counter:draws")
        fewer = encode(0.9 * decode(chunk.codec, chunk.checksum, bytes(chunk.body)))
        chunk.codec, chunk.checksum, chunk.body = fewer.codec, fewer.checksum, fewer.body
        chunk.save()
    refused = account(editor, recorded["id"]).json()
    assert (refused["code"], "draws is -10.0 % with cells" in refused["detail"]) == ("work-unlike", True)
    made.plan = {**made.plan, "recording": {**made.plan["recording"], "less_work": ["cells"]}}
    made.save()
    assert account(editor, recorded["id"]).status_code == 200


def test_what_has_no_account_says_so(recorder, editor):
    plain = recording()
    recorder.post("/api/recordings/", plain)
    assert account(editor, plain["id"]).json()["code"] == "no-account"


MIXED = {
    **PLAN,
    "switch": [{"name": "boats", "on": ["--boats"]}, {"name": "sparks", "on": ["--sparks"]}],
    "recording": {"runs": 4, "switches": "alone and together"},
}


def test_loads_alone_and_together(editor, recorder, book):
    planned = editor.post(f"/api/books/{book.slug}/recordings/", {"plan": MIXED})
    assert planned.status_code == 201, planned.json()
    taken = recorder.get("/api/recordings/planned/", {"recording": planned.json()["id"]}).json()
    sent = recording(ORDER, id=taken["id"], plan=taken["plan"])
    deliver(recorder, sent, {"before": 4.0, "after": 9.0, "after 2": 7.0, "after 3": 14.0})
    done = recorder.post(f"/api/recordings/{sent['id']}/complete/", {})
    assert done.json() == {"path": f"/{book.slug}/mixture/{sent['id']}"}
    assert not Entry.objects.exists()
    found = editor.get(f"/api/recordings/{sent['id']}/mixture/").json()
    assert found["parts"] == ["boats", "sparks"]
    mean = found["figures"][0]
    assert mean["call"] == "more than the sum"
    assert mean["sum_ms"] == pytest.approx(12.06, abs=0.2)
    assert mean["together_ms"] == pytest.approx(14.06, abs=0.2)
    assert mean["low_ms"] < 2.0 < mean["high_ms"]
    assert [round(part["net_ms"]) for part in mean["parts"]] == [5, 3]
    assert mean["sentence"].startswith("Boats and sparks take ")
    assert mean["sentence"].endswith("they get in each other's way.")
    assert account(editor, sent["id"]).json()["code"] == "no-account"
    gone = [str(slot.run_id) for slot in Recording.objects.get().slots.filter(arm="before")]
    editor.post("/api/books/river/runs/aside/", {"runs": gone, "aside": True, "why": "Boats were there."})
    refused = editor.get(f"/api/recordings/{sent['id']}/mixture/").json()
    assert refused["code"] == "configuration-missing"
    assert "nothing adds up" in refused["detail"]
