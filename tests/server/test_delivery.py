"""Recordings arrive whole, once, and bit for bit; what cannot be stored is refused."""

import json
import uuid

import numpy as np
import pytest
from rest_framework.test import APIClient

from server.delivering import HEAD, deliver, digest_of, lines, put_batch, recording, run_body
from vigilant.core import FrameSeries, Part, Policy, compare
from vigilant.server.books.models import RecorderToken
from vigilant.server.entries.models import Entry
from vigilant.server.runs.models import FrameChunk, Run, RunBatch
from vigilant.server.runs.store import read_series

pytestmark = pytest.mark.django_db


def finish(client, registered):
    return client.post(f"/api/recordings/{registered['id']}/complete/")


def test_a_recording_becomes_an_entry_with_the_same_verdict_as_on_files(recorder):
    registered = recording()
    sent = deliver(recorder, registered, {"before": 12.0, "after": 10.5})
    answer = finish(recorder, registered)
    assert answer.status_code == 200, answer.json()
    assert answer.json()["verdict"] == "gain"
    order = [s["arm"] for s in registered["slots"]]
    local = compare(*([FrameSeries(x) for x in sent[a]] for a in ("before", "after")), Policy(target_fps=60), order)
    entry = Entry.objects.get()
    stored = entry.comparison.result["figures"]
    for name, result in local.figures.items():
        assert stored[name]["difference"] == pytest.approx(result.difference, rel=1e-12, abs=1e-15)
        assert stored[name]["call"] == result.call
    run = Run.objects.get(pk=registered["slots"][0]["run"])
    assert read_series(run).frame_ms.tobytes() == sent[registered["slots"][0]["arm"]][0].tobytes()
    assert read_series(run).lane_roles == {"gpu": "graphics"}
    assert finish(recorder, registered).json()["number"] == entry.number
    assert Entry.objects.count() == 1


def test_a_failed_run_keeps_its_place(recorder):
    registered = recording()
    registered["slots"][2]["outcome"] = "crashed"
    deliver(recorder, registered, {"before": 12.0, "after": 10.5})
    assert finish(recorder, registered).status_code == 200
    comparison = Entry.objects.get().comparison
    assert comparison.order[2] is None
    assert "runs-failed" in [f["code"] for f in comparison.result["findings"]]


def test_an_incomplete_recording_makes_no_entry(recorder):
    registered = recording()
    recorder.post("/api/recordings/", registered)
    answer = finish(recorder, registered)
    assert (answer.status_code, answer.json()["code"]) == (409, "runs-missing")
    assert not Entry.objects.exists()


@pytest.fixture
def opened(recorder):
    registered = recording()
    recorder.post("/api/recordings/", registered)
    slot = registered["slots"][0]
    assert recorder.put(f"/api/runs/{slot['run']}/", run_body(registered, slot)).status_code == 201
    return registered, slot["run"]


def test_the_same_again_is_harmless(recorder, opened):
    registered, run = opened
    assert recorder.post("/api/recordings/", registered).status_code == 200
    assert recorder.put(f"/api/runs/{run}/", run_body(registered, registered["slots"][0])).status_code == 200
    body = lines([12.0, 13.0], end=False)
    assert put_batch(recorder, run, 0, body, None).status_code == 201
    assert put_batch(recorder, run, 0, body, None).status_code == 200
    assert Run.objects.get().frames == 2


BAD_BATCHES = {
    "differs": (0, lines([9.0]), {}, 409, "batch-differs"),
    "gap": (5, lines([9.0]), {}, 409, "batch-gap"),
    "wrong digest": (1, lines([9.0]), {"digest": digest_of(b"other")}, 422, "digest-differs"),
    "not gzip": (1, b"", {"encoding": "br"}, 422, "encoding-unknown"),
    "NaN": (1, b"[NaN,0,1]\n", {}, 422, "not-finite"),
    "negative": (1, b"[-1,0,1]\n", {}, 422, "not-positive"),
    "zero": (1, b"[0,0,1]\n", {}, 422, "not-positive"),
    "half a line": (1, b"[12.0,1.0,2]\n[13.0", {}, 422, "line-unreadable"),
    "unknown column": (1, b"[12.0,1.0,2,3,4]\n", {}, 422, "columns-unlike"),
    "too large": (1, b"[1,1,1]\n" * 1_100_000, {}, 422, "batch-too-large"),
    "too large as sent": (1, b"[1,1,1]\n" * 1_100_000, {"encoding": None}, 413, "batch-too-large"),
}


