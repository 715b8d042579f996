"""Matrices: planned over window sizes, tiers and rigs, recorded a cell at a time, read as one sheet."""

from types import SimpleNamespace

import pytest

from server.delivering import deliver, recording
from vigilant.server.entries.comparing import compare_delivered
from vigilant.server.entries.models import Comparison, Entry
from vigilant.server.runs.models import Recording
from vigilant.server.vary.models import Matrix

pytestmark = pytest.mark.django_db

PLAN = {
    "scenario": {"name": "River course", "target_fps": 60, "duration_s": 5},
    "arm": [{"name": "old", "subject": "festival"}, {"name": "new", "subject": "festival", "arguments": ["--new"]}],
    "entry": {"title": "Does the glow hold everywhere?"},
}
BODY = {
    "plan": PLAN,
    "windows": {"values": ["1280x720", "1920x1080"], "arguments": ["--window", "{value}"]},
    "tiers": {"values": ["low", "high"], "arguments": ["--tier={value}"]},
}
#: By window and tier: what the change does, ms of 12.
CHANGES = {
    ("1280x720", "low"): -0.6,
    ("1280x720", "high"): -0.5,
    ("1920x1080", "low"): -0.7,
    ("1920x1080", "high"): 0.6,
}


def planned(editor, **changes):
    return editor.post("/api/books/river/matrices/", {**BODY, **changes})


def sheet(client, key):
    return client.get(f"/api/recordings/{key}/matrix/")


@pytest.fixture
def keys(editor, book):
    answer = planned(editor)
    assert answer.status_code == 201, answer.json()
    return answer.json()["recordings"]


def record(recorder, key, before=12.0, after=11.4):
    taken = recorder.get("/api/recordings/planned/", {"recording": key}).json()
    sent = recording(id=key, plan=taken["plan"])
    deliver(recorder, sent, {"before": before, "after": after})
    done = recorder.post(f"/api/recordings/{key}/complete/", {})
    assert done.json() == {"path": f"/river/matrix/{key}"}


def test_a_recording_is_planned_for_every_cell(editor, keys, recorder):
    assert len(keys) == 4
    plan = recorder.get("/api/recordings/planned/", {"recording": keys[3]}).json()["plan"]
    assert plan["cell"] == {"window": "1920x1080", "tier": "high"}
    assert [arm["arguments"] for arm in plan["arm"]] == [
        ["--window", "1920x1080", "--tier=high"], ["--new", "--window", "1920x1080", "--tier=high"]]  # fmt: skip
    assert plan["conditions"] == {"window": "1920x1080", "tier": "high"}
    assert [r["account"] for r in editor.get("/api/books/river/recordings/").json()["results"]] == ["matrix"] * 4
    found = sheet(editor, keys[0]).json()
    assert (found["title"], found["windows"], found["tiers"], found["rigs"]) == (
        "Does the glow hold everywhere?", ["1280x720", "1920x1080"], ["low", "high"], [""])  # fmt: skip
    mean = found["figures"][0]
    assert {cell["why"] for cell in mean["cells"]} == {"not recorded yet"}
    assert mean["sentence"] == "Under two cells can be tested: nothing is said of them together."


def test_cells_are_read_as_one_sheet_and_fill_no_entry(editor, recorder, keys):
    for key, change in zip(keys, CHANGES.values(), strict=True):
        record(recorder, key, after=12.0 + change)
    assert not Entry.objects.exists()
    assert Comparison.objects.count() == 4
    # Any cell leads to the same sheet.
    assert sheet(editor, keys[0]).json()["figures"] == sheet(editor, keys[3]).json()["figures"]
    mean = sheet(editor, keys[2]).json()["figures"][0]
    by = {(cell["window"], cell["tier"]): cell for cell in mean["cells"]}
    for place, change in CHANGES.items():
        assert by[place]["share"] == pytest.approx(change / 12, abs=0.02)
        assert by[place]["low"] < by[place]["share"] < by[place]["high"]
    worst = by["1920x1080", "high"]
    assert (worst["called"], worst["tied"], by["1280x720", "low"]["tied"]) == (True, True, False)
    assert mean["sentence"] == "It gains in 1280x720, low; 1280x720, high; 1920x1080, low and loses in 1920x1080, high."
    assert mean["worst"].startswith("The worst change anywhere lies from +")
    assert "The dearest is 1920x1080, high" in mean["worst"]
    assert any("do not say one thing" in note for note in mean["notes"])
    assert editor.get(f"/api/recordings/{keys[0]}/ramp/").json()["code"] == "no-account"


