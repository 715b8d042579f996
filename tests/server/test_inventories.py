"""Inventories: from a file and from runs, in totals of the book's own, between two builds, beside counters."""

import pytest

from server.delivering import put_batch, recording, run_body
from server.standing import doors
from vigilant.formats import limits
from vigilant.server.inventory.models import Inventory, Total
from vigilant.server.inventory.services import counted
from vigilant.server.scenarios.models import Build

pytestmark = pytest.mark.django_db
_shared = doors("function")
BOOK = "/api/books/river/"
FULL = "kind;count;draws;width;height\nboat;60;2;512;512\nlantern;240;1;128;128\nreflection;1;38;2048;1024\nvisitor;30;2;;\n"
HALF = FULL.replace("2048;1024", "1024;512")
MEMORY = {
    "name": "memory MiB",
    "formula": "width * height * 4 / 1048576",
    "most": 80,
    "reason": "The handheld has no more.",
}


def take(editor, text=FULL, build="full size", name="kinds.csv"):
    return editor.post(f"{BOOK}inventories/", {"build": build, "name": name, "text": text})


@pytest.fixture
def two(editor):
    return [take(editor, *args).json()["id"] for args in ((FULL, "full size"), (HALF, "half size"))]


def page(editor, key, **asked):
    return editor.get(f"{BOOK}inventories/{key}/", asked)


def test_a_file_is_ranked_in_each_of_its_units(editor, two):
    listed = editor.get(f"{BOOK}inventories/").json()["results"]
    assert [(line["build"], line["kinds"], line["stated_by_run"]) for line in listed] == [("half size", 4, False), ("full size", 4, False)]  # fmt: skip
    draws = page(editor, two[0], total="draws").json()
    assert [(r["kind"], r["words"]["total"]) for r in draws["rows"]] == [("lantern", "240"), ("boat", "120"), ("visitor", "60"), ("reflection", "38")]  # fmt: skip
    assert draws["sentence"] == "Most of draws is lantern: 240 of 458 (52 %); 3 of 4 kinds make 90 % of it."
    assert page(editor, two[0], total="pieces").json()["sum"] == "331"
    # The same content of one build is kept once.
    assert take(editor, name="again.csv").json()["id"] == two[0]


def test_a_total_of_the_books_own_has_a_limit_and_a_history(editor, two):
    assert editor.post(f"{BOOK}totals/", MEMORY).json()[0]["most"] == 80
    found = page(editor, two[0]).json()  # the book's own come first
    assert (found["total"], found["sum"], found["over"]) == ("memory MiB", "83", True)
    assert found["limit"].endswith("The handheld has no more): over by 3.")
    assert found["untold"] == "What a piece weighs is not told of 1 kind (visitor): the total is at least 83."
    editor.post(f"{BOOK}totals/", {**MEMORY, "most": 90, "reason": "The screen gave up some."})
    again = page(editor, two[0]).json()
    assert (again["over"], "7 left, if what is not told" in again["limit"]) == (False, True)
    assert editor.post(f"{BOOK}totals/", {**MEMORY, "formula": "", "reason": "Never mind."}).json() == []
    assert Total.objects.count() == 3
    assert page(editor, two[0]).json()["total"] == "pieces"


def test_two_builds_are_told_apart_by_kind(editor, two):
    editor.post(f"{BOOK}totals/", MEMORY)
    found = page(editor, two[1], against=two[0]).json()
    (change,) = [c for c in found["changes"] if c["words"]["less"] or c["words"]["more"]]
    assert (change["kind"], change["words"]) == ("reflection", {"before": "8", "after": "2", "less": "6", "more": "", "from_count": "", "from_weight": "-6", "note": ""})  # fmt: skip
    assert found["change"] == "83 to 77, 6 less (-7.2 %); most of it moved in reflection, 6 less."
    assert found["unchanged"] == "2 kinds did not change."


