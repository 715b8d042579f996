"""Entries, decisions, the standing that follows; who may do what; the trace; no query per row."""

import math
import random
import uuid
from datetime import timedelta

import pytest
from django.core.management import call_command
from django.test.utils import CaptureQueriesContext
from rest_framework.test import APIClient

from server.delivering import PLAN, compared, deliver, recording
from server.standing import doors, kept_recording
from vigilant.server.books import people as making
from vigilant.server.books.models import LogLine
from vigilant.server.entries.balance import rebalance
from vigilant.server.entries.deciding import decide, withdraw
from vigilant.server.entries.models import Balance, Comparison, Entry

ENTRIES = "/api/books/river/entries/"


_shared = doors("module")
book, people, token, recorder = _shared.book, _shared.people, _shared.token, _shared.recorder
editor, owner = _shared.editor, _shared.owner


@pytest.fixture(scope="module")
def entry(recorder):
    return kept_recording(recorder)


@pytest.mark.django_db
def test_a_decision_moves_the_standing(editor, entry, recorder):
    standing = "/api/books/river/standing/"
    assert editor.get(standing).json()["rows"] == []
    path = "/api/books/river/entries/1/decisions/"
    kept = editor.post(path, {"choice": "kept", "why": "Looks the same."}).json()
    assert kept["decision"]["choice"] == "kept"
    after = editor.get(standing).json()
    figures = Entry.objects.get().comparison.result["figures"]
    assert after["points"][-1]["mean_ms"] == figures["mean_ms"]["after"]
    editor.post(path, {"choice": "dropped"})
    assert editor.get(standing).json()["points"][-1]["mean_ms"] == figures["mean_ms"]["before"]
    assert len(editor.get("/api/books/river/entries/1/").json()["decisions"]) == 2

    again = recording()
    deliver(recorder, again, {"before": 13.0, "after": 12.9}, seed=2)
    recorder.post(f"/api/recordings/{again['id']}/complete/")
    line = editor.get("/api/books/river/entries/").json()["results"][0]
    assert line["number"] == 2
    assert line["unaccounted"].startswith("Unaccounted since no. 1: ")
    assert "spent" in line["unaccounted"]


@pytest.mark.django_db
def test_roles(people, entry, token):
    path = "/api/books/river/entries/"
    expected = {"reader": 403, "editor": 201, "owner": 201}
    for role, status in expected.items():
        client = APIClient()
        client.force_login(people[role])
        assert client.get(path).status_code == 200
        assert client.post(path, {"title": "x"}).status_code == status
        assert client.post(f"{path}1/decisions/", {"choice": "kept"}).status_code == status
        assert client.post("/api/recordings/", recording()).status_code == 403
    recorder = APIClient()
    recorder.credentials(HTTP_AUTHORIZATION=f"Bearer {token}")
    assert recorder.post(f"{path}1/decisions/", {"choice": "kept"}).status_code == 403


@pytest.mark.django_db
def test_a_stranger_sees_nothing(entry, django_user_model):
    stranger = django_user_model.objects.create_user("stranger", password="x")
    client = APIClient()
    client.force_login(stranger)
    assert client.get("/api/session/").json()["books"] == []
    assert client.get("/api/books/river/entries/").status_code == 404
    assert client.get(f"/api/runs/{entry['slots'][0]['run']}/").status_code == 404
    assert client.get("/api/runs/").json()["count"] == 0


@pytest.mark.django_db
def test_stored_runs_compared_again_are_after_the_fact(editor, entry):
    arms = {arm: [s["run"] for s in entry["slots"] if s["arm"] == arm] for arm in ("before", "after")}
    order = [s["arm"] for s in entry["slots"]]
    made = compared(editor, {"title": "again", **arms, "order": order})
    assert made.json()["after_the_fact"], made.json()
    first, second = Entry.objects.order_by("number")
    assert first.comparison.result == second.comparison.result
    assert first.comparison.fingerprint == second.comparison.fingerprint
    swapped = compared(editor, {"title": "swapped", "before": arms["after"], "after": arms["before"]})
    assert swapped.json()["verdict"] == "regression"
    gone = compared(editor, {"title": "x", "before": [str(uuid.uuid4())], **{"after": arms["after"]}})
    assert gone.json()["code"] == "run-unknown"


