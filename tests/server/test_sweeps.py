"""Ramps and knobs: planned as a sweep, finished with an account of what the budget carries, or which value is best."""

import csv
import html
import io
from dataclasses import replace
from typing import get_args

import numpy as np
import pytest

from server.delivering import deliver, recording
from vigilant.core import FrameSeries, Mark
from vigilant.plan.switches import Account
from vigilant.server.books.models import Book, Member
from vigilant.server.entries.models import Entry
from vigilant.server.runs.models import Recording, Run, RunFigures, Slot
from vigilant.server.runs.store import read_series, write_series
from vigilant.server.statements.accounts import _PARTS, KINDS
from vigilant.server.vary.accounts import ACCOUNTS

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


def only(found, figure):
    """The one arm of a figure."""
    (arm,) = found["figures"][figure]["arms"]
    return arm


def account(client, sent, of):
    return client.get(f"/api/recordings/{sent['id']}/{of}/")


def test_a_ramp_says_what_the_budget_carries_and_the_sum_on_paper(editor, recorder, book):
    sent = recorded(editor, recorder, book, RAMP, [4.0, 9.0, 14.0, 19.0])
    done = recorder.post(f"/api/recordings/{sent['id']}/complete/", {})
    assert done.json() == {"path": f"/{book.slug}/ramp/{sent['id']}"}
    assert not Entry.objects.exists()
    found = account(editor, sent, "ramp").json()
    assert (found["unit"], found["steps"], found["figures"][0]["two"]) == ("boats", [], None)
    mean = only(found, 0)
    assert [point["asked"] for point in mean["points"]] == LOADS
    assert mean["capacity"]["value"] == pytest.approx((1000 / 60 - 4.06) / 0.0125, rel=0.02)  # pauses add 0.06 ms
    assert mean["capacity"]["low"] < mean["capacity"]["value"] < mean["capacity"]["high"]
    assert mean["sentence"].startswith("By the mean frame the budget carries 1,0")
    assert mean["confirm"] == [400.0, 800.0, 1200.0]  # the bracket's ends and one level on each side
    assert mean["paper"].startswith("16.67 ms budget, less 4.")
    assert mean["growth"].startswith("How the time grows is not told")  # four levels
    assert [len(point["runs"]) for point in mean["points"]] == [4] * 4
    assert any("no counter says" in note for note in mean["notes"])
    loads, fitted, low, high = zip(*mean["band"], strict=True)
    assert (loads[0], loads[-1]) == (0.0, 1200.0)
    assert all(a < b < c for a, b, c in zip(low, fitted, high, strict=True))
    late = found["figures"][2]
    assert late["budget_ms"] == pytest.approx(1.05 * 1000 / 60)


def test_levels_stand_where_the_counter_says(editor, recorder, book):
    """The stream's draws are 700 in every frame, whatever was asked for: such levels are one."""
    counted = {**RAMP, "sweep": {**RAMP["sweep"], "counter": "draws"}}
    sent = recorded(editor, recorder, book, counted, [4.0, 9.0, 14.0, 19.0])
    mean = only(account(editor, sent, "ramp").json(), 0)
    assert (mean["points"], mean["capacity"]["value"]) == ([], None)
    assert any(note.startswith("At 0, 400, 800 and 1,200 there was no more load") for note in mean["notes"])
    nameless = {**RAMP, "sweep": {**RAMP["sweep"], "counter": "lanterns"}}
    again = recorded(editor, recorder, book, nameless, [4.0, 9.0, 14.0, 19.0])
    assert any("no counter says" in note for note in only(account(editor, again, "ramp").json(), 0)["notes"])


def test_what_is_held_or_fails_is_named(editor, recorder, book):
    sent = recorded(editor, recorder, book, RAMP, [4.0, 9.0, 14.0, 19.0])
    slots = Recording.objects.get().slots
    for slot in slots.filter(arm="after"):
        RunFigures.objects.filter(run=slot.run).update(values={**slot.run.figures.values, "cap_ms": 16.67})
    Slot.objects.create(recording_id=sent["id"], position=99, attempt=1, arm="after 3", run_uuid=sent["id"], outcome="crashed")  # fmt: skip
    figure = account(editor, sent, "ramp").json()["figures"][0]
    (mean,) = figure["arms"]
    assert [point["value"] for point in mean["points"]] == [0.0, 800.0]
    assert [(point["value"], len(point["runs"])) for point in mean["held"]] == [(400.0, 4)]
    assert (mean["capacity"]["value"], mean["capacity"]["low"]) == (None, 800.0)
    assert figure["sentence"] == "By the mean frame the budget carries at least 800 boats, where runs fail (crashed)."
    assert "At 400 a refresh cap holds the frames: all that is known there is that they fit it." in mean["notes"]
    assert "At 1,200 1 of 5 runs failed (crashed): a ceiling that is no time." in mean["notes"]
    assert "At 800 none did; so few attempts leave a rate of failures of up to 53 %." in mean["notes"]


