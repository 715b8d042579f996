"""Features switched off one at a time: planned without an entry, handed out by its id, finished with an account."""

import pytest

from server.delivering import deliver, recording
from vigilant.server.entries.models import Entry
from vigilant.server.jobs.models import Job
from vigilant.server.runs.models import Recording, RunFigures

pytestmark = pytest.mark.django_db

PLAN = {
    "scenario": {"name": "River course", "target_fps": 60, "duration_s": 5},
    "arm": [{"name": "all", "subject": "festival"}, {"name": "bare", "subject": "festival", "arguments": ["--bare"], "empty": True}],
    "switch": [{"name": "boats", "off": ["--without", "boats"], "cure": ["--few"]}, {"name": "ripples", "off": ["--calm"]}],
    "recording": {"runs": 4},
    "entry": {"title": "What is worth what?"},
}  # fmt: skip
LEVELS = {"before": 12.0, "after": 8.0, "after 2": 10.0, "after 3": 11.0, "empty": 3.0}
ORDER = ["before", "after", "after 2", "after 3", "empty", "after 3", "before", "empty", "after", "after 2"] * 2


@pytest.fixture
def planned(editor, book):
    answer = editor.post(f"/api/books/{book.slug}/recordings/", {"plan": PLAN})
    assert answer.status_code == 201, answer.json()
    return answer.json()


@pytest.fixture
def recorded(planned, recorder):
    plan = recorder.get("/api/recordings/planned/", {"recording": planned["id"]}).json()["plan"]
    sent = recording(ORDER, id=planned["id"], plan=plan)
    deliver(recorder, sent, LEVELS)
    return sent


def account(client, recording_id):
    return client.get(f"/api/recordings/{recording_id}/switched/")


def test_a_plan_of_switches_opens_no_entry(planned, recorder, editor, book):
    assert (planned["account"], planned["entry"], planned["title"]) == ("switched", None, "What is worth what?")
    assert not Entry.objects.exists()
    taken = recorder.get("/api/recordings/planned/", {"recording": planned["id"]}).json()
    assert [arm["name"] for arm in taken["plan"]["arm"]] == ["all", "boats off", "boats cured", "ripples off", "bare"]
    filled = editor.post(f"/api/books/{book.slug}/recordings/", {"plan": {**PLAN, "entry": {"number": 1}}})
    assert (filled.status_code, filled.json()["code"]) == (422, "no-entry")
    # A second one may wait beside it: no entry is taken.
    assert editor.post(f"/api/books/{book.slug}/recordings/", {"plan": PLAN}).status_code == 201


@pytest.mark.parametrize(("asked", "status", "code"), [
    ("nothing", 422, "recording-unreadable"),
    ("00000000-0000-0000-0000-000000000001", 409, "nothing-planned"),
    ("", 422, "recording-unreadable"),
])  # fmt: skip
def test_a_recording_that_is_not_planned_is_not_handed_out(recorder, asked, status, code):
    answer = recorder.get("/api/recordings/planned/", {"recording": asked})
    assert (answer.status_code, answer.json()["code"]) == (status, code)


def test_it_is_finished_with_an_account_and_no_entry(recorded, recorder, editor, book):
    done = recorder.post(f"/api/recordings/{recorded['id']}/complete/", {})
    assert done.json() == {"path": f"/{book.slug}/switched/{recorded['id']}"}
    again = recorder.post(f"/api/recordings/{recorded['id']}/complete/", {})
    assert (again.status_code, again.json()) == (200, done.json())
    assert Job.objects.filter(subject=recorded["id"]).count() == 1
    assert Recording.objects.get().state == "finished"
    assert not Entry.objects.exists()
    found = account(editor, recorded["id"]).json()
    mean, slow = found["figures"]
    assert (mean["figure"], slow["figure"]) == ("mean_ms", "slowest_1pct_ms")
    assert [(row["rank"], row["name"], row["shown"]) for row in mean["switches"]] == [(1, "boats", True), (2, "ripples", True)]  # fmt: skip
    boats = mean["switches"][0]
    assert boats["low_ms"] < 4.0 < boats["high_ms"]
    assert boats["words"]["column"] == "saved"
    (cure,) = mean["cures"]
    assert (cure["name"], cure["of"], cure["saved_ms"]) == ("boats cured", "boats", pytest.approx(2.0, abs=0.2))
    assert cure["price"].endswith("more than with boats off.")
    assert "go only when several are off" in mean["gap"]
    assert {arm["name"]: len(arm["runs"]) for arm in found["arms"]} == {"all": 4, "boats off": 4, "boats cured": 4, "ripples off": 4, "bare": 4}  # fmt: skip


def test_runs_that_may_not_count_stand_in_no_row(recorded, recorder, editor):
    slots = Recording.objects.get().slots
    for slot in slots.filter(arm="after 3"):
        RunFigures.objects.filter(run=slot.run).update(values={**slot.run.figures.values, "cap_ms": 16.67})
    gone = str(slots.filter(arm="after").first().run_id)
    editor.post("/api/books/river/runs/aside/", {"runs": [gone], "aside": True, "why": "A window opened."})
    found = account(editor, recorded["id"]).json()
    (boats,) = found["figures"][0]["switches"]
    assert boats["name"] == "boats"
    assert "ripples off: a refresh cap holds most of its runs, so that it stands in no row." in found["figures"][0]["notes"]  # fmt: skip
    assert len(next(arm["runs"] for arm in found["arms"] if arm["name"] == "boats off")) == 3


def test_conditions_that_must_match_refuse_the_account(recorded, editor):
    run = Recording.objects.get().slots.filter(arm="after").first().run
    run.conditions.pk = None
    run.conditions.facts, run.conditions.fingerprint = {**run.conditions.facts, "window": "800x600"}, "other"
    run.conditions.save()
    run.conditions = run.conditions
    run.save()
    answer = account(editor, recorded["id"])
    assert (answer.status_code, answer.json()["code"]) == (422, "conditions-differ")


def test_what_has_no_account_says_so(planned, recorder, editor):
    assert account(editor, planned["id"]).json()["code"] == "nothing-on"
    plain = recording()
    recorder.post("/api/recordings/", plain)
    assert account(editor, plain["id"]).json()["code"] == "no-account"