@pytest.mark.parametrize("name", BAD_BATCHES)
def test_bad_batches_are_refused_and_nothing_is_stored_by_half(name, recorder, opened):
    _, run = opened
    put_batch(recorder, run, 0, lines([12.0], end=False))
    number, body, arguments, status, code = BAD_BATCHES[name]
    answer = put_batch(recorder, run, number, body, **arguments)
    assert (answer.status_code, answer.json()["code"]) == (status, code)
    assert answer["Content-Type"] == "application/problem+json"
    assert RunBatch.objects.count() == 1
    assert Run.objects.get().frames == 1
    if code == "batch-gap":
        assert answer.json()["expected"] == 1
    # what was refused can be sent right, and the run completes
    assert put_batch(recorder, run, 1, lines([13.0])[25:].replace(b'"frames": 1', b'"frames": 2')).status_code == 201
    assert recorder.post(f"/api/runs/{run}/complete/", {"frames": 2}).json()["state"] == "complete"


def test_a_backwards_clock_across_batches_is_refused(recorder):
    registered = recording()
    recorder.post("/api/recordings/", registered)
    slot = registered["slots"][0]
    recorder.put(
        f"/api/runs/{slot['run']}/", run_body(registered, slot, head={"vigilant_frames": 1, "columns": ["at"]})
    )
    assert put_batch(recorder, slot["run"], 0, b"[0]\n[16.5]\n").status_code == 201
    answer = put_batch(recorder, slot["run"], 1, b"[16.0]\n")
    assert (answer.status_code, answer.json()["code"]) == (422, "clock-backwards")
    assert put_batch(recorder, slot["run"], 1, b"[33.5]\n").status_code == 201
    recorder.post(f"/api/runs/{slot['run']}/complete/", {"frames": 2})
    assert read_series(Run.objects.get()).frame_ms.tolist() == [16.5, 17.0]


@pytest.mark.parametrize(("end", "stated", "detail"), [(True, 5, "states 5 frames, 3 arrived"), (False, 3, "no end")])
def test_a_run_that_does_not_close_well_is_broken_and_kept(end, stated, detail, recorder, opened):
    _, run = opened
    put_batch(recorder, run, 0, lines([12.0, 13.0, 14.0], end=end))
    state = recorder.post(f"/api/runs/{run}/complete/", {"frames": stated}).json()
    assert (state["state"], state["outcome"]) == ("broken", "broken")
    assert detail in state["detail"]
    assert FrameChunk.objects.filter(run_id=run, column="frame", count=3).exists()
    answer = put_batch(recorder, run, 1, lines([12.0]))
    assert (answer.status_code, answer.json()["code"]) == (409, "run-closed")


@pytest.mark.parametrize(
    ("change", "status", "code"),
    [
        ({"head": {"vigilant_frames": 9}}, 422, "version-unknown"),
        ({"head": {**HEAD, "unit": "ticks"}}, 422, "unit-unknown"),
        ({"position": 3}, 422, "slot-unknown"),
        ({"outcome": "splendid"}, 400, "invalid"),
    ],
)
def test_bad_runs_are_refused(change, status, code, recorder):
    registered = recording()
    recorder.post("/api/recordings/", registered)
    slot = registered["slots"][0]
    answer = recorder.put(f"/api/runs/{slot['run']}/", run_body(registered, slot, **change))
    assert (answer.status_code, answer.json()["code"]) == (status, code)
    assert not Run.objects.exists()


