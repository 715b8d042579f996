"""The leaves of an entry: the course and its legs, stutters with those that recur, remarks; kept, and made anew."""

import json

import numpy as np
import pytest

from server.delivering import HEAD, put_batch, recording, run_body
from server.standing import doors
from vigilant.core import CORE_VERSION
from vigilant.server.entries.models import Comparison
from vigilant.server.evidence import tasks
from vigilant.server.evidence.models import Found
from vigilant.server.jobs.models import Job

pytestmark = pytest.mark.django_db
_shared = doors("module")
book, people, token, recorder = _shared.book, _shared.people, _shared.token, _shared.recorder
editor, owner = _shared.editor, _shared.owner
LEAVES = "/api/books/river/entries/1/evidence/"
LEGS = ("landing stage", "rain on open water", "fireworks")
FRAMES = 200
#: Frames of a leg that is no play.
AFTER = 20


def lines_of(rng, arm):
    """Three legs: the change makes the second quicker and the third slower, and takes away a stutter of the first."""
    factors = {"before": (1.0, 1.4, 1.0), "after": (1.0, 1.2, 1.15)}[arm]
    level = 120.0 * np.exp(rng.normal(0, 0.003))
    x = np.concatenate([level * f * np.exp(rng.normal(0, 0.02, FRAMES)) for f in factors])
    if arm == "before":
        x[150] += 300.0
    x[rng.integers(450, 590)] += 250.0  # somewhere, by chance
    rows = []
    for i, ms in enumerate(x):
        if i % FRAMES == 0:
            rows.append(json.dumps({"mark": LEGS[i // FRAMES]}))
        rows.append(json.dumps([float(ms), float(ms) / 2 + (200.0 if ms > 350 else 0.0), i]))
    rows.append(json.dumps({"mark": "going home", "play": False}))
    rows += [json.dumps([{"before": 200.0, "after": 300.0}[arm] + i % 7 / 10, 1.0, 0]) for i in range(AFTER)]
    rows.append(json.dumps({"end": {"frames": len(x) + AFTER}}))
    return ("\n".join(rows) + "\n").encode()


@pytest.fixture(scope="module")
def entry(recorder):
    registered = recording()
    assert recorder.post("/api/recordings/", registered).status_code == 201
    rng = np.random.default_rng(3)
    for slot in registered["slots"]:
        recorder.put(f"/api/runs/{slot['run']}/", run_body(registered, slot, head=HEAD))
        assert put_batch(recorder, slot["run"], 0, lines_of(rng, slot["arm"])).status_code == 201
        recorder.post(f"/api/runs/{slot['run']}/complete/", {"frames": 3 * FRAMES + AFTER})
    assert recorder.post(f"/api/recordings/{registered['id']}/complete/").status_code == 200
    return [slot["run"] for slot in registered["slots"]]


def test_the_course_says_where_the_change_is(editor, entry):
    leaf = editor.get(f"{LEAVES}course/").json()
    assert [s["name"] for s in leaf["sections"]] == list(LEGS)
    bins = len(leaf["edges_s"]) - 1
    # Thirty frames a bin: twenty of them in 600 frames.
    assert 18 <= bins <= 21
    for arm in ("before", "after"):
        assert len(leaf[arm]["typical_ms"]) == len(leaf[arm]["late"]) == bins
        assert all(a <= b <= c for a, b, c in zip(leaf[arm]["low_ms"], leaf[arm]["typical_ms"], leaf[arm]["high_ms"], strict=True))  # fmt: skip
        assert leaf["typical"][arm] in entry
    assert all(lo < d < hi for lo, d, hi in zip(leaf["band_low_ms"], leaf["difference_ms"], leaf["band_high_ms"], strict=True))  # fmt: skip
    legs = {s["leg"]: s["most_ms"] for s in leaf["stretches"]}
    assert set(legs) == {"rain on open water", "fireworks"}
    assert legs["rain on open water"] < -15 < 10 < legs["fireworks"]
    assert "in rain on open water" in leaf["sentence"]
    calls = {leg["name"]: leg["figures"]["mean_ms"]["call"] for leg in leaf["legs"]}
    assert calls["rain on open water"].startswith("better")
    assert calls["fireworks"].startswith("worse")
    # The stutter that is gone was 300 of its 24,000 ms.
    assert calls["landing stage"] == "better, within margin"
    said = leaf["said"]["mean_ms"]
    assert "fireworks fared worst" in said[0]
    assert "is not shown: fireworks may have" in said[1]


def test_what_was_left_out_is_compared_in_rows_of_its_own(editor, entry):
    (row,) = editor.get(f"{LEAVES}course/").json()["left_out"]
    assert (row["name"], row["before"], row["after"]) == ("going home", 5, 5)
    said = {f["name"]: f for f in row["figures"]}
    assert [f["words"]["label"] for f in row["figures"]] == ["a frame of it", "all of it", "its worst frame"]
    assert said["total_ms"]["difference"] == pytest.approx(2000.0, abs=20.0)
    assert said["total_ms"]["call"] == "worse"


def test_the_runs_say_how_they_lay_in_their_session(editor, entry):
    leaf = editor.get(f"{LEAVES}runs/").json()
    assert "No drift is told" in leaf["drift"]["said"] or "the verdict allows for it" in leaf["drift"]["said"]
    assert leaf["drift"]["low"] < leaf["drift"]["share"] < leaf["drift"]["high"]
    spans = [(b["first"], b["last"]) for b in leaf["blocks"]]
    assert [first for first, _ in spans] == [0, *(last + 1 for _, last in spans[:-1])]
    assert sum(b["runs"] for b in leaf["blocks"]) == 10
    quicker = sum(b["share"] < 0 for b in leaf["blocks"])
    assert f"quicker in {quicker} of {len(spans)} blocks" in leaf["said"]
    assert leaf["without"] is None


def test_both_results_stand_where_runs_were_set_aside(editor, entry):
    def aside(runs, out=True):
        body = {"runs": runs, "aside": out, "why": "The door was open."}
        assert editor.post("/api/books/river/runs/aside/", body).status_code == 200
        return editor.get(f"{LEAVES}runs/").json()["without"]

    whole = editor.get("/api/books/river/entries/1/").json()
    arm = {a: [d["run"] for d in whole["dots"] if d["arm"] == a] for a in ("before", "after")}
    without = aside([arm["before"][0]])
    assert without["runs"] == {"before": 4, "after": 5}
    assert (without["stamp"], without["mean"]["before"] != whole["result"]["figures"]["mean_ms"]["before"]) == (
        "Gain",
        True,
    )
    # One that went on until it was decided keeps the levels of its look: its intervals are wider.
    made = Comparison.objects.get()
    made.result["look"] = {"pairs": 5, "most": 12}
    made.save()
    Found.objects.filter(leaf="runs").delete()
    wide = editor.get(f"{LEAVES}runs/").json()["without"]["mean"]
    assert wide["ci_low"] < without["mean"]["ci_low"] < without["mean"]["ci_high"] < wide["ci_high"]
    del made.result["look"]
    made.save()
    # The entry itself stays as it was decided.
    assert editor.get("/api/books/river/entries/1/").json()["result"]["sentence"] == whole["result"]["sentence"]
    none = aside(arm["after"])
    assert (none["verdict"], "none left" in none["sentence"], none["runs"]["after"]) == (None, True, 0)
    back = aside([arm["before"][0], *arm["after"]], out=False)
    assert back is None
    Comparison.objects.update(verdict="void")
    Found.objects.all().delete()
    void = editor.get(f"{LEAVES}runs/").json()
    assert (void["drift"], void["said"]) == (None, "")


def test_lanes_and_counters_lie_under_the_course(editor, entry):
    leaf = editor.get(f"{LEAVES}course/?with=lane:gpu,counter:draws,lane:none").json()
    assert leaf["columns"] == ["counter:draws", "lane:gpu"]
    draws, gpu = leaf["beside"]
    assert (gpu["name"], draws["name"]) == ("gpu", "draws")
    # Asked otherwise it is the same leaf, and kept once.
    editor.get(f"{LEAVES}course/?with=counter:draws,lane:gpu,counter:{'x' * 300}")
    assert Found.objects.filter(leaf="course").exclude(asked="").count() == 1
    # The counter numbers the frames: it rises along the course.
    assert draws["before"] == sorted(draws["before"])
    assert not any("work_mean_ms" in leg["figures"] for leg in leaf["legs"])  # no lane waits
    by_place = editor.get(f"{LEAVES}course/?position=draws").json()
    assert (by_place["by"], len(by_place["sections"])) == ("position", 1)
    assert editor.get(f"{LEAVES}course/?position=gpu").json()["code"] == "position-turns-back"


def test_stutters_by_place_with_those_that_recur_apart(editor, entry):
    leaf = editor.get(f"{LEAVES}stutters/").json()
    assert leaf["count"] == len(leaf["stutters"]) == sum(run["stutters"] for run in leaf["runs"])
    (place,) = leaf["places"]
    assert (place["leg"], place["before"], place["after"], place["differs"]) == ("landing stage", 5, 0, True)
    assert "is gone: 5 of 5 runs before, 0 of 5 after" in place["said"]
    there = [s for s in leaf["stutters"] if s["recurring"] == 0]
    assert {(s["frame"], leaf["runs"][s["run"]]["arm"], s["stood_out"]) for s in there} == {(150, "before", "gpu")}
    assert {leaf["runs"][s["run"]]["id"] for s in there} <= set(entry)
    assert leaf["rates"]["before"]["not_recurring"] < leaf["rates"]["before"]["all"]
    assert leaf["rates"]["after"]["not_recurring"] == leaf["rates"]["after"]["all"]
    (size,) = leaf["shape"]
    assert (size["words"]["label"], size["words"]["unit"]) == ("Size of a stutter", "ms")
    # Before, one of 300 and one of 250 ms; after, that of 250 alone, so that nothing lies between two.
    assert size["before"] > size["after"] > 200
    assert leaf["regular"] == []


def test_what_leaves_found_stands_under_the_sentence(editor, entry):
    remarks = editor.get("/api/books/river/entries/1/").json()["remarks"]
    assert [r["leaf"] for r in remarks] == ["course", "stutters"]
    assert remarks[0]["said"].startswith("Worse in fireworks: mean frame 12")
    assert "is gone: 5 of 5" in remarks[1]["said"]


def test_a_leaf_is_kept_and_made_anew_by_another_core_or_of_other_runs(editor, entry, monkeypatch):
    first = editor.get(f"{LEAVES}course/").json()
    kept = Found.objects.get(leaf="course", asked="")
    Found.objects.filter(pk=kept.pk).update(document={**kept.document, "sentence": "As it was kept."})
    assert editor.get(f"{LEAVES}course/").json()["sentence"] == "As it was kept."
    Found.objects.filter(pk=kept.pk).update(core_version=f"{CORE_VERSION}-before")
    assert editor.get(f"{LEAVES}course/").json() == first
    Comparison.objects.update(fingerprint="of other runs")
    assert editor.get("/api/books/river/entries/1/").json()["remarks"] == []


def test_of_runs_that_are_not_comparable_nothing_is_said(editor, entry):
    Comparison.objects.update(verdict="void")
    Found.objects.all().delete()
    course, stutters = (editor.get(f"{LEAVES}{leaf}/").json() for leaf in ("course", "stutters"))
    assert (course["judged"], course["stretches"], course["band_low_ms"], course["said"]) == (False, [], None, {})
    assert "nothing is said of the change" in course["sentence"]
    (place,) = stutters["places"]
    assert (place["differs"], "gone" in place["said"]) == (False, False)


def test_a_sweep_looks_into_what_nobody_looked_into(editor, entry):
    Found.objects.all().delete()  # as in a book that was taken in, or made before there were leaves
    Job.objects.all().delete()
    tasks.unlooked()
    assert Found.objects.filter(leaf="remarks").count() == 1
    kept = Found.objects.get(leaf="remarks").made_at
    tasks.unlooked()
    assert Found.objects.get(leaf="remarks").made_at == kept


def test_an_entry_without_runs_and_a_stranger_have_no_leaves(editor, entry, django_user_model):
    editor.post("/api/books/river/entries/", {"title": "Glow"})
    assert editor.get("/api/books/river/entries/2/evidence/course/").json()["code"] == "nothing-recorded"
    from rest_framework.test import APIClient

    stranger = APIClient()
    stranger.force_login(django_user_model.objects.create_user("stranger"))
    assert stranger.get(f"{LEAVES}course/").status_code == 404


def test_the_spread_says_where_in_the_distribution_the_change_is(editor, entry):
    leaf = editor.get(f"{LEAVES}spread/").json()
    assert leaf["judged"]
    assert "percentile" in leaf["sentence"]
    assert leaf["at"] == sorted(leaf["at"])
    for arm in ("before_ms", "after_ms"):
        assert leaf[arm] == sorted(leaf[arm])
    # The last hundredth takes a good part of the axis, and no quantile is drawn with few frames beyond it.
    ticks = {t["share"]: t["at"] for t in leaf["ticks"]}
    assert ticks[0.99] > ticks[0.9] > ticks[0.5] == 0.5
    assert max(leaf["quantiles"]["share"]) <= 1 - 10 / (3 * FRAMES)
    assert [row["times"] for row in leaf["over"]] == ([] if leaf["budget_ms"] is None else [1, 2])


def test_the_spread_of_runs_that_are_not_comparable_says_nothing(editor, entry):
    Comparison.objects.update(verdict="void")
    leaf = editor.get(f"{LEAVES}spread/").json()
    assert (leaf["judged"], leaf["quantiles"]["low_ms"]) == (False, None)
    assert "nothing is said of the change" in leaf["sentence"]
    assert {row["figure"]["call"] for row in leaf["over"]} <= {"not certifiable"}


def test_naive_readings_stand_beside_the_true_answer(editor, entry):
    leaf = editor.get(f"{LEAVES}naive/").json()
    said = {r["name"]: r for r in leaf["readings"]}
    assert len(said) == 7
    assert "fps" in said["momentary rates"]["claimed"]
    assert "p " in said["pooled frames"]["claimed"]
    assert all(r["why"].endswith(".") for r in leaf["readings"])
