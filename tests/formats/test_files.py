"""Whole files: what each column is proposed as, the runs that follow, and what is asked or refused before."""

import gzip
import io
import json
import random
from dataclasses import replace

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
import zstandard
from core.generators import ordinary
from hypothesis import given, settings
from hypothesis import strategies as st

from vigilant.core import FrameSeries, Mark, Policy, compare
from vigilant.core.gaps import GAP, gap_states
from vigilant.formats import (
    Asked,
    FormatError,
    Holds,
    Kind,
    file_reading,
    read_run,
    read_runs,
    read_samples,
    reading_of,
    table_of,
    tables_out,
)
from vigilant.formats.beside import laid_along
from vigilant.formats.looking import look

FRAMES = [16.5, 17.25, 16.0, 33.5, 16.75, 16.25, 17.0, 16.5, 18.0, 16.0]
STAMPS_S = (np.cumsum(FRAMES) / 1000).tolist()


def rows(names, *columns, delimiter=","):
    return "\n".join([delimiter.join(names), *(delimiter.join(map(str, row)) for row in zip(*columns, strict=True))])


def parquet(**columns):
    sink = io.BytesIO()
    pq.write_table(pa.table(columns), sink)
    return sink.getvalue()


def arrow(stream=False, **columns):
    table, sink = pa.table(columns), io.BytesIO()
    with (pa.ipc.new_stream if stream else pa.ipc.new_file)(sink, table.schema) as out:
        out.write_table(table)
    return sink.getvalue()


def put(tmp_path, body, name="run.csv"):
    path = tmp_path / name
    path.write_bytes(body if isinstance(body, bytes) else body.encode())
    return path


def proposed(path):
    reading = reading_of(table_of(path), Asked())
    return {n: " ".join(filter(None, (c.kind, c.unit, c.role))) for n, c in reading.columns.items()}, reading


