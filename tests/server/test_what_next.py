"""What next: the table a book begins with and its own, held against an entry whose late frames are collections."""

import pytest
from rest_framework.test import APIClient

from server.standing import doors
from server.test_late_frames import ENTRY, runs  # noqa: F401  (an entry with two lanes and their parts)

pytestmark = pytest.mark.django_db
_shared = doors("module")
book, people, token, recorder = _shared.book, _shared.people, _shared.token, _shared.recorder
editor, owner = _shared.editor, _shared.owner
TABLE = "/api/books/river/decision-table/"
OWN = {"title": "Fewer wakes in {lane}", "limit": "processor", "counter": "heap", "over": True, "value": 50.0}


def test_the_table_a_book_begins_with_proposes_with_its_evidence(editor, runs):  # noqa: F811
    found = editor.get(f"{ENTRY}next/").json()
    assert found["own"] is False
    by = {one["title"]: one for one in found["proposals"]}
    assert set(by) == {"Half of what river works on", "The course without collect", "Whose is collect?"}
    (rests,) = by["The course without collect"]["evidence"]
    assert (rests["see"], "is collect (river)" in rests["said"]) == ("late", True)
    (rests,) = by["Half of what river works on"]["evidence"]
    assert rests["said"].startswith("river limits ")
    assert found["counters"] == ["heap", "waves"]


def test_a_book_has_a_table_of_its_own(editor, runs):  # noqa: F811
    assert len(editor.get(TABLE).json()["rules"]) == 9
    written = editor.put(TABLE, {"rules": [OWN, {**OWN, "title": "Never", "over": False}]})
    assert (written.status_code, len(written.json()["rules"])) == (200, 2)
    found = editor.get(f"{ENTRY}next/").json()
    assert found["own"] is True
    (one,) = found["proposals"]
    assert (one["title"], [rests["see"] for rests in one["evidence"]]) == ("Fewer wakes in river", ["", "counters"])
    assert one["evidence"][1]["said"].endswith("in the mean frame, over 50.00.")
    assert editor.put(TABLE, {"rules": []}).status_code == 200
    assert editor.get(f"{ENTRY}next/").json()["proposals"] == []


@pytest.mark.parametrize(("change", "status"), [
    ({"limit": "", "counter": "", "value": None}, 400),  # nothing must hold
    ({"limit": "disk"}, 422),
    ({"late": "often"}, 422),
    ({"value": None}, 400),
    ({"counter": ""}, 400),
    ({"title": ""}, 400),
    ({"value": "nan"}, 400),
])  # fmt: skip
def test_what_is_no_rule_is_refused(editor, runs, change, status):  # noqa: F811
    assert editor.put(TABLE, {"rules": [{**OWN, **change}]}).status_code == status
    assert editor.put(TABLE, {"rules": [OWN] * 101}).status_code == 400
    assert len(editor.get(TABLE).json()["rules"]) == 9  # as it was


def test_a_reader_reads_the_table_and_does_not_write_it(people, runs):  # noqa: F811
    reader = APIClient()
    reader.force_login(people["reader"])
    assert reader.get(TABLE).status_code == 200
    assert reader.put(TABLE, {"rules": [OWN]}).status_code == 403
