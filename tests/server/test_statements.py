"""Statements: what they say in every form, links without signing in, hand-overs."""

import csv
import html
import io
import json
import re
import subprocess
from datetime import timedelta

import pytest
from django.test import Client
from django.utils import timezone

from server.standing import doors, kept_recording
from vigilant.server.books.models import Book
from vigilant.server.entries.models import Entry
from vigilant.server.goals.models import Goal
from vigilant.server.statements.charts import goal_chart
from vigilant.server.statements.content import numbers_of, title_of
from vigilant.server.statements.models import StatementLink
from vigilant.server.statements.templatetags.statement_words import md

pytestmark = pytest.mark.django_db
_shared = doors("module")
book, people, token, recorder = _shared.book, _shared.people, _shared.token, _shared.recorder
editor, owner = _shared.editor, _shared.owner
AT = "/api/books/river/statement/"
#: What a title may hold, and no page may read as its own.
TITLE = "=A <b>bolder</b> | `name` *of* [boats](x)"


@pytest.fixture(scope="module")
def entries(recorder, editor):
    kept_recording(recorder, 12.0, 10.5, 1, title=TITLE)
    kept_recording(recorder, 10.5, 10.5, 2, title="Awnings front to back")
    decision = {"choice": "kept", "why": "Quicker", "only_if": "the lake <stays> frozen"}
    assert editor.post("/api/books/river/entries/1/decisions/", decision).status_code == 201
    assert editor.post("/api/books/river/entries/2/decisions/", {"choice": "dropped"}).status_code == 201
    return editor.get("/api/books/river/entries/1/").json()


def asked(client, status=200, **query):
    answer = client.get(AT, query)
    assert answer.status_code == status, answer.content[:400]
    return answer


def test_a_page_says_what_the_entry_says_and_holds_all_it_needs(editor, entries):
    answer = asked(editor, entries="1")
    page = answer.content.decode()
    assert html.unescape(re.search("<h1>(.*)</h1>", page)[1]) == TITLE
    for said in (entries["result"]["sentence"], "Gain", "the lake &lt;stays&gt; frozen", entries["caption"]):
        assert said in page
    # Nothing is fetched and nothing runs; no name stands twice.
    assert not re.search(r"<script|<link|<img|@import|https?://(?!www\.w3\.org)|url\((?!#)", page)
    names = re.findall(r'\bid="([^"]+)"', page)
    assert len(names) == len(set(names)) > 0
    assert "default-src 'none'" in answer["Content-Security-Policy"]
    assert answer["X-Frame-Options"] == "SAMEORIGIN"


@pytest.mark.parametrize("paper", ["a4", "letter"])
def test_a_pdf_is_one_page_with_the_words_of_the_entry(editor, entries, paper, tmp_path):
    answer = asked(editor, entries="1", paper=paper, **{"as": "pdf"})
    file = tmp_path / "statement.pdf"
    file.write_bytes(answer.content)
    text = subprocess.run(["pdftotext", "-layout", file, "-"], capture_output=True, text=True, check=True).stdout
    info = subprocess.run(["pdfinfo", file], capture_output=True, text=True, check=True).stdout
    words = " ".join(text.split())
    assert " ".join(entries["result"]["sentence"].split()) in words
    assert "Only if the lake <stays> frozen" in words
    assert re.search(r"Pages:\s+1\n", info), info
    assert re.search(r"Tagged:\s+yes", info)
    width = {"a4": "595", "letter": "612"}[paper]
    assert re.search(rf"Page size:\s+{width}", info)
    assert asked(editor, entries="1", paper=paper, **{"as": "pdf"}).content[:5] == b"%PDF-"


def test_json_holds_the_numbers_and_csv_the_same(editor, entries):
    whole = json.loads(asked(editor, entries="1", **{"as": "json"}).content)
    part = whole["entries"][0]
    mean = entries["result"]["figures"]["mean_ms"]
    assert (whole["kind"], part["figures"][0]["ci_low"]) == ("entry", mean["ci_low"])
    assert part["decision"]["only_if"] == "the lake <stays> frozen"
    rows = list(csv.DictReader(io.StringIO(asked(editor, entries="1", **{"as": "csv"}).content.decode())))
    assert rows[0]["title"] == f"'{TITLE}"  # a spreadsheet would take it for a formula
    assert float(rows[0]["difference"]) == mean["difference"]
    assert {row["figure"] for row in rows} >= set(entries["result"]["primaries"])


def test_markdown_takes_a_name_for_nothing_but_a_name(editor, entries):
    page = asked(editor, entries="1", **{"as": "markdown"}).content.decode()
    assert r"=A \<b\>bolder\</b\> \| \`name\` \*of\* \[boats\](x)" in page
    table = [line for line in page.splitlines() if line.startswith("|")]
    assert len({line.replace(r"\|", "").count("|") for line in table}) == 1


