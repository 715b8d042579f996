"""Stored runs side by side: several arms in one family, whole sessions apart, and chains of entries."""

import pytest

from server.delivering import ORDER, PLAN, compared, deliver, recording, side_by_side

THREE = ["before", "after", "after 2", "after 2", "after", "before"] * 3
CHAIN = "/api/books/river/chain/"


def delivered(recorder, levels, order=ORDER, seed=1, day=4, names=("old", "new")):
    """The runs of each arm of a delivered recording."""
    plan = {**PLAN, "arm": [{"name": n, "command": ["x"]} for n in names]}
    registered = recording(order, plan=plan, created=f"2026-05-{day:02d}T18:30:00Z")
    deliver(recorder, registered, levels, seed)
    answer = recorder.post(f"/api/recordings/{registered['id']}/complete/")
    assert answer.status_code == 200, answer.json()
    return {a: [s["run"] for s in registered["slots"] if s["arm"] == a] for a in dict.fromkeys(order)}


@pytest.fixture
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
def test_an_empty_arm_is_compared_with_none_and_taken_off_all(editor, recorder):
    levels = {"before": 12.0, "after": 10.0, "after 2": 3.0}
    runs = delivered(recorder, levels, THREE, names=("old", "new", "nothing"))
    asked = [{"runs": runs["before"]}, {"runs": runs["after"]}, {"runs": runs["after 2"]}]
    got = side_by_side(editor, {"arms": asked, "empty": 2}).json()
    assert [(p["before"], p["after"]) for p in got["pairs"]] == [(0, 1)]
    net = {n["arm"]: n for n in got["net"]}
    assert net["old"]["low"] < 9.0 < net["old"]["high"]
    assert net["new"]["low"] < 7.0 < net["new"]["high"]


@pytest.mark.django_db
def test_arms_of_two_sessions_are_shown_but_not_tested(editor, recorder):
    """The order is known: one arm was recorded days after the other, and no test can rule drift out."""
    delivered(recorder, {"before": 12.0, "after": 10.0})
    late = delivered(recorder, {"before": 10.0, "after": 9.0}, seed=2, day=9)
    asked = [{"entry": 1, "side": "after"}, {"entry": 2, "side": "after"}]
    got = side_by_side(editor, {"arms": asked}).json()
    (pair,) = got["pairs"]
    assert (got["sessions"], pair["result"]["design"], pair["result"]["verdict"]) == (
        2,
        "order-confounded",
        "undecided",
    )
    mean = pair["result"]["figures"]["mean_ms"]
    assert mean["p_value"] is None
    assert mean["difference"] == pytest.approx(-1.0, abs=0.3)
    made = compared(editor, {"title": "late", "before": late["before"], "after": late["after"]})
    assert made.json()["result"]["design"] == "position"  # the recording knows its order


@pytest.mark.django_db
def test_one_build_in_two_sessions_with_another_in_both_is_tested_within_each(editor, recorder):
    first = delivered(recorder, {"before": 12.0, "after": 11.0})
    second = delivered(recorder, {"before": 13.0, "after": 11.9}, seed=2, day=9)  # a warmer day
    asked = [{"runs": first[a] + second[a]} for a in ("before", "after")]
    got = side_by_side(editor, {"arms": asked}).json()
    (pair,) = got["pairs"]
    assert pair["result"]["design"] == "position"
    assert pair["result"]["verdict"] == "gain"
    assert got["arms"][0]["name"] == "old"
    kept = compared(editor, {"title": "both days", "before": asked[0]["runs"], "after": asked[1]["runs"]}).json()
    mean = pair["result"]["figures"]["mean_ms"]
    assert {k: kept["result"]["figures"]["mean_ms"][k] for k in mean} == mean
    assert "a constant and a slope for each of 2 sessions" in kept["result"]["method"][1]


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
def test_arms_that_cannot_be_are_refused(arms, status, said, editor, recorder):
    delivered(recorder, {"before": 12.0, "after": 10.0})
    got = side_by_side(editor, {"arms": arms})
    assert (got.status_code, said in got.json()["detail"]) == (status, True), got.json()


@pytest.fixture
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