TWO = {
    **RAMP,
    "arm": [
        {"name": "pairs", "subject": "festival", "arguments": ["--pairs"]},
        {"name": "cells", "subject": "festival"},
    ],
    "sweep": {**RAMP["sweep"], "values": [0.0, 400.0, 800.0, 1200.0]},
}
SIDES = [*LABELS, *(f"after {i}" for i in range(4, 8))]


def both(editor, recorder, book, plan, before, after):
    taken = planned(editor, recorder, book, plan)
    order = [*SIDES, *SIDES[::-1]] * 2
    sent = recording(order, id=taken["id"], plan=taken["plan"])
    deliver(recorder, sent, dict(zip(SIDES, [*before, *after], strict=True)))
    return sent


def test_two_arms_of_a_ramp_are_set_against_each_other(editor, recorder, book):
    sent = both(editor, recorder, book, TWO, [4.0, 9.0, 14.0, 19.0], [4.0, 8.4, 12.8, 17.2])
    arms = Recording.objects.get().plan["arm"]
    assert [(a["side"], a["name"], a["arguments"]) for a in (arms[0], arms[4])] == [
        ("before", "pairs, 0 boats", ["--pairs", "--boats", "0"]), ("after", "cells, 0 boats", ["--boats", "0"])]  # fmt: skip
    found = account(editor, sent, "ramp").json()["figures"][0]
    assert [arm["name"] for arm in found["arms"]] == ["pairs", "cells"]
    assert found["sentence"].startswith("By the mean frame pairs carries 1,0")
    assert "cells 1,1" in found["sentence"]
    assert "% more (" in found["sentence"]
    two = found["two"]
    assert [(row["load"], row["shown"]) for row in two["equal"]] == [(0, False), (400, True), (800, True), (1200, True)]
    assert two["equal"][3]["words"]["column"] == "saved"
    assert two["equal"][3]["ms"] == pytest.approx(-1.8, abs=0.3)
    assert two["unit"].startswith("At 1,200 boats, less the empty scene, each costs 1")
    assert " % less (" in two["unit"]
    assert two["apart"] == ""


def test_two_arms_of_a_knob_cross(editor, recorder, book):
    plan = {
        **TWO,
        "sweep": {"name": "cell size", "of": "knob", "values": [1.0, 2.0, 3.0, 4.0], "arguments": ["{value}"]},
    }
    sent = both(editor, recorder, book, plan, [10.0, 10.0, 10.0, 10.0], [12.0, 11.0, 9.0, 8.0])
    found = account(editor, sent, "knob").json()
    assert [(arm["name"], arm["call"]) for arm in found["arms"]] == [("pairs", "one of"), ("cells", "best")]
    mean = found["crossings"][0]
    (one,) = mean["proven"]
    assert 2.0 < one["low"] < one["value"] < one["high"] < 3.0
    assert mean["sentence"].startswith("cells is dearer than pairs below cell size 2.")


def test_what_more_cores_bring(editor, recorder, book):
    plan = {**RAMP, "sweep": {"name": "cores", "of": "cores", "values": [1.0, 2.0, 4.0, 8.0]}}
    sent = recorded(editor, recorder, book, plan, [20.1, 11.3, 7.05, 5.22])
    assert [arm["cores"] for arm in Recording.objects.get().plan["arm"]] == [list(range(n)) for n in (1, 2, 4, 8)]
    mean = account(editor, sent, "cores").json()["figures"][0]
    assert [row["cores"] for row in mean["rows"]] == [1, 2, 4, 8]
    assert mean["rows"][3]["speed_up"] == pytest.approx(20.1 / 5.22, rel=0.03)
    assert mean["rows"][3]["low"] < mean["rows"][3]["speed_up"] < mean["rows"][3]["high"]
    assert mean["sentence"].startswith("The mean frame on 8 cores against 1 is 3.")
    assert "stays serial" in mean["law"]
    assert mean["rows"][0]["core_ms"] is None


