"""Reading and writing: bit for bit, errors by line, nothing guessed."""

import contextlib
import gzip
import io
import json

import numpy as np
import pytest
import zstandard
from hypothesis import given
from hypothesis import strategies as st

from vigilant.core import FrameSeries, Mark, Part
from vigilant.formats import Asked, FormatError, frames, frames_out, limits, read_run
from vigilant.formats.head import parse_head

HEAD = {"vigilant_frames": 1, "columns": ["frame", "wait"], "lanes": {"wait": "waiting"}, "counters": ["draws"]}


def stream(*lines, head=HEAD):
    rows = [head, *lines]
    return "".join((row if isinstance(row, str) else json.dumps(row)) + "\n" for row in rows).encode()


def write(path, content):
    path.write_bytes(content if isinstance(content, bytes) else content.encode())
    return path


@given(st.lists(st.floats(1e-3, 1e6), min_size=1, max_size=50), st.integers(0, 50))
def test_frames_read_back_bit_for_bit(values, mark_at):
    x = np.array(values)
    lane = np.where(x > np.median(x), np.nan, x / 3)
    series = FrameSeries(
        x, {"gpu": lane}, {"gpu": "graphics"}, {"draws": x}, [Mark(min(mark_at, x.size - 1), "a", False)], {"k": "v"}
    )
    text = io.StringIO()
    frames_out.write(text, series)
    back = frames.read(io.BytesIO(text.getvalue().encode()), "x")
    assert back.complete
    assert back.series.frame_ms.tobytes() == series.frame_ms.tobytes()
    assert np.array_equal(back.series.lanes["gpu"], lane, equal_nan=True)
    assert (back.series.marks, back.series.conditions) == (series.marks, series.conditions)


@given(st.lists(st.binary(max_size=40), max_size=6))
def test_no_stream_crashes_the_reader(lines):
    content = stream([1, 0, 3]) + b"\n".join(lines)
    with contextlib.suppress(FormatError):
        assert frames.read(io.BytesIO(content), "x").series.frame_ms.size >= 1


def test_a_stream_without_an_end_is_broken_and_keeps_every_whole_line(tmp_path):
    whole = stream([14.0, 0, 1], [15.0, 0, 2]) + b"[16.0, 0"
    run = read_run(write(tmp_path / "r", whole))
    assert not run.complete
    assert run.series.frame_ms.tolist() == [14.0, 15.0]


def test_units_stamps_and_gaps(tmp_path):
    head = {**HEAD, "columns": ["at", "wait"], "unit": "us"}
    run = read_run(write(tmp_path / "r", stream([1000, 5, 1], [17000, None, 2], [33500, "stale", "below"], head=head)))
    assert run.series.frame_ms.tolist() == [16.0, 16.5]
    assert run.gaps == {"wait": {"missing": 1, "stale": 1}, "draws": {"below": 1}}
    assert np.isnan(run.series.counters["draws"][1])


def test_equal_stamps_count_on_a_coarse_clock_and_not_otherwise(tmp_path):
    head = {"vigilant_frames": 1, "columns": ["at"]}
    coarse = read_run(write(tmp_path / "a", stream([0], [16], [16], [48], [64], head=head)))
    assert coarse.series.frame_ms.tolist() == [16, 0, 32, 16]
    assert coarse.zero_frames == 1
    fine = stream([0], [16.1], [16.1], [30.37], [46.9], head=head)
    with pytest.raises(FormatError, match=r"line 4: .*equal stamps"):
        read_run(write(tmp_path / "b", fine))


