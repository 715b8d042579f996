"""Late frames as a set, what parts could give, and one frame's page: two lanes that overlap, with pauses of one part."""

import json

import numpy as np
import pytest
from rest_framework.test import APIClient

from server.delivering import HEAD, put_batch, recording, run_body
from server.standing import doors

pytestmark = pytest.mark.django_db
_shared = doors("module")
book, people, token, recorder = _shared.book, _shared.people, _shared.token, _shared.recorder
editor, owner = _shared.editor, _shared.owner
BUDGET = 1000 / 60
COLUMNS = {**HEAD, "columns": ["frame", "river", "paint"], "lanes": {"river": "processor", "paint": "processor"}, "counters": ["heap", "waves"]}  # fmt: skip
PAUSES = {"before": 5, "after": 12}
ENTRY = "/api/books/river/entries/1/"


def played(rng, pauses):
    """400 frames: a busy river, a shorter painting, and pauses in which the river collects."""
    wave = [np.convolve(rng.standard_normal(459), 0.9 ** np.arange(60), "valid") * 0.44 for _ in range(2)]
    steer, paint = 9 * np.exp(0.05 * wave[0]), 7 * np.exp(0.05 * wave[1])
    collect = np.zeros(400)
    at = np.sort(rng.choice(np.arange(30, 390), pauses, replace=False))
    collect[at] = 18 + rng.random(pauses)
    river = steer + collect + 0.5
    heap = np.full(400, 100.0)
    heap[at] = 60.0
    waves = np.round(rng.random(400) * 40)
    return np.maximum(river, paint) + 0.2, river, paint, heap, waves, steer, collect


@pytest.fixture(scope="module")
def runs(recorder):
    """The first frames of every run, as they were delivered, by the run."""
    registered = recording()
    recorder.post("/api/recordings/", registered)
    rng = np.random.default_rng(9)
    made = {}
    for slot in registered["slots"]:
        frame, river, paint, heap, waves, steer, collect = played(rng, PAUSES[slot["arm"]])
        lines = []
        for i in range(400):
            parts = [("collect", 0.0, collect[i], 1), ("steer", float(collect[i]), steer[i], 34)]
            lines += [json.dumps({"part": [name], "lane": "river", "at": at, "ms": ms, "calls": n}) for name, at, ms, n in parts if ms]  # fmt: skip
            lines.append(json.dumps([float(v[i]) for v in (frame, river, paint, heap, waves)]))
        body = "\n".join([*lines, json.dumps({"end": {"frames": 400}})]) + "\n"
        answer = recorder.put(f"/api/runs/{slot['run']}/", run_body(registered, slot, head=COLUMNS))
        assert answer.status_code == 201, answer.json()["detail"]
        assert put_batch(recorder, slot["run"], 0, body.encode()).status_code == 201
        recorder.post(f"/api/runs/{slot['run']}/complete/", {"frames": 400})
        made[slot["run"]] = (slot["arm"], frame, collect, steer)
    assert recorder.post(f"/api/recordings/{registered['id']}/complete/").status_code == 200
    return made


def test_the_excess_account_names_the_pauses_and_their_increase(editor, runs):
    leaf = editor.get(f"{ENTRY}evidence/late/").json()
    _, after = leaf["arms"]
    late = sum((frame > 1.05 * BUDGET).sum() for arm, frame, *_ in runs.values() if arm == "after")
    assert (after["frames"], after["refused"], after["by_level"]) == (late, "", 0)
    by = {row["name"]: row for row in after["rows"]}
    assert by["collect"]["share"] == pytest.approx(1.0, abs=0.05)
    assert by["collect"]["main"] == after["frames"]
    assert "is collect (river)" in after["sentence"]
    assert sum(row["share"] for row in after["rows"] if row["depth"] == 0) == pytest.approx(1.0, abs=0.02)
    longest = after["longest"][0]
    arm, frame, *_ = runs[longest["run"]]
    assert (arm, frame[longest["frame"]]) == ("after", pytest.approx(longest["frame_ms"]))
    change = next(row for row in leaf["changes"] if row["name"] == "collect")
    assert (change["said"], change["shown"], change["words"]["column"]) == ("more", True, "spent")
    assert change["d_ms"] == pytest.approx((12 - 5) * 18.5 / 400, abs=0.05)
    assert 0 < change["low_ms"] < change["d_ms"] < change["high_ms"]


def test_stutters_are_a_set_too_and_another_word_is_refused(editor, runs):
    leaf = editor.get(f"{ENTRY}evidence/late/", {"of": "stutters"}).json()
    assert leaf["of"] == "stutters"
    assert [arm["events"] > 9 for arm in leaf["arms"]] == [True, True]
    answer = editor.get(f"{ENTRY}evidence/late/", {"of": "slow"})
    assert (answer.status_code, answer.json()["code"]) == (422, "of-unknown")


