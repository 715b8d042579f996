"""What an attacker, a broken recorder and a bad disk would send: each is refused with a reason, nothing is stored
by half, and the server answers the next honest request. No answer is a 500."""

import copy
import gzip
import json
import time
import uuid

import pytest
import zstandard
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from rest_framework.test import APIClient

from server.delivering import HEAD, PLAN, digest_of, lines, put_batch, recording, run_body
from vigilant.formats import limits
from vigilant.server.backlog.api import AllowancesInSerializer, DecisionTableSerializer, IdeaInSerializer
from vigilant.server.entries.forms import ArmsInSerializer, CompleteRecordingSerializer, FilingInSerializer
from vigilant.server.evidence.work_shapes import TogetherInSerializer
from vigilant.server.problems import Problem
from vigilant.server.runs.batches import decompress
from vigilant.server.runs.forms import RecordingInSerializer
from vigilant.server.runs.models import Recording, Run, RunBatch
from vigilant.server.runs.store import read_series

pytestmark = pytest.mark.django_db
NEVER = uuid.UUID("00000000-0000-4000-8000-0000000000ff")


@pytest.fixture
def opened(recorder):
    registered = recording()
    assert recorder.post("/api/recordings/", registered).status_code == 201
    slot = registered["slots"][0]
    assert recorder.put(f"/api/runs/{slot['run']}/", run_body(registered, slot)).status_code == 201
    return registered, slot["run"]


def sent(client, method, path, body):
    """A body as it is, whatever it is."""
    body = body if isinstance(body, (bytes, str)) else json.dumps(body)
    return getattr(client, method)(path, body, content_type="application/json")


def refused(answer, *statuses):
    assert answer.status_code in (statuses or (400, 413, 422, 409)), answer.content
    assert answer["Content-Type"] == "application/problem+json"
    detail = answer.json()["detail"]
    assert detail
    assert not detail.endswith("..")
    assert "Traceback" not in detail
    assert "<" not in detail[:1]
    return answer.json()


# -- batches

many = limits.BATCH_LINES
BATCHES = {
    "a million marks": (b'{"mark":"a"}\n' * 600_000, "batch-too-long"),
    "marks beyond a run's": (b'{"mark":"a"}\n' * (limits.MARKS + 1), "marks-too-many"),
    "figures beyond a run's": (b'{"figure":"f","value":1}\n' * (limits.FIGURES + 1), "figures-too-many"),
    "lines beyond a batch's": (b"[1,1,1]\n" * (many + 1), "batch-too-long"),
    "empty lines beyond a batch's": (b"\n" * (many + 1), "batch-too-long"),
    "a line of 64 KiB and one": (b"[" + b" " * limits.LINE_BYTES + b"1,1,1]\n", "line-too-long"),
    "an end that states another count": (b'[9,1,1]\n{"end":{"frames":7}}\n', "count-unlike"),
    "an end that states true": (b'[9,1,1]\n{"end":{"frames":true}}\n', "count-unlike"),
    "a line after the end": (b'[9,1,1]\n{"end":{"frames":1}}\n[9,1,1]\n', "after-end"),
    "a frame of 1e308": (b"[1e308,1,1]\n", "too-large"),
    "a frame of 1e999": (b"[1e999,1,1]\n", "not-finite"),
    "a frame of a thousand digits": (b"[" + b"9" * 1000 + b",1,1]\n", "not-finite"),
    "a frame of ten thousand digits": (b"[" + b"9" * 10_000 + b",1,1]\n", "line-unreadable"),
    "a lane of 1e308": (b"[9,1e308,1]\n", "too-large"),
    "a counter of 1e308": (b"[9,1,1e308]\n", "too-large"),
    "a negative lane": (b"[9,-1,1]\n", "not-positive"),
    "a figure of 1e300": (b'{"figure":"load_ms","value":1e300}\n', "not-finite"),
    "a part of 1e300": (b'{"part":"a","ms":1e300}\n', "not-finite"),
    "a part with calls beyond a double": (b'{"part":"a","ms":1,"calls":9007199254740993}\n', "not-finite"),
    "a part of a hundred levels": (json.dumps({"part": ["a"] * 100, "ms": 1}).encode() + b"\n", "part-unnamed"),
    "a mark that is half a surrogate pair": (b'{"mark":"\\ud800"}\n', "line-unreadable"),
    "a mark with a NUL": (b'{"mark":"a\\u0000b"}\n', "mark-unfit"),
    "a mark without a name": (b'{"mark":""}\n', "mark-unfit"),
    "a mark that is a list": (b'{"mark":[]}\n', "mark-unfit"),
    "a mark of 101 characters": (b'{"mark":"' + b"a" * 101 + b'"}\n', "mark-unfit"),
    "a record with a key twice": (b'{"mark":"a","mark":"b"}\n', "line-unreadable"),
    "a record of 900 levels": (b'{"x":' + b"[" * 900 + b"]" * 900 + b"}\n", "line-unreadable"),
    "a frame of 2,000 levels": (b"[" * 2000 + b"]" * 2000 + b"\n", "line-unreadable"),
    "bytes that are no UTF-8": (b'{"mark":"\xff\xfe"}\n', "line-unreadable"),
    "true for a frame": (b"[true,1,1]\n", "not-finite"),
    "text for a frame": (b'["9",1,1]\n', "not-finite"),
}


