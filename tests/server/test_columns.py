"""Columns and parts: exact from file to screen, read one by one, drawn at any zoom without losing a stall."""

import io
import math

import numpy as np
import pytest
import zstandard
from django.db import connection
from django.test.utils import CaptureQueriesContext
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from vigilant.core import FrameSeries, Mark, Part
from vigilant.core.gaps import GAP, gap_counts, gap_states
from vigilant.core.series import PartRows
from vigilant.formats import frames, frames_out
from vigilant.server.runs import store
from vigilant.server.runs.codec import DamagedChunk, decode, decode_parts, encode, encode_parts
from vigilant.server.runs.models import PartChunk, Run, RunColumn
from vigilant.server.runs.store import read_every, read_parts, read_series, read_windows, write_series
from vigilant.server.scenarios import services as scenarios


def _plain_run(book, frames_, **more):
    """A run row with frames, made without a recording."""
    series = FrameSeries(
        frames_, lanes={"gpu": frames_ / 2}, lane_roles={"gpu": "graphics"}, marks=[Mark(0, "a")], **more
    )
    run = Run.objects.create(
        book=book,
        scenario_version=scenarios.scenario_version(book, "s", {"target_fps": 60}),
        rig=scenarios.rig(book, "", {}),
        conditions=scenarios.conditions(book, {}),
        build=scenarios.build(book, "b", {}),
        outcome="complete",
        state="complete",
        frames=series.frame_ms.size,
        marks=[{"index": 0, "name": "a", "play": True}],
    )
    write_series(run, series)
    return run


def _wide(lanes):
    x = np.round(np.random.default_rng(5).normal(12, 0.3, 900), 4)
    return FrameSeries(x, lanes={f"lane {i}": x / (i + 2) for i in range(lanes)})


@pytest.mark.django_db
def test_a_run_takes_as_many_queries_however_many_columns_it_has(book):
    run = _plain_run(book, _wide(0).frame_ms)
    asked = {}
    for lanes in (1, 20, 2):
        with CaptureQueriesContext(connection) as made:
            write_series(run, _wide(lanes))
        asked[lanes] = len(made)
    assert asked[1] == asked[20]
    assert list(read_series(run).lanes) == ["lane 0", "lane 1"]  # nothing is left of those before


@pytest.mark.django_db
def test_chunks_that_are_too_much_for_one_journey_take_several(book, monkeypatch):
    monkeypatch.setattr(store, "TOGETHER", 5_000)
    run, wide = _plain_run(book, _wide(0).frame_ms), _wide(9)
    with CaptureQueriesContext(connection) as made:
        write_series(run, wide)
    assert sum("INSERT INTO `runs_framechunk`" in query["sql"] for query in made) > 1
    back = read_series(run)
    assert back.frame_ms.tolist() == wide.frame_ms.tolist()
    assert {name: v.tolist() for name, v in back.lanes.items()} == {name: v.tolist() for name, v in wide.lanes.items()}


@pytest.mark.django_db
def test_the_trace_loses_no_stall_at_any_zoom(book, editor):
    rng = np.random.default_rng(3)
    x = np.round(rng.normal(12, 0.3, 400_000), 4)
    stalls = rng.choice(x.size, 5, replace=False)
    x[stalls] = [90.0, 91.0, 92.0, 93.0, 94.0]
    run = _plain_run(book, x)
    whole = editor.get(f"/api/runs/{run.pk}/trace/").json()
    assert whole["step"] == 256
    assert {90.0, 91.0, 92.0, 93.0, 94.0} <= set(whole["high"])
    assert math.isclose(min(whole["low"]), x.min())
    assert len(whole["start_s"]) == len(whole["high"]) == len(whole["lanes"]["gpu"]) <= 4000
    at = int(stalls[0])
    near = editor.get(f"/api/runs/{run.pk}/trace/?start={at - 2}&stop={at + 3}").json()
    assert near["step"] == 1
    assert near["low"] == x[at - 2 : at + 3].tolist()
    assert near["high"] == []
    middle = editor.get(
        f"/api/runs/{run.pk}/trace/?start={at - 30_000 if at > 30_000 else 0}&stop={at + 30_000}"
    ).json()
    assert max(middle["high"]) == x[max(0, at - 30_000) : at + 30_000].max()
    assert 2000 < len(middle["low"]) <= 4000
    assert near["start_s"][2] == pytest.approx(x[:at].sum() / 1000, abs=1e-6)
    across, start_ms = read_windows(run, ["lane:gpu"], 65_530, 65_545)
    assert across["lane:gpu"].tobytes() == (x / 2)[65_530:65_545].tobytes()
    assert across["frame"].tobytes() == x[65_530:65_545].tobytes()
    assert start_ms == pytest.approx(x[:65_530].sum())
    for query in ("start=9&stop=9", "start=-1", "start=abc", "start=400000"):
        assert editor.get(f"/api/runs/{run.pk}/trace/?{query}").status_code == 422