CHOOSING = {
    **{k: v for k, v in RAMP.items() if k != "recording"},
    "sweep": {**RAMP["sweep"], "values": [0.0, 400.0, 1600.0], "until_pct": 1.5, "most_runs": 30},
}


def test_a_ramp_that_chooses_its_levels_tells_how(editor, recorder, book):
    taken = planned(editor, recorder, book, CHOOSING)
    order = [*LABELS[:3], *LABELS[:3][::-1]]
    first = recording(order, id=taken["id"], plan=taken["plan"])
    levels = {"before": 4.0, "after": 9.0, "after 2": 24.0, "after 3": 16.2}
    deliver(recorder, first, levels)
    (step,) = account(editor, first, "ramp").json()["steps"]
    assert step["runs"] == 6
    assert (
        step["sentence"].startswith("After 6 runs: half of the interval") or "its interval is open" in step["sentence"]
    )
    arm = {**taken["plan"]["arm"][0], "name": "980 boats", "arguments": ["--boats", "980"], "value": 980.0}
    grown = {**taken["plan"], "arm": [*taken["plan"]["arm"], arm]}
    new = recording(["after 3", "after 3"])["slots"]
    slots = [*first["slots"], *({**slot, "position": 6 + i} for i, slot in enumerate(new))]
    more = {**first, "plan": grown, "slots": slots}
    assert recorder.post("/api/recordings/", more).status_code == 200
    assert [a["name"] for a in Recording.objects.get().plan["arm"]][3:] == ["980 boats"]


@pytest.mark.parametrize("change", [
    lambda plan: {**plan, "arm": [*plan["arm"][1:], plan["arm"][0], plan["arm"][0]]},
    lambda plan: {**plan, "sweep": {**plan["sweep"], "most_runs": 400}, "arm": [*plan["arm"], {**plan["arm"][0], "value": 9.0, "name": "9"}]},
])  # fmt: skip
def test_a_recording_under_way_keeps_its_plan(editor, recorder, book, change):
    taken = planned(editor, recorder, book, CHOOSING)
    first = recording(LABELS[:3], id=taken["id"], plan=taken["plan"])
    assert recorder.post("/api/recordings/", first).status_code == 201
    refused = recorder.post("/api/recordings/", {**first, "plan": change(taken["plan"])})
    assert refused.status_code == 422
    assert [a["name"] for a in Recording.objects.get().plan["arm"]] == ["0 boats", "400 boats", "1600 boats"]


def test_a_knob_says_which_values_are_best(editor, recorder, book):
    knob = {**RAMP, "sweep": {"name": "interval", "of": "knob", "values": [1.0, 2.0, 3.0, 4.0], "arguments": ["--interval={value}"]}}  # fmt: skip
    sent = recorded(editor, recorder, book, knob, [12.0, 10.0, 10.0, 13.0])
    assert [arm["arguments"] for arm in Recording.objects.get().plan["arm"]] == [[f"--interval={n}"] for n in (1, 2, 3, 4)]  # fmt: skip
    found = account(editor, sent, "knob").json()
    (arm,) = found["arms"]
    assert (found["name"], arm["call"], found["crossings"]) == ("interval", "one of", [])
    assert found["sentence"].startswith("Interval at 2 or 3: no matter which")
    mean = arm["figures"][0]
    assert mean["inside"] == [False, True, True, False]
    assert float(mean["lost"][0].removesuffix(" %")) == pytest.approx(20, abs=6)
    assert account(editor, sent, "ramp").json()["code"] == "no-account"


