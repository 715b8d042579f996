"""Planning on the server, handing out, following, asking; scenarios and their versions."""

import asyncio
import json
import tomllib
import uuid
from datetime import timedelta
from pathlib import Path

import numpy as np
import pytest
from core.generators import ordinary
from django.utils import timezone

from server.delivering import deliver, lines, put_batch, recording, run_body
from vigilant.plan import parse_plan
from vigilant.server import streaming
from vigilant.server.bench import events
from vigilant.server.bench.models import Live
from vigilant.server.entries.models import Entry
from vigilant.server.runs.models import Recording

pytestmark = pytest.mark.django_db

PLAN = {
    "scenario": {"name": "River course", "target_fps": 60, "duration_s": 5},
    "arm": [{"name": "old", "subject": "festival"}, {"name": "new", "subject": "festival"}],
    "recording": {"runs": 2},
    "entry": {"title": "Sparks from a table", "expected": "Less."},
}


@pytest.fixture
def planned(editor, book):
    answer = editor.post(f"/api/books/{book.slug}/recordings/", {"plan": PLAN})
    assert answer.status_code == 201, answer.json()
    return answer.json()


def stand_by(recorder, name="workbench"):
    return recorder.post("/api/standby/", {"name": name, "subjects": ["festival"], "facts": {}}).json()["recording"]


def test_a_plan_opens_its_entry_and_is_handed_out_by_its_number(planned, recorder, editor, book):
    assert (planned["state"], planned["entry"], planned["places"]) == ("planned", 1, [])
    taken = recorder.get("/api/recordings/planned/?entry=1").json()
    assert taken["id"] == planned["id"]
    assert taken["plan"]["entry"] == {"number": 1}
    assert recorder.get("/api/recordings/planned/?entry=7").json()["code"] == "nothing-planned"
    again = editor.post(f"/api/books/{book.slug}/recordings/", {"plan": {**PLAN, "entry": {"number": 1}}})
    assert again.json()["code"] == "entry-taken"


def test_a_length_is_one_however_it_is_written(recorder, editor, book):
    sent = recording(plan={**PLAN, "scenario": {**PLAN["scenario"], "duration_s": 5.0, "warm_up_s": 0.5}})
    recorder.post("/api/recordings/", sent)
    for written, version in ((5, 1), (5.0, 1), (5.5, 2)):
        scenario = {**PLAN["scenario"], "duration_s": written, "warm_up_s": 0.5}
        body = json.dumps({"plan": {**PLAN, "scenario": scenario}})
        answer = editor.post(f"/api/books/{book.slug}/recordings/", body, content_type="application/json")
        assert (answer.status_code, answer.json()["version"]) == (201, version)


def test_the_recorder_fills_the_planned_recording_and_its_entry(planned, recorder, editor):
    sent = recording(id=planned["id"], plan={**PLAN, "entry": {"number": 1}})
    entry = Entry.objects.get(number=1)
    assert entry.locked_at is None
    deliver(recorder, sent, {"before": 12.0, "after": 10.0})
    entry.refresh_from_db()
    assert entry.locked_at is not None
    body = editor.get(f"/api/recordings/{planned['id']}/").json()
    assert [p["arm"] for p in body["places"]] == [s["arm"] for s in sent["slots"]]
    assert all(p["mean_ms"] for p in body["places"])
    before = body["arms"][0]
    assert (before["label"], before["name"], before["runs"]) == ("before", "old", 5)
    done = recorder.post(f"/api/recordings/{planned['id']}/complete/", {}).json()
    assert (done["number"], done["verdict"]) == (1, "gain")
    other = recording(id=planned["id"], plan={**PLAN, "entry": {"number": 1}})
    assert recorder.post("/api/recordings/", other).json()["code"] == "recording-taken"


