"""Three arms of one recording, side by side and as steps."""

import pytest

from server.delivering import compared, side_by_side
from server.standing import doors
from server.test_arms import CHAIN, THREE, delivered

_shared = doors("module")
book, people, token, recorder = _shared.book, _shared.people, _shared.token, _shared.recorder
editor, owner = _shared.editor, _shared.owner


@pytest.fixture(scope="module")
def three(recorder):
    levels = {"before": 12.0, "after": 10.0, "after 2": 10.0}
    return delivered(recorder, levels, THREE, names=("all pairs", "cells", "cells again"))


@pytest.mark.django_db
def test_arms_of_one_recording_are_told_as_when_they_were_recorded(editor, three):
    asked = [{"entry": 1, "side": "before"}, {"entry": 1, "side": "after"}, {"runs": three["after 2"]}]
    got = side_by_side(editor, {"arms": asked, "against": "all"}).json()
    assert [a["name"] for a in got["arms"]] == ["all pairs (no. 1 before)", "cells (no. 1 after)", "cells again"]
    assert {(p["before"], p["after"]): p["result"]["verdict"] for p in got["pairs"]} == {
        (0, 1): "gain", (0, 2): "gain", (1, 2): "undecided",
    }  # fmt: skip
    assert got["sessions"] == 1
    mean = {r["arm"]: (r["best"], r["worst"]) for r in got["ranks"] if r["figure"] == "Mean frame"}
    assert list(mean.values()) == [(3, 3), (1, 2), (1, 2)]
    kept = editor.get("/api/books/river/entries/1/").json()["result"]["figures"]["mean_ms"]
    assert got["pairs"][0]["result"]["figures"]["mean_ms"]["p_value"] == pytest.approx(kept["p_value"], rel=1e-9)


@pytest.mark.django_db
def test_steps_of_shared_runs_show_little_and_say_so(editor, three):
    """Two entries of one recording, and a total made of the same runs: they close by construction."""
    body = {"title": "second step", "before": three["after"], "after": three["after 2"]}
    number = compared(editor, body).json()["number"]
    mean = editor.get(CHAIN, {"entry": [1, number]}).json()["rows"][0]
    assert mean["low"] is None
    assert abs(mean["remainder"]) < 0.01
    assert "share runs" in mean["words"]["meaning"]


@pytest.mark.django_db
def test_a_run_held_against_itself_stays_in_both_arms(editor, three):
    body = {"title": "itself", "before": three["before"], "after": three["before"]}
    result = compared(editor, body).json()["result"]
    assert (result["runs"], result["design"]) == ({"before": 6, "after": 6}, "order-unknown")