HALF = [x / 2 for x in FRAMES]
TEN = range(10)
# A file, and what each of its columns is proposed as; "?" after it where that has to be answered first.
COLUMNS = {
    "a lane by its name": (rows(["frame_ms", "gpu_ms"], FRAMES, HALF), ["times ms", "lane ms graphics"]),
    "a lane in us": (rows(["frame_ms", "cpuTimeUs"], FRAMES, HALF), ["times ms", "lane us processor"]),
    "waiting": (rows(["dt [ms]", "vsync wait (ms)"], FRAMES, HALF), ["times ms", "lane ms waiting"]),
    "a time of no known work": (rows(["frame_ms", "river_ms"], FRAMES, HALF), ["times ms", "lane ms ?"]),
    "graphics without a unit": (rows(["frame_ms", "gpu"], FRAMES, HALF), ["times ms", "lane ms graphics ?"]),
    "how busy it is": (rows(["frame_ms", "gpu_load", "gpu temp"], FRAMES, HALF, HALF), ["times ms", "counter", "counter"]),
    "counters": (rows(["frame_ms", "draws", "boats"], FRAMES, HALF, [3] * 10), ["times ms", "counter", "counter"]),
    "frames numbered": (rows(["frame", "frame_ms"], TEN, FRAMES), ["left out", "times ms"]),
    "numbered from 100": (rows(["#", "dt_ms"], range(100, 110), FRAMES), ["left out", "times ms"]),
    "a second clock": (rows(["time_s", "frame_ms"], STAMPS_S, FRAMES), ["stamps s", "times ms"]),
    "a second clock settles the unit": (rows(["time_s", "dt"], STAMPS_S, [x * 1000 for x in FRAMES]), ["stamps s", "times us"]),
    "two clocks apart": (rows(["time_s", "frame_ms"], STAMPS_S, HALF), ["stamps s", "times ms ?"]),
    "a count that rises is no clock": (rows(["frame_ms", "boats"], FRAMES, np.cumsum(FRAMES) * 3.0), ["times ms", "counter"]),
    "stamps and a counter": (rows(["timestamp_s", "draws"], STAMPS_S, HALF), ["stamps s", "counter"]),
    "a rate beside frames": (rows(["frame_ms", "fps"], FRAMES, [60, 61] * 5), ["times ms", "counter"]),
    "legs by name": (rows(["stage", "frame_ms"], ["lock"] * 5 + ["weir"] * 5, FRAMES), ["leg", "times ms"]),
    "legs by staying": (rows(["who", "frame_ms"], ["lock"] * 20 + ["weir"] * 20, FRAMES * 4), ["leg ?", "times ms"]),
    "words of no meaning": (rows(["who", "frame_ms"], "abcdefghij", FRAMES), ["left out", "times ms"]),
    "runs": (rows(["run", "frame_ms"], [1] * 5 + [2] * 5, FRAMES), ["run", "times ms"]),
    "arms": (rows(["build", "frame_ms"], ["old"] * 5 + ["new"] * 5, FRAMES), ["arm", "times ms"]),
    "two that could be the frame": (rows(["dt_ms", "took_ms"], FRAMES, HALF), ["lane ms ?", "lane ms ?"]),
    "the whole frame among pieces": (rows(["frame_duration_ms", "duration_ms"], FRAMES, HALF), ["times ms", "lane ms ?"]),
    "delimiters at the ends": ("frame_ms,draws\n" + "".join(f"{x},3,\n" for x in FRAMES), ["times ms", "counter", "left out"]),
    "two columns of one name": (rows(["frame_ms", "n", "n"], FRAMES, HALF, HALF), ["times ms", "counter", "counter"]),
    "thousands by a space": (rows(["duration (us)", "n"], [f"16 {9 - i}00" for i in TEN], TEN, delimiter=";"), ["times us", "left out"]),
    "thousands by a point": (rows(["duration (us)", "n"], [f"16.{9 - i}00,5" for i in TEN], ["1,5"] * 10, delimiter=";"), ["times us", "counter"]),
    "durations of a type": (parquet(took=pa.array([int(x * 1e6) for x in FRAMES], pa.duration("ns"))), ["times ns"]),
    "times of day of a type": (arrow(at=pa.array(np.cumsum([int(x * 1e6) for x in FRAMES]), pa.timestamp("ns"))), ["stamps ns"]),
    "a dictionary of legs": (parquet(frame_ms=FRAMES, leg=pa.array(["a"] * 5 + ["b"] * 5).dictionary_encode()), ["times ms", "leg"]),
    "a stream of Arrow": (arrow(True, frame_ms=FRAMES, ok=[True, False] * 5), ["times ms", "counter"]),
    "decimals of a type": (parquet(frame_ms=pa.array([f"{x:.2f}" for x in FRAMES]).cast(pa.decimal128(8, 2))), ["times ms"]),
    "objects a line": ("\n".join(json.dumps({"frame_ms": x, "gpu_ms": None}) for x in FRAMES), ["times ms", "left out"]),
    "lists a line": ("\n".join(json.dumps([i, x]) for i, x in enumerate(FRAMES)), ["left out", "times ms"]),
}  # fmt: skip


@pytest.mark.parametrize("name", COLUMNS)
def test_each_column_is_proposed_as_what_it_is(name, tmp_path):
    body, expected = COLUMNS[name]
    found, reading = proposed(put(tmp_path, body))
    said = [f"{what} ?" if reading.columns[n].doubt else what for n, what in found.items()]
    assert said == expected
    assert bool(reading.doubt) == (name == "two that could be the frame")
    assert all(c.why for c in reading.columns.values())


def test_a_word_in_a_lane_is_a_gap_only_where_it_says_so(tmp_path):
    cells = ["8", "stale", "below", "", "NA", "8", "8", "8", "8", "8"]
    run = read_run(put(tmp_path, rows(["frame_ms", "gpu_ms"], FRAMES, cells)), Asked())
    assert {k: v.tolist() for k, v in gap_states(run.series.lanes["gpu_ms"]).items()} == {
        "stale": [1], "below": [2], "missing": [3, 4],
    }  # fmt: skip
    assert run.gaps["gpu_ms"] == {"stale": 1, "below": 1, "missing": 2}
    path = put(tmp_path, rows(["frame_ms", "gpu_ms"], FRAMES, ["lots", *cells[1:]]))
    with pytest.raises(FormatError, match="line 2: 'lots' in column 'gpu_ms'"):
        read_run(path, Asked())
    assert read_run(path, Asked(keep_valid=True)).gaps["gpu_ms"]["missing"] == 3


