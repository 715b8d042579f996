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
