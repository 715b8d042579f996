"""Whatever a broken or hostile recorder sends: no crash, no half-stored run, nothing doubled."""

import gzip
import json
import random

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from rest_framework.test import APIClient

from server.delivering import HEAD, digest_of, put_batch, recording, run_body
from vigilant.server.books.models import Book, RecorderToken
from vigilant.server.runs.models import FrameChunk, Run
from vigilant.server.runs.store import read_series

pytestmark = pytest.mark.django_db

GOOD = [[12.5, 3.0, 700], [11.0, 2.5, 701], [13.25, 3.5, 702]]
KINDS = st.sampled_from(
    ["next", "next", "next", "again", "gap", "other", "digest", "encoding", "junk", "nan", "columns", "late end"]
)


def body(rows, end=False):
    text = "".join(json.dumps(r) + "\n" for r in rows)
    return (text + ('{"end":{}}\n' if end else "")).encode()


def rows_for(number):
    return [[x + number, y, n] for x, y, n in GOOD]


@settings(max_examples=40, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.lists(KINDS, max_size=10), st.sampled_from([0, 1, None]))
def test_any_order_of_batches_stores_exactly_what_was_acknowledged(kinds, wrong_count):
    book, _ = Book.objects.get_or_create(slug="river", name="River")
    recorder = APIClient()
    recorder.credentials(HTTP_AUTHORIZATION=f"Bearer {RecorderToken.issue(book, 'r')[1]}")
    sent = recording(["before"])
    slot = sent["slots"][0]
    recorder.post("/api/recordings/", sent)
    recorder.put(f"/api/runs/{slot['run']}/", run_body(sent, slot))
    stored = []
    for kind in kinds:
        n = len(stored)
        good = body(rows_for(n))
        send = {
            "next": lambda n=n, good=good: put_batch(recorder, slot["run"], n, good),
            "again": lambda n=n: put_batch(recorder, slot["run"], max(0, n - 1), body(rows_for(max(0, n - 1)))),
            "gap": lambda n=n, good=good: put_batch(recorder, slot["run"], n + 1, good),
            "other": lambda n=n: put_batch(recorder, slot["run"], max(0, n - 1), body([[1.0, 1.0, 1]])),
            "digest": lambda n=n, good=good: put_batch(recorder, slot["run"], n, good, digest=digest_of(b"x")),
            "encoding": lambda n=n: recorder.put(
                f"/api/runs/{slot['run']}/batches/{n}/", b"not gzip", content_type="application/x-ndjson",
                headers={"Content-Encoding": "gzip", "Content-Digest": digest_of(b"not gzip")},
            ),
            "junk": lambda n=n: put_batch(recorder, slot["run"], n, body(rows_for(n)) + b"\x00\xff{]\n"),
            "nan": lambda n=n: put_batch(recorder, slot["run"], n, b"[NaN,1,1]\n"),
            "columns": lambda n=n: put_batch(recorder, slot["run"], n, b"[1.0]\n"),
            "late end": lambda n=n: put_batch(recorder, slot["run"], n, body(rows_for(n), end=True) + body(rows_for(n))),
        }[kind]  # fmt: skip
        answer = send()
        assert answer.status_code < 500, (kind, answer.content)
        fresh = kind == "next" or (n == 0 and kind in ("again", "other"))
        assert (answer.status_code == 201) == fresh, (kind, answer.content)
        if fresh:
            stored.append([[1.0, 1.0, 1]] if kind == "other" else rows_for(0 if kind == "again" else n))
    frames = [row for batch in stored for row in batch]
    count = len(frames) + (wrong_count or 0)
    closed = recorder.post(f"/api/runs/{slot['run']}/complete/", {"frames": count}).json()
    assert closed["state"] == "broken"  # no end was ever sent
    assert closed["frames"] == len(frames)
    run = Run.objects.get(pk=slot["run"])
    if frames:
        assert read_series(run).frame_ms.tolist() == [row[0] for row in frames]
    else:
        assert not FrameChunk.objects.filter(run=run).exists()


def test_a_thousand_mutilated_requests_are_answered_and_leave_nothing_behind(recorder, book):
    rng = random.Random(7)
    sent = recording(["before"])
    slot = sent["slots"][0]
    recorder.post("/api/recordings/", sent)
    recorder.put(f"/api/runs/{slot['run']}/", run_body(sent, slot))
    plain = body(GOOD * 20, end=True)
    bodies = [json.dumps(sent).encode(), json.dumps(run_body(sent, slot)).encode(), b'{"frames": 60}']
    paths = ["/api/recordings/", f"/api/runs/{slot['run']}/", f"/api/runs/{slot['run']}/complete/"]
    for _ in range(1000):
        which = rng.randrange(4)
        if which == 3:
            mutilated = bytearray(gzip.compress(plain, mtime=0) if rng.random() < 0.5 else plain)
        else:
            mutilated = bytearray(bodies[which])
        for _ in range(rng.randint(1, 6)):
            at = rng.randrange(len(mutilated))
            mutilated[at : at + rng.randint(0, 3)] = bytes(rng.randrange(256) for _ in range(rng.randint(0, 4)))
        sending = bytes(mutilated)
        if which == 3:
            encoding = {"Content-Encoding": rng.choice(["gzip", "zstd", "identity", "deflate"])}
            headers = {"Content-Digest": digest_of(sending), **encoding}
            url = f"/api/runs/{slot['run']}/batches/{rng.choice([0, 1, 5])}/"
            answer = recorder.put(url, sending, content_type="application/x-ndjson", headers=headers)
        else:
            if which == 2 and rng.random() < 0.98:
                continue  # closing the run would end the exercise early
            act = recorder.put if which == 1 else recorder.post
            answer = act(paths[which], sending, content_type="application/json")
        assert answer.status_code < 500, (which, sending, answer.content)
    run = Run.objects.get(pk=slot["run"])
    assert run.head == {**HEAD, "lanes": {"gpu": "graphics"}}
    assert run.batches.count() == run.next_batch
