"""What people's browsers could send that is no honest request: refused with a reason, and nothing changes."""

import json

import pytest

from server.standing import doors, kept_recording
from server.test_hostile import NEVER, refused, sent
from vigilant.server.entries.models import Comparison, Entry

pytestmark = pytest.mark.django_db
_shared = doors("module")
book, people, token, recorder = _shared.book, _shared.people, _shared.token, _shared.recorder
editor, owner = _shared.editor, _shared.owner
ENTRIES = "/api/books/river/entries/"
ASKED = {
    "a number for a reason": ("post", ENTRIES, {"title": "a", "why": 0}),
    "a title of 201 characters": ("post", ENTRIES, {"title": "a" * 201}),
    "an expectation of 501 characters": ("post", ENTRIES, {"title": "a", "expected": "9" * 501}),
    "a reason of 4,001 characters": ("post", ENTRIES, {"title": "a", "why": "w" * 4001}),
    "a NUL in a title": ("post", ENTRIES, {"title": "a\0b"}),
    "a claim of 201 characters": ("get", ENTRIES + "1/claim/?say=" + "9" * 201, None),
    "a change that is no number": ("get", "/api/books/river/scenarios/{scenario}/planner/?wanted=nan", None),
    "a change beyond numbers": ("get", "/api/books/river/scenarios/{scenario}/planner/?wanted=1e999", None),
    "a window beyond numbers": ("get", "/api/runs/{run}/trace/?start=" + "9" * 40, None),
    "a window of no number": ("get", "/api/runs/{run}/trace/?stop=-1e9", None),
    "a page of no number": ("get", ENTRIES + "?page=x", None),
    "a planned entry beyond numbers": ("get", "/api/recordings/planned/?entry=" + "9" * 40, None),
    "a goal of 1e999": ("post", "/api/books/river/scenarios/{scenario}/goals/", '{"figure":"mean_ms","threshold":1e999}'),
    "a goal on 300 legs": (
        "post", "/api/books/river/scenarios/{scenario}/goals/",
        {"figure": "mean_ms", "threshold": 1, "legs": ["a"] * 300},
    ),
    "a run twice in an arm": ("post", "/api/books/river/comparisons/", {"title": "x", "before": ["{run}"] * 2, "after": ["{other}"]}),
    "201 runs in an arm": (
        "post", "/api/books/river/comparisons/", {"title": "x", "before": [str(NEVER)] * 201, "after": ["{run}"]},
    ),
    "an order of another length": (
        "post", "/api/books/river/comparisons/",
        {"title": "x", "before": ["{run}"], "after": ["{other}"], "order": ["before"]},
    ),
    "a run in two arms": ("post", "/api/books/river/arms/", {"arms": [{"runs": ["{run}"]}, {"runs": ["{run}"]}]}),
    "a run twice in one of several arms": (
        "post", "/api/books/river/arms/", {"arms": [{"runs": ["{run}", "{run}"]}, {"runs": ["{other}"]}]},
    ),
    "a chain of 41 steps": ("get", "/api/books/river/chain/?" + "&".join(f"entry={i}" for i in range(1, 42)), None),
    "a definition of 40 levels": (
        "post", "/api/books/river/scenarios/", '{"name":"a","definition":{"kind":' + "[" * 40 + "]" * 40 + "}}",
    ),
    "a definition whose target is a word": (
        "post", "/api/books/river/scenarios/", {"name": "a", "definition": {"target_fps": "sixty"}},
    ),
    "a definition whose policy is a list": (
        "post", "/api/books/river/scenarios/", {"name": "a", "definition": {"policy": [1]}},
    ),
}  # fmt: skip


@pytest.fixture(scope="module")
def delivered(recorder):
    registered = kept_recording(recorder)
    made = Comparison.objects.get()
    runs = [s["run"] for s in registered["slots"]]
    return {"run": runs[0], "other": runs[1], "scenario": str(made.scenario_version.scenario_id)}


@pytest.mark.parametrize("name", ASKED)
def test_a_hostile_request_is_refused(name, editor, recorder, delivered):
    method, path, body = ASKED[name]
    client = recorder if "planned" in path else editor
    text = "" if body is None else body if isinstance(body, str) else json.dumps(body)
    for key, value in delivered.items():
        path, text = path.replace(f"{{{key}}}", value), text.replace(f"{{{key}}}", value)
    answer = client.get(path) if method == "get" else sent(client, method, path, text)
    refused(answer, 400, 404, 409, 413, 422)
    assert Entry.objects.count() == 1
    assert editor.get(ENTRIES).json()["count"] == 1