def test_what_goes_with_late_frames_is_found_by_a_job_and_kept(editor, runs):
    first = editor.get(f"{ENTRY}evidence/goes-with/").json()
    assert first["job"]["state"] == "done"  # done at once, in tests
    second = editor.get(f"{ENTRY}evidence/goes-with/").json()
    assert (second["job"], second["found"]) == (None, first["found"])
    after = second["found"]["arms"][1]
    top = after["rows"][0]
    assert (top["name"], top["kind"], top["lag"], top["call"]) == ("river / collect", "part", 0, "goes with late frames")  # fmt: skip
    assert "explains at most 100 % of the late frames" in after["sentence"]
    assert all(row["call"] != "goes with late frames" for row in after["rows"] if row["name"] == "waves")


def test_parts_are_ranked_by_what_they_would_give_and_together_they_do_not_add(editor, runs):
    leaf = editor.get(f"{ENTRY}evidence/if-free/").json()
    by = {row["name"]: row for row in leaf["rows"]}
    steer, collect = by["river / steer"], by["river / collect"]
    assert (leaf["refused"], steer["rank"]) == ("", 1)
    assert steer["mean_ms"]["value"] < 0.5 * steer["ms"]  # the painting takes over
    assert collect["late"]["value"] == pytest.approx(leaf["now"]["late"], abs=1e-9)  # without it none is late
    assert "at most, if nothing else changes" in leaf["sentence"]
    by_late = editor.get(f"{ENTRY}evidence/if-free/", {"by": "late"}).json()
    assert by_late["rows"][0]["name"] == "river / collect"
    parts = [{"lane": "river", "path": [name], "left": 0.0} for name in ("steer", "collect")]
    both = editor.post(f"{ENTRY}evidence/if-free/", {"arm": "after", "parts": parts}).json()
    alone = steer["mean_ms"]["value"] + collect["mean_ms"]["value"]
    assert both["mean_ms"]["value"] != pytest.approx(alone, rel=0.02)
    half = editor.post(f"{ENTRY}evidence/if-free/", {"arm": "after", "parts": [{**parts[0], "left": 0.9}]}).json()
    assert 0 < half["mean_ms"]["value"] < steer["mean_ms"]["value"]
    assert half["then"]["mean_ms"] == pytest.approx(half["now"]["mean_ms"] - half["mean_ms"]["value"])


@pytest.mark.parametrize(("body", "status", "code"), [
    ({"arm": "after", "parts": []}, 400, "invalid"),
    ({"arm": "third", "parts": [{"lane": "river", "path": ["steer"], "left": 0}]}, 422, "arm-unknown"),
    ({"arm": "after", "parts": [{"lane": "river", "path": ["nothing"], "left": 0}]}, 422, "part-unknown"),
    ({"arm": "after", "parts": [{"lane": "river", "path": ["steer"], "left": 0}] * 2}, 422, "part-twice"),
    ({"arm": "after", "parts": [{"lane": "river", "path": ["steer"], "left": 1.5}]}, 400, "invalid"),
    ({"arm": "after", "parts": [{"lane": "river", "path": [], "left": 0}]}, 400, "invalid"),
])  # fmt: skip
def test_what_cannot_be_made_cheaper_is_refused(editor, runs, body, status, code):
    answer = editor.post(f"{ENTRY}evidence/if-free/", body)
    assert (answer.status_code, answer.json()["code"]) == (status, code)


def test_the_page_of_one_frame(editor, runs):
    run, (_, frame, collect, _) = next((k, v) for k, v in runs.items() if v[0] == "after")
    at = int(np.flatnonzero(collect)[3])
    page = editor.get(f"/api/runs/{run}/frames/{at}/").json()
    assert (page["frame_ms"], page["late"], page["counted"]) == (pytest.approx(frame[at]), True, True)
    river = next(lane for lane in page["lanes"] if lane["name"] == "river")
    assert [(p["name"], p["calls"]) for p in river["parts"]] == [("collect", 1), ("steer", 34)]
    assert river["parts"][0]["usual_ms"] == 0.0
    assert river["parts"][1]["at_ms"] == pytest.approx(collect[at])
    assert river["ms"] == pytest.approx(sum(p["ms"] for p in river["parts"]) + river["rest_ms"])
    assert "collect alone took" in page["sentence"]
    near = np.flatnonzero(collect)
    assert (page["late_before"], page["late_after"]) == (near[2], near[4])
    counters = {c["name"]: c for c in page["counters"]}
    assert (counters["heap"]["value"], counters["heap"]["typical"]) == (60.0, 100.0)
    quiet = editor.get(f"/api/runs/{run}/frames/{at - 1}/").json()
    assert (quiet["late"], quiet["late_after"]) == (False, at)


