"""Entries are withdrawn, runs set aside, both taken back; owners purge what was, and nothing that others rest on."""

import pytest
from rest_framework.test import APIClient

from server.delivering import compared
from server.standing import doors, kept_recording
from vigilant.server.books.models import LogLine
from vigilant.server.entries.models import Comparison, Entry
from vigilant.server.runs.models import FrameChunk, Run

pytestmark = pytest.mark.django_db
_shared = doors("module")
book, people, token, recorder = _shared.book, _shared.people, _shared.token, _shared.recorder
editor, owner = _shared.editor, _shared.owner

RIVER = "/api/books/river/"
ENTRIES = f"{RIVER}entries/"
WHY = {"why": "The wrong scene was loaded."}


def record(recorder, before, after, seed):
    return [slot["run"] for slot in kept_recording(recorder, before, after, seed)["slots"]]


@pytest.fixture(scope="module")
def two(recorder, editor):
    """Two entries that were kept, and their runs."""
    runs = [record(recorder, 12.0, 10.5, 1), record(recorder, 10.5, 10.0, 2)]
    for number in (1, 2):
        editor.post(f"{ENTRIES}{number}/decisions/", {"choice": "kept"})
    return runs


def test_a_withdrawn_entry_stays_to_be_read_and_moves_nothing(editor, two, people):
    def stands():
        return editor.get(f"{RIVER}standing/").json()["points"][-1]["entry"]

    assert stands() == 2
    path = f"{ENTRIES}2/withdrawals/"
    assert editor.post(path, {"withdrawn": True, "why": ""}).status_code == 400
    entry = editor.post(path, {"withdrawn": True, **WHY}).json()
    assert (entry["withdrawal"]["by"], entry["withdrawal"]["why"], entry["credited"]) == ("editor", WHY["why"], False)
    assert (entry["verdict"], entry["remark"], stands()) == ("gain", "withdrawn", 1)
    assert editor.post(path, {"withdrawn": True, **WHY}).json()["code"] == "nothing-changed"
    assert editor.post(f"{ENTRIES}2/decisions/", {"choice": "dropped"}).json()["code"] == "entry-withdrawn"
    assert "withdrawn" in editor.get(f"{RIVER}chain/?entry=1&entry=2").json()["detail"]
    scenario = editor.get(f"{RIVER}scenarios/").json()[0]["id"]
    assert editor.get(f"{RIVER}scenarios/{scenario}/planner/").json()[0]["entries"] == [1]
    for asked, found in {"withdrawn=true": [2], "withdrawn=false": [1], "": [2, 1]}.items():
        assert [e["number"] for e in editor.get(f"{ENTRIES}?{asked}").json()["results"]] == found
    back = editor.post(path, {"withdrawn": False, "why": "It was the right one."}).json()
    assert (back["withdrawal"], back["credited"], stands()) == (None, True, 2)
    assert list(LogLine.objects.filter(what__in=("withdrawn", "put back")).values_list("text", flat=True)) == [
        "entry 2: It was the right one.", f"entry 2: {WHY['why']}",
    ]  # fmt: skip


def test_what_is_withdrawn_is_no_open_question(editor, recorder, two):
    record(recorder, 10.0, 10.0, 3)
    assert "1 needs a decision" in editor.get(f"{RIVER}standing/").json()["questions"]
    editor.post(f"{ENTRIES}3/withdrawals/", {"withdrawn": True, **WHY})
    assert editor.get(f"{RIVER}standing/").json()["questions"] == "nothing is open"
    assert editor.get(f"{ENTRIES}?open=true").json()["count"] == 0


def test_a_run_set_aside_enters_no_arm_and_the_entry_says_so(editor, two):
    gone = two[1][0]
    answer = editor.post(f"{RIVER}runs/aside/", {"runs": [gone, two[1][1]], "aside": True, **WHY})
    assert answer.json() == {"changed": 2}
    assert editor.post(f"{RIVER}runs/aside/", {"runs": [gone], "aside": True, "why": "x"}).json() == {"changed": 0}
    assert editor.get(f"/api/runs/{gone}/").json()["aside"] == WHY["why"]
    assert editor.get("/api/runs/?aside=true").json()["count"] == 2
    entry = editor.get(f"{ENTRIES}2/").json()
    assert ([row["why"] for row in entry["aside"]], entry["verdict"]) == ([WHY["why"]] * 2, "gain")
    arms = {"title": "again", "before": [gone], "after": two[0][:1]}
    refused = editor.post(f"{RIVER}comparisons/", arms).json()
    assert (refused["code"], WHY["why"] in refused["detail"]) == ("run-set-aside", True)
    assert editor.post(f"{RIVER}runs/aside/", {"runs": [gone], "aside": False, "why": "Fine."}).json() == {"changed": 1}
    assert editor.get("/api/runs/?aside=true").json()["count"] == 1
    assert len(editor.get(f"{ENTRIES}2/").json()["aside"]) == 1


