"""Builds recorded for their line: stored as a delivered recording is, without the requests."""

import uuid
from datetime import UTC, datetime, timedelta

import numpy as np

from vigilant.core import FrameSeries
from vigilant.formats.run import ReadRun
from vigilant.server.entries.comparing import complete_recording
from vigilant.server.runs.figures import keep_read_run
from vigilant.server.runs.ingest import create_recording, create_run
from vigilant.server.runs.models import Run

CONDITIONS = {"window": "1600x900", "driver": "24.1"}
FRAMES = 400


def line_plan(build, **scenario):
    return {
        "scenario": {"name": "River course", "target_fps": 60, "duration_s": 5, **scenario},
        "arm": [{"name": build, "command": ["festival"]}],
        "line": {"build": build},
        "recording": {"runs": 3},
    }


def record(
    book,
    build,
    level_ms,
    seed,
    runs=3,
    rig="thin laptop",
    rig_facts=None,
    conditions=None,
    day=0,
    plan=None,
    outcomes=None,
):
    """One session of a build: runs whose mean frame is about ``level_ms``; sessions differ by 0.3 %, runs of one by 0.5 %."""
    rng = np.random.default_rng(seed)
    sheet = {**CONDITIONS, **(conditions or {})}
    created = datetime(2026, 5, 4, 9, tzinfo=UTC) + timedelta(days=day)
    ids = [uuid.UUID(bytes=rng.bytes(16), version=4) for _ in range(runs)]
    outcomes = outcomes or ["complete"] * runs
    recording, _ = create_recording(
        book,
        {
            "id": uuid.UUID(bytes=rng.bytes(16), version=4),
            "created": created,
            "plan": plan or line_plan(build),
            "order_seed": seed,
            "rig": {"alias": rig, "facts": rig_facts or {"cores": "8"}},
            "conditions": sheet,
            "slots": [
                {"position": i, "arm": "before", "run": run, "outcome": outcomes[i]} for i, run in enumerate(ids)
            ],
        },
    )
    session = level_ms * np.exp(0.003 * rng.standard_normal())
    for i, run_id in enumerate(ids):
        failed = outcomes[i] != "complete"
        head = None if failed else {"vigilant_frames": 1, "columns": ["frame"], "conditions": sheet}
        given = {"recording": recording.pk, "position": i, "started": created, "outcome": outcomes[i], "head": head}
        run, _ = create_run(book, run_id, given)
        if failed:
            continue
        mean = session * np.exp(0.005 * rng.standard_normal())
        frame_ms = mean * np.exp(0.08 * rng.standard_normal(FRAMES))
        keep_read_run(run, ReadRun(source="made", series=FrameSeries(frame_ms, conditions=sheet)), Run.State.COMPLETE)
    complete_recording(book, recording.pk)
    return recording


def builds(count, first=1):
    return [f"b{i:02}" for i in range(first, first + count)]


def ordered(client, book, names, **more):
    return client.post(f"/api/books/{book.slug}/builds/", {"builds": [{"name": n} for n in names], **more})


def followed(client, book, levels, seed=100, **more):
    """Builds b01, b02 ... in order, each recorded once; the last recording."""
    names = builds(len(levels))
    assert ordered(client, book, names).status_code == 201
    made = None
    for i, (name, level) in enumerate(zip(names, levels, strict=True)):
        made = record(book, name, level, seed + i, day=i, **more)
    return made


def page_of(client, book, figure="mean_ms", rig=0, **asked):
    """The page of the book's first line on its ``rig``-th rig."""
    lines = client.get(f"/api/books/{book.slug}/trend/").json()["lines"]
    of = lines[rig]
    address = f"/api/books/{book.slug}/trend/{of['scenario']['id']}/{of['rig_id']}/"
    answer = client.get(address, {"figure": figure, **asked})
    assert answer.status_code == 200, answer.json()
    return answer.json()