def test_counters_beside_time(editor, runs):
    leaf = editor.get(f"{ENTRY}evidence/counters/").json()
    by = {row["name"]: row for row in leaf["rows"]}
    heap, waves = by["heap"], by["waves"]
    assert (heap["zero"], heap["constant"], heap["first_frame"]) == (False, False, 0)
    assert heap["mean"] == pytest.approx((388 * 100 + 12 * 60) / 400)
    assert heap["zero_said"].startswith("not zero in 2,000 of 2,000 frames")
    assert waves["place_said"].endswith("not shown")  # drawn by chance
    assert (heap["flat"], "each of 12 collections a run" in heap["flat_said"]) == ("flat", True)
    later = editor.get(f"{ENTRY}evidence/counters/", {"from_s": 2.0, "arm": "before"}).json()
    assert (later["arm"], later["after_s"]) == ("before", 2.0)
    assert "after 2.0 s" in later["rows"][0]["zero_said"]
    for asked, status in (
        ({"from_s": "x"}, 400),
        ({"from_s": -1}, 400),
        ({"from_s": "nan"}, 400),
        ({"arm": "third"}, 422),
    ):
        assert editor.get(f"{ENTRY}evidence/counters/", asked).status_code == status
    beyond = editor.get(f"{ENTRY}evidence/counters/", {"from_s": 900_000}).json()
    assert beyond["rows"][0]["zero_said"] == "no value after 900,000.0 s"


def test_the_work_of_a_stretch_of_a_run(editor, runs):
    run, (_, frame, collect, steer) = next((k, v) for k, v in runs.items() if v[0] == "after")
    whole = editor.get(f"/api/runs/{run}/work/").json()
    by = {(row["name"], row["kind"]): row for row in whole["parts"]}
    assert by["steer", "part"]["ms"] == pytest.approx(steer.mean())
    assert by["steer", "part"]["us_a_call"] == pytest.approx(1000 * steer.mean() / 34)
    assert by["collect", "part"]["present"] == pytest.approx(12 / 400)
    river = next(lane for lane in whole["lanes"] if lane["name"] == "river")
    assert sum(row["ms"] for row in whole["parts"]) == pytest.approx(river["ms"])
    assert whole["sentence"].startswith("river limits")
    at = int(np.flatnonzero(collect)[0])
    brushed = editor.get(f"/api/runs/{run}/work/", {"start": at, "stop": at + 2}).json()
    assert (brushed["frames"], brushed["frame_ms"]) == (2, pytest.approx(frame[at : at + 2].mean()))
    assert next(row["ms"] for row in brushed["parts"] if row["name"] == "collect") == pytest.approx(collect[at : at + 2].mean())  # fmt: skip
    empty = editor.get(f"/api/runs/{run}/work/", {"start": 400, "stop": 500})
    assert (empty.status_code, empty.json()["code"]) == (422, "window-empty")


def test_the_page_of_one_part(editor, runs):
    page = editor.get(f"{ENTRY}evidence/part/", {"lane": "river", "path": ["collect"]}).json()
    means = [(arm, collect.mean()) for arm, _, collect, _ in runs.values()]
    assert sorted(run["ms"] for run in page["runs"]) == pytest.approx(sorted(ms for _, ms in means))
    assert page["after_ms"] == pytest.approx(np.mean([ms for arm, ms in means if arm == "after"]))
    assert page["sentence"].startswith("collect takes ")
    assert "more" in page["sentence"]
    assert [then["number"] for then in page["history"]] == [1]
    assert page["history"][0]["after_ms"] == pytest.approx(page["after_ms"])
    known = [ms for ms in page["along_after"] if ms is not None]
    assert np.mean(known) == pytest.approx(page["after_ms"], rel=0.3)
    assert len(page["along_after"]) == len(page["edges_s"]) - 1
    for asked in ({"lane": "river", "path": ["nothing"]}, {"lane": "", "path": []}, {}):
        answer = editor.get(f"{ENTRY}evidence/part/", asked)
        assert (answer.status_code, answer.json()["code"]) == (422, "part-unknown")


@pytest.mark.parametrize("number", [400, 10**30])
def test_a_frame_that_is_not_there(editor, runs, number):
    answer = editor.get(f"/api/runs/{next(iter(runs))}/frames/{number}/")
    assert (answer.status_code, answer.json()["code"]) == (422, "frame-unknown")


def test_a_reader_may_ask_what_parts_would_give(people, runs):
    reader = APIClient()
    reader.force_login(people["reader"])
    body = {"arm": "after", "parts": [{"lane": "river", "path": ["steer"], "left": 0.5}]}
    assert reader.post(f"{ENTRY}evidence/if-free/", body).status_code == 200


def test_a_stranger_sees_none_of_it(runs):
    anonymous = APIClient()
    for path in (f"{ENTRY}evidence/late/", f"{ENTRY}evidence/if-free/", f"/api/runs/{next(iter(runs))}/frames/3/"):
        assert anonymous.get(path).status_code in (401, 403)