def test_a_run_of_another_book_is_not_set_aside(editor, two, people, django_user_model):
    other = APIClient()
    other.force_login(django_user_model.objects.create_user("stranger"))
    other.post("/api/books/", {"name": "Other"})
    answer = other.post("/api/books/other/runs/aside/", {"runs": two[0][:1], "aside": True, **WHY})
    assert answer.json()["code"] == "run-unknown"
    assert not Run.objects.exclude(excluded_at=None).exists()


def test_a_purge_says_what_it_does_and_does_it_by_its_name(editor, owner, two, recorder):
    path = f"{ENTRIES}2/purge/"
    shown = owner.post(path, {"with_runs": True}).json()
    assert (shown["name"], "not withdrawn" in shown["hinders"][0]) == ("entry 2", True)
    assert owner.post(path, {"confirmed": "entry 2"}).json()["code"] == "purge-hindered"
    editor.post(f"{ENTRIES}2/withdrawals/", {"withdrawn": True, **WHY})
    assert owner.post(path, {"confirmed": "entry 1"}).json()["code"] == "purge-not-confirmed"
    assert editor.post(path, {"confirmed": "entry 2"}).status_code == 403
    assert Entry.objects.count() == 2
    shown = owner.post(path, {"with_runs": True}).json()
    assert shown["hinders"] == []
    assert (shown["goes"][-1], shown["stays"]) == (f"{len(two[1])} runs with all frames", [])
    assert owner.post(path).json()["stays"] == [f"{len(two[1])} runs that no other entry rests on"]
    assert owner.post(path, {"with_runs": True, "confirmed": "entry 2"}).status_code == 200
    assert (Entry.objects.count(), Comparison.objects.count()) == (1, 1)
    assert {str(pk) for pk in Run.objects.values_list("pk", flat=True)} == set(two[0])
    assert {str(pk) for pk in FrameChunk.objects.values_list("run", flat=True)} == set(two[0])
    assert LogLine.objects.filter(what="purged", text__startswith="entry 2").count() == 1
    assert editor.get(f"{RIVER}standing/").json()["points"][-1]["entry"] == 1
    # Its number is never given again.
    record(recorder, 10.0, 10.0, 4)
    assert editor.get(ENTRIES).json()["results"][0]["number"] == 3


def test_runs_that_another_entry_rests_on_stay(editor, owner, two):
    shared = {"title": "again", "before": two[0][:2], "after": two[1][:2]}
    compared(editor, shared)
    editor.post(f"{ENTRIES}2/withdrawals/", {"withdrawn": True, **WHY})
    owner.post(f"{ENTRIES}2/purge/", {"with_runs": True, "confirmed": "entry 2"})
    assert {str(pk) for pk in Run.objects.values_list("pk", flat=True)} == {*two[0], *two[1][:2]}


def test_runs_are_purged_where_nothing_rests_on_them(editor, owner, two):
    purge, runs = f"{RIVER}runs/purge/", two[1]
    assert "not set aside" in owner.post(purge, {"runs": runs}).json()["hinders"][0]
    editor.post(f"{RIVER}runs/aside/", {"runs": runs, "aside": True, **WHY})
    hindered = owner.post(purge, {"runs": runs, "confirmed": f"{len(runs)} runs"}).json()
    assert (hindered["code"], "Entry 2 rests on them" in hindered["detail"]) == ("purge-hindered", True)
    editor.post(f"{ENTRIES}2/withdrawals/", {"withdrawn": True, **WHY})
    owner.post(f"{ENTRIES}2/purge/", {"confirmed": "entry 2"})
    assert Run.objects.count() == len(two[0]) + len(runs)
    shown = owner.post(purge, {"runs": runs}).json()
    assert shown["hinders"] == []
    assert owner.post(purge, {"runs": runs, "confirmed": "all"}).json()["code"] == "purge-not-confirmed"
    owner.post(purge, {"runs": runs, "confirmed": shown["name"]})
    assert Run.objects.count() == len(two[0])
