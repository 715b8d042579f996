"""Where the time goes, as a leaf of an entry: the limit moves from the river to the painting, and that is a remark."""

import json

import numpy as np
import pytest

from server.delivering import HEAD, put_batch, recording, run_body
from server.standing import doors
from vigilant.server.evidence import tasks
from vigilant.server.evidence.models import Found
from vigilant.server.runs.models import Run

pytestmark = pytest.mark.django_db
_shared = doors("module")
book, people, token, recorder = _shared.book, _shared.people, _shared.token, _shared.recorder
editor, owner = _shared.editor, _shared.owner
LANES = {**HEAD, "columns": ["frame", "river", "paint"], "lanes": {"river": "processor", "paint": "processor"}, "counters": []}  # fmt: skip
PLAIN = {**HEAD, "columns": ["frame"], "lanes": {}, "counters": []}


def recorded(recorder, head, levels, **plan):
    """Two lanes that overlap; of ``levels`` by arm."""
    registered = recording()
    registered["plan"] = {**registered["plan"], **plan}
    recorder.post("/api/recordings/", registered)
    rng = np.random.default_rng(5)
    for slot in registered["slots"]:
        waves = [
            np.convolve(rng.standard_normal(459), 0.9 ** np.arange(60), "valid") * 0.44 for _ in levels[slot["arm"]]
        ]
        busy = [level * np.exp(0.05 * wave) for level, wave in zip(levels[slot["arm"]], waves, strict=True)]
        frame = np.max(busy, axis=0) * 1.005
        rows = [[float(v) for v in row][: len(head["columns"])] for row in zip(frame, *busy, strict=True)]
        parts = [json.dumps({"part": ["look", "far"], "lane": "river", "ms": row[1] / 2, "calls": 3}) + "\n" if len(row) > 1 else "" for row in rows]  # fmt: skip
        body = (
            "".join(part + json.dumps(row) + "\n" for part, row in zip(parts, rows, strict=True))
            + json.dumps({"end": {"frames": 400}})
            + "\n"
        )
        recorder.put(f"/api/runs/{slot['run']}/", run_body(registered, slot, head=head))
        assert put_batch(recorder, slot["run"], 0, body.encode()).status_code == 201
        recorder.post(f"/api/runs/{slot['run']}/complete/", {"frames": 400})
    assert recorder.post(f"/api/recordings/{registered['id']}/complete/").status_code == 200


@pytest.fixture(scope="module")
def entry(recorder):
    recorded(recorder, LANES, {"before": (14.0, 9.0), "after": (7.0, 9.0)})
    return "/api/books/river/entries/1/"


def test_lanes_limits_and_headroom_of_both_arms(editor, entry):
    leaf = editor.get(f"{entry}evidence/work/").json()
    river, paint = leaf["lanes"]
    assert (river["name"], river["said"], river["words"]["column"]) == ("river", "less", "saved")
    assert river["low_ms"] < river["d_ms"] < river["high_ms"] < 0
    assert river["d_ms"] == pytest.approx(-7.0, abs=0.5)
    assert (paint["said"], paint["shown"], river["shown"]) == ("not shown", False, True)
    assert leaf["frame"]["before_ms"] == pytest.approx(14.2, abs=0.5)
    limits = {row["name"]: row for row in leaf["limits"]}
    assert limits["river"]["before"]["share"] > 0.9 > limits["river"]["after"]["share"]
    assert limits["paint"]["after"]["share"] > 0.7
    assert leaf["overlap"].startswith("The lanes overlap")
    assert leaf["moved"]
    assert leaf["sentence"].startswith("The limit moved from river (")
    before, after = leaf["headroom"]
    assert before["mean_ms"] < after["mean_ms"] == pytest.approx(1000 / 60 - 9.1, abs=0.5)
    assert "left in the mean frame" in after["said"]