def test_a_recording_stopped_by_hand_is_judged_by_what_there_is(planned, recorder):
    sent = recording(id=planned["id"], plan={**PLAN, "entry": {"number": 1}})
    late = [
        {**s, "position": 10 + i, "run": str(uuid.uuid4()), "outcome": "planned"}
        for i, s in enumerate(sent["slots"][:2])
    ]
    deliver(recorder, sent, {"before": 12.0, "after": 10.0})
    recorder.post("/api/recordings/", {**sent, "slots": [*sent["slots"], *late]})
    assert recorder.post(f"/api/recordings/{planned['id']}/complete/", {}).json()["code"] == "runs-missing"
    done = recorder.post(f"/api/recordings/{planned['id']}/complete/", {"stopped": True}).json()
    assert done["verdict"] == "gain"
    assert Recording.objects.get().stopped


def test_each_further_arm_gets_an_entry_of_its_own(recorder, editor, book):
    order = ["before", "after", "after 2", "empty"] * 5
    arms = [{"name": "old", "command": ["x"]}, {"name": "new", "command": ["x"]}, {"name": "newer", "command": ["x"]},
            {"name": "meter", "command": ["x"], "empty": True}]  # fmt: skip
    sent = recording(order, plan={**PLAN, "arm": arms})
    levels = {"before": 12.0, "after": 10.0, "after 2": 14.0, "empty": 0.5}
    assert recorder.post("/api/recordings/", sent).status_code == 201
    deliver_rest(recorder, sent, levels)
    done = recorder.post(f"/api/recordings/{sent['id']}/complete/", {}).json()
    assert done["number"] == 1
    found = list(Entry.objects.order_by("number").values_list("title", "comparison__verdict"))
    assert found == [("Sparks from a table", "gain"), ("newer against old", "regression")]
    dots = editor.get(f"/api/books/{book.slug}/entries/2/").json()["dots"]
    assert len(dots) == 10
    net = {n["arm"]: n for n in editor.get(f"/api/books/{book.slug}/entries/1/").json()["result"]["net"]}
    assert set(net) == {"old", "new", "newer"}
    ranks = editor.get(f"/api/books/{book.slug}/entries/2/").json()["result"]["ranks"]
    mean = {r["arm"]: (r["best"], r["worst"]) for r in ranks if r["figure"] == "Mean frame"}
    assert mean == {"old": (2, 2), "new": (1, 1), "newer": (3, 3)}
    assert net["old"]["low"] < 12.06 - 0.56 < net["old"]["high"]  # pauses add 0.06 ms to each


def test_a_recording_until_decided_is_judged_at_its_last_look(recorder, editor, book):
    order = ["before", "after", "after", "before"] * 3
    recording_ = {"until_decided": True, "runs": 15}
    sent = recording(order, plan={**PLAN, "recording": recording_})
    assert recorder.post("/api/recordings/", sent).status_code == 201
    deliver_rest(recorder, sent, {"before": 12.0, "after": 8.0})
    looks = [{"pairs": k, "most": 15, "level": 0.001, "verdict": "undecided" if k < 6 else "gain"} for k in (4, 5, 6)]
    done = recorder.post(f"/api/recordings/{sent['id']}/complete/", {"stopped": True, "looks": looks})
    assert done.json()["verdict"] == "gain"
    assert "5 % over all looks" in done.json()["sentence"]
    body = editor.get(f"/api/recordings/{sent['id']}/").json()
    assert (body["until_decided"], [look["pairs"] for look in body["looks"]]) == (True, [4, 5, 6])
    result = Entry.objects.get().comparison.result
    assert (result["look"], result["alpha"]) == ({"pairs": 6, "most": 15}, pytest.approx(0.001695, rel=0.01))
    bad = [{**looks[0], "verdict": "splendid"}]
    assert recorder.post(f"/api/recordings/{sent['id']}/complete/", {"looks": bad}).status_code == 400