def test_a_missing_value_of_a_type_is_one_and_no_frame(tmp_path):
    lane = pa.array([None, *HALF[1:]], pa.float32())
    run = read_run(put(tmp_path, parquet(frame_ms=FRAMES, gpu_ms=lane)), Asked())
    assert run.gaps == {"gpu_ms": {"missing": 1}}
    assert run.series.lanes["gpu_ms"][1] == np.float64(np.float32(HALF[1]))
    holed = put(tmp_path, parquet(frame_ms=pa.array([None, *FRAMES[1:]])))
    with pytest.raises(FormatError, match="'null' is not a number") as caught:
        read_run(holed)
    assert caught.value.line == 1
    assert read_run(holed, Asked(keep_valid=True)).series.frame_ms.tolist() == FRAMES[1:]


def test_of_stamps_the_first_rows_lanes_fall_away_and_legs_begin_with_their_frames(tmp_path):
    legs = ["lock"] * 4 + ["weir"] * 6
    run = read_run(put(tmp_path, rows(["time_s", "gpu_ms", "leg"], STAMPS_S, HALF, legs)), Asked())
    assert run.series.frame_ms == pytest.approx(FRAMES[1:])
    assert run.series.lanes["gpu_ms"].tolist() == HALF[1:]
    assert [(m.index, m.name) for m in run.series.marks] == [(0, "lock"), (3, "weir")]


def test_runs_and_arms_that_a_file_names_are_kept_apart(tmp_path):
    arm = ["old", "new"] * 5
    runs = read_runs(put(tmp_path, rows(["build", "pass", "frame_ms"], arm, [1] * 6 + [2] * 4, FRAMES)), Asked())
    assert [(r.arm, r.name, r.series.frame_ms.tolist()) for r in runs] == [
        ("old", "1", FRAMES[0:6:2]), ("new", "1", FRAMES[1:6:2]), ("old", "2", FRAMES[6::2]), ("new", "2", FRAMES[7::2]),
    ]  # fmt: skip
    with pytest.raises(FormatError, match="holds 4 runs"):
        read_run(put(tmp_path, rows(["build", "pass", "frame_ms"], arm, [1] * 6 + [2] * 4, FRAMES)))


def test_a_reading_is_kept_as_toml_and_known_beside_the_data(tmp_path):
    path = put(tmp_path, rows(["took", "river", "stage"], FRAMES, HALF, ["a"] * 10))
    text = (
        'vigilant_reading = 1\nname = "pond"\n[columns.took]\nis = "times"\nunit = "ms"\n'
        '[columns.river]\nis = "lane"\nunit = "us"\nrole = "processor"\n'
    )
    reading = file_reading.parsed(text)
    assert file_reading.parsed(file_reading.written(reading)) == reading
    run = read_run(path, Asked(reading=reading))
    assert run.series.lanes["river"] == pytest.approx(np.array(HALF) / 1000)
    (tmp_path / file_reading.BESIDE).write_text(text)
    seen = look(path, Asked())
    assert (seen.recognised, seen.open, [c.is_ for c in seen.columns]) == ("pond", [], ["times", "lane", "left out"])
    # What is said at the command goes before what lies beside.
    assert look(path, Asked(column="river", kind=Kind.TIMES, unit="ms")).columns[1].is_ == "times"
    (tmp_path / file_reading.BESIDE).write_text("vigilant_reading = 2")
    with pytest.raises(FormatError, match="vigilant_reading must be 1"):
        look(path, Asked())