@pytest.mark.django_db
def test_an_opened_entry_is_filled_by_its_recording(editor, recorder):
    number = editor.post("/api/books/river/entries/", {"title": "Glow", "expected": "less"}).json()["number"]
    registered = recording()
    registered["plan"] = {**registered["plan"], "entry": {"number": number}}
    deliver(recorder, registered, {"before": 12.0, "after": 12.0})
    assert recorder.post(f"/api/recordings/{registered['id']}/complete/").json()["number"] == number
    got = editor.get(f"/api/books/river/entries/{number}/").json()
    assert (got["title"], got["expected"], got["locked"]) == ("Glow", "less", True)


@pytest.mark.django_db
def test_lists_make_no_query_per_row(editor, entry, django_assert_num_queries):
    from django.db import connection

    def queries(path):
        with CaptureQueriesContext(
            connection,
        ) as captured:
            assert editor.get(path).status_code == 200
        return len(captured)

    paths = ("/api/books/river/entries/", "/api/runs/", "/api/books/river/standing/")
    queries(paths[0])  # the session is noted once
    few = [queries(p) for p in paths]
    original = Entry.objects.get()
    for i in range(2, 30):
        copy = Comparison.objects.get(pk=original.comparison_id)
        copy.pk = None
        copy.save()
        Entry.objects.create(book=original.book, number=i, title=f"e{i}", comparison=copy)
    rebalance([copy], whole=True)
    assert [queries(p) for p in paths] == few


@pytest.mark.django_db
def test_no_migration_is_missing():
    call_command("makemigrations", check=True, dry_run=True, verbosity=0)


@pytest.mark.django_db
@pytest.mark.parametrize(
    ("expected", "held", "part"),
    [
        ("1 to 2 ms less", "supported", "The interval meets the range."),
        ("at least 3 ms less", "not supported", "beyond the bound"),
        ("half the stutters", "undecided", ""),
        ("It feels smoother.", "", ""),
    ],
)
def test_what_was_expected_is_held_against_the_runs_and_marked_with_the_decision(
    expected, held, part, editor, recorder
):
    number = editor.post("/api/books/river/entries/", {"title": "Glow", "expected": expected}).json()["number"]
    registered = recording()
    registered["plan"] = {**registered["plan"], "entry": {"number": number}}
    deliver(recorder, registered, {"before": 12.0, "after": 10.5})
    recorder.post(f"/api/recordings/{registered['id']}/complete/")
    path = f"/api/books/river/entries/{number}/"
    got = editor.get(path).json()["held"]
    assert (got["expectation"], part in got["sentence"]) == (held, True), got
    marked = editor.post(f"{path}decisions/", {"choice": "kept", "expectation": "undecided"}).json()
    assert marked["decision"]["expectation"] == "undecided"
    assert editor.post(f"{path}decisions/", {"choice": "kept"}).json()["decision"]["expectation"] == ""
    assert editor.post(f"{path}decisions/", {"choice": "kept", "expectation": "splendid"}).status_code == 400