@pytest.mark.parametrize(
    ("text", "said"),
    [("1. one", r"1\. one"), ("- a\n- b", r"\- a - b"), ("# a", r"\# a"), ("<i>", r"\<i\>"), ("_a_", r"\_a\_")],
)
def test_marks_are_letters(text, said):
    assert md(text) == said


def test_several_stand_with_their_balance(editor, entries):
    whole = json.loads(asked(editor, entries="1-2", **{"as": "json"}).content)
    assert [line["number"] for line in whole["lines"]] == [1, 2]
    (balance,) = whole["balance"]
    assert balance["from_ms"] == pytest.approx(12.0, abs=0.4)
    assert balance["to_ms"] == pytest.approx(10.5, abs=0.4)
    # From the second on, what stood before is what the first left.
    later = json.loads(asked(editor, entries="2-9", **{"as": "json"}).content)
    assert later["balance"][0]["from_ms"] == balance["points"][0]["mean_ms"]
    page = asked(editor, entries="1,2").content.decode()
    assert "Level after each entry against the budget" in page


def test_a_void_entry_shows_nothing(editor, entries):
    comparison = Entry.objects.get(number=1).comparison
    comparison.result = {**comparison.result, "verdict": "void", "reasons": []}
    comparison.save()
    part = json.loads(asked(editor, entries="1", **{"as": "json"}).content)["entries"][0]
    assert {f["call"] for f in part["figures"]} == {"not comparable"}
    assert part["figures"][0]["ci_low"] is None
    assert part["legs"]["rows"] == []


def test_a_goal_is_held_against_the_entries_under_its_thresholds(editor, entries):
    scenario = Entry.objects.get(number=1).comparison.scenario_version.scenario_id
    goal = {"figure": "mean_ms", "threshold": 11.0, "reason": "for the fair"}
    assert editor.post(f"/api/books/river/scenarios/{scenario}/goals/", goal).status_code == 201
    key = Goal.objects.get().pk
    whole = json.loads(asked(editor, goal=key, **{"as": "json"}).content)
    assert [(row["number"], row["arm"]) for row in whole["goal"]["rows"]] == [(2, "before"), (1, "after")]
    assert {row["state"] for row in whole["goal"]["rows"]} == {"met"}
    assert whole["goal"]["moves"][0]["reason"] == "for the fair"
    newest = whole["goal"]["rows"][0]
    assert newest["low"] < newest["value"] < newest["high"]
    page = asked(editor, goal=key, **{"as": "html"}).content.decode()
    assert page.count('role="img" aria-label="Level of each entry against the goal"') == 1
    assert page.count('id="goal-') > 1
    goal = whole["goal"]
    variants = [
        goal,
        {**goal, "rows": goal["rows"][:1]},
        {**goal, "rows": [{**row, "state": "other rig"} for row in goal["rows"]]},
        {**goal, "rows": [{**row, "low": None} for row in goal["rows"]]},
        {**goal, "moves": [*goal["moves"], {"threshold": 20.0}]},
        {**goal, "rows": [{**row, "value": None} for row in goal["rows"]]},
    ]
    drawn = [goal_chart(one) for one in variants]
    assert len(set(drawn)) == len(variants)  # dots, hollow ones, intervals and earlier thresholds all show
    assert drawn[-1] == ""
    table = list(csv.DictReader(io.StringIO(asked(editor, goal=key, **{"as": "csv"}).content.decode())))
    assert [float(row["value"]) for row in table] == [row["value"] for row in whole["goal"]["rows"]]
    for form in ("html", "pdf", "markdown", "csv"):
        assert asked(editor, goal=key, **{"as": form}).content
    assert asked(editor, 422, goal=key + 1).json()["code"] == "goal-missing"


def test_a_hand_over_names_what_is_asked(editor, entries):
    form = {"to": "rendering", "asked": "Why are the ripples slow?", "ruled_out": "Not the booths"}
    made = editor.post("/api/books/river/entries/1/hand-overs/", form)
    assert made.status_code == 201
    page = asked(editor, hand_over=made.json()["id"]).content.decode()
    for said in ("To rendering", *form.values(), entries["result"]["sentence"]):
        assert said in page
    assert (
        "Why are the ripples slow" in asked(editor, hand_over=made.json()["id"], **{"as": "markdown"}).content.decode()
    )
    assert [f["to"] for f in editor.get("/api/books/river/entries/1/hand-overs/").json()] == ["rendering"]


@pytest.mark.parametrize(
    ("said", "numbers", "ranged"),
    [("4", [4], []), ("4-6", [4, 5, 6], [4, 5, 6]), ("1, 3-4", [1, 3, 4], [3, 4]), ("2-3,2", [2, 3], [3])],
)
def test_entries_are_named_by_numbers_and_ranges(said, numbers, ranged):
    assert numbers_of(said) == (numbers, ranged)