@pytest.mark.django_db
def test_a_run_downloads_bit_for_bit(book, editor, tmp_path):
    x = np.random.default_rng(4).normal(12, 1, 500)
    run = _plain_run(book, x)
    (tmp_path / "r.jsonl").write_bytes(editor.get(f"/api/runs/{run.pk}/frames/").content)
    with (tmp_path / "r.jsonl").open("rb") as stream:
        back = frames.read(stream, "r")
    assert back.complete
    assert back.series.frame_ms.tobytes() == x.tobytes()


@given(arrays(np.float64, st.integers(1, 300), elements=st.floats(allow_nan=True, allow_infinity=True)))
def test_chunks_decode_bit_for_bit(values):
    made = encode(values)
    assert decode(made.codec, made.checksum, made.body).tobytes() == values.tobytes()


def _as_older(x):
    """Six decimals, as chunks were written at first."""
    whole = np.round(x * 1e6).astype("<i8")
    return zstandard.compress(np.frombuffer(whole.tobytes(), np.uint8).reshape(-1, 8).T.tobytes())


def test_decimal_times_are_stored_small():
    x = np.round(np.random.default_rng(1).normal(16, 1, 65_536), 4)
    made = encode(x)
    assert made.codec == "e4-shuffle-zstd"
    assert len(made.body) < 3 * x.size
    older = encode(np.round(x * 1e6) / 1e6)
    assert decode("ns-shuffle-zstd", made.checksum, _as_older(x)).tobytes() == x.tobytes()
    assert older.checksum == made.checksum


PARTS = [Part(("steer boats",), 0.0), Part(("steer boats", "avoid pillars"), 0.0, lane="river"), Part(("paint",), 0.0)]


def _rows(rng, frames_, share=0.6):
    """Parts present in some of the frames; one reading in fifty is below the clock's step."""
    frame = np.sort(rng.integers(0, frames_, int(frames_ * share)))
    ms = np.round(rng.exponential(0.4, frame.size), 4)
    ms[rng.random(frame.size) < 0.02] = GAP["below"]
    part = rng.integers(0, len(PARTS), frame.size)
    calls = rng.integers(1, 60, frame.size)
    at = np.where(rng.random(frame.size) < 0.1, GAP["missing"], np.round(rng.uniform(0, 12, frame.size), 3))
    boats = np.where(part == 0, rng.integers(1, 90, frame.size).astype(float), GAP["missing"])
    totals = [
        Part(p.path, float(np.nansum(ms[part == i])), int(calls[part == i].sum()), p.lane) for i, p in enumerate(PARTS)
    ]
    return totals, PartRows(totals, frame, part, ms, at, calls, {"boats": boats})


def _same(a, b):
    for name in ("frame", "part", "ms", "at_ms", "calls"):
        assert getattr(a, name).tobytes() == getattr(b, name).astype(getattr(a, name).dtype).tobytes(), name
    assert a.counts.keys() == b.counts.keys()
    assert all(a.counts[k].tobytes() == b.counts[k].tobytes() for k in a.counts)


@pytest.mark.django_db
def test_parts_are_kept_a_frame_at_a_time_and_read_by_window(book, editor):
    rng = np.random.default_rng(5)
    x = np.round(rng.normal(12, 0.3, 200_000), 4)
    totals, rows = _rows(rng, x.size)
    run = _plain_run(book, x, parts=totals, part_rows=rows)
    assert PartChunk.objects.filter(run=run).count() == 2
    _same(rows, read_parts(run))
    near = read_parts(run, 108_000, 108_020)
    keep = (rows.frame >= 108_000) & (rows.frame < 108_020)
    assert near.ms.tobytes() == rows.ms[keep].tobytes()
    assert read_series(run).part_rows is None
    told = editor.get(f"/api/runs/{run.pk}/parts/?start=108000&stop=108020").json()
    assert told["frame"] == rows.frame[keep].tolist()
    assert [p["path"] for p in told["parts"]] == [list(p.path) for p in PARTS]
    assert editor.get(f"/api/runs/{run.pk}/parts/").json()["frame"] == []
    assert editor.get(f"/api/runs/{run.pk}/parts/?stop=200000").status_code == 200