@pytest.mark.parametrize("name", BATCHES)
def test_a_hostile_batch_is_refused_whole_and_the_run_goes_on(name, recorder, opened):
    _, run = opened
    body, code = BATCHES[name]
    before = time.process_time()
    assert refused(put_batch(recorder, run, 0, body))["code"] == code
    assert time.process_time() - before < 20  # minutes, before there were limits
    assert not RunBatch.objects.exists()
    assert put_batch(recorder, run, 0, b'[9,1,1]\n{"end":{"frames":1}}\n').status_code == 201
    assert recorder.post(f"/api/runs/{run}/complete/", {"frames": 1}).json()["state"] == "complete"


def test_a_batch_is_checked_as_the_continuation_of_those_before_it(recorder, opened):
    _, run = opened
    assert put_batch(recorder, run, 0, b"[9,1,1]\n" * 3).status_code == 201
    wrong = refused(put_batch(recorder, run, 1, b'[9,1,1]\n{"end":{"frames":1}}\n'))
    assert (wrong["code"], "states 1 frames, 4 came" in wrong["detail"], wrong["line"]) == ("count-unlike", True, 6)
    assert put_batch(recorder, run, 1, b'[9,1,1]\n{"end":{"frames":4}}\n').status_code == 201
    assert refused(put_batch(recorder, run, 2, b"[9,1,1]\n"))["code"] == "after-end"
    assert recorder.post(f"/api/runs/{run}/complete/", {"frames": 4}).json()["state"] == "complete"