@pytest.mark.parametrize(
    ("numbers", "title"),
    [
        ([5], "Entry 5"),
        ([5, 6], "Entries 5 and 6"),
        ([3, 4, 5], "Entries 3 to 5"),
        ([1, 3, 7], "Entries 1, 3 and 7"),
        (list(range(1, 40, 2)), "20 entries from 1 to 39"),
    ],
)
def test_a_title_names_no_entry_that_is_not_in_it(numbers, title):
    assert title_of(numbers) == title


@pytest.mark.parametrize(
    ("query", "status", "code"),
    [
        ({"entries": "1,,2"}, 422, "entries-unreadable"),
        ({"entries": "-3"}, 422, "entries-unreadable"),
        ({"entries": "²"}, 422, "entries-unreadable"),
        ({"entries": "5-3"}, 422, "entries-unreadable"),
        ({"entries": "1-999999999"}, 422, "too-many-entries"),
        ({"entries": ",".join(str(2 * n) for n in range(1, 102))}, 422, "too-many-entries"),
        ({"entries": "99999999999999999999"}, 422, "entry-missing"),
        ({"entries": "1,77"}, 422, "entry-missing"),
        ({"entries": "50-60"}, 422, "entry-missing"),
        ({}, 422, "statement-of-what"),
        ({"entries": "1", "goal": 1}, 422, "statement-of-what"),
        ({"entries": "1", "as": "docx"}, 400, "invalid"),
        ({"account": "x"}, 400, "invalid"),
        ({"account": "4d6f1b9e-0000-4000-8000-000000000000"}, 422, "recording-missing"),
        ({"account": "4d6f1b9e-0000-4000-8000-000000000000", "goal": 1}, 422, "statement-of-what"),
    ],
)
def test_what_cannot_be_drawn_up_is_said(editor, entries, query, status, code):
    assert asked(editor, status, **query).json()["code"] == code


def allow(owner, allowed=True):
    answer = owner.put("/api/books/river/", {"name": "River", "links_allowed": allowed})
    assert answer.json()["links_allowed"] is allowed


def test_a_link_shows_one_statement_until_it_ends_is_revoked_or_all_are_off(editor, owner, entries):
    links, stranger = f"{AT}links/", Client()
    assert editor.post(links, {"entries": "1"}).json()["code"] == "links-off"
    assert editor.put("/api/books/river/", {"name": "River", "links_allowed": True}).status_code == 403
    allow(owner)
    assert editor.post(links, {"entries": "77"}).status_code == 422
    made = editor.post(links, {"entries": "1", "days": 3}).json()
    secret = made["address"].rpartition("/")[2]
    assert secret not in editor.get(links).content.decode()
    assert not StatementLink.objects.filter(hash__contains=secret).exists()
    shown = stranger.get(f"/shown/{secret}")
    assert (shown.status_code, entries["result"]["sentence"] in shown.content.decode()) == (200, True)
    assert stranger.get(f"/shown/{secret}?as=pdf").content[:5] == b"%PDF-"
    # It shows this statement alone, whatever else is asked of it.
    other = stranger.get(f"/shown/{secret}?entries=2&as=json").content.decode()
    assert ("Awnings" in other, TITLE.split()[0] in other) == (False, True)
    assert stranger.get(f"{AT}?entries=1").status_code == 401
    assert editor.get(links).json()[0]["last_used"] is not None
    allow(owner, False)
    assert stranger.get(f"/shown/{secret}").status_code == 404
    allow(owner)
    assert stranger.get(f"/shown/{secret}").status_code == 200
    StatementLink.objects.update(expires_at=timezone.now() - timedelta(seconds=1))
    assert stranger.get(f"/shown/{secret}").status_code == 404
    StatementLink.objects.update(expires_at=timezone.now() + timedelta(days=1))
    assert editor.delete(f"{links}{made['link']['id']}/").json()["revoked_at"]
    assert stranger.get(f"/shown/{secret}").status_code == 404
    assert stranger.get("/shown/no-such-secret").status_code == 404


def test_a_link_is_answered_so_often(editor, owner, entries, monkeypatch):
    allow(owner)
    address = editor.post(f"{AT}links/", {"entries": "1"}).json()["address"].partition("/shown/")[2]
    monkeypatch.setattr("vigilant.server.statements.api.LinkThrottle.get_rate", lambda self: "2/min")
    assert [Client().get(f"/shown/{address}").status_code for _ in range(3)] == [200, 200, 429]


def test_a_recorder_reads_statements_and_makes_no_links(recorder, entries):
    Book.objects.update(links_allowed=True)
    assert asked(recorder, entries="1").status_code == 200
    assert recorder.post(f"{AT}links/", {"entries": "1"}).status_code == 403
    assert recorder.post("/api/books/river/entries/1/hand-overs/", {"to": "a", "asked": "b"}).status_code == 403
