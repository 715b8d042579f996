"""Chains of entries with what they miss, and arms that cannot be."""

import pytest

from server.delivering import side_by_side
from server.standing import doors
from server.test_arms import CHAIN, delivered

_shared = doors("module")
book, people, token, recorder = _shared.book, _shared.people, _shared.token, _shared.recorder
editor, owner = _shared.editor, _shared.owner


@pytest.fixture(scope="module")
def steps(recorder):
    """Two steps and the whole way, each recorded for itself."""
    delivered(recorder, {"before": 12.0, "after": 10.8})
    delivered(recorder, {"before": 10.8, "after": 9.72}, seed=2, day=6)
    delivered(recorder, {"before": 12.0, "after": 9.72}, seed=3, day=8)


@pytest.mark.django_db
def test_a_chain_closes_against_a_total_of_its_own(editor, steps):
    got = editor.get(CHAIN, {"entry": [1, 2], "total": 3}).json()
    mean = next(r for r in got["rows"] if r["figure"] == "mean_ms")
    assert mean["product"] == pytest.approx(0.81, abs=0.03)
    assert mean["low"] < 0 < mean["high"]
    assert mean["words"]["meaning"] == "Within what chance does: the chain closes."
    assert [s["number"] for s in got["steps"]] == [1, 2]
    assert len(got["steps"][0]["factors"]) == len(got["rows"])
    wrong = editor.get(CHAIN, {"entry": [3, 2], "total": 1}).json()["rows"][0]
    assert wrong["high"] < 0
    assert "Something else changed between the steps" in wrong["words"]["meaning"]


@pytest.mark.django_db
def test_a_chain_without_a_total_is_held_against_first_and_last(editor, steps):
    mean = editor.get(CHAIN, {"entry": [1, 2]}).json()["rows"][0]
    figures = [editor.get(f"/api/books/river/entries/{n}/").json()["result"]["figures"]["mean_ms"] for n in (1, 2)]
    assert mean["product"] == pytest.approx(figures[0]["ratio"] * figures[1]["ratio"])
    assert mean["total"] == pytest.approx(figures[1]["raw_after"] / figures[0]["raw_before"], rel=0.01)
    assert mean["low"] is None
    assert "recorded apart" in mean["words"]["meaning"]


@pytest.mark.django_db
def test_what_is_no_chain_is_refused(editor, steps):
    for query, said in (
        ({"entry": [1]}, "2 to 40 different steps"),
        ({"entry": [1, 1]}, "2 to 40 different steps"),
        ({"entry": [1, 2], "total": 2}, "a total beside them"),
        ({"entry": [1, 9]}, "Entry 9 has no verdict"),
    ):
        got = editor.get(CHAIN, query)
        assert (got.status_code, said in got.json()["detail"]) == (422, True), got.json()


@pytest.mark.django_db
@pytest.mark.parametrize(
    ("arms", "status", "said"),
    [
        ([{"entry": 1}], 400, "The request does not fit"),
        ([{"entry": 1}, {}], 400, "The request does not fit"),
        ([{"entry": 1}, {"entry": 7}], 422, "Entry 7 has no runs after"),
        ([{"entry": 1}, {"entry": 1}], 422, "it can be in one"),
        ([{"entry": 1}, {"runs": ["00000000-0000-0000-0000-000000000000"]}], 422, "is not in this book"),
    ],
)
def test_arms_that_cannot_be_are_refused(arms, status, said, editor, steps):
    got = side_by_side(editor, {"arms": arms})
    assert (got.status_code, said in got.json()["detail"]) == (status, True), got.json()