def test_parts_stand_under_what_they_lie_in_and_their_rest_closes_the_lane(editor, entry):
    leaf = editor.get(f"{entry}evidence/work/").json()
    look, far, rest = leaf["parts"]
    assert [(p["name"], p["depth"], p["kind"]) for p in leaf["parts"]] == [
        ("look", 0, "steady"), ("far", 1, "steady"), ("and the rest", 0, "rest"),
    ]  # fmt: skip
    river = leaf["lanes"][0]
    for arm in ("before_ms", "after_ms"):
        assert look[arm] == far[arm] == pytest.approx(river[arm] / 2)
        assert look[arm] + rest[arm] == pytest.approx(river[arm])
    assert (far["said"], far["words"]["calls"], far["words"]["share"]) == ("less", "3.00", "50 %")
    assert leaf["part_notes"] == ["Not timed themselves, the sum of what lies in them: look."]


def test_what_rows_carry_adds_up_to_the_frame_in_both_arms(editor, entry):
    leaf = editor.get(f"{entry}evidence/work/").json()
    for arm in ("before_ms", "after_ms"):
        tops = [row[arm] for row in leaf["carried"] if row["depth"] == 0]
        assert sum(tops) == pytest.approx(leaf["frame"][arm], abs=0.01)
    look = next(row for row in leaf["carried"] if row["name"] == "look")
    assert look["after_ms"] < 0.2 * look["before_ms"]  # its lane hardly limits any more
    assert "rows of parts that did not change move with it" in leaf["carried_sentence"]
    assert leaf["parts"][1]["split"]["calls_ms"] == pytest.approx(0.0, abs=1e-9)


def test_a_limit_that_moved_is_a_remark_of_the_entry(editor, entry):
    tasks.unlooked()
    remarks = editor.get(entry).json()["remarks"]
    assert [r["said"] for r in remarks if r["leaf"] == "work"] == [
        editor.get(f"{entry}evidence/work/").json()["sentence"]
    ]


def test_an_entry_without_lanes_says_that_it_cannot_be_told(editor, entry, recorder):
    recorded(recorder, PLAIN, {"before": (14.0, 9.0), "after": (7.0, 9.0)}, entry={"title": "Another"})
    leaf = editor.get("/api/books/river/entries/2/evidence/work/").json()
    assert (leaf["lanes"], leaf["limits"], leaf["headroom"], leaf["parts"], leaf["moved"]) == ([], [], [], [], False)
    assert "cannot be told" in leaf["sentence"]


def test_a_lane_that_waits_for_another_is_told_and_busy_without_it(editor, recorder):
    head = {**LANES, "columns": [*LANES["columns"], "river for paint"], "lanes": {**LANES["lanes"], "river for paint": "blocked"},
            "waits": {"river": {"paint": "river for paint"}}}  # fmt: skip
    recorded(recorder, head, {"before": (9.0, 9.5, 4.0), "after": (9.0, 9.5, 1.0)})
    number = editor.get("/api/books/river/entries/", {"ordering": "-number"}).json()["results"][0]["number"]
    leaf = editor.get(f"/api/books/river/entries/{number}/evidence/work/").json()
    (wait,) = leaf["waits"]
    assert (wait["lane"], wait["on"], wait["before_ms"], wait["after_ms"]) == ("river", "paint", pytest.approx(4.0, rel=0.05), pytest.approx(1.0, rel=0.05))  # fmt: skip
    assert wait["said"].endswith("in 100.0 % of frames")
    lanes = {lane["name"]: lane for lane in leaf["lanes"]}
    assert set(lanes) == {"river", "paint"}
    assert (lanes["river"]["before_ms"], lanes["river"]["after_ms"]) == (pytest.approx(5.0, rel=0.1), pytest.approx(8.0, rel=0.1))  # fmt: skip
    assert leaf["machine"] == []


def test_what_the_recorder_read_of_the_machine_stands_beside(editor, entry):
    for run, mhz in zip(Run.objects.filter(comparison_runs__arm__comparison__entry__number=1).distinct(), range(3000, 4000, 100), strict=False):  # fmt: skip
        run.measured = {"clock_mhz": mhz, "power_w": 12.5}
        run.save()
    Found.objects.all().delete()
    leaf = editor.get(f"{entry}evidence/work/").json()
    clock, power = leaf["machine"]
    assert (clock["name"], clock["unit"], "3,000 to" in clock["said"]) == ("processor clock", "MHz", True)
    assert power["said"] == "12.5 (12.5 to 12.5 over all runs)"
