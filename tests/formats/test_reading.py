"""Files of any making end as the frames they mean, or are refused with the reason: never as something else."""

import gzip
import json
import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from vigilant.formats import Asked, FormatError, Kind, read_run
from vigilant.formats.reading import OF_FRAMES, named, propose

FRAMES = [16.5, 17.25, 16.0, 33.5, 16.75, 16.25, 17.0, 16.5, 18.0, 16.0]
STAMPS_MS = [1000.0, *(1000.0 + np.cumsum(FRAMES)).tolist()]
RATES = [1000.0 / ms for ms in FRAMES]


def column(name, values, form=repr):
    return "\n".join([*([name] if name else []), *map(form, values)]) + "\n"


def scaled(values, by):
    return [float(v * by) for v in values]


# What is read without a question: the file, and how it was read ("" for plain frame times in ms).
PLAIN = {
    "a column of the usual name": (column("frame_ms", FRAMES), ""),
    "no header": (column("", FRAMES), ""),
    "unit in brackets": (column("duration [\u00b5s]", scaled(FRAMES, 1000)), "read as times in us"),
    "unit in parentheses": (column("duration (us)", scaled(FRAMES, 1000)), "read as times in us"),
    "unit in words": (column("Frame Time, seconds", scaled(FRAMES, 0.001)), "read as times in s"),
    "camel case": (column("frameTimeNs", scaled(FRAMES, 1e6)), "read as times in ns"),
    "near 60 ms, named so": (column("frame_ms", [58.0, 61.5, 60.25] * 4), ""),
    "stamps by name and shape": (column("time_ms", STAMPS_MS), "read as stamps in ms: it only rises"),
    "stamps in seconds": (column("timestamp_s", scaled(STAMPS_MS, 0.001)), "read as stamps in s"),
    "stamps in ns": (column("ts (ns)", [int(v * 1e6) for v in STAMPS_MS], str), "read as stamps in ns"),
    "stamps since an epoch": (
        column("timestamp_ns", [1_790_000_000_000_000_000 + int(v * 1e6) for v in STAMPS_MS], str),
        "read as stamps in ns",
    ),
    "stamps without a unit": (column("elapsed", scaled(STAMPS_MS, 0.001)), "and its steps are frames only in this unit"),
    "stamps without any name": (column("", STAMPS_MS), "read as stamps in ms"),
    "decimal comma, semicolons": ("n;frame_ms\n" + "".join(f"{i};{v:.2f}\n".replace(".", ",") for i, v in enumerate(FRAMES)), ""),
    "decimal comma, tabs": ("n\tframe_ms\n" + "".join(f"{i}\t{v:.2f}\n".replace(".", ",") for i, v in enumerate(FRAMES)), ""),
    "preamble": ("Recorded by hand\nrig: thin laptop\n\nn,frame_ms\n" + "".join(f"{i},{v}\n" for i, v in enumerate(FRAMES)), ""),
    "preamble over one column": ("Recorded by hand\nsecond line\n" + column("frame_ms", FRAMES), ""),
    "comments": ("# a note, with commas\n" + column("frame_ms", FRAMES[:4]) + "# in the midst\n" + column("", FRAMES[4:]), ""),
    "quotes": ('"n","frame_ms"\n' + "".join(f'"{i}","{v}"\n' for i, v in enumerate(FRAMES)), ""),
    "carriage returns": (column("frame_ms", FRAMES).replace("\n", "\r\n"), ""),
    "blank lines": (column("frame_ms", FRAMES).replace("\n", "\n\n"), ""),
    "a byte-order mark": ("\ufeff" + column("frame_ms", FRAMES), ""),
    "no line end at the end": (column("frame_ms", FRAMES).rstrip("\n"), ""),
    "words beside": ("leg,frame_ms\n" + "".join(f"lock,{v}\n" for v in FRAMES), ""),
    "a spike of 4 s": (column("frame_ms", [*FRAMES, 4000.0]), ""),
}  # fmt: skip


@pytest.mark.parametrize("encoding", ["utf-8", "utf-16", "utf-16-gz"])
@pytest.mark.parametrize("name", PLAIN)
def test_files_of_every_making_are_read_as_they_are_meant(name, encoding, tmp_path):
    text, said = PLAIN[name]
    body = text.encode("utf-8" if encoding == "utf-8" else "utf-16")
    path = tmp_path / "run.csv"
    path.write_bytes(gzip.compress(body) if encoding.endswith("gz") else body)
    run = read_run(path)
    expected = [58.0, 61.5, 60.25] * 4 if "near 60" in name else [*FRAMES, 4000.0] if "spike" in name else FRAMES
    assert run.series.frame_ms.tolist() == pytest.approx(expected, rel=1e-9)
    assert said in run.reading
    assert bool(said) == bool(run.reading)
    assert run.skipped == ({"preamble": 2} if name.startswith("preamble") else {})