BAD_STREAMS = {
    "NaN": (stream("[NaN,0,1]"), "not-finite", 2),
    "infinity": (stream([1, 0, 1], "[1e999,0,1]"), "not-finite", 3),
    "beyond a float": (stream("[1" + "0" * 400 + ",0,1]"), "not-finite", 2),
    "lane beyond a float": (stream("[4,1" + "0" * 400 + ",1]"), "not-finite", 2),
    "true": (stream("[true,0,1]"), "not-finite", 2),
    "figure": (stream([4, 0, 1], {"figure": "load_ms", "value": "long"}), "not-finite", 3),
    "long name": (stream(head={**HEAD, "counters": ["c" * 101]}), "columns-unreadable", 1),
    "negative": (stream([-4.0, 0, 1]), "not-positive", 2),
    "zero": (stream([0, 0, 1]), "not-positive", 2),
    "negative lane": (stream([4, -1, 1]), "not-positive", 2),
    "text": (stream(["fast", 0, 1]), "not-finite", 2),
    "too few columns": (stream([4.0]), "columns-unlike", 2),
    "not JSON": (stream("[1,2"), "line-unreadable", 2),
    "clock backwards": (stream([5], [4], head={"vigilant_frames": 1, "columns": ["at"]}), "clock-backwards", 3),
    "count unlike": (stream([4, 0, 1], {"end": {"frames": 7}}), "count-unlike", 3),
    "after the end": (stream([4, 0, 1], {"end": {"frames": 1}}, [4, 0, 1]), "after-end", 4),
    "long line": (stream('{"mark":"' + "x" * 70000 + '"}'), "line-too-long", 2),
    "no frames": (stream({"mark": "a"}), "empty", None),
    "empty": (b"{", "head-unreadable", 1),
    "no head": (b'{"frames":[1],"ms":[2]}\n', "rows-unclear", None),
    "version": (stream(head={**HEAD, "vigilant_frames": 9}), "version-unknown", 1),
    "unit": (stream(head={**HEAD, "unit": "ticks"}), "unit-unknown", 1),
    "role": (stream(head={**HEAD, "lanes": {"wait": "idle"}}), "role-unknown", 1),
    **{
        f"waits {said}": (stream(head={**HEAD, "lanes": {"wait": "blocked"}, "waits": waits}), "waits-unreadable", 1)
        for said, waits in {
            "a list": [],
            "of nothing": {"wait": 3},
            "on itself": {"wait": {"wait": "wait"}},
            "on what is not there": {"wait": {"gone": "wait"}},
        }.items()
    },
    "lane unknown": (stream(head={**HEAD, "lanes": {"gone": "waiting"}}), "column-unknown", 1),
    "twice": (stream(head={**HEAD, "counters": ["wait"]}), "columns-unreadable", 1),
}


@pytest.mark.parametrize("name", BAD_STREAMS)
def test_bad_streams_are_refused_with_line_and_reason(name, tmp_path):
    content, code, line = BAD_STREAMS[name]
    with pytest.raises(FormatError) as caught:
        read_run(write(tmp_path / "bad.jsonl", content))
    assert (caught.value.code, caught.value.line) == (code, line)
    assert "bad.jsonl" in str(caught.value)


def test_the_valid_part_is_kept_when_asked(tmp_path):
    path = write(tmp_path / "r", stream([4, 0, 1], "[NaN,0,1]", [5, 0, 1], {"end": {"frames": 3}}))
    run = read_run(path, Asked(verdict=True, keep_valid=True))
    assert run.series.frame_ms.tolist() == [4.0, 5.0]
    assert [d.line for d in run.dropped] == [3]


@pytest.mark.parametrize(
    ("text", "column", "unit", "expected"),
    [
        ("16.5\n17\n", None, None, [16.5, 17]),
        ("frame_ms\n16.5\n17\n", None, None, [16.5, 17]),
        ("n;frame_us\n1;16500\n2;17000\n", "frame_us", None, [16.5, 17]),
        ("n\tdt\n1\t0.0165\n", "dt", "s", [16.5]),
        ("# rig: thin laptop\n\nn,dt\n1,16.5\n\n2,17\n", "2", None, [16.5, 17]),
        ('\ufeffname,dt\n"a, b",16.5\n', "dt", "ms", [16.5]),
    ],
)
def test_delimited_text(text, column, unit, expected, tmp_path):
    plain = write(tmp_path / "a.csv", text)
    packed = write(tmp_path / "a.csv.gz", gzip.compress(text.encode()))
    zstd = write(tmp_path / "a.csv.zst", zstandard.compress(text.encode()))
    for path in (plain, packed, zstd):
        assert np.allclose(read_run(path, Asked(column, unit, verdict=True)).series.frame_ms, expected, rtol=1e-14)


