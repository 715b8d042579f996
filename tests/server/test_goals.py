"""Goals over HTTP: set, moved for a reason, judged under both, never met from another rig."""

import pytest

from server.standing import doors, kept_recording
from vigilant.server.scenarios.models import Rig, Scenario

pytestmark = pytest.mark.django_db
_shared = doors("module")
book, people, token, recorder = _shared.book, _shared.people, _shared.token, _shared.recorder
editor, owner = _shared.editor, _shared.owner


@pytest.fixture(scope="module")
def delivered(recorder, book):
    kept_recording(recorder, after=10.0)
    return Scenario.objects.get()


def set_goal(editor, book, scenario, **values):
    body = {"figure": "mean_ms", "threshold": 11.0, **values}
    answer = editor.post(f"/api/books/{book.slug}/scenarios/{scenario.pk}/goals/", body)
    assert answer.status_code == 201, answer.json()
    return answer.json()[-1]


def lines(editor, book, number=1):
    return editor.get(f"/api/books/{book.slug}/entries/{number}/").json()["goals"]


def test_a_moved_goal_keeps_its_history_and_old_results_stand_under_both(delivered, editor, book):
    goal = set_goal(editor, book, delivered, reason="first wish")
    assert goal["sentence"] == "Mean frame: at most 11 ms"
    assert [line["state"] for line in lines(editor, book)] == ["met"]
    url = f"/api/books/{book.slug}/goals/{goal['id']}/moves/"
    assert editor.post(url, {"threshold": 9.0, "reason": " "}).json()["code"] == "reason-missing"
    assert editor.post(url, {"threshold": 11.0, "reason": "same"}).json()["code"] == "goal-unmoved"
    assert editor.post(url, {"threshold": 9.0, "reason": "the handheld"}).status_code == 200
    (line,) = lines(editor, book)
    assert line["state"] == "not met"
    assert line["distance"].endswith("ms missing")
    assert [(e["threshold"], e["state"], e["reason"]) for e in line["earlier"]] == [
        ("at most 11 ms", "met", "the handheld")
    ]
    assert editor.delete(url).json() == []
    assert lines(editor, book) == []


def test_a_dropped_entry_stands_by_its_before_arm_and_the_standing_shows_it(delivered, editor, book):
    set_goal(editor, book, delivered)
    editor.post(f"/api/books/{book.slug}/entries/1/decisions/", {"choice": "dropped"})
    assert [line["state"] for line in lines(editor, book)] == ["not met"]
    assert [g["state"] for g in editor.get(f"/api/books/{book.slug}/standing/").json()["goals"]] == ["not met"]


def test_a_stronger_rig_never_meets_a_goal_set_for_a_weaker_one(delivered, editor, book):
    set_goal(editor, book, delivered, rig="handheld", threshold=40.0)
    (line,) = lines(editor, book)
    assert line["state"] == "other rig"
    Rig.objects.update(speed={"load": "boats 1", "ms": 2.0, "log_error": 0.01})
    Rig.objects.create(book=book, alias="handheld", facts={}, fingerprint="h",
                       speed={"load": "boats 1", "ms": 5.0, "log_error": 0.01})  # fmt: skip
    (line,) = lines(editor, book)
    assert line["state"] == "extrapolated"
    assert "2.50 times as long" in line["remark"]
    assert line["remark"].endswith("the goal would be met")
    Rig.objects.filter(alias="handheld").update(speed={"load": "another", "ms": 5.0, "log_error": 0.01})
    assert lines(editor, book)[0]["state"] == "other rig"


def test_what_cannot_be_judged_says_why(delivered, editor, book):
    url = f"/api/books/{book.slug}/scenarios/{delivered.pk}/goals/"
    said = editor.post(url, {"figure": "mean_ms", "threshold": 1, "legs": ["harbour"]}).json()
    assert (said["code"], "there are: landing stage" in said["detail"]) == ("leg-unknown", True)
    set_goal(editor, book, delivered, figure="most:lanterns")
    assert {line["state"] for line in lines(editor, book)} == {"not judged"}
    url = f"/api/books/{book.slug}/scenarios/{delivered.pk}/goals/"
    assert editor.post(url, {"figure": "fastness", "threshold": 1}).json()["code"] == "goal-invalid"
    assert editor.post(url, {"figure": "mean_ms", "threshold": -1}).json()["code"] == "invalid"