def test_a_cell_is_compared_once_however_often_its_job_is_done(editor, recorder, keys):
    record(recorder, keys[0])
    work = SimpleNamespace(at=lambda *said: None)
    assert compare_delivered(keys[0], work).pk == Recording.objects.get(pk=keys[0]).pk
    assert Comparison.objects.filter(recording=keys[0]).count() == 1


def test_cells_that_are_missing_or_void_are_named_and_enter_nothing(editor, recorder, keys):
    for key in keys[:2]:
        record(recorder, key)
    made = Comparison.objects.get(recording=keys[1])
    made.result = {**made.result, "verdict": "void", "reasons": ["conditions-differ"]}
    made.save()
    editor.post(f"/api/recordings/{keys[2]}/control/", {"control": "stop"})
    mean = sheet(editor, keys[0]).json()["figures"][0]
    assert [cell["why"] for cell in mean["cells"]] == [
        "", "void: conditions-differ", "not recorded: called off before it began", "not recorded yet"]  # fmt: skip
    assert mean["notes"] == ["3 of 4 cells are missing, void or held, and enter nothing that is said of all."]


@pytest.mark.parametrize(("change", "said"), [
    ({"windows": {"values": ["a"]}}, "must hold {value}"), ({"windows": {"values": ["a", "a"], "arguments": ["{value}"]}}, "named twice"),
    ({"rigs": ["thin laptop", "thin laptop"]}, "named twice"), ({"windows": {}, "tiers": {}}, "make 1 cells"),
    ({"windows": {"values": list(map(str, range(16))), "arguments": ["{value}"]}, "tiers": {"values": list("abcd"), "arguments": ["{value}"]}}, "make 64 cells"),
    ({"rigs": ["nobody"]}, "No recorder named nobody"),
    ({"plan": {**PLAN, "arm": PLAN["arm"][:1]}}, "needs two"),
    ({"plan": {**PLAN, "arm": [*PLAN["arm"], {"name": "third", "subject": "festival", "arguments": ["--third"]}]}}, "has two arms"),
])  # fmt: skip
def test_what_is_no_matrix_is_refused_and_nothing_is_planned(editor, book, change, said):
    refused = planned(editor, **change)
    assert refused.status_code == 422
    assert said in refused.json()["detail"]
    assert not Recording.objects.exists()
    assert not Matrix.objects.exists()


def test_a_cell_is_planned_again_and_its_sheet_keeps_its_address(editor, recorder, keys, people):
    small = {"window": "1280x720", "tier": "low"}
    assert editor.post(f"/api/recordings/{keys[0]}/matrix/", small).json()["code"] == "cell-open"
    record(recorder, keys[0])
    again = editor.post(f"/api/recordings/{keys[0]}/matrix/", small)
    assert again.status_code == 201, again.json()
    (new,) = again.json()["recordings"]
    plan = recorder.get("/api/recordings/planned/", {"recording": new}).json()["plan"]
    assert plan["cell"] == {"window": "1280x720", "tier": "low"}
    assert [arm["arguments"] for arm in plan["arm"]] == [
        ["--window", "1280x720", "--tier=low"],
        ["--new", "--window", "1280x720", "--tier=low"],
    ]
    for key in (keys[0], keys[1], new):  # the sheet is read by any of them, the one before too
        cells = sheet(editor, key).json()["figures"][0]["cells"]
        assert [cell["recording"] for cell in cells] == [new, *keys[1:]]
    assert Recording.objects.filter(pk=keys[0]).exists()
    assert editor.post(f"/api/recordings/{new}/matrix/", {"window": "640x480"}).json()["code"] == "cell-missing"
    assert recorder.post(f"/api/recordings/{new}/matrix/", small).status_code == 403
    Recording.objects.filter(pk=new).delete()
    assert editor.post(f"/api/recordings/{keys[1]}/matrix/", small).json()["code"] == "cell-gone"