@pytest.mark.parametrize(
    ("text", "column", "code", "line"),
    [
        ("", None, "empty", None),
        ("a,b\n1,2\n", None, "column-missing", None),
        ("a,b\n1,2\n", "c", "column-unknown", None),
        ("a,a\n1,2\n", "a", "column-unknown", None),
        ("a,b\n1,2\n\n1,x\n", "b", "not-a-number", 4),
        ("# c\na,b\n1,nan\n", "b", "not-finite", 3),
        ("a,b\n1,0\n", "b", "not-positive", 2),
        ("a,b\n1,-3\n", "b", "not-positive", 2),
        ("a,b\n1\n", "b", "columns-unlike", 2),
        ("a,b\n", "b", "empty", None),
    ],
)
def test_bad_delimited_text_is_refused_with_line_and_reason(text, column, code, line, tmp_path):
    with pytest.raises(FormatError) as caught:
        read_run(write(tmp_path / "x.csv", text), Asked(column, verdict=True))
    assert (caught.value.code, caught.value.line) == (code, line)


def test_a_file_that_is_not_there(tmp_path):
    with pytest.raises(FormatError, match=r"gone\.csv: cannot be read: No such file"):
        read_run(tmp_path / "gone.csv")


ODD = ["[1.5,2,3]", "[1,2,-3]", "[1e-3,0,4]", "[ 2.5 , 1,1 ]", "[1,2]", "[1,2,3,4]", "[true,1,1]", "[null,1,1]", "[1,null,1]",
       "[1,-2,3]", "[0,1,1]", "[1,2,3],[1,2,3]", "[1,2", "3]", "[[1],2,3]", "[1e999,1,1]", "[1,1e999,1]", '{"mark":"a"}',
       "", "nonsense", "[01,2,3]", "[1,2,3]]", "[NaN,1,1]", "[1,2,3]\r"]  # fmt: skip


@given(st.lists(st.sampled_from([*["[1.5,2,3]"] * 40, *ODD]), max_size=60), st.booleans())
def test_lines_fed_at_once_are_as_fed_one_by_one(rows, keep_valid):
    head = {
        "vigilant_frames": 1,
        "columns": ["frame", "gpu"],
        "lanes": {"gpu": "graphics"},
        "counters": ["n"],
        "unit": "us",
    }
    told = []
    for at_once in (True, False):
        parser = frames.FramesParser(parse_head(json.dumps(head).encode()), "x", keep_valid)
        lines = [row.encode() for row in rows]
        try:
            if at_once:
                parser.feed_lines(lines)
            else:
                for line in lines:
                    parser.feed(line)
            said = None
        except FormatError as error:
            said = str(error)
        told.append(
            (
                said,
                parser.dropped,
                parser.marks,
                *((bytes(parser.frame_ms), *map(bytes, parser.side)) if said is None else ()),
            )
        )
    assert told[0] == told[1]


PARTS = (
    {"part": ["steer boats", "avoid pillars"], "frame": 0, "lane": "river", "at": 3.1, "ms": 0.42, "calls": 34},
    {"part": "steer boats", "ms": 1.5},
)