@pytest.mark.parametrize(("sweep", "said"), [
    ({"arguments": ["--boats", "10"]}, "must hold {value}"),
    ({"values": [5.0]}, "values"),
    ({"values": [5.0, 5.0]}, "two arms have one name|one value"),
    ({"of": "mood"}, "must be"),
    ({"of": "cores", "values": [0.0, 2.0]}, "whole numbers from 1"),
    ({"most_runs": 20}, "go with until_pct"),
    ({"until_pct": 2.0, "of": "knob"}, "of a load of one arm"),
    ({"until_pct": 2.0, "most_value": 5.0}, "is under the values"),
    ({"until_pct": 2.0}, "begin with 2 runs each"),
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


def on_rig(recorder, alias, level, kind="calibration"):
    """A recording of known work on a rig, as a comparison of one build with itself."""
    plan = {
        "scenario": {"name": "Known work", "target_fps": 60, "duration_s": 5, "kind": kind},
        "arm": [{"name": "once", "subject": "festival"}, {"name": "again", "subject": "festival"}], "cell": {},
    }  # fmt: skip
    sent = recording(plan=plan, rig={"alias": alias, "facts": {"cores": "8"}})
    deliver(recorder, sent, {"before": level, "after": level})


def test_a_capacity_is_carried_over_to_a_rig_that_did_the_same_known_work(editor, recorder, book):
    sent = recorded(editor, recorder, book, RAMP, [4.0, 9.0, 14.0, 19.0])
    found = account(editor, sent, "ramp").json()
    assert (found["rigs"], found["figures"][0]["elsewhere"]) == ([], [])
    on_rig(recorder, "thin laptop", 10.0)
    on_rig(recorder, "tall desk", 8.0, "typical")  # no known work
    on_rig(recorder, "handheld", 15.0)
    found = account(editor, sent, "ramp").json()
    assert found["rigs"] == ["handheld"]
    address = f"/api/recordings/{sent['id']}/ramp/"
    (said,) = editor.get(address, {"on": "handheld"}).json()["figures"][0]["elsewhere"]
    assert said.startswith("On handheld it would carry 5")  # the budget of a frame half as long again
    assert "the scenario Known work takes 1.5" in said
    assert said.endswith("An extrapolation, never a proof: record it there.")
    assert editor.get(address, {"on": "tall desk"}).json()["code"] == "rig-unknown"


RICH = {
    **RAMP,
    "sweep": {**RAMP["sweep"], "richness": {"name": "sparks a boat", "values": [1.0, 2.0], "arguments": ["--sparks", "{value}"]}},
}  # fmt: skip


def test_a_trade_says_what_is_carried_at_each_richness(editor, recorder, book):
    taken = planned(editor, recorder, book, RICH)
    order = [label for turn in (SIDES, SIDES[::-1], SIDES[::2] + SIDES[1::2]) for label in turn]
    sent = recording(order, id=taken["id"], plan=taken["plan"])
    levels = [4.0 + 0.00625 * load * (1 + rich) for rich in (1, 2) for load in LOADS]
    deliver(recorder, sent, dict(zip(SIDES, levels, strict=True)))
    done = recorder.post(f"/api/recordings/{sent['id']}/complete/", {})
    assert done.json() == {"path": f"/{book.slug}/trade/{sent['id']}"}
    found = account(editor, sent, "trade").json()
    assert (found["unit"], found["richness"]) == ("boats", "sparks a boat")
    mean = found["figures"][0]
    assert [arm["richness"] for arm in mean["arms"]] == [1.0, 2.0]
    for arm, true in zip(mean["arms"], (1008.0, 672.0), strict=True):  # pauses add 0.06 ms
        assert arm["capacity"]["low"] < true < arm["capacity"]["high"]
        assert [point["asked"] for point in arm["points"]] == LOADS
    assert mean["factor"].startswith("What one of the boats costs grows in a straight line with sparks a boat: 0.006")
    assert mean["sentence"].startswith("By the mean frame the budget carries 1,0")
    assert account(editor, sent, "ramp").json()["code"] == "no-account"


def statement(client, sent, form, slug="river"):
    return client.get(f"/api/books/{slug}/statement/", {"account": str(sent["id"]), "as": form})


def test_a_statement_of_a_ramp_says_what_its_page_says(editor, recorder, book):
    sent = recorded(editor, recorder, book, RAMP, [4.0, 9.0, 14.0, 19.0])
    recorder.post(f"/api/recordings/{sent['id']}/complete/", {})
    mean = account(editor, sent, "ramp").json()["figures"][0]
    page = html.unescape(statement(editor, sent, "html").content.decode())
    assert statement(editor, sent, "pdf").content.startswith(b"%PDF-")
    markdown = statement(editor, sent, "markdown").content.decode()
    for said in (mean["sentence"], mean["arms"][0]["paper"], "How many boats?", "16 complete runs"):
        assert said in page
        assert said in markdown
    assert page.count("<svg") == 1  # the levels
    rows = list(csv.DictReader(io.StringIO(statement(editor, sent, "csv").content.decode())))
    told = [float(r["value"]) for r in rows if (r["figure"], r["table"], r["column"]) == ("mean_ms", "Levels", "ms")]
    assert told == [point["ms"] for point in mean["arms"][0]["points"]]
    whole = statement(editor, sent, "json").json()
    assert (whole["kind"], whole["account"]["runs"], len(whole["account"]["figures"])) == ("account", 16, 3)
    other = Book.objects.create(slug="lake", name="Lake")
    Member.objects.create(book=other, user=Member.objects.get(book=book, role="editor").user, role="editor")
    assert statement(editor, sent, "json", "lake").json()["code"] == "recording-missing"


def test_every_kind_of_account_has_a_statement():
    assert ACCOUNTS.keys() == KINDS.keys() == _PARTS.keys() == set(get_args(Account)) - {"", "line"}


def test_cores_are_held_against_any_order_of_their_work(editor, recorder, book):
    """On one core 20 ms, 3 of them a chain; the recorder read a clock that fell with the cores."""
    plan = {**RAMP, "sweep": {"name": "cores", "of": "cores", "values": [1.0, 2.0, 4.0, 8.0]}}
    sent = recorded(editor, recorder, book, plan, [20.0, 11.0, 9.0, 5.5])
    assert account(editor, sent, "cores").json()["figures"][0]["chain"] == ""
    for slot in Recording.objects.get().slots.all():
        run = slot.run
        series = read_series(run)
        lanes = {
            name: np.full(series.frame_ms.size, ms) for name, ms in (("all workers", 20.0), ("longest chain", 3.0))
        }
        roles = {"all workers": "summed", "longest chain": "chain"}
        write_series(run, replace(series, lanes=lanes, lane_roles=roles))
        Run.objects.filter(pk=run.pk).update(
            measured={"clock_mhz": {"before": 4000.0, "after": 3600.0}.get(slot.arm, 3000.0)}
        )
    mean, tail = account(editor, sent, "cores").json()["figures"]
    assert mean["chain"].startswith("Of 20.00 core-ms a frame the longest chain takes 3.00 ms")
    assert [row["schedule"].partition(" (")[0] for row in mean["rows"]] == [
        "as good as any order", "room for scheduling", "slower than any order of the work makes it", "slower than any order of the work makes it",
    ]  # fmt: skip
    assert [(row["clock_mhz"], row["power_w"]) for row in mean["rows"]] == [(4000.0, None), (3600.0, None), (3000.0, None), (3000.0, None)]  # fmt: skip
    assert tail["chain"] == ""


LEGS = {
    **RAMP,
    "sweep": {**RAMP["sweep"], "arguments": ["--boats", "{values}"], "counter": "draws", "in_one_run": True},
}


def test_a_ramp_whose_runs_hold_every_load(editor, recorder, book):
    taken = planned(editor, recorder, book, LEGS)
    assert [arm["arguments"] for arm in taken["plan"]["arm"]] == [["--boats", "{values}"]]
    sent = recording(["before"] * 4, id=taken["id"], plan=taken["plan"])
    deliver(recorder, sent, {"before": 9.0})
    assert account(editor, sent, "ramp").json()["code"] == "values-missing"  # no leg is named by a load
    rng = np.random.default_rng(5)
    for i, slot in enumerate(Recording.objects.get().slots.all()):
        order = [LOADS, LOADS[::-1], LOADS[2:] + LOADS[:2], LOADS[:1] + LOADS[:0:-1]][i]
        ms = np.concatenate([(4.0 + 0.0125 * load) * (1 + 0.005 * i) * np.exp(0.02 * rng.standard_normal(300)) for load in order])  # fmt: skip
        marks = [Mark(300 * at, f"{load:g}", True) for at, load in enumerate(order)]
        series = FrameSeries(ms, counters={"draws": np.repeat(order, 300)}, marks=marks)
        write_series(slot.run, series)
        stored = [{"index": m.index, "name": m.name, "play": True} for m in marks]
        Run.objects.filter(pk=slot.run_id).update(marks=stored, frames=ms.size)
    found = account(editor, sent, "ramp").json()
    assert (found["in_one_run"], found["rigs"], found["steps"]) == (True, [], [])
    mean = only(found, 0)
    assert [point["value"] for point in mean["points"]] == LOADS
    assert [len(point["runs"]) for point in mean["points"]] == [4] * 4
    assert mean["capacity"]["low"] < (1000 / 60 - 4.03) / 0.0126 < mean["capacity"]["high"]
    assert "The run is the unit: legs of one are no repeats of each other." in mean["notes"]
    assert editor.get(f"/api/recordings/{sent['id']}/ramp/?on=handheld").json()["code"] == "rig-unknown"
    assert mean["sentence"] in html.unescape(statement(editor, sent, "html").content.decode())
    last = Recording.objects.get().slots.last().run
    Run.objects.filter(pk=last.pk).update(marks=[])
    notes = only(account(editor, sent, "ramp").json(), 0)["notes"]
    assert any(note.startswith("1 runs lack a leg") for note in notes)