def test_marks_are_counted_over_all_batches(recorder, opened):
    _, run = opened
    half = b'{"mark":"a"}\n' * (limits.MARKS // 2)
    assert put_batch(recorder, run, 0, b"[9,1,1]\n" + half).status_code == 201
    assert put_batch(recorder, run, 1, half).status_code == 201
    assert refused(put_batch(recorder, run, 2, b'{"mark":"a"}\n'))["code"] == "marks-too-many"


def test_what_only_the_end_can_tell_leaves_the_run_broken_with_its_frames(recorder):
    """Equal stamps of a clock without a step: every batch is fine, the whole is not."""
    registered = recording()
    recorder.post("/api/recordings/", registered)
    run = registered["slots"][0]["run"]
    head = {"vigilant_frames": 1, "columns": ["at"]}
    recorder.put(f"/api/runs/{run}/", run_body(registered, registered["slots"][0], head=head))
    assert put_batch(recorder, run, 0, b"[0]\n[16.1]\n[16.1]\n").status_code == 201
    assert put_batch(recorder, run, 1, b"[30.37]\n[46.9]\n[46.9]\n").status_code == 201
    state = recorder.post(f"/api/runs/{run}/complete/", {"frames": 5}).json()
    assert (state["state"], state["outcome"]) == ("broken", "broken")
    assert "equal stamps on a clock without a step" in state["detail"]
    kept = Run.objects.get(pk=run)
    assert (kept.frames, kept.batches.filter(body=None).count()) == (5, 0)
    assert recorder.get(f"/api/runs/{run}/").json()["detail"] == state["detail"]


def test_a_run_that_cannot_be_stored_is_broken_and_everything_of_it_is_kept(recorder, opened, monkeypatch):
    from vigilant.server.runs import closing

    _, run = opened
    put_batch(recorder, run, 0, lines([12.0, 13.0]))
    monkeypatch.setattr(closing, "store_read_run", lambda *_: 1 / 0)
    state = recorder.post(f"/api/runs/{run}/complete/", {"frames": 2}).json()
    assert (state["state"], "division by zero" in state["detail"]) == ("broken", True)
    assert RunBatch.objects.exclude(body=None).count() == 1


def test_a_run_nothing_reached_is_closed_and_its_recorder_finds_it_open_again(recorder, opened):
    from datetime import timedelta

    from django.core.management import call_command
    from django.utils import timezone

    registered, run = opened
    put_batch(recorder, run, 0, lines([12.0, 13.0], end=False))
    call_command("sweep")
    assert Run.objects.get().state == "receiving"
    Run.objects.update(reached_at=timezone.now() - timedelta(hours=25))
    call_command("sweep")
    closed = Run.objects.get()
    assert (closed.state, closed.outcome, closed.frames) == ("broken", "broken", 2)
    assert "nothing of it arrived since" in closed.detail
    assert recorder.put(f"/api/runs/{run}/", run_body(registered, registered["slots"][0])).json()["next_batch"] == 1
    assert put_batch(recorder, run, 1, b'[14,7,700]\n{"end":{"frames":3}}\n').status_code == 201
    done = recorder.post(f"/api/runs/{run}/complete/", {"frames": 3}).json()
    assert (done["state"], done["outcome"], done["detail"]) == ("complete", "complete", "")
    assert read_series(Run.objects.get()).frame_ms.tolist() == [12.0, 13.0, 14.0]


def test_columns_that_differ_in_a_space_are_two(recorder):
    registered = recording()
    recorder.post("/api/recordings/", registered)
    run = registered["slots"][0]["run"]
    head = {"vigilant_frames": 1, "columns": ["frame", "l", "l "], "counters": ["L"]}
    recorder.put(f"/api/runs/{run}/", run_body(registered, registered["slots"][0], head=head))
    put_batch(recorder, run, 0, b'[9,1,2,3]\n{"end":{"frames":1}}\n')
    assert recorder.post(f"/api/runs/{run}/complete/", {"frames": 1}).json()["state"] == "complete"
    kept = read_series(Run.objects.get())
    assert {n: v.tolist() for n, v in {**kept.lanes, **kept.counters}.items()} == {"l": [1], "l ": [2], "L": [3]}


def test_the_largest_values_there_may_be_are_drawn(recorder, opened):
    _, run = opened
    most = f"[{limits.FRAME_MS},{limits.FRAME_MS},{limits.COUNT}]\n".encode()
    put_batch(recorder, run, 0, most * 5 + b'{"end":{"frames":5}}\n')
    assert recorder.post(f"/api/runs/{run}/complete/", {"frames": 5}).json()["state"] == "complete"
    assert recorder.get(f"/api/runs/{run}/trace/").json()["low"] == [limits.FRAME_MS] * 5
    assert recorder.get(f"/api/runs/{run}/").status_code == 200


# -- encodings

PIECES = st.lists(st.binary(max_size=300), min_size=1, max_size=4)


@settings(suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(PIECES, st.sampled_from(["gzip", "zstd"]), st.data())
def test_any_cut_of_an_encoded_body_is_refused_or_loses_nothing(pieces, encoding, data):
    """Several members or frames: all are read. A cut anywhere but between two of them is refused."""
    pack = (lambda b: gzip.compress(b, mtime=0)) if encoding == "gzip" else zstandard.compress
    packed = [pack(p) for p in pieces]
    whole = b"".join(packed)
    assert decompress(whole, encoding) == b"".join(pieces)
    cut = data.draw(st.integers(0, len(whole) - 1))
    ends = {sum(map(len, packed[: i + 1])): b"".join(pieces[: i + 1]) for i in range(len(packed))}
    if cut in ends:
        assert decompress(whole[:cut], encoding) == ends[cut]
    else:
        with pytest.raises(Problem, match="whole"):
            decompress(whole[:cut], encoding)


@pytest.mark.parametrize(
    ("encoding", "body", "code"),
    [
        ("gzip", gzip.compress(lines([9.0]), mtime=0) + b"left over", "encoding-damaged"),
        ("zstd", zstandard.compress(lines([9.0])) + b"left over", "encoding-damaged"),
        ("zstd", zstandard.compress(b"[9,1,1]\n" * 5)[:-3], "encoding-damaged"),
        ("gzip", b"", "encoding-damaged"),
        ("zstd", zstandard.compress(b"\0" * (1 << 28)), "batch-too-large"),
        ("gzip", gzip.compress(b"\0" * (1 << 26), mtime=0), "batch-too-large"),
        ("deflate", b"x", "encoding-unknown"),
        ("x" * 5000, b"x", "encoding-unknown"),
    ],
)
def test_bodies_that_are_no_whole_encoding_are_refused(encoding, body, code, recorder, opened):
    _, run = opened
    headers = {"Content-Digest": digest_of(body), "Content-Encoding": encoding}
    kind = "application/x-ndjson"
    answer = recorder.put(f"/api/runs/{run}/batches/0/", body, content_type=kind, headers=headers)
    assert refused(answer)["code"] == code
    assert not RunBatch.objects.exists()


# -- documents

HALF = '"\\ud800"'
DEEP = "[" * 900 + "]" * 900


def registration(**changes):
    return {**recording(), **changes}


def planned(**tables):
    plan = copy.deepcopy(PLAN)
    for table, values in tables.items():
        plan[table] = {**plan.get(table, {}), **values} if isinstance(values, dict) else values
    return registration(plan=plan)


RAW = {
    "half a surrogate pair in a plan": json.dumps(planned(entry={"title": "@"})).replace('"@"', HALF),
    "1e999 in a plan": json.dumps(planned(recording={"timeout_s": 12345})).replace("12345", "1e999"),
    "NaN in a plan": json.dumps(planned(recording={"timeout_s": 12345})).replace("12345", "NaN"),
    "900 levels in a plan": json.dumps(planned(conditions={"a": "@"})).replace('"@"', DEEP),
    "40 levels in a plan": json.dumps(planned(conditions={"a": "@"})).replace('"@"', "[" * 40 + "]" * 40),
    "a key twice in a plan": json.dumps(planned()).replace('"order_seed": 5', '"order_seed": 5, "order_seed": 6'),
    "half a surrogate pair in a condition": json.dumps(registration(conditions={"@": "x"})).replace('"@"', HALF),
    "half a surrogate pair in a rig's facts": json.dumps(registration(rig={"alias": "", "facts": {"@": "x"}})).replace(
        '"@"', HALF
    ),
    "a body that is no JSON": "{",
    "a body that is no UTF-8": b'{"id": "\xff"}',
    "a body that is a number": "7",
    "a number of 5,000 digits": json.dumps(registration()).replace('"order_seed": 5', f'"order_seed": {"9" * 5000}'),
}
DOCUMENTS = {
    "a key of 101 characters": registration(conditions={"k" * 101: "x"}),
    "a condition of 1,001 characters": registration(conditions={"k": "v" * 1001}),
    "201 conditions": registration(conditions={str(i): "x" for i in range(201)}),
    "a number for a condition": registration(conditions={"k": 7}),
    "an alias of 81 characters": registration(rig={"alias": "a" * 81, "facts": {}}),
    "a plan without arms": planned(arm=[]),
    "a plan whose arm is a number": planned(arm=[1, 2]),
    "a plan whose entry is a list": planned(entry=[1]),
    "a plan whose entry's number is a list": planned(entry={"number": [1]}),
    "a plan whose entry's number is beyond the table": planned(entry={"number": 2**40}),
    "a plan whose recording is a text": planned(recording="often"),
    "a plan whose scenario is a list": planned(scenario=[]),
    "a plan whose target is a word": planned(scenario={"target_fps": "sixty"}),
    "a plan whose legs are numbers": planned(scenario={"legs": [1]}),
    "a plan whose policy is unknown": planned(policy={"luck": 1}),
    "a plan whose margins are a list": planned(policy={"margins": [1]}),
    "a plan whose guard is a number": planned(policy={"guards": [1]}),
    "a plan whose primaries are one word": planned(policy={"primaries": "mean_ms"}),
    "a plan whose duration is huge": planned(scenario={"duration_s": 1e300}),
    "a plan whose load is a list": planned(scenario={"load": []}),
    "a plan with a NUL in a command": planned(arm=[{"name": "a", "command": ["x\0"]}, {"name": "b", "command": ["x"]}]),
    "a plan with an argument of 4,001 characters": planned(
        arm=[{"name": "a", "command": ["x" * 4001]}, {"name": "b", "command": ["x"]}]
    ),
    "a plan with 1,001 arguments": planned(
        arm=[{"name": "a", "command": ["x"] * 1001}, {"name": "b", "command": ["x"]}]
    ),
    "a scenario's name of 161 characters": planned(scenario={"name": "n" * 161}),
    "an expectation of 20,000 digits": planned(entry={"expected": "9" * 20_000}),
    "a title of 201 characters": planned(entry={"title": "t" * 201}),
    "a reason of 4,001 characters": planned(entry={"why": "w" * 4001}),
    "a detail of 2,001 characters": registration(
        slots=[{"position": 0, "arm": "before", "run": str(NEVER), "outcome": "crashed", "detail": "d" * 2001}]
    ),
}


@pytest.mark.parametrize("name", [*RAW, *DOCUMENTS])
def test_a_hostile_registration_is_refused_and_breaks_no_list(name, recorder, editor):
    body = RAW.get(name, DOCUMENTS.get(name))
    refused(sent(recorder, "post", "/api/recordings/", body))
    assert not Recording.objects.exists()
    assert recorder.post("/api/recordings/", recording()).status_code == 201
    assert editor.get("/api/books/river/recordings/").json()["count"] == 1


HEADS = {
    "half a surrogate pair": json.dumps({**HEAD, "columns": ["frame", "@"], "lanes": {}}).replace('"@"', HALF),
    "1e999": json.dumps({**HEAD, "seed": 12345}).replace("12345", "1e999"),
    "900 levels": json.dumps({**HEAD, "more": "@"}).replace('"@"', DEEP),
    "a column of 101 characters": json.dumps({**HEAD, "columns": ["frame", "c" * 101], "lanes": {}}),
    "a column with a NUL": json.dumps({**HEAD, "columns": ["frame", "a\0b"], "lanes": {}}),
    "a column without a name": json.dumps({**HEAD, "columns": ["frame", ""], "lanes": {}}),
    "65 lanes": json.dumps({**HEAD, "columns": ["frame", *map(str, range(65))], "lanes": {}}),
    "65 counters": json.dumps({**HEAD, "counters": list(map(str, range(65)))}),
    "a unit that is a list": json.dumps({**HEAD, "unit": ["ms"]}),
    "a role that is a list": json.dumps({**HEAD, "lanes": {"gpu": ["graphics"]}}),
    "201 conditions": json.dumps({**HEAD, "conditions": {str(i): 1 for i in range(201)}}),
    "a condition of 1,001 characters": json.dumps({**HEAD, "conditions": {"k": "v" * 1001}}),
    "conditions that are a list": json.dumps({**HEAD, "conditions": []}),
}


@pytest.mark.parametrize("name", HEADS)
def test_a_hostile_head_is_refused_and_the_run_can_be_opened_right(name, recorder):
    registered = recording()
    recorder.post("/api/recordings/", registered)
    slot = registered["slots"][0]
    body = json.dumps(run_body(registered, slot, head="HEAD")).replace('"HEAD"', HEADS[name])
    refused(sent(recorder, "put", f"/api/runs/{slot['run']}/", body))
    assert not Run.objects.exists()
    assert recorder.put(f"/api/runs/{slot['run']}/", run_body(registered, slot)).status_code == 201


LIVE = {
    "half a surrogate pair": f'{{"leg": {HALF}}}',
    "1e999": '{"frames": 1e999}',
    "900 levels": f'{{"a": {DEEP}}}',
    "a key twice": '{"a": 1, "a": 2}',
    "a list": "[]",
    "257 KiB": json.dumps({"a": "x" * 257 * 1024}),
}


@pytest.mark.parametrize("name", LIVE)
def test_a_hostile_report_is_refused(name, recorder, opened):
    path = f"/api/recordings/{opened[0]['id']}/live/"
    refused(sent(recorder, "post", path, LIVE[name]))
    assert recorder.post(path, {"phase": "running"}).json()["control"] == "run"


def test_an_old_row_that_holds_nonsense_breaks_no_list(recorder, editor):
    registered = recording()
    recorder.post("/api/recordings/", registered)
    for nonsense in ([], {"entry": [1], "arm": 3, "recording": "often", "scenario": 7}, {"entry": {"number": "x"}}):
        Recording.objects.update(plan=nonsense)
        assert editor.get("/api/books/river/recordings/").status_code == 200
        assert editor.get(f"/api/recordings/{registered['id']}/").status_code == 200


def test_runs_that_are_one_run_are_refused_by_name_and_the_recording_can_be_finished(recorder, editor):
    registered = recording(order=["before", "after", "before", "after"])
    recorder.post("/api/recordings/", registered)
    for slot, level in zip(registered["slots"], (12.0, 9.0, 12.0, 9.5), strict=True):
        recorder.put(f"/api/runs/{slot['run']}/", run_body(registered, slot))
        put_batch(recorder, slot["run"], 0, lines([level + i % 7 for i in range(60)]))
        recorder.post(f"/api/runs/{slot['run']}/complete/", {"frames": 60})
    said = refused(recorder.post(f"/api/recordings/{registered['id']}/complete/"), 422)
    first, third = registered["slots"][0]["run"][:8], registered["slots"][2]["run"][:8]
    assert f"Run {first} and run {third} of arm before hold the same frames" in said["detail"]
    assert said["code"] == "no-verdict"
    kept = editor.get(f"/api/recordings/{registered['id']}/").json()
    assert (kept["state"], "same frames" in kept["remark"]) == ("finished", True)


def test_a_run_held_against_its_own_copy_is_void(recorder, editor):
    registered = recording(order=["before", "after", "before", "after"])
    recorder.post("/api/recordings/", registered)
    for slot, level in zip(registered["slots"], (12.0, 9.0, 12.5, 12.0), strict=True):
        recorder.put(f"/api/runs/{slot['run']}/", run_body(registered, slot))
        put_batch(recorder, slot["run"], 0, lines([level + i % 7 for i in range(60)]))
        recorder.post(f"/api/runs/{slot['run']}/complete/", {"frames": 60})
    answer = recorder.post(f"/api/recordings/{registered['id']}/complete/").json()
    assert answer["verdict"] == "void"
    assert "The same run stands on both sides" in answer["sentence"]


def test_every_text_list_and_number_of_a_request_has_its_limit():
    """Read from the schema: what a client may send is bounded everywhere, but for plans, which have rules of their own."""
    from drf_spectacular.generators import SchemaGenerator

    schema = SchemaGenerator().get_schema(request=None, public=True)
    free = {
        ("PlanInRequest", "plan"),
        ("RecordingInRequest", "plan"),
        ("ScenarioInRequest", "definition"),
        ("RunInRequest", "head"),
    }
    lists = {  # the schema leaves out the length of a list of serializers; the serializers have it
        ("ArmsInRequest", "arms"): ArmsInSerializer().fields["arms"],
        ("RecordingInRequest", "slots"): RecordingInSerializer().fields["slots"],
        ("CompleteRecordingRequest", "looks"): CompleteRecordingSerializer().fields["looks"],
        ("TogetherInRequest", "parts"): TogetherInSerializer().fields["parts"],
        ("DecisionTableRequest", "rules"): DecisionTableSerializer().fields["rules"],
        ("AllowancesInRequest", "allowances"): AllowancesInSerializer().fields["allowances"],
        ("IdeaInRequest", "parts"): IdeaInSerializer().fields["parts"],
        ("FilingInRequest", "references"): FilingInSerializer().fields["references"],
    }
    unbounded = []
    for name, component in schema["components"]["schemas"].items():
        if not name.endswith("Request"):
            continue
        for key, value in component.get("properties", {}).items():
            inner = [value, *value.get("allOf", []), *([value["items"]] if "items" in value else [])]
            for part in inner:
                kind = part.get("type")
                kind = kind[0] if isinstance(kind, list) else kind
                bounded = (
                    "$ref" in part or "enum" in part or "oneOf" in part or "allOf" in part or kind == "boolean"
                    or (kind == "string" and ("maxLength" in part or part.get("format") in ("uuid", "date-time", "date")))
                    or (kind == "array" and ("maxItems" in part or getattr(lists.get((name, key)), "max_length", None)))
                    or (kind in ("integer", "number") and "maximum" in part)
                    or (kind == "object" and ((name, key) in free or "additionalProperties" in part))
                )  # fmt: skip
                if not bounded:
                    unbounded.append((name, key, part))
    assert unbounded == []


@pytest.mark.parametrize(
    ("error", "code"),
    [((2006, "gone"), "database-away"), ((1114, "The table is full"), "database-full"), ((), "database-away")],
)
def test_a_database_that_is_away_or_full_is_said_and_tried_again_later(error, code, recorder, monkeypatch):
    from django.db import OperationalError

    from vigilant.server.runs import ingest

    def fails(*_):
        raise OperationalError(*error)

    monkeypatch.setattr(ingest, "create_recording", fails)
    answer = recorder.post("/api/recordings/", recording())
    assert refused(answer, 503)["code"] == code
    assert answer["Retry-After"] == "5"


def test_a_stranger_learns_nothing_of_other_books(recorder, opened, django_user_model):
    stranger = APIClient()
    stranger.force_login(django_user_model.objects.create_user("stranger"))
    for path in (f"/api/runs/{opened[1]}/", f"/api/recordings/{opened[0]['id']}/", "/api/books/river/entries/"):
        assert stranger.get(path).status_code == 404