def test_parts_are_added_up_over_the_run_and_written_again():
    got = frames.read(io.BytesIO(stream([14.0, 0, 1], *PARTS, [15.0, 0, 2], *PARTS, {"end": {"frames": 2}})), "x")
    assert list(got.series.parts) == [
        Part(("steer boats", "avoid pillars"), 0.84, 68, "river"), Part(("steer boats",), 3.0, 2)
    ]  # fmt: skip
    assert not got.skipped
    text = io.StringIO()
    frames_out.write(text, got.series)
    again = frames.read(io.BytesIO(text.getvalue().encode()), "x")
    assert list(again.series.parts) == list(got.series.parts)


def test_parts_of_ever_new_names_are_counted_not_kept():
    many = ({"part": f"boat {i}", "ms": 0.1} for i in range(limits.PARTS + 3))
    got = frames.read(io.BytesIO(stream([14.0, 0, 1], *many, {"end": {"frames": 1}})), "x")
    assert (len(got.series.parts), got.skipped["part"]) == (limits.PARTS, 3)


@pytest.mark.parametrize(
    ("part", "said"),
    [
        ({"part": [], "ms": 1}, "a part is a name"),
        ({"part": ["a", 3], "ms": 1}, "a part is a name"),
        ({"part": "a"}, "needs ms from 0 to .*, got None"),
        ({"part": "a", "ms": -1}, "got -1"),
        ({"part": "a", "ms": 1, "calls": 1.5}, "a whole number is wanted"),
    ],
)
def test_a_part_that_cannot_count_is_refused_by_line_or_left_out(part, said, tmp_path):
    content = write(tmp_path / "r", stream([14.0, 0, 1], part, {"end": {"frames": 1}}))
    with pytest.raises(FormatError, match=said) as refused:
        read_run(content)
    assert refused.value.line == 3
    assert len(read_run(content, Asked(verdict=True, keep_valid=True)).dropped) == 1


PLAIN = {"vigilant_frames": 1, "columns": ["frame"]}
STILLS = {
    "a name that leads elsewhere": ({"still": "../a.png"}, "still-unfit"),
    "no name": ({"still": ""}, "still-unfit"),
    "a number": ({"still": 3}, "still-unfit"),
    "half a frame": ({"still": "a.png", "frame": 1.5}, "still-unfit"),
    "before the first frame": ({"still": "a.png", "frame": -1}, "still-unfit"),
    "a leg that is none": ({"still": "a.png", "at_leg": ["rain"]}, "still-unfit"),
    "what it cannot show": ({"still": "a.png", "shows": "sound"}, "still-unfit"),
    "a sequence that is none": ({"still": "a.png", "sequence": 3}, "still-unfit"),
}


@pytest.mark.parametrize("name", STILLS)
def test_a_still_that_is_none_is_refused_by_line_or_left_out(name):
    line, code = STILLS[name]
    body = stream([16.0], line, [17.0], head=PLAIN)
    with pytest.raises(FormatError) as error:
        frames.read(io.BytesIO(body), "s")
    assert (error.value.code, error.value.line) == (code, 3)
    kept = frames.read(io.BytesIO(body), "s", keep_valid=True)
    assert (kept.stills, len(kept.dropped), kept.series.frame_ms.tolist()) == ((), 1, [16.0, 17.0])


def test_stills_know_their_frame_and_their_leg(monkeypatch):
    lines = [
        {"still": "a.png"},
        {"mark": "rain"},
        [16.0],
        {"still": "b.png", "shows": "cost"},
        {"still": "c.png", "frame": 0, "at_leg": "dusk", "sequence": "swing"},
    ]
    read = frames.read(io.BytesIO(stream(*lines, head=PLAIN)), "s")
    told = [(s.name, s.frame, s.leg, s.shows, s.sequence) for s in read.stills]
    assert told == [
        ("a.png", 0, "", "view", ""),
        ("b.png", 1, "rain", "cost", ""),
        ("c.png", 0, "dusk", "view", "swing"),
    ]
    monkeypatch.setattr(limits, "STILLS", 2)
    with pytest.raises(FormatError, match="may have 2 stills"):
        frames.read(io.BytesIO(stream(*lines, head=PLAIN)), "s")
