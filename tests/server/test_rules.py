"""Rules of thumb: written with where they are from, tested by what was recorded here, and what becomes of a test that is withdrawn."""

import pytest
from rest_framework.test import APIClient

from server.lines import record
from server.standing import kept_recording
from server.test_sweeps import RAMP, recorded
from vigilant.server.books.models import LogLine
from vigilant.server.rules.models import Rule

pytestmark = pytest.mark.django_db

RULE = {"text": "Half precision halves what ripples cost", "reason": "The grid is read twice.", "rig": "handheld", "said_on": "2025-12-08"}  # fmt: skip
ADDRESS = "/api/books/river/rules/"


@pytest.fixture
def reader(people):
    client = APIClient()
    client.force_login(people["reader"])
    return client


def written(client, **changes):
    return client.post(ADDRESS, {**RULE, **changes})


def held(client, rule, **asked):
    return client.post(f"{ADDRESS}{rule['id']}/tests/", {"holds": True, **asked})


def test_a_rule_is_never_tested_until_an_entry_or_an_account_tests_it(editor, recorder, reader, book):
    rule = written(editor).json()
    assert (rule["state"], rule["test"], rule["said_on"], rule["by"]) == ("never tested", None, "2025-12-08", "editor")
    kept_recording(recorder, title="Half-precision ripples")
    done = held(editor, rule, entry=1, note="By a tenth.")
    assert done.status_code == 201, done.json()
    found = done.json()
    assert (found["state"], found["test"]["path"], found["test"]["rig"]) == ("true here", "/entries/1", "thin laptop")
    assert found["test"]["what"] == "no. 1, Half-precision ripples"
    # A ramp says otherwise, later: the newest test counts, the older one stays to be read.
    sent = recorded(editor, recorder, book, RAMP, [4.0, 9.0, 14.0, 19.0])
    recorder.post(f"/api/recordings/{sent['id']}/complete/", {})
    found = held(editor, rule, recording=sent["id"], holds=False).json()
    assert (found["state"], len(found["tests"])) == ("not here", 2)
    assert (found["test"]["what"], found["test"]["path"]) == ("How many boats?", f"/ramp/{sent['id']}")
    assert reader.get(ADDRESS).json() == [found]
    assert LogLine.objects.filter(what="rule tested").count() == 2


def test_a_test_by_a_withdrawn_entry_tells_nothing_any_more(editor, recorder, book):
    rule = written(editor).json()
    kept_recording(recorder)
    held(editor, rule, entry=1)
    editor.post("/api/books/river/entries/1/withdrawals/", {"withdrawn": True, "why": "The wrong build."})
    (found,) = editor.get(ADDRESS).json()
    assert (found["state"], found["test"], found["tests"][0]["stands"]) == ("never tested", None, False)
    assert held(editor, rule, entry=1).json()["code"] == "entry-tests-nothing"


def test_what_is_no_rule_and_no_test_is_refused(editor, recorder, reader, book):
    for bad, code in (({"said_on": "2999-01-01"}, "date-ahead"), ({"said_on": "soon"}, None), ({"text": ""}, None), ({"reason": "x" * 4001}, None)):  # fmt: skip
        answer = written(editor, **bad)
        assert answer.status_code in (400, 422), answer.json()
        assert code is None or answer.json()["code"] == code
    assert reader.post(ADDRESS, RULE).status_code == 403
    rule = written(editor).json()
    assert held(reader, rule, entry=1).status_code == 403
    kept_recording(recorder)
    editor.post("/api/books/river/entries/", {"title": "Later", "why": "", "expected": ""})
    of_line = record(book, "b1", 12.0, 5)
    for bad, code in (
        ({}, "test-not-one"), ({"entry": 1, "recording": str(of_line.pk)}, "test-not-one"), ({"entry": 7}, "entry-tests-nothing"),
        ({"entry": 2}, "entry-tests-nothing"), ({"recording": "00000000-0000-4000-8000-000000000000"}, "recording-tests-nothing"),
    ):  # fmt: skip
        assert held(editor, rule, **bad).json()["code"] == code
    assert editor.get(ADDRESS).json()[0]["tests"] == []


def test_a_rule_is_dropped_and_another_books_are_not_there(editor, book):
    rule = written(editor).json()
    assert editor.delete(f"{ADDRESS}{rule['id']}/").status_code == 204
    assert editor.get(ADDRESS).json() == []
    assert Rule.objects.count() == 1
    assert held(editor, rule, entry=1).status_code == 404
    assert editor.get("/api/books/lake/rules/").status_code == 404
