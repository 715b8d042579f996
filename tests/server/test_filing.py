"""Entries are filed: labels, references to others, a note; and a view of the ledger is taken out whole."""

import csv
import io
import json

import pytest

from server.standing import doors, kept_recording
from vigilant.formats import limits
from vigilant.server.books.models import Book, LogLine
from vigilant.server.entries.models import Entry
from vigilant.server.ledger import taking_out

pytestmark = pytest.mark.django_db
_shared = doors("module")
book, people, token, recorder = _shared.book, _shared.people, _shared.token, _shared.recorder
editor, owner = _shared.editor, _shared.owner
ENTRIES = "/api/books/river/entries/"


@pytest.fixture(scope="module")
def three(recorder, editor):
    for seed, title in enumerate(("Awnings", "=1+1", "Sparks"), start=1):
        kept_recording(recorder, seed=seed, title=title)
    editor.post(f"{ENTRIES}1/decisions/", {"choice": "kept", "why": 'So, "it" holds.', "only_if": "the boats stay"})


def file(client, number, **said):
    return client.put(f"{ENTRIES}{number}/filing/", said, format="json")


def relations(client, number):
    return [(r["said"], r["number"]) for r in client.get(f"{ENTRIES}{number}/").json()["references"]]


def test_an_entry_is_filed_and_seen_from_both_sides(editor, three):
    refers = [{"relation": "supersedes", "number": 1}, {"relation": "depends on", "number": 2}]
    body = file(editor, 3, note="Ask Mira.", labels=["river", "autumn", "river"], references=refers * 2).json()
    assert (body["note"], body["labels"]) == ("Ask Mira.", ["autumn", "river"])
    assert relations(editor, 3) == [("depends on", 2), ("supersedes", 1)]
    assert relations(editor, 1) == [("superseded by", 3)]
    assert relations(editor, 2) == [("needed by", 3)]
    lines = {e["number"]: e for e in editor.get(ENTRIES).json()["results"]}
    assert (lines[1]["remark"], lines[3]["labels"], lines[2]["labels"]) == (
        "superseded by no. 3",
        ["autumn", "river"],
        [],
    )
    assert editor.get("/api/books/river/labels/").json() == ["autumn", "river"]
    assert [e["number"] for e in editor.get(f"{ENTRIES}?label=river").json()["results"]] == [3]
    assert editor.get(f"{ENTRIES}?label=riv").json()["count"] == 0
    assert [e["number"] for e in editor.get(f"{ENTRIES}?find=mira").json()["results"]] == [3]
    assert LogLine.objects.filter(what="filed").first().text.startswith("entry 3: autumn, river, depends on")
    body = file(editor, 3).json()
    assert (body["note"], body["labels"], body["references"]) == ("", [], [])


@pytest.mark.parametrize(
    ("number", "said", "code"),
    [
        (1, {"references": [{"relation": "repeats", "number": 1}]}, "reference-to-itself"),
        (1, {"references": [{"relation": "repeats", "number": 77}]}, "entry-missing"),
        (1, {"references": [{"relation": "supersedes", "number": 3}]}, "reference-both-ways"),
        (1, {"references": [{"relation": "eats", "number": 3}]}, "invalid"),
        (1, {"labels": ["x" * (limits.ENTRY_LABEL + 1)]}, "invalid"),
        (1, {"labels": [str(i) for i in range(limits.ENTRY_LABELS + 1)]}, "invalid"),
        (1, {"references": [{"relation": "repeats", "number": 2}] * (limits.REFERENCES + 1)}, "invalid"),
        (1, {"note": "x" * (limits.REASON + 1)}, "invalid"),
    ],
)
def test_what_cannot_be_filed_is_refused_and_nothing_changes(number, said, code, editor, three):
    file(editor, 3, references=[{"relation": "supersedes", "number": 1}])
    file(editor, 1, note="Stays.", labels=["river"])
    answer = file(editor, number, **said)
    assert answer.status_code in (400, 422)
    assert answer.json()["code"] == code
    body = editor.get(f"{ENTRIES}{number}/").json()
    assert (body["note"], body["labels"], relations(editor, 1)) == ("Stays.", ["river"], [("superseded by", 3)])


def test_readers_and_recorders_file_nothing_and_no_entry_of_another_book_is_named(
    people, recorder, editor, client, three
):
    client.force_login(people["reader"])
    refused = client.put(f"{ENTRIES}1/filing/", {"note": "x"}, content_type="application/json")
    assert (refused.status_code, file(recorder, 1, note="x").status_code) == (403, 403)
    Entry.objects.create(book=Book.objects.create(slug="pond", name="Pond"), number=9, title="Elsewhere")
    assert file(editor, 1, references=[{"relation": "repeats", "number": 9}]).json()["code"] == "entry-missing"


def taken(client, asked=""):
    answer = client.get(f"{ENTRIES}taken-out/{asked}")
    assert answer.status_code == 200, answer.content
    return b"".join(answer.streaming_content).decode()


def test_a_view_is_taken_out_whole_as_it_is_filtered_and_ordered(editor, three, monkeypatch):
    monkeypatch.setattr(taking_out, "AT_A_TIME", 1)
    rows = list(csv.DictReader(io.StringIO(taken(editor))))
    assert tuple(rows[0]) == taking_out.COLUMNS
    assert [(r["number"], r["title"]) for r in rows] == [("3", "Sparks"), ("2", "'=1+1"), ("1", "Awnings")]
    assert (rows[2]["why"], rows[2]["only_if"], rows[2]["decided_by"]) == (
        'So, "it" holds.',
        "the boats stay",
        "editor",
    )
    kept = Entry.objects.get(number=1).comparison.result["figures"]["mean_ms"]
    assert float(rows[2]["mean_difference_ms"]) == kept["difference"]
    assert [float(rows[2][k]) for k in ("ci_low_ms", "ci_high_ms")] == [kept["ci_low"], kept["ci_high"]]
    again = json.loads(taken(editor, "?as=json&ordering=number&decision=none"))
    assert [row["number"] for row in again] == [2, 3]
    assert again[0]["title"] == "=1+1"


def test_an_empty_view_is_a_table_with_a_head_alone(editor, three):
    assert taken(editor, "?find=nothing").splitlines() == [",".join(taking_out.COLUMNS)]
    assert json.loads(taken(editor, "?find=nothing&as=json")) == []
    assert editor.get(f"{ENTRIES}taken-out/?as=pdf").status_code == 400
    assert editor.post(f"{ENTRIES}taken-out/", {}).status_code == 405
