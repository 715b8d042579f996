"""Small recordings to deliver, and the delivery of one step at a time."""

import base64
import gzip
import hashlib
import json
import uuid

import numpy as np
from core.generators import ordinary

HEAD = {
    "vigilant_frames": 1,
    "columns": ["frame", "gpu"],
    "lanes": {"gpu": "graphics"},
    "counters": ["draws"],
    "unit": "ms",
    "conditions": {"build": "release"},
}
PLAN = {
    "scenario": {"name": "River course", "target_fps": 60, "duration_s": 5},
    "arm": [{"name": "old", "command": ["x"]}, {"name": "new", "command": ["x"]}],
    "entry": {"title": "Sparks from a table", "expected": "Less."},
}
ORDER = ["before", "after", "after", "before", "after", "before", "before", "after", "before", "after"]


def recording(order=ORDER, **changes):
    slots = [
        {"position": i, "arm": arm, "run": str(uuid.uuid4()), "outcome": "complete", "detail": ""}
        for i, arm in enumerate(order)
    ]
    return {
        "id": str(uuid.uuid4()),
        "created": "2026-05-04T18:30:00Z",
        "plan": PLAN,
        "order_seed": 5,
        "rig": {"alias": "thin laptop", "facts": {"cores": "8"}},
        "conditions": {"window": "1600x900"},
        "slots": slots,
        **changes,
    }


def run_body(registered, slot, **changes):
    return {
        "recording": registered["id"],
        "position": slot["position"],
        "started": "2026-05-04T18:30:00Z",
        "outcome": slot["outcome"],
        "head": HEAD,
        **changes,
    }


def lines(frame_ms, end=True):
    rows = ['{"mark":"landing stage"}'] + [json.dumps([float(x), float(x) / 2, 700]) for x in frame_ms]
    if end:
        rows.append(json.dumps({"end": {"frames": len(frame_ms)}}))
    return ("\n".join(rows) + "\n").encode()


def digest_of(body):
    return f"sha-256=:{base64.b64encode(hashlib.sha256(body).digest()).decode()}:"


def put_batch(client, run, number, body, encoding="gzip", digest=None):
    encoded = gzip.compress(body) if encoding == "gzip" else body
    headers = {"Content-Digest": digest or digest_of(encoded)}
    if encoding:
        headers["Content-Encoding"] = encoding
    return client.put(
        f"/api/runs/{run}/batches/{number}/", encoded, content_type="application/x-ndjson", headers=headers
    )


def deliver(client, registered, levels, seed=1, frames=300):
    """Deliver a whole recording; ``levels`` gives each arm's frame time in ms. Returns the arms' frames."""
    rng = np.random.default_rng(seed)
    assert client.post("/api/recordings/", registered).status_code in (200, 201)
    sent: dict[str, list] = {}
    for slot in registered["slots"]:
        head = None if slot["outcome"] == "crashed" else HEAD
        assert client.put(f"/api/runs/{slot['run']}/", run_body(registered, slot, head=head)).status_code == 201
        if head is None:
            continue
        x = ordinary(rng, frames, levels[slot["arm"]])
        half = lines(x[: frames // 2], end=False), lines(x[frames // 2 :], end=False)[25:]
        assert put_batch(client, slot["run"], 0, half[0]).status_code == 201
        closing = half[1] + json.dumps({"end": {"frames": frames}}).encode() + b"\n"
        assert put_batch(client, slot["run"], 1, closing).status_code == 201
        done = client.post(f"/api/runs/{slot['run']}/complete/", {"frames": frames})
        assert done.json()["state"] == "complete", done.json()
        sent.setdefault(slot["arm"], []).append(x)
    return sent


def side_by_side(client, asked, book="river"):
    """What the job found that sets these arms side by side; the refusal where it was refused at once."""
    begun = client.post(f"/api/books/{book}/arms/", asked)
    if begun.status_code != 202:
        return begun
    return client.get(f"/api/books/{book}/arms/{begun.json()['id']}/")


def compared(client, asked, book="river"):
    """The entry that the job made of stored runs; the refusal where it was refused at once."""
    begun = client.post(f"/api/books/{book}/comparisons/", asked)
    if begun.status_code != 202:
        return begun
    job = begun.json()
    assert job["state"] == "done", job
    return client.get(f"/api/books/{book}/entries/{job['result']['number']}/")