def test_a_claim_is_held_against_an_entry(recorder, editor, book):
    sent = recording(["before", "after", "after", "before"] * 2)
    recorder.post("/api/recordings/", sent)
    deliver_rest(recorder, sent, {"before": 12.0, "after": 10.0})
    recorder.post(f"/api/recordings/{sent['id']}/complete/", {})
    url = f"/api/books/{book.slug}/entries/1/claim/"
    answers = {say: editor.get(url, {"say": say}).json()["state"] for say in ("a fifth faster", "2.2x", "splendid")}
    assert answers == {"a fifth faster": "holds", "2.2x": "does not hold", "splendid": "not understood"}
    assert editor.get(url).status_code == 400
    editor.post(f"/api/books/{book.slug}/entries/", {"title": "Nothing yet"})
    assert editor.get(url.replace("/1/", "/2/"), {"say": "2x"}).json()["code"] == "nothing-recorded"


def deliver_rest(recorder, sent, levels):
    rng = np.random.default_rng(3)
    for slot in sent["slots"]:
        if recorder.put(f"/api/runs/{slot['run']}/", run_body(sent, slot)).json()["state"] != "receiving":
            continue
        x = ordinary(rng, 300, levels[slot["arm"]])
        put_batch(recorder, slot["run"], 0, lines(x))
        assert recorder.post(f"/api/runs/{slot['run']}/complete/", {"frames": 300}).json()["state"] == "complete"


def test_standing_by_hands_out_what_is_asked_of_this_recorder_only(recorder, editor, book):
    assert stand_by(recorder) is None
    url = f"/api/books/{book.slug}/recordings/"
    assert editor.post(url, {"plan": PLAN, "asked_of": "nobody"}).json()["code"] == "standby-unknown"
    made = editor.post(url, {"plan": PLAN, "asked_of": "workbench"}).json()
    assert stand_by(recorder, "handheld") is None
    assert stand_by(recorder)["id"] == made["id"]
    assert [s["name"] for s in editor.get(f"/api/books/{book.slug}/standby/").json()] == ["handheld", "workbench"]
    recorder.post(f"/api/recordings/{made['id']}/refuse/", {"why": "no such subject"})
    body = editor.get(f"/api/recordings/{made['id']}/").json()
    assert (body["state"], body["remark"]) == ("refused", "no such subject")
    assert stand_by(recorder) is None


def test_a_plan_names_what_is_offered_and_how_it_was_last_started(recorder, editor, book):
    plans = f"/api/books/{book.slug}/recordings/"
    for seed in ("1", "2", "1"):
        arms = [{"name": n, "subject": "festival", "arguments": ["--seed", seed]} for n in ("old", "new")]
        sent = editor.post(plans, {"plan": {**PLAN, "arm": arms}}).json()
    stand_by(recorder)
    Recording.objects.filter(plan__entry__number=2).update(plan={"arm": ["odd", {"subject": 3}]})  # of an old server
    recorder.post("/api/standby/", {"name": "rack", "subjects": ["festival", "harbour"], "facts": {}})
    assert editor.get(f"/api/books/{book.slug}/subjects/").json() == [
        {"name": "festival", "offered_by": ["rack", "workbench"], "used": ["--seed 1"]},
        {"name": "harbour", "offered_by": ["rack"], "used": []},
    ]
    plan = editor.get(f"/api/recordings/{sent['id']}/plan/").json()["plan"]
    assert plan["arm"][0]["arguments"] == ["--seed", "1"]


def test_reports_carry_wishes_back_and_a_skip_is_told_once(planned, recorder, editor):
    url = f"/api/recordings/{planned['id']}"
    assert editor.post(f"{url}/control/", {"control": "pause"}).json()["code"] == "not-recording"
    recorder.post("/api/recordings/", recording(id=planned["id"], plan={**PLAN, "entry": {"number": 1}}))

    def report(phase):
        return recorder.post(f"{url}/live/", {"phase": phase}).json()["control"]

    assert report("running") == "run"
    for control, answers in (
        ("pause", ["pause", "pause"]),
        ("run", ["run"]),
        ("skip", ["skip", "run"]),
        ("stop", ["stop"]),
    ):
        assert editor.post(f"{url}/control/", {"control": control}).status_code == 200
        assert [report("running") for _ in answers] == answers
    assert editor.get(f"{url}/").json()["live"] == {"number": 7, "phase": "running"}
    assert recorder.post(f"{url}/live/", {"trace": "x" * 300_000}).json()["code"] == "report-too-large"