# What is not read before it is said which: the file, what the refusal says, and a reading that is right.
DOUBTFUL = {
    "it could be a rate": (column("", scaled(FRAMES, 4)), "could be frames a second", {"kind": Kind.TIMES}, 4),
    "seconds, unnamed": (column("dt", scaled(FRAMES, 0.001)), "in s", {"unit": "s"}, 1),
    "named ms, in seconds": (column("frame_ms", scaled(FRAMES, 1e-3)), "in s it would be one", {"unit": "s"}, 1),
    "a rate a frame": (column("fps", RATES), "sample of a rate", {"kind": Kind.RATE}, 1),
    "a rate in Hz": (column("rate [Hz]", RATES), "sample of a rate", {"kind": Kind.RATE}, 1),
    "frames per second": (column("Frames per second", RATES), "sample of a rate", {"kind": Kind.RATE}, 1),
    "named a time, and only rises": (column("frame time (ms)", STAMPS_MS), "named as a time a frame takes", {"kind": Kind.STAMPS}, 1),
    "named a stamp, and falls": (column("timestamp_ms", FRAMES), "and falls", {"kind": Kind.TIMES}, 1),
    "stamps whose unit fits no steps": (column("time", scaled(STAMPS_MS, 1e-7)), "unit can be told neither", {"unit": "ms"}, 1e-7),
    "stamps named in another unit": (column("timestamp_us", STAMPS_MS), "only if it is in ms", {"unit": "ms"}, 1),
}  # fmt: skip


@pytest.mark.parametrize("name", DOUBTFUL)
def test_what_is_in_doubt_is_refused_until_it_is_said(name, tmp_path):
    text, said, right, by = DOUBTFUL[name]
    path = tmp_path / "run.csv"
    path.write_text(text)
    with pytest.raises(FormatError) as caught:
        read_run(path)
    assert (caught.value.code, said in caught.value.message) == ("reading-doubtful", True), caught.value
    assert "--reading" in caught.value.message
    assert read_run(path, Asked(verdict=True, **right)).series.frame_ms.tolist() == pytest.approx(
        scaled(FRAMES, by), rel=1e-6
    )


# What is never right, whoever says so.
NEVER = {
    "stamps as times": (column("", STAMPS_MS), {"kind": Kind.TIMES}, "only-rises"),
    "stamps as times, with a unit": (column("t", STAMPS_MS), {"kind": Kind.TIMES, "unit": "ms"}, "only-rises"),
    "a rate as times": (column("fps", RATES), {"kind": Kind.TIMES}, "named-a-rate"),
    "a rate as stamps": (column("fps", RATES), {"kind": Kind.STAMPS}, "named-a-rate"),
    "a displayed rate": (column("fps", [60, 61, 60, 59] * 4, str), {}, "rate-displayed"),
    "a displayed rate, said to be one": (column("fps", [60, 61, 60, 59] * 4, str), {"kind": Kind.RATE}, "rate-displayed"),
    "stamps that fall": (column("timestamp_ms", [*STAMPS_MS, 5.0]), {"kind": Kind.STAMPS}, "not-rising"),
    "a stamp twice": (column("timestamp_ms", [*STAMPS_MS, STAMPS_MS[-1]]), {}, "not-rising"),
    "one stamp": (column("timestamp_ms", [5.0]), {}, "empty"),
    "no number": (column("frame_ms", [*FRAMES, math.nan]), {}, "not-finite"),
    "an underscore is no digit": ("frame_ms\n16_5\n", {}, "not-a-number"),
    "a unit nobody knows": (column("frame_ms", FRAMES), {"unit": "fortnight"}, "unit-unknown"),
}  # fmt: skip


@pytest.mark.parametrize("name", NEVER)
def test_what_is_never_right_is_refused_whoever_says_so(name, tmp_path):
    text, asked, code = NEVER[name]
    path = tmp_path / "run.csv"
    path.write_text(text)
    with pytest.raises(FormatError) as caught:
        read_run(path, Asked(verdict=True, **asked))
    assert caught.value.code == code


@pytest.mark.parametrize(
    "body", [b"\x89PNG\r\n\x1a\n\0\0", b"\xff\xfe\x00", bytes(range(256)), gzip.compress(b"", mtime=0)]
)
def test_what_is_no_text_says_so(body, tmp_path):
    path = tmp_path / "picture.csv"
    path.write_bytes(body)
    with pytest.raises(FormatError):
        read_run(path)


# JSON: an array or lines of numbers, lists or objects.
ROWS = {
    "an array of numbers": (json.dumps(FRAMES), {}),
    "an array over lines": (json.dumps(FRAMES, indent=1), {}),
    "an array of objects": (json.dumps([{"leg": "lock", "frame_ms": v} for v in FRAMES]), {}),
    "an array of lists": (json.dumps([["lock", v] for v in FRAMES]), {"column": "2"}),
    "lines of objects": ("".join(json.dumps({"n": i, "duration (us)": v * 1000}) + "\n" for i, v in enumerate(FRAMES)), {"column": "duration (us)"}),
    "lines with a byte-order mark": ("\ufeff" + "".join(json.dumps({"frame_ms": v}) + "\n\n" for v in FRAMES), {}),
    "stamps": (json.dumps([1_790_000_000_000_000_000 + int(v * 1e6) for v in STAMPS_MS]), {}),
}  # fmt: skip


