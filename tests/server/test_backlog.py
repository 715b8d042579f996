"""The backlog: ideas with the most they could bring, their ranks, their ends; and a goal that is good enough for now."""

import pytest
from rest_framework.test import APIClient

from server.standing import doors
from server.test_late_frames import ENTRY, runs  # noqa: F401  (an entry with two lanes and their parts)
from vigilant.formats import limits
from vigilant.server.seals.models import Link

pytestmark = pytest.mark.django_db
_shared = doors("module")
book, people, token, recorder = _shared.book, _shared.people, _shared.token, _shared.recorder
editor, owner = _shared.editor, _shared.owner
IDEAS = "/api/books/river/backlog/"
IDEA = {"title": "Steer boats in pairs", "entry": 1, "parts": [{"lane": "river", "path": ["steer"], "left": 0.5}], "effort": "small", "risk": "middle", "why": "Half of them drift."}  # fmt: skip


@pytest.fixture
def written(editor, runs):  # noqa: F811
    """Steering at half, the collections gone, and one that nothing is computed of."""
    editor.post(IDEAS, IDEA)
    editor.post(IDEAS, {**IDEA, "title": "Collect a little", "parts": [{"lane": "river", "path": ["collect"], "left": 0}]})  # fmt: skip
    answer = editor.post(IDEAS, {**IDEA, "title": "Fewer boats", "entry": None, "scenario": _scenario(editor), "parts": []})  # fmt: skip
    assert answer.status_code == 201
    return {idea["title"]: idea for idea in answer.json()["ideas"]}


def _scenario(editor):
    return editor.get("/api/books/river/scenarios/").json()[0]["id"]


def test_ideas_are_ranked_by_what_they_could_bring(editor, written):
    by_mean = editor.get(IDEAS, {"by": "mean_ms"}).json()
    assert [(i["title"], i["rank"]) for i in by_mean["ideas"]] == [("Steer boats in pairs", 1), ("Collect a little", 2), ("Fewer boats", None)]  # fmt: skip
    by_late = editor.get(IDEAS, {"by": "late"}).json()
    assert by_late["ideas"][0]["title"] == "Collect a little"
    steer = written["Steer boats in pairs"]
    bound = editor.post(f"{ENTRY}evidence/if-free/", {"arm": "after", "parts": IDEA["parts"]}).json()
    assert steer["most"]["mean_ms"] == bound["mean_ms"]  # computed here, not taken from who writes it
    assert steer["gain"].endswith("ms of the mean frame")


def test_ideas_are_ranked_in_the_figure_of_the_goal(editor, owner, written):
    goals = f"/api/books/river/scenarios/{_scenario(editor)}/goals/"
    goal = owner.post(goals, {"figure": "late_share", "threshold": 0.01}).json()[0]["id"]
    assert editor.get(IDEAS).json()["by"] == "late"
    close = f"/api/books/river/goals/{goal}/close/"
    assert editor.post(close, {"why": " "}).status_code == 400
    (closed,) = editor.post(close, {"why": "The festival opens tomorrow."}).json()
    assert closed["closing"]["why"] == "The festival opens tomorrow."
    assert [left["title"] for left in closed["closing"]["left"]][:2] == ["Collect a little", "Steer boats in pairs"]
    assert Link.objects.filter(what="closed").count() == 1
    assert editor.get(IDEAS).json()["by"] == "mean_ms"  # a closed goal ranks nothing
    again = editor.post(close, {"why": "Still."})
    assert (again.status_code, again.json()["code"]) == (409, "goal-closed")
    lines = editor.get(ENTRY).json()["goals"]
    assert lines[0]["closed"] == "good enough for now: The festival opens tomorrow."
    (moved,) = editor.post(f"/api/books/river/goals/{goal}/moves/", {"threshold": 0.005, "reason": "Now for the finale."}).json()  # fmt: skip
    assert moved["closing"] is None  # moving it opens it again


def test_an_idea_ends_with_what_became_of_it(editor, written):
    key = written["Collect a little"]["id"]
    bare = editor.patch(f"{IDEAS}{key}/", {"state": "tried"})
    assert (bare.status_code, bare.json()["code"]) == (422, "reason-missing")
    ended = editor.patch(f"{IDEAS}{key}/", {"state": "tried", "became": "Entry 9."}).json()["ideas"]
    assert [(i["title"], i["rank"]) for i in ended][-1] == ("Collect a little", None)
    opened = editor.patch(f"{IDEAS}{key}/", {"state": "open"}).json()["ideas"]
    assert next(i for i in opened if i["id"] == key)["rank"] is not None


@pytest.mark.parametrize(("change", "status", "code"), [
    ({"entry": None}, 422, "scenario-missing"),
    ({"entry": 99}, 404, "not-found"),
    ({"parts": [{"lane": "river", "path": ["nothing"], "left": 0}]}, 422, "part-unknown"),
    ({"title": "x" * 201}, 400, "invalid"),
    ({"title": "a\x00b"}, 400, "invalid"),
    ({"effort": "huge"}, 400, "invalid"),
    ({"arm": "third"}, 422, "arm-unknown"),
    ({"parts": [{"lane": "river", "path": ["steer"], "left": 0}] * 13}, 400, "invalid"),
])  # fmt: skip
def test_what_is_no_idea_is_refused(editor, runs, change, status, code):  # noqa: F811
    answer = editor.post(IDEAS, {**IDEA, **change})
    assert (answer.status_code, answer.json()["code"]) == (status, code)


def test_a_book_holds_so_many_ideas(editor, written, monkeypatch):
    monkeypatch.setattr(limits, "IDEAS", 3)
    answer = editor.post(IDEAS, IDEA)
    assert (answer.status_code, answer.json()["code"]) == (409, "ideas-too-many")


@pytest.mark.parametrize("asked", [{"scenario": "9" * 30}, {"scenario": "x"}, {"scenario": "0"}])
def test_a_scenario_that_is_not_there(editor, runs, asked):  # noqa: F811
    assert editor.get(IDEAS, asked).status_code == 404


def test_who_may_not_write_may_not_write_ideas(people, runs):  # noqa: F811
    reader = APIClient()
    reader.force_login(people["reader"])
    assert reader.get(IDEAS).status_code == 200
    assert reader.post(IDEAS, IDEA).status_code == 403
    assert APIClient().get(IDEAS).status_code in (401, 403)