@pytest.mark.django_db
def test_a_blank_test_is_an_entry_that_moves_no_standing_and_feeds_the_planner(editor, recorder, entry):
    editor.post("/api/books/river/entries/1/decisions/", {"choice": "kept"})
    standing = editor.get("/api/books/river/standing/").json()
    once = {"command": ["x"]}
    plan = {
        **PLAN,
        "arm": [{"name": "new, once", **once}, {"name": "new, again", **once}],
        "recording": {"blank": True, "runs": 5},
    }
    registered = recording(plan=plan, created="2026-05-09T18:30:00Z")
    deliver(recorder, registered, {"before": 14.0, "after": 14.0}, seed=5)
    assert recorder.post(f"/api/recordings/{registered['id']}/complete/").status_code == 200
    line = editor.get("/api/books/river/entries/2/").json()
    assert (line["blank"], line["remark"], line["unaccounted"]) == (True, "blank test", "")
    assert line["result"]["sentence"].startswith("One build as both arms, 5 + 5 runs: nothing was called different")
    after = editor.get("/api/books/river/standing/").json()
    assert {k: v for k, v in after.items() if k != "lines"} == {k: v for k, v in standing.items() if k != "lines"}
    scenario = editor.get("/api/books/river/scenarios/").json()[0]["id"]
    (rig,) = editor.get(f"/api/books/river/scenarios/{scenario}/planner/", {"wanted": 0.01}).json()
    assert (rig["rig"], rig["entries"]) == ("thin laptop", [1, 2])
    assert rig["blank"]["entry"] == 2
    assert not rig["blank"]["false_alarm"]
    mean = next(r for r in rig["rows"] if r["figure"] == "mean_ms")
    # the variances of both entries, weighted by their degrees of freedom
    kept = [e.comparison.result["figures"]["mean_ms"] for e in Entry.objects.all()]
    assert kept[0]["df"] == kept[1]["df"]
    spreads = [100 * figure["se"] / math.sqrt(2 / 5) for figure in kept]
    assert float(mean["spread"].split()[0]) == pytest.approx(math.sqrt(sum(s**2 for s in spreads) / 2), abs=0.006)
    assert mean["wanted"] > mean["needed"]
    assert (mean["wanted_said"], mean["needed_said"]) == (str(mean["wanted"]), str(mean["needed"]))
    assert {r["wanted_said"] for r in rig["rows"] if r["wanted"] is None} <= {"not a time", "over 500"}
    assert editor.get(f"/api/books/river/scenarios/{scenario}/planner/").json()[0]["rows"][0]["wanted"] is None
    assert editor.get(f"/api/books/river/scenarios/{scenario}/planner/", {"wanted": 7}).status_code == 400
    level = Comparison.objects.order_by("-pk")[0].result["figures"]["mean_ms"]["after"]
    share = 1 - 1 / (1 + 5 * level / 1000)
    by_rate, by_share = (
        editor.get(f"/api/books/river/scenarios/{scenario}/planner/", asked).json()[0]
        for asked in ({"wanted_fps": 5}, {"wanted": share})
    )
    assert [r["wanted"] for r in by_rate["rows"]] == [r["wanted"] for r in by_share["rows"]]
    assert by_rate["asked"] == by_share["asked"]
    assert by_rate["asked"].startswith(f"5.0 frames a second more, from {1000 / level:.1f}, is ")
    both = editor.get(f"/api/books/river/scenarios/{scenario}/planner/", {"wanted": 0.1, "wanted_fps": 5})
    assert both.status_code == 400


@pytest.mark.django_db
def test_a_blank_test_of_two_builds_is_refused(editor):
    arms = [{"name": "a", "subject": "x"}, {"name": "b", "subject": "y"}]
    body = {"plan": {"scenario": {"name": "River course"}, "arm": arms, "recording": {"blank": True}}, "asked_of": ""}
    got = editor.post("/api/books/river/recordings/", body)
    assert (got.status_code, "two arms that are one build" in got.json()["detail"]) == (422, True), got.json()


def test_the_balance_is_drawn_of_a_lines_newest_entries(editor, recorder, entry, monkeypatch):
    sent = recording(created="2026-05-06T18:30:00Z")
    deliver(recorder, sent, {"before": 14.0, "after": 13.0}, frames=100)
    recorder.post(f"/api/recordings/{sent['id']}/complete/")
    for number in (1, 2):
        editor.post(f"{ENTRIES}{number}/decisions/", {"choice": "kept"})

    def drawn():
        standing = editor.get("/api/books/river/standing/").json()
        return [point["entry"] for point in standing["points"]], standing["earlier"]

    assert drawn() == ([1, 2], 0)
    monkeypatch.setattr("vigilant.server.ledger.standing.DRAWN", 1)
    assert drawn() == ([2], 1)