@pytest.mark.django_db
@pytest.mark.parametrize("want", [None, ["lane:gpu"], ["counter:boats", "counter:rain"], []])
def test_several_runs_are_read_as_each_alone_and_by_no_more_queries(book, django_assert_num_queries, want):
    """Of unlike columns, parts and lengths, one longer than a chunk, in the order asked for."""
    rng = np.random.default_rng(7)
    totals, rows = _rows(rng, 300)
    made = [
        _plain_run(book, rng.normal(12, 0.3, 300), parts=totals, part_rows=rows),
        _plain_run(book, rng.normal(12, 0.3, 70_000), counters={"boats": np.arange(70_000.0)}),
        _plain_run(book, rng.normal(12, 0.3, 40), counters={"rain": np.full(40, np.nan), "boats": np.zeros(40)}),
    ]
    runs = [Run.objects.select_related("conditions").get(pk=made[i].pk) for i in (1, 2, 0)]
    with django_assert_num_queries(3):
        together = read_every(runs, want)
    assert [series.frame_ms.size for series in together] == [70_000, 40, 300]
    for run, series in zip(runs, together, strict=True):
        alone = read_series(run, want)
        assert series.frame_ms.tobytes() == alone.frame_ms.tobytes()
        for of in ("lanes", "counters"):
            one, other = getattr(series, of), getattr(alone, of)
            assert [*one] == [*other]
            assert all(one[name].tobytes() == other[name].tobytes() for name in one)
        assert (series.lane_roles, series.marks, series.parts) == (alone.lane_roles, alone.marks, alone.parts)
    gpu = want is None or "lane:gpu" in want
    assert [*together[0].lanes] == (["gpu"] if gpu else [])
    assert [[*series.counters] for series in together] == [
        [name for name in own if want is None or f"counter:{name}" in want]
        for own in (["boats"], ["rain", "boats"], [])
    ]
    assert [len(series.parts) for series in together] == [0, 0, len(totals)]


def test_a_million_rows_of_parts_take_at_most_eight_megabytes():
    rng = np.random.default_rng(6)
    _, rows = _rows(rng, 100_000, share=0.65)
    checksum, body = encode_parts(rows)
    assert len(body) * 1e6 / rows.frame.size <= 8e6
    _same(rows, decode_parts(checksum, body, PARTS))
    with pytest.raises(DamagedChunk):
        decode_parts(checksum, body[:-1] + b"x", PARTS)


@given(st.lists(st.sampled_from(["missing", "stale", "below", 1.5, 0.0]), min_size=1, max_size=60))
def test_three_states_stay_three_from_file_to_file(cells):
    values = np.array([GAP.get(c, c) for c in cells])
    assert gap_counts(values) == {n: cells.count(n) for n in ("stale", "below", "missing") if n in cells}
    series = FrameSeries(np.full(values.size, 12.0), lanes={"gpu": values}, counters={"boats": values})
    text = io.StringIO()
    frames_out.write(text, series)
    back = frames.read(io.BytesIO(text.getvalue().encode()), "x").series
    assert back.lanes["gpu"].tobytes() == back.counters["boats"].tobytes() == values.tobytes()
    made = encode(values)
    assert decode(made.codec, made.checksum, made.body).tobytes() == values.tobytes()


@pytest.mark.django_db
def test_three_states_stay_three_from_store_to_screen(book, editor):
    boats = np.array([40.0, GAP["stale"], GAP["below"], GAP["missing"], 41.0])
    run = _plain_run(book, np.full(5, 12.0), counters={"boats": boats})
    trace = editor.get(f"/api/runs/{run.pk}/trace/").json()
    assert trace["counters"]["boats"] == [40.0, None, None, None, 41.0]
    assert trace["gaps"] == {"counter:boats": {"stale": [1], "below": [2], "missing": [3]}}
    assert RunColumn.objects.get(run=run, kind="counter").gaps == {"stale": 1, "below": 1, "missing": 1}
    one = read_series(run, want=["counter:boats"])
    assert (list(one.lanes), gap_states(one.counters["boats"])["stale"].tolist()) == ([], [1])
    assert list(read_series(run, want=["lane:gpu"]).counters) == []


@pytest.mark.django_db
def test_parts_and_figures_come_back_from_a_download(book, editor):
    rng = np.random.default_rng(7)
    totals, rows = _rows(rng, 60, share=1.0)
    totals = [*totals, Part(("set up",), 3.5, 2)]
    run = _plain_run(book, np.full(60, 12.0), parts=totals, part_rows=rows)
    run.noted = {"figures": {"load_ms": 812.0}}
    run.save()
    read = frames.read(io.BytesIO(editor.get(f"/api/runs/{run.pk}/frames/").content), "x").series
    assert read.figures == {"load_ms": 812.0}
    by_name = {(p.lane, p.path): p for p in read.parts}
    for part in totals:
        again = by_name[part.lane, part.path]
        assert (again.calls, again.ms) == (part.calls, pytest.approx(part.ms))
    names = {(p.lane, p.path): i for i, p in enumerate(read.part_rows.parts)}
    renumbered = np.array([names[PARTS[i].lane, PARTS[i].path] for i in rows.part])
    _same(PartRows(PARTS, rows.frame, renumbered, rows.ms, rows.at_ms, rows.calls, rows.counts), read.part_rows)