@pytest.mark.parametrize("header", [None, "Bearer", "Bearer wrong", "Bearer a b", "Basic abc"])
def test_a_missing_or_wrong_token_is_refused(header, book):
    client = APIClient()
    if header:
        client.credentials(HTTP_AUTHORIZATION=header)
    for path in ("/api/session/", "/api/runs/", f"/api/books/{book.slug}/entries/", f"/api/runs/{uuid.uuid4()}/"):
        answer = client.get(path)
        assert answer.status_code == 401
        assert answer["Content-Type"] == "application/problem+json"
    assert client.post("/api/recordings/", recording()).status_code == 401


def test_a_revoked_token_and_a_foreign_book_are_refused(book, token, recorder, db):
    from django.utils import timezone

    from vigilant.server.books.models import Book

    registered = recording()
    assert recorder.post("/api/recordings/", registered).status_code == 201
    other = APIClient()
    other.credentials(
        HTTP_AUTHORIZATION=f"Bearer {RecorderToken.issue(Book.objects.create(slug='o', name='O'), 'x')[1]}"
    )
    assert other.post("/api/recordings/", registered).json()["code"] == "recording-elsewhere"
    slot = registered["slots"][0]
    assert other.put(f"/api/runs/{slot['run']}/", run_body(registered, slot)).status_code == 422
    RecorderToken.objects.filter(hash=RecorderToken.digest(token)).update(revoked_at=timezone.now())
    answer = recorder.get("/api/session/")
    assert (answer.status_code, "revoked" in answer.json()["detail"]) == (401, True)


def test_a_damaged_chunk_is_not_served(recorder, opened):
    _, run = opened
    put_batch(recorder, run, 0, lines(np.full(3, 12.0)))
    recorder.post(f"/api/runs/{run}/complete/", {"frames": 3})
    FrameChunk.objects.filter(column="frame").update(checksum="0" * 64)
    answer = recorder.get(f"/api/runs/{run}/trace/")
    assert (answer.status_code, answer.json()["code"]) == (500, "chunk-damaged")


def test_two_recordings_of_unlike_plans_are_two_versions(recorder):
    first = recording()
    second = recording(plan={**first["plan"], "scenario": {**first["plan"]["scenario"], "duration_s": 9}})
    third = recording()
    for registered in (first, second, third):
        recorder.post("/api/recordings/", json.loads(json.dumps(registered)))
    from vigilant.server.runs.models import Recording

    assert [r.scenario_version.number for r in Recording.objects.order_by("received_at")] == [1, 2, 1]


def test_parts_sent_in_two_batches_are_one_total(recorder, opened):
    _, run = opened
    part = b'{"part":["steer","pillars"],"lane":"gpu","ms":0.5,"calls":2}\n'
    put_batch(recorder, run, 0, lines([12.0], end=False) + part)
    put_batch(recorder, run, 1, part + b'[12.0,6.0,700]\n{"end":{"frames":2}}\n')
    assert recorder.post(f"/api/runs/{run}/complete/", {"frames": 2}).json()["state"] == "complete"
    assert list(read_series(Run.objects.get()).parts) == [Part(("steer", "pillars"), 1.0, 4, "gpu")]


def test_two_that_send_the_same_batch_at_once_store_it_once(recorder, monkeypatch):
    from vigilant.server.runs import batches
    from vigilant.server.runs.models import RunBatch

    registered = recording()
    recorder.post("/api/recordings/", registered)
    slot = registered["slots"][0]
    recorder.put(f"/api/runs/{slot['run']}/", run_body(registered, slot))
    body, read, between = lines([12.0, 13.0]), batches.decompress, []

    def meanwhile(*args):
        monkeypatch.setattr(batches, "decompress", read)
        between.append(put_batch(recorder, slot["run"], 0, body).status_code)
        return read(*args)

    monkeypatch.setattr(batches, "decompress", meanwhile)
    late = put_batch(recorder, slot["run"], 0, body)
    assert (between, late.status_code, late.json()["frames"]) == ([201], 200, 2)
    assert RunBatch.objects.count() == 1