@pytest.mark.django_db
def test_a_line_reckoned_from_an_entry_on_is_the_line_reckoned_whole(entry, people):
    """Whatever was decided, withdrawn and put back, in whatever order."""
    original = Entry.objects.get()
    at, levels = original.recorded_at, original.comparison.ledger_line["levels"]
    for i in range(2, 9):
        copy = Comparison.objects.get(pk=original.comparison_id)
        copy.pk, copy.blank = None, i == 5
        copy.ledger_line["levels"] = {
            side: {k: v and v * (1 + i / 50) for k, v in level.items()} for side, level in levels.items()
        }
        copy.save()
        # Some were recorded at one moment, one before all others.
        when = at + timedelta(hours=-1 if i == 8 else i // 2)
        Entry.objects.create(book=original.book, number=i, title=f"e{i}", comparison=copy, recorded_at=when)
        rebalance([copy])
    rng = random.Random(4)
    seen = set()
    for _ in range(40):
        one = rng.choice(list(Entry.objects.all()))
        if rng.random() < 0.3 or one.withdrawn_at is not None:
            withdraw(one, people["editor"], one.withdrawn_at is None, "a mistake")
        else:
            decide(one, rng.choice(["kept", "dropped", "more runs"]), "", user=people["editor"])
        own = list(Balance.objects.order_by("pk").values())
        rebalance([one.comparison], whole=True)
        assert own == list(Balance.objects.order_by("pk").values())
        seen.add(tuple(row["mean_ms"] for row in own))
    assert len(seen) > 10


@pytest.mark.django_db
def test_a_book_is_read_line_by_line_and_the_one_decided_last_comes_first(
    editor, recorder, entry, client, django_user_model
):
    """Recording another scenario, or on another rig, leaves the first line as it stood."""
    editor.post(f"{ENTRIES}1/decisions/", {"choice": "kept"})
    Entry.objects.create(book=Entry.objects.get().book, number=2, title="not recorded yet")
    for changes in ({"rig": {"alias": "handheld", "facts": {"cores": "4"}}},
                    {"plan": {**PLAN, "scenario": {**PLAN["scenario"], "name": "Market bank"}}}):  # fmt: skip
        sent = recording(**changes)
        deliver(recorder, sent, {"before": 14.0, "after": 14.0}, frames=100)
        recorder.post(f"/api/recordings/{sent['id']}/complete/")
    standing = editor.get("/api/books/river/standing/").json()
    lines = {(line["scenario"], line["rig"]): line for line in standing["lines"]}
    assert list(lines) == [
        ("Market bank", "thin laptop"),
        ("River course", "thin laptop"),
        ("River course", "handheld"),
    ]
    assert (standing["line"], standing["points"][0]["entry"]) == (lines["River course", "thin laptop"]["line"], 1)

    def numbers(line):
        return [e["number"] for e in editor.get(ENTRIES, {"line": line}).json()["results"]]

    assert numbers("last") == [2, 1]
    assert numbers(lines["River course", "handheld"]["line"]) == [3, 2]
    assert numbers(lines["Market bank", "thin laptop"]["line"]) == [4, 2]
    other = editor.get("/api/books/river/standing/", {"line": lines["Market bank", "thin laptop"]["line"]}).json()
    assert (other["scenario"], other["rows"]) == ("Market bank", [])
    editor.post(f"{ENTRIES}4/decisions/", {"choice": "kept"})
    assert editor.get("/api/books/river/standing/").json()["scenario"] == "Market bank"
    # A line of another book is none of this one.
    rowan = django_user_model.objects.create_user("rowan")
    making.make_book("Elsewhere", rowan)
    client.force_login(rowan)
    line = lines["River course", "thin laptop"]["line"]
    hidden = client.get("/api/books/elsewhere/standing/", {"line": line}).json()
    assert (hidden["sentence"], hidden["points"]) == ("Nothing is recorded yet.", [])
    for wrong in ("1", "a-b", "1-2-3", "1-" + "9" * 30):
        assert editor.get(ENTRIES, {"line": wrong}).status_code == 400
        assert editor.get("/api/books/river/standing/", {"line": wrong}).status_code == 400


def test_words_are_corrected_and_what_stood_before_is_kept(editor, entry, people):
    url = f"{ENTRIES}1/"
    before = editor.get(url).json()
    body = editor.patch(url, {"title": "Sparks from a table, at last", "why": "Half the sparks."}).json()
    assert (body["title"], body["why"], body["expected"]) == (
        "Sparks from a table, at last",
        "Half the sparks.",
        "Less.",
    )
    (kept,) = body["corrections"]
    assert (kept["title"], kept["why"], kept["by"]) == (before["title"], before["why"], "editor")
    assert editor.patch(url, {"title": body["title"]}).json()["corrections"] == body["corrections"]  # nothing new
    refused = editor.patch(url, {"title": "x", "expected": "More."})
    assert (refused.status_code, refused.json()["code"]) == (409, "expectation-locked")
    assert editor.get(url).json()["title"] == body["title"]
    assert editor.patch(url, {"title": "x" * 201}).status_code == 400
    reader = APIClient()
    reader.force_login(people["reader"])
    assert reader.patch(url, {"title": "x"}).status_code == 403
    assert LogLine.objects.filter(what="corrected").count() == 1