@pytest.mark.parametrize(
    "body",
    [
        b"PAR1" + b"\0" * 50,
        b"ARROW1\0\0" + b"\0" * 50,
        b"\xff\xff\xff\xff" + b"\0" * 20,
        parquet(frame_ms=FRAMES)[:-20],
        arrow(frame_ms=FRAMES)[:200],
        parquet(when=pa.array([[1.0]] * 10)),
        b"",
        b"\n\n\n",
        b"frame_ms\n",
        b"a;b\n1;2\n1;2;3\n",
        b'frame_ms,n\n"16,3\n17,4\n',
        b"\xef\xbb\xbf",
        b"{}",
        b"[[]]",
        b"[1, 2",
        b'{"a": 1}\n[2]\n',
        zstandard.compress(b"frame_ms\n16\n")[:-3],
        gzip.compress(b"frame_ms\n16\n" * 99, mtime=0)[:-9],
        b"frame_ms\n" + b"1" * (3 << 20),
    ],
)
def test_what_is_no_table_is_refused_with_its_name(body, tmp_path):
    with pytest.raises(FormatError) as caught:
        read_runs(put(tmp_path, body), Asked())
    assert str(caught.value).startswith("run.csv")
    assert len(str(caught.value)) < 400


PLAIN = {"frame_ms": FRAMES * 8, "gpu_ms": HALF * 8, "leg": ["lock"] * 40 + ["weir"] * 40, "draws": [3.5] * 80}
WHOLE = {
    "csv": rows(PLAIN, *PLAIN.values()).encode(),
    "utf-16": rows(PLAIN, *PLAIN.values(), delimiter=";").encode("utf-16"),
    "json": json.dumps([dict(zip(PLAIN, row, strict=True)) for row in zip(*PLAIN.values(), strict=True)]).encode(),
    "parquet": parquet(**PLAIN),
    "arrow": arrow(**PLAIN),
    "gzip": gzip.compress(rows(PLAIN, *PLAIN.values()).encode(), mtime=0),
}


@pytest.mark.parametrize("kind", WHOLE)
def test_mutilated_files_are_read_or_refused_and_nothing_else(kind, tmp_path):
    """A fuzzer over every reader: bytes turned, cut, doubled."""
    rng = random.Random(kind)
    refused = 0
    for _ in range(150):
        body = bytearray(WHOLE[kind])
        for _ in range(rng.randint(1, 6)):
            at = rng.randrange(len(body))
            act = rng.randrange(4)
            if act == 0:
                body[at] = rng.randrange(256)
            elif act == 1:
                del body[at : at + rng.randint(1, 30)]
            elif act == 2:
                body[at:at] = body[at : at + rng.randint(1, 60)]
            else:
                body[at:at] = rng.choice([b"\0", b"\n", b'"', b",,", b"NaN", b"-1", b"1e999", b"\xff", b"\r"])
        try:
            seen = look(put(tmp_path, bytes(body)), Asked(keep_valid=rng.random() < 0.5))
        except FormatError:
            refused += 1
        else:
            assert json.dumps(seen.document(), allow_nan=False)
    assert 0 < refused < 150 or kind in ("csv", "gzip")


finite = st.floats(0.01, 1e6)
cell = st.one_of(finite, st.just("stale"), st.just("below"), st.none())


