"""Ramps and knobs: planned as a sweep, finished with an account of what the budget carries, or which value is best."""

import pytest

from server.delivering import deliver, recording
from vigilant.server.entries.models import Entry
from vigilant.server.runs.models import Recording, RunFigures, Slot

pytestmark = pytest.mark.django_db

LOADS = [0.0, 400.0, 800.0, 1200.0]
RAMP = {
    "scenario": {"name": "River course", "target_fps": 60, "duration_s": 5},
    "arm": [{"name": "festival", "subject": "festival"}],
    "sweep": {"name": "boats", "of": "load", "values": LOADS, "arguments": ["--boats", "{value}"]},
    "recording": {"runs": 4},
    "entry": {"title": "How many boats?"},
}
LABELS = ["before", "after", "after 2", "after 3"]
ORDER = ["before", "after", "after 2", "after 3", "after 3", "after", "before", "after 2"] * 2


def planned(editor, recorder, book, plan):
    answer = editor.post(f"/api/books/{book.slug}/recordings/", {"plan": plan})
    assert answer.status_code == 201, answer.json()
    return recorder.get("/api/recordings/planned/", {"recording": answer.json()["id"]}).json()


def recorded(editor, recorder, book, plan, levels):
    taken = planned(editor, recorder, book, plan)
    sent = recording(ORDER, id=taken["id"], plan=taken["plan"])
    deliver(recorder, sent, dict(zip(LABELS, levels, strict=True)))
    return sent


def account(client, sent, of):
    return client.get(f"/api/recordings/{sent['id']}/{of}/")


def test_a_ramp_says_what_the_budget_carries_and_the_sum_on_paper(editor, recorder, book):
    sent = recorded(editor, recorder, book, RAMP, [4.0, 9.0, 14.0, 19.0])
    done = recorder.post(f"/api/recordings/{sent['id']}/complete/", {})
    assert done.json() == {"path": f"/{book.slug}/ramp/{sent['id']}"}
    assert not Entry.objects.exists()
    found = account(editor, sent, "ramp").json()
    assert (found["unit"], found["asked"]) == ("boats", LOADS)
    mean = found["figures"][0]
    assert mean["capacity"]["value"] == pytest.approx((1000 / 60 - 4.06) / 0.0125, rel=0.02)  # pauses add 0.06 ms
    assert mean["capacity"]["low"] < mean["capacity"]["value"] < mean["capacity"]["high"]
    assert mean["sentence"].startswith("By the mean frame the budget carries 1,0")
    assert mean["paper"].startswith("16.67 ms budget, less 4.")
    assert mean["growth"].startswith("How the time grows is not told")  # four levels
    assert [len(point["runs"]) for point in mean["points"]] == [4] * 4
    assert any("no counter says" in note for note in mean["notes"])
    late = found["figures"][2]
    assert late["budget_ms"] == pytest.approx(1.05 * 1000 / 60)


def test_levels_stand_where_the_counter_says(editor, recorder, book):
    """The stream's draws are 700 in every frame, whatever was asked for: levels of one load are no ramp."""
    counted = {**RAMP, "sweep": {**RAMP["sweep"], "counter": "draws"}}
    sent = recorded(editor, recorder, book, counted, [4.0, 9.0, 14.0, 19.0])
    refused = account(editor, sent, "ramp")
    assert (refused.status_code, "apart" in refused.json()["detail"]) == (422, True)
    nameless = {**RAMP, "sweep": {**RAMP["sweep"], "counter": "lanterns"}}
    again = recorded(editor, recorder, book, nameless, [4.0, 9.0, 14.0, 19.0])
    assert any("no counter says" in note for note in account(editor, again, "ramp").json()["figures"][0]["notes"])


def test_what_is_held_or_fails_is_named(editor, recorder, book):
    sent = recorded(editor, recorder, book, RAMP, [4.0, 9.0, 14.0, 19.0])
    slots = Recording.objects.get().slots
    for slot in slots.filter(arm="after"):
        RunFigures.objects.filter(run=slot.run).update(values={**slot.run.figures.values, "cap_ms": 16.67})
    Slot.objects.create(recording_id=sent["id"], position=99, attempt=1, arm="after 3", run_uuid=sent["id"], outcome="crashed")  # fmt: skip
    mean = account(editor, sent, "ramp").json()["figures"][0]
    assert [point["value"] for point in mean["points"]] == [0.0, 800.0, 1200.0]
    assert "400 boats: a refresh cap holds most of its runs, so that it is left out." in mean["notes"]
    assert any(note.startswith("1200 boats: some of its runs failed") for note in mean["notes"])


def test_a_knob_says_which_values_are_best(editor, recorder, book):
    knob = {**RAMP, "sweep": {"name": "interval", "of": "knob", "values": [1.0, 2.0, 3.0, 4.0], "arguments": ["--interval={value}"]}}  # fmt: skip
    sent = recorded(editor, recorder, book, knob, [12.0, 10.0, 10.0, 13.0])
    assert [arm["arguments"] for arm in Recording.objects.get().plan["arm"]] == [[f"--interval={n}"] for n in (1, 2, 3, 4)]  # fmt: skip
    found = account(editor, sent, "knob").json()
    assert (found["name"], found["call"]) == ("interval", "one of")
    assert found["sentence"].startswith("Interval at 2 or 3: no matter which")
    mean = found["figures"][0]
    assert mean["inside"] == [False, True, True, False]
    assert float(mean["lost"][0].removesuffix(" %")) == pytest.approx(20, abs=6)
    assert account(editor, sent, "ramp").json()["code"] == "no-account"


@pytest.mark.parametrize(("sweep", "said"), [
    ({"arguments": ["--boats", "10"]}, "must hold {value}"),
    ({"values": [5.0]}, "values"),
    ({"values": [5.0, 5.0]}, "two arms have one name|one value"),
    ({"of": "mood"}, "must be"),
    ({"values": [-1.0, 5.0]}, "greater than or equal to 0|from 0|at least 0"),
])  # fmt: skip
def test_a_sweep_that_is_none_is_refused(editor, book, sweep, said):
    answer = editor.post(f"/api/books/{book.slug}/recordings/", {"plan": {**RAMP, "sweep": {**RAMP["sweep"], **sweep}}})
    assert answer.status_code in (400, 422)
    assert any(part in answer.content.decode() for part in said.split("|"))


def test_a_ramp_without_a_target_or_with_one_level_has_no_account(editor, recorder, book):
    scenario = {k: v for k, v in RAMP["scenario"].items() if k != "target_fps"}
    sent = recorded(editor, recorder, book, {**RAMP, "scenario": scenario}, [4.0, 9.0, 14.0, 19.0])
    assert account(editor, sent, "ramp").json()["code"] == "no-target"
    empty = planned(editor, recorder, book, RAMP)
    assert account(editor, empty, "ramp").json()["code"] == "values-missing"