def test_calling_off_what_nobody_took(planned, editor):
    body = editor.post(f"/api/recordings/{planned['id']}/control/", {"control": "stop"}).json()
    assert (body["state"], body["remark"]) == ("refused", "called off before it began")


@pytest.mark.parametrize("method", ["plan", "control"])
def test_a_reader_watches_only(method, planned, people, book):
    from rest_framework.test import APIClient

    reader = APIClient()
    reader.force_login(people["reader"])
    assert reader.get(f"/api/recordings/{planned['id']}/").status_code == 200
    url, body = {
        "plan": (f"/api/books/{book.slug}/recordings/", {"plan": PLAN}),
        "control": (f"/api/recordings/{planned['id']}/control/", {"control": "stop"}),
    }[method]
    assert reader.post(url, body).status_code == 403


@pytest.mark.django_db(transaction=True)  # the stream reads through connections of its own
def test_the_stream_sends_the_newest_report_and_every_later_one(planned, recorder, editor, client, people):
    url = f"/api/recordings/{planned['id']}"
    refused = client.get(f"{url}/events/")
    assert (refused.status_code, json.loads(refused.content)["code"]) == (401, "not-authenticated")
    recorder.post(f"{url}/live/", {"phase": "waiting"})

    async def first_two():
        stream = streaming._stream(None, events._hub, uuid.UUID(planned["id"]), events._may_read)
        got = []
        async for piece in stream:
            if b"data:" in piece:
                got.append(json.loads(piece.split(b"data: ")[1]))
                if len(got) == 1:
                    await asyncio.to_thread(recorder.post, f"{url}/live/", {"phase": "running"})
                if got[-1]["phase"] == "running":
                    break
        await stream.aclose()
        return got

    got = asyncio.run(asyncio.wait_for(first_two(), 20))
    assert [g["phase"] for g in got if g["phase"] != got[0]["phase"]] == ["running"]
    assert not events._hub.clients


def test_scenarios_change_in_place_until_used_and_say_what_changed(editor, recorder, book):
    url = f"/api/books/{book.slug}/scenarios/"
    first = {"target_fps": 60, "duration_s": 5, "policy": {"witnesses": ["boats"]}}
    made = editor.post(url, {"name": "River course", "definition": first}).json()
    longer = {**first, "duration_s": 8}
    assert editor.post(url, {"name": "River course", "definition": longer}).json()["version"] == 1
    sent = recording(plan={**PLAN, "scenario": {"name": "River course", **{k: longer[k] for k in ("target_fps", "duration_s")}},
                           "policy": longer["policy"]})  # fmt: skip
    assert recorder.post("/api/recordings/", sent).status_code == 201
    newer = {**longer, "legs": [{"name": "fireworks", "from_s": 4}], "settle": {"counter": "boats"}}
    body = editor.post(url, {"name": "River course", "definition": newer}).json()
    assert body["id"] == made["id"]
    assert body["version"] == 2
    assert [(d["label"], d["before"], d["after"]) for d in body["versions"][0]["changed"]] == [
        ("Settled when", "not stated", "boats changes by less than 1 % for 2 s"),
        ("Legs", "not stated", "fireworks from 4 s"),
    ]
    copied = parse_plan(tomllib.loads(body["plan_text"]), Path())
    assert copied.policy.legs[0].from_s == 4
    assert copied.policy.settle.counter == "boats"


@pytest.mark.parametrize(
    ("definition", "said"),
    [
        ({"duration_s": -1}, "duration_s must be from 0.1 on, got -1"),
        ({"speed": 3}, "a scenario has no 'speed'"),
        ({"legs": [{"name": "a", "from_s": 5}, {"name": "b", "from_s": 3}]}, "one after the other"),
        ({"settle": {"counter": ""}}, "settle counter is empty"),
        ({"policy": {"primaries": ["fastness"]}}, "unknown figure"),
    ],
)
def test_a_scenario_that_cannot_be_followed_is_refused(definition, said, editor, book):
    answer = editor.post(f"/api/books/{book.slug}/scenarios/", {"name": "x", "definition": definition})
    assert answer.status_code == 422
    assert said in answer.json()["detail"]