@settings(max_examples=40)
@given(
    st.lists(st.tuples(finite, cell, st.sampled_from(["lock", "weir", "open water"])), min_size=2, max_size=60),
    st.sampled_from(["csv", "semicolons", "json", "jsonl", "arrow", "parquet"]),
    st.sampled_from([None, "gzip", "zstd"]),
)
def test_what_any_program_writes_reads_back_bit_for_bit(tmp_path_factory, table, kind, packed):
    frame, lane, leg = (list(column) for column in zip(*table, strict=True))
    typed = kind in ("arrow", "parquet")
    columns = {"dt": frame, "river": [None if isinstance(x, str) and typed else x for x in lane], "stage": leg}
    if typed:
        body, packed = (arrow if kind == "arrow" else parquet)(**columns), None
    elif kind.startswith("json"):
        objects = [dict(zip(columns, row, strict=True)) for row in zip(*columns.values(), strict=True)]
        body = (json.dumps(objects) if kind == "json" else "\n".join(map(json.dumps, objects))).encode()
    else:
        comma = kind == "semicolons"
        cells = [["" if x is None else repr(x).replace(".", "," if comma else ".") if isinstance(x, float) else x for x in column] for column in columns.values()]  # fmt: skip
        body = rows(columns, *cells, delimiter=";" if comma else ",").encode()
    body = {"gzip": gzip.compress, "zstd": zstandard.compress, None: bytes}[packed](body)
    said = {"dt": {"is": "times", "unit": "ms"}, "river": {"is": "counter"}, "stage": {"is": "leg"}}
    reading = file_reading.checked({"vigilant_reading": 1, "columns": said})
    path = put(tmp_path_factory.mktemp("any"), body)
    try:
        series = read_run(path, Asked(reading=reading)).series
    except FormatError as error:
        assert error.code == "only-rises"  # noqa: PT017
        return
    assert series.frame_ms.tolist() == frame
    told = series.counters["river"]
    for i, value in enumerate(columns["river"]):
        state = next((k for k, at in gap_states(told).items() if i in at), None)
        assert state == {"stale": "stale", "below": "below", None: "missing"}[value] if not isinstance(value, float) else told[i] == value  # fmt: skip
    changes = [i for i, name in enumerate(leg) if i == 0 or name != leg[i - 1]]
    assert [m.index for m in series.marks] == changes


VERDICTS = {
    "durations in us": lambda x: rows(["duration (us)", "n"], x * 1000, range(x.size)),
    "stamps in s": lambda x: rows(["timestamp_s"], np.cumsum(x) / 1000),
    "stamps in ns": lambda x: rows(["ts_ns"], (np.cumsum(x) * 1e6).astype(int) + 1_790_000_000_000_000_000),
    "decimal comma": lambda x: rows(["dt_ms", "n"], [repr(float(v)).replace(".", ",") for v in x], range(x.size), delimiter=";"),
    "parquet of float32": lambda x: parquet(frame_ms=x.astype(np.float32)),
    "json": lambda x: json.dumps(x.tolist()),
}  # fmt: skip


@pytest.mark.parametrize("name", VERDICTS)
def test_the_verdict_is_the_same_however_the_files_are_made(name, tmp_path):
    rng = np.random.default_rng(11)
    arms = [[np.round(ordinary(rng, 400, level), 3) for _ in range(5)] for level in (16.0, 14.0)]
    read = [
        [read_run(put(tmp_path, VERDICTS[name](x), f"{i}.csv")).series for i, x in enumerate(arm)] for arm in arms
    ]  # fmt: skip
    found = compare(read[0], read[1], Policy(target_fps=60))
    assert found.verdict == "gain"
    mean = found.figures["mean_ms"]
    assert mean.before == pytest.approx(np.mean([x[name.startswith("stamps") :].mean() for x in arms[0]]), rel=1e-4)


names = st.text(st.characters(exclude_categories=["C", "Z"]), min_size=1, max_size=12) | st.sampled_from(["frame_ms", "leg", "5", "#a", "a,b", '"'])  # fmt: skip
gaps = st.sampled_from([float(GAP[state]) for state in GAP])


@st.composite
def runs(draw):
    size = draw(st.integers(1, 30))
    column = st.lists(st.floats(-1e9, 1e9) | gaps, min_size=size, max_size=size).map(np.array)
    frame = draw(st.lists(st.floats(0, 1e6), min_size=size, max_size=size).filter(lambda x: sum(x) > 0))
    lanes, counters = (draw(st.dictionaries(names, column, max_size=3)) for _ in range(2))
    roles = {n: draw(st.sampled_from(["", "processor", "graphics", "waiting"])) for n in lanes}
    marks = draw(st.lists(st.tuples(st.integers(0, size), names, st.booleans()), max_size=4, unique_by=lambda m: m[0]))
    return FrameSeries(
        np.array(frame), lanes=lanes, lane_roles={n: r for n, r in roles.items() if r}, counters=counters,
        marks=[Mark(*m) for m in marks], conditions=draw(st.dictionaries(names, st.text(max_size=20), max_size=3)),
        figures=draw(st.dictionaries(names, st.floats(-1e9, 1e9), max_size=2)), stated_s=draw(st.none() | st.floats(0.1, 1e5)),
    )  # fmt: skip