@pytest.mark.parametrize(("formula", "code"), [
    ("width *", "formula-unreadable"), ("width; height", "formula-unreadable"), ("'a' * 3", "formula-unreadable"),
    ("depth * 2", "formula-unknown"), ("__import__('os')", "formula-unreadable"), ("width.__class__", "formula-fails"),
    ("[width]", "formula-fails"), ("width == 2", "formula-fails"), ("f(width)", "formula-fails"), ("width / 0", "formula-fails"),
    ("9 ** 9 ** 9", "formula-fails"), ("-width", "formula-fails"), ("0 - pieces", "formula-fails"), ("(0 - 1) ** 0.5", "formula-fails"),
    ("1e300 * 1e300 * 0", "formula-fails"), ("1 + " * 80 + "1", "formula-unreadable"),
])  # fmt: skip
def test_a_formula_that_weighs_nothing_is_refused(editor, two, formula, code):
    answer = editor.post(f"{BOOK}totals/", {**MEMORY, "formula": formula})
    assert (answer.status_code, answer.json()["code"]) == (422, code)
    assert not Total.objects.exists()


@pytest.mark.parametrize(("change", "status", "code"), [
    ({"reason": " "}, 400, None),
    ({"most": -1}, 400, None),
    ({"name": "nowhere", "formula": ""}, 409, "total-unknown"),
])  # fmt: skip
def test_a_total_needs_its_reason_and_its_sense(editor, two, change, status, code):
    answer = editor.post(f"{BOOK}totals/", {**MEMORY, **change})
    assert (answer.status_code, code is None or answer.json()["code"] == code) == (status, True)


@pytest.mark.parametrize(("text", "code"), [
    ("kind,weight\nboat,2\n", "column-missing"), ("", None), ("kind,count\nboat,many\n", "item-unfit"),
    ("x" * (limits.INVENTORY_BYTES + 1), None), ("\x00kind,count", None),
])  # fmt: skip
def test_a_file_that_is_none_is_refused(editor, text, code):
    answer = take(editor, text)
    assert answer.status_code in (400, 422)
    assert code is None or answer.json()["code"] == code
    assert not Inventory.objects.exists()


def test_what_is_asked_of_an_inventory_that_is_not_there(editor, two):
    assert page(editor, two[0], total="splendour").json()["code"] == "total-unknown"
    assert page(editor, two[0], against="one").json()["code"] == "against-unreadable"
    assert page(editor, two[0], against=10**6).status_code == 404
    assert page(editor, 10**6).status_code == 404


def test_a_run_states_the_inventory_of_its_build_once(recorder, editor):
    sent = recording(["before", "after"] * 2)
    recorder.post("/api/recordings/", sent)
    for slot in sent["slots"]:
        assert recorder.put(f"/api/runs/{slot['run']}/", run_body(sent, slot)).status_code == 201
        count = 60 if slot["arm"] == "before" else 40
        stated = f'{{"item":"boat","count":{count},"weight":"draws","a_piece":2}}\n'.encode()
        frames = b"".join(b"[%d, 5, %d]\n" % (10 + i % 3, 2 * count if i % 2 else count) for i in range(60))
        put_batch(recorder, slot["run"], 0, stated + frames + b'{"end":{"frames":60}}\n')
        done = recorder.post(f"/api/runs/{slot['run']}/complete/", {"frames": 60})
        assert done.json()["state"] == "complete", done.json()
    kept = {one.build.label: one for one in Inventory.objects.all()}
    assert {label: one.items for label, one in kept.items()} == {"old": [["boat", 60, {"draws": 2}]], "new": [["boat", 40, {"draws": 2}]]}  # fmt: skip
    assert counted(Build.objects.get(label="old"), "draws") == (2, pytest.approx(90), 120)
    assert counted(Build.objects.get(label="old"), "boats") is None
    editor.post(
        f"{BOOK}totals/", {"name": "all draws", "formula": "draws", "counter": "draws", "reason": "Drivers stall."}
    )
    found = page(editor, kept["new"].pk, against=kept["old"].pk).json()
    assert "says 60 a frame on average and 80 at most, in 2 runs of this build: all of the inventory is there at once." in found["counter"]  # fmt: skip
    assert "the inventory moved by -33.3 %, the counter by -33.3 %" in found["counter"]