def test_marks_and_ends_are_for_runs_played_by_hand_and_told_once(recorder, editor, book):
    plan = {**PLAN, "recording": {"runs": 2, "played": "by hand"}}
    made = editor.post(f"/api/books/{book.slug}/recordings/", {"plan": plan}).json()
    url = f"/api/recordings/{made['id']}"
    assert editor.post(f"{url}/marks/", {"name": "pier"}).json()["code"] == "not-by-hand"
    recorder.post("/api/recordings/", recording(id=made["id"], plan={**plan, "entry": {"number": 1}}))
    assert editor.post(f"{url}/marks/", {"name": "pier"}).status_code == 200
    assert editor.post(f"{url}/control/", {"control": "end"}).status_code == 200
    told = recorder.post(f"{url}/live/", {"phase": "running"}).json()
    assert (told["control"], [m["name"] for m in told["marks"]]) == ("end", ["pier"])
    assert 0 <= told["marks"][0]["ago_s"] < 60
    assert recorder.post(f"{url}/live/", {"phase": "running"}).json() == {"control": "run", "marks": []}


def test_a_run_that_plays_by_itself_is_not_ended_by_hand(planned, recorder, editor):
    recorder.post("/api/recordings/", recording(id=planned["id"], plan={**PLAN, "entry": {"number": 1}}))
    answer = editor.post(f"/api/recordings/{planned['id']}/control/", {"control": "end"})
    assert answer.json()["code"] == "not-by-hand"


@pytest.mark.parametrize("delivered", [True, False])
def test_a_recording_whose_recorder_is_gone_is_stopped_here_with_what_there_is(delivered, planned, recorder, editor):
    sent = recording(id=planned["id"], plan={**PLAN, "entry": {"number": 1}})
    if delivered:
        deliver(recorder, sent, {"before": 12.0, "after": 10.0})
    else:
        recorder.post("/api/recordings/", sent)
    url = f"/api/recordings/{planned['id']}"
    recorder.post(f"{url}/live/", {"phase": "running"})
    assert editor.post(f"{url}/control/", {"control": "stop"}).json()["state"] == "recording"
    Live.objects.update(reported_at=timezone.now() - timedelta(minutes=5))
    body = editor.post(f"{url}/control/", {"control": "stop"}).json()
    assert body["state"] == "finished"
    assert (Entry.objects.get(number=1).comparison_id is not None) == delivered
    assert (body["stopped"], body["remark"]) == (True, "" if delivered else "no run of arm before is complete")


def test_what_was_measured_beside_a_run_is_told_with_it(recorder, editor):
    sent = recording(["before"])
    slot = sent["slots"][0]
    recorder.post("/api/recordings/", sent)
    beside = {
        "measured": {"other work": 0.123, "clock_mhz": 3200.4},
        "revision": {"revision": "abc123", "sources": "clean"},
    }
    body = run_body(sent, slot, conditions={"file a.ini": "00ff"}, **beside)
    assert recorder.put(f"/api/runs/{slot['run']}/", body).status_code == 201
    put_batch(recorder, slot["run"], 0, lines([10.0] * 50))
    recorder.post(f"/api/runs/{slot['run']}/complete/", {"frames": 50})
    run = editor.get(f"/api/runs/{slot['run']}/").json()
    assert [row["value"] for row in run["measured"]] == ["12 % of a core", "3,200 MHz"]
    assert run["sources"] == "abc123, clean"
    assert run["conditions"]["file a.ini"] == "00ff"
    assert recorder.put(f"/api/runs/{uuid.uuid4()}/", {**body, "measured": {"x": "nan"}}).status_code == 400