@pytest.mark.parametrize("name", ROWS)
def test_json_of_numbers_is_read_by_the_same_rules(name, tmp_path):
    text, asked = ROWS[name]
    path = tmp_path / "run.json"
    path.write_bytes(gzip.compress(text.encode()) if name == "an array of numbers" else text.encode())
    run = read_run(path, Asked(verdict=True, **asked))
    assert run.series.frame_ms.tolist() == pytest.approx(FRAMES, rel=1e-9)
    assert ("stamps in ns" in run.reading) == (name == "stamps")


@pytest.mark.parametrize(
    ("text", "code", "line"),
    [
        ("[]", "empty", None),
        ("[16.5, true]", "not-a-number", 2),
        ("[16.5, null]", "not-a-number", 2),
        ('["16.5"]', "not-a-number", 1),
        ("[16.5, [17]]", "not-a-number", 2),
        ('[{"a": 1, "b": 2}]', "column-missing", None),
        ('{"frame_ms": 16.5}\n{"frame": 17}\n', "columns-unlike", 2),
        ('{"frame_ms": 16.5}\n{"frame_ms": 17\n', "json-unreadable", 2),
        ("[16.5, 1e999]", "json-unreadable", None),
        ("[16.5,", "json-unreadable", None),
        ("[16.5, -1]", "not-positive", 2),
        ("[[[[]]]]", "not-a-number", 1),
        (json.dumps([60.5, 61.2] * 6), "reading-doubtful", None),
    ],
)
def test_json_that_means_no_frames_is_refused_by_its_row(text, code, line, tmp_path):
    path = tmp_path / "run.json"
    path.write_text(text)
    with pytest.raises(FormatError) as caught:
        read_run(path)
    assert (caught.value.code, caught.value.line) == (code, line)


def test_rows_that_cannot_count_are_left_out_where_that_is_wished(tmp_path):
    path = tmp_path / "run.json"
    path.write_text("[16.5, null, 17, -1]")
    run = read_run(path, Asked(verdict=True, keep_valid=True))
    assert (run.series.frame_ms.tolist(), [d.line for d in run.dropped]) == ([16.5, 17.0], [2, 4])


def test_a_stamp_that_cannot_be_read_is_never_left_out(tmp_path):
    """Two frames would become one long one, and a stutter nobody had."""
    path = tmp_path / "run.csv"
    path.write_text(column("timestamp_ms", STAMPS_MS).replace("1033.75", "x"))
    with pytest.raises(FormatError) as caught:
        read_run(path, Asked(verdict=True, keep_valid=True))
    assert (caught.value.code, caught.value.line) == ("stamp-unreadable", 4)


def test_steps_of_large_stamps_are_exact(tmp_path):
    """Nanoseconds since an epoch have more digits than a double holds."""
    steps = [16_666_667, 16_666_666, 33_333_333, 1_000_001] * 4
    stamps = [1_790_000_000_000_000_000 + int(s) for s in np.cumsum([0, *steps])]
    path = tmp_path / "run.csv"
    path.write_text(column("timestamp_ns", stamps, str))
    assert read_run(path).series.frame_ms.tolist() == [s * 1e-6 for s in steps]


@given(
    st.lists(st.floats(0.5, 400.0), min_size=9, max_size=40).filter(lambda x: not all(np.diff(x) >= 0)),
    st.sampled_from([",", ";", "\t", "|"]),
    st.booleans(),
    st.booleans(),
    st.integers(0, 3),
    st.sampled_from(["utf-8", "utf-8-sig", "utf-16"]),
)
def test_what_is_written_in_any_dialect_reads_back(
    tmp_path_factory, frames, delimiter, comma, quoted, preamble, encoding
):
    comma = comma and delimiter != ","
    cells = [repr(v).replace(".", ",") if comma else repr(v) for v in frames]
    rows = [["leg", "frame_ms"], *(["lock", cell] for cell in cells)]
    lines = [delimiter.join(f'"{c}"' if quoted else c for c in row) for row in rows]
    path = tmp_path_factory.mktemp("dialect") / "run.csv"
    text = "\n".join([*(f"note {i}" for i in range(preamble)), *lines]) + "\n"
    path.write_bytes(text.encode(encoding))
    assert read_run(path).series.frame_ms.tolist() == frames


@given(
    st.lists(st.floats(1.0, 200.0), min_size=8, max_size=60),
    st.sampled_from(["", "frame_ms", "dt", "fps", "time", "timestamp_s"]),
)
def test_what_only_rises_is_never_taken_for_frame_times_nor_a_rate_for_times(frames, name):
    for kind in (None, *OF_FRAMES):
        for values, never in ((np.cumsum(frames), Kind.TIMES), (np.array(frames), None)):
            try:
                found = propose(name, values, kind)
            except FormatError:
                continue
            assert found.kind != never
            assert named(name).kind != Kind.RATE or found.kind == Kind.RATE
