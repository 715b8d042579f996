"""Laps kept in a book, by a person or a recorder; read as an account, and joined to the entry whose frames the routine is part of."""

import json

import numpy as np
import pytest
from rest_framework.test import APIClient

from server.delivering import PLAN, deliver, recording
from vigilant.server.entries.models import Entry
from vigilant.server.laps.models import LapSheet

pytestmark = pytest.mark.django_db

SIZES = (50, 100, 200, 400)


def files(each_s, seed, processes=4, checksum="x", samples=12):
    """The texts of a version's processes, so many seconds an item."""
    rng = np.random.default_rng(seed)
    made = []
    for number in range(processes):
        own = float(np.exp(0.01 * rng.standard_normal()))
        rows = [
            [size, 10, 10 * (2e-6 + each_s * size) * own * float(np.exp(0.02 * rng.standard_normal())), f"{checksum}{size}"]
            for size in SIZES for _ in range(samples)
        ]  # fmt: skip
        lines = [{"vigilant_laps": 1, "name": "find", "version": ""}, *rows]
        made.append({"name": f"{number}.jsonl", "text": "\n".join(map(json.dumps, lines)) + "\n"})
    return made


@pytest.fixture
def reader(people):
    client = APIClient()
    client.force_login(people["reader"])
    return client


def body(**changes):
    return {"name": "find neighbours", "before": {"name": "pairs", "files": files(1e-6, 1)},
            "after": {"name": "cells", "files": files(0.7e-6, 2)}, **changes}  # fmt: skip


def kept(client, **changes):
    return client.post("/api/books/river/laps/", body(**changes))


def test_laps_are_kept_listed_read_and_left_out(editor, reader, book):
    made = kept(editor)
    assert made.status_code == 201, made.json()
    assert made.json()["path"] == f"/river/laps/{made.json()['id']}"
    (line,) = reader.get("/api/books/river/laps/").json()["results"]
    assert (line["name"], line["versions"], line["entry"]) == ("find neighbours", ["pairs", "cells"], None)
    page = reader.get(f"/api/books/river/laps/{line['id']}/").json()
    assert page["sentence"] == "A call is cheaper at every size that was lapped."
    assert [size["items"] for size in page["sizes"]] == ["50", "100", "200", "400"]
    largest = page["sizes"][-1]
    assert largest["share"] == pytest.approx(-0.3, abs=0.03)
    assert largest["low"] < largest["share"] < largest["high"] < 0
    assert largest["shown"]
    assert largest["change"].endswith(")")
    assert "% less (" in largest["change"]
    assert [row["name"] for row in page["lines"]] == ["fixed, a call", "each item"]
    assert "less" in page["lines"][1]["change"]
    assert page["frame"] is None
    assert any("4 processes; 5 of each version are recommended" in note for note in page["notes"])
    assert reader.delete(f"/api/books/river/laps/{line['id']}/").status_code == 403
    assert editor.delete(f"/api/books/river/laps/{line['id']}/").status_code == 204
    assert not LapSheet.objects.exists()


def test_a_recorder_may_deliver_laps_and_a_reader_may_not(recorder, reader, book):
    assert kept(reader).status_code == 403
    made = kept(recorder)
    assert (made.status_code, made.json()["by"]) == (201, "")
    assert recorder.delete(f"/api/books/river/laps/{made.json()['id']}/").status_code == 403


def test_versions_that_give_different_results_are_void(editor, book):
    made = kept(editor, after={"files": files(0.5e-6, 2, checksum="y")}).json()
    page = editor.get(f"/api/books/river/laps/{made['id']}/").json()
    assert (page["void"], page["sentence"]) == (True, "The two versions give different results: they are not compared.")


@pytest.mark.parametrize(("change", "code"), [
    ({"after": {"files": [*files(1e-6, 2), files(1e-6, 2)[0]]}}, "file-twice"),
    ({"after": {"files": [{"name": "a", "text": "nothing"}]}}, "laps-unreadable"),
    ({"after": {"files": [{"name": "a", "text": "items,repeats,seconds\n7,1,1\n"}]}}, "invalid-comparison"),
    ({"after": {"files": []}}, None), ({"name": ""}, None), ({"before": {}}, None),
])  # fmt: skip
def test_what_are_no_laps_is_refused_and_nothing_is_kept(editor, book, change, code):
    refused = kept(editor, **change)
    assert refused.status_code in (400, 422)
    if code:
        assert refused.json()["code"] == code
    assert not LapSheet.objects.exists()


@pytest.fixture
def entry(recorder, book):
    sent = recording(plan={**PLAN, "policy": {"witnesses": ["draws"]}})
    deliver(recorder, sent, {"before": 12.0, "after": 11.0})
    recorder.post(f"/api/recordings/{sent['id']}/complete/", {})
    return Entry.objects.get()


def test_joined_to_an_entry_they_say_whether_it_matters_behind_what_was_measured(editor, entry):
    key = kept(editor).json()["id"]
    address = f"/api/books/river/laps/{key}/"
    joined = editor.put(address, {"entry": entry.number, "counter": "draws", "items": 200})
    assert joined.status_code == 200, joined.json()
    frame = joined.json()["frame"]
    # 700 calls a frame, 0.06 ms less each.
    assert frame["matters"] == "matters"
    assert frame["sentence"].startswith("With 700 calls a frame of 200 items the frame would save 4")
    assert frame["measured"].startswith(f"Entry {entry.number} measured the frame itself: 1.0")
    assert "what was measured in the frame stands" in frame["apart"]
    few = editor.put(address, {"entry": entry.number, "calls": 0.001, "items": 300}).json()["frame"]
    assert (few["matters"], few["counter"]) == ("does not matter", "")
    assert editor.get("/api/books/river/laps/").json()["results"][0]["entry"] == entry.number


@pytest.mark.parametrize(("asked", "code"), [
    ({"entry": 99, "calls": 1, "items": 200}, "entry-unrecorded"), ({"counter": "lanterns", "items": 200}, "counter-missing"),
    ({"items": 200}, "calls-unknown"), ({"counter": "draws", "calls": 3, "items": 200}, "calls-unknown"),
    ({"counter": "draws", "items": 5000}, "invalid-comparison"),
])  # fmt: skip
def test_what_cannot_be_joined_is_refused_and_stays_as_it_was(editor, entry, asked, code):
    key = kept(editor).json()["id"]
    refused = editor.put(f"/api/books/river/laps/{key}/", {"entry": entry.number, **asked})
    assert (refused.status_code, refused.json()["code"]) == (422, code)
    assert LapSheet.objects.get().entry is None
