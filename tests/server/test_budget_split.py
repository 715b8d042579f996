"""The budget split over HTTP: allowances with their reasons, on a rig or on every rig, and parts held against them."""

import pytest

from server.standing import doors
from server.test_late_frames import ENTRY, runs  # noqa: F401  (an entry with two lanes and their parts)
from vigilant.formats import limits

pytestmark = pytest.mark.django_db
_shared = doors("module")
book, people, token, recorder = _shared.book, _shared.people, _shared.token, _shared.recorder
editor, owner = _shared.editor, _shared.owner
BUDGET = f"{ENTRY}budget/"


def allowed(name, ms):
    return {"lane": "river", "path": [name], "ms": ms}


def rows(answer):
    return {row["name"]: row for row in answer.json()["rows"]}


def test_parts_are_held_against_what_they_are_allowed(editor, runs):  # noqa: F811
    bare = rows(editor.get(BUDGET))
    assert (bare["steer"]["allowed_ms"], bare["steer"]["words"]["over"]) == (None, "")
    assert bare["steer"]["proposed_ms"] > 0  # a proposal, and nothing is set by it
    answer = editor.post(BUDGET, {"allowances": [allowed("steer", 8.0), allowed("collect", 0.5)], "reason": "The thin laptop must hold 60."})  # fmt: skip
    page = rows(answer)
    collect = page["collect"]
    pauses = sum((collect_ms > 0.525).sum() for arm, _, collect_ms, _ in runs.values() if arm == "after")
    assert collect["over"] == pytest.approx(pauses / 2000)
    assert collect["words"]["late"] == "100.0 % of late, 0.0 % of other frames"
    assert collect["said"].endswith("The thin laptop must hold 60.")
    assert page["steer"]["words"]["interval"] != ""
    assert collect["words"]["change"]["call"] == "worse"  # four times the pauses after, over the same allowance
    assert page["steer"]["words"]["change"]["call"] in ("equivalent", "unclear")
    (left,) = answer.json()["unassigned"]
    assert (left["lane"], left["ms"]) == ("river", pytest.approx(1000 / 60 - 8.5))
    other = rows(editor.get(BUDGET, {"arm": "before"}))
    assert other["collect"]["over"] < collect["over"]


def test_a_rig_of_its_own_goes_before_every_rig_and_may_be_taken_back(editor, runs):  # noqa: F811
    editor.post(BUDGET, {"allowances": [allowed("steer", 9.0)], "every_rig": True, "reason": "Anywhere."})
    assert rows(editor.get(BUDGET))["steer"]["allowed_ms"] == 9.0
    editor.post(BUDGET, {"allowances": [allowed("steer", 7.0)], "reason": "Here."})
    here = rows(editor.get(BUDGET))["steer"]
    assert (here["allowed_ms"], here["for_rig"]) == (7.0, "thin laptop")
    gone = rows(editor.post(BUDGET, {"allowances": [allowed("steer", None)], "reason": "No longer."}))
    assert gone["steer"]["allowed_ms"] is None


@pytest.mark.parametrize(("body", "status", "code"), [
    ({"allowances": [allowed("steer", 12.0), allowed("collect", 6.0)], "reason": "x"}, 422, "allowances-over-budget"),
    ({"allowances": [allowed("nothing", 1.0)], "reason": "x"}, 422, "part-unknown"),
    ({"allowances": [allowed("steer", -1.0)], "reason": "x"}, 400, "invalid"),
    ({"allowances": [allowed("steer", 1.0)], "reason": " "}, 400, "invalid"),
    ({"allowances": [], "reason": "x"}, 400, "invalid"),
    ({"allowances": [{"lane": "paint", "path": ["steer"], "ms": 1.0}], "reason": "x"}, 422, "part-unknown"),
])  # fmt: skip
def test_what_cannot_be_allowed_is_refused_and_nothing_is_set(editor, runs, body, status, code):  # noqa: F811
    answer = editor.post(BUDGET, body)
    assert (answer.status_code, answer.json()["code"]) == (status, code)
    assert all(row["allowed_ms"] is None for row in rows(editor.get(BUDGET)).values())


def test_a_scenario_holds_so_many(editor, runs, monkeypatch):  # noqa: F811
    monkeypatch.setattr(limits, "ALLOWANCES", 1)
    assert editor.post(BUDGET, {"allowances": [allowed("steer", 1.0), allowed("collect", 1.0)], "reason": "x"}).status_code == 409  # fmt: skip