@settings(max_examples=60)
@given(runs(), st.sampled_from(["csv", "json", "parquet", "arrow"]))
def test_a_run_that_is_taken_out_comes_back_bit_for_bit(tmp_path_factory, series, kind):
    path = tmp_path_factory.mktemp("out") / f"run.{kind}"
    if kind in ("parquet", "arrow"):
        tables_out.write_columnar(path, series, kind, "2026-05-04T18:30:00Z")
    else:
        lines = (tables_out.csv_lines if kind == "csv" else tables_out.json_lines)(series, "2026-05-04T18:30:00Z")
        path.write_text("".join(lines), encoding="utf-8")
    back = read_run(path, Asked())
    assert back.head == {"started": "2026-05-04T18:30:00Z"}
    assert back.series.frame_ms.tobytes() == series.frame_ms.tobytes()
    for group in ("lanes", "counters"):
        read, was = getattr(back.series, group), getattr(series, group)
        assert {n: v.tobytes() for n, v in read.items()} == {n: v.tobytes() for n, v in was.items()}
    assert dict(back.series.lane_roles) == dict(series.lane_roles)
    assert file_reading.OwnRun.of(back.series, None) == file_reading.OwnRun.of(series, None)


def test_readings_at_another_rate_are_laid_along_the_frames(tmp_path):
    """A frame has the newest reading up to its end; what it had already is stale, what nobody read missing."""
    frames = put(tmp_path, rows(["time_s", "frame_ms"], [100.0 + t for t in np.arange(1, 11) * 0.1], [100.0] * 10))
    run = read_runs(frames, Asked(), clock=True)[0]
    at, watts, core = [100.25, 100.45, 100.46, 100.65], ["5", "stale", "7", "8"], ["1000", "", "3000", "4000"]
    beside = put(tmp_path, rows(["time (s)", "power [W]", "gpu core us"], at, watts, core), "power.csv")
    samples = read_samples(beside, Asked(holds=Holds.READINGS))
    laid = laid_along(run, samples).series
    power = laid.counters["power [W]"]
    states = {k: v.tolist() for k, v in gap_states(power).items()}
    assert {i: v for i, v in enumerate(power.tolist()) if v == v} == {2: 5.0, 4: 7.0, 6: 8.0}
    assert states == {"missing": [0, 1], "stale": [3, 5, 7, 8, 9]}  # silent only from two usual steps on
    assert laid.lanes["gpu core us"][[2, 4, 6]].tolist() == [1.0, 3.0, 4.0]
    assert laid.lane_roles == {"gpu core us": "graphics"}
    silent = laid_along(run, replace(samples, at_s=samples.at_s - 0.4)).series.counters["power [W]"]
    assert gap_states(silent)["missing"].tolist() == [6, 7, 8, 9]
    assert laid_along(run, replace(samples, at_s=samples.at_s - 100)) is None
    with pytest.raises(FormatError, match="is in the run already"):
        laid_along(laid_along(run, samples), samples)


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("t_s,w\n1,5\n1,9\n", "later than the one before"),
        ("t_s,w\n1,5\nx,9\n3,7\n", "is no stamp"),
        ("time,w\n" + "".join(f"{i / 7},5\n" for i in range(20)), "its unit is not named"),
        ("a,b\n5,4\n3,2\n5,5\n", "one column of stamps"),
        ("time_s\n" + "".join(f"{i / 7}\n" for i in range(20)), "nothing beside"),
        ('{"vigilant_frames":1,"columns":["frame"]}\n[16]\n', "a stream of frames is a run"),
    ],
)
def test_what_holds_no_readings_is_refused(text, said, tmp_path):
    with pytest.raises(FormatError, match=said):
        read_samples(put(tmp_path, text), Asked(holds=Holds.READINGS))
