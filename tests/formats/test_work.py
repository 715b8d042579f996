"""Work inside frames from span lists, logs, OTLP and profiles: which part, of which frame, how much, and what it lies in."""

import json
import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from vigilant.core import FrameSeries
from vigilant.core.gaps import gap_states
from vigilant.formats import Asked, FormatError, Holds, file_reading, read_runs, read_stream, read_work
from vigilant.formats.frames_out import write
from vigilant.formats.looking import look
from vigilant.formats.naming import belongs
from vigilant.formats.run import ReadRun
from vigilant.formats.work import SAME_MS, with_work

WORK = Asked(holds=Holds.WORK)
#: Four frames of 10 ms by a clock that stands at 100 s when they begin.
FRAMES = np.full(4, 10.0)
RUN = ReadRun("pond.csv", FrameSeries(FRAMES), ends_s=100.0 + np.cumsum(FRAMES) / 1000.0, name="first")


def put(tmp_path, text, name="work.csv"):
    path = tmp_path / name
    path.write_text(text if isinstance(text, str) else "\n".join(text) + "\n", encoding="utf-8")
    return path


def laid(path, asked=WORK, run=RUN):
    return with_work(run, read_work(path, asked)).series


def of(series):
    """Frame, path, lane, ms (None: below the clock's step), since the frame's start, calls of every row."""
    rows = series.part_rows
    below = set(gap_states(rows.ms).get("below", []))
    return [
        (int(f), "/".join(rows.parts[p].path), rows.parts[p].lane, None if i in below else round(float(rows.ms[i]), 9),
         None if math.isnan(rows.at_ms[i]) else round(float(rows.at_ms[i]), 6), int(rows.calls[i]))
        for i, (f, p) in enumerate(zip(rows.frame, rows.part, strict=True))
    ]  # fmt: skip


def test_a_piece_is_of_the_frame_it_begins_in_and_lies_in_what_spans_it(tmp_path):
    path = put(tmp_path, [
        "name,thread,start_s,dur_ms",
        "draw,paint,100.010,4", "boats,paint,100.011,2", "bow,paint,100.011,1", "sails,paint,100.0131,0.5",
        "steer,river,100.0105,3",
        "draw,paint,100.0299,15",  # begins in the third frame, ends in the fourth
        "early,paint,99.9,1", "late,paint,101.5,1", "flat,river,100.035,0",
    ])  # fmt: skip
    assert of(laid(path)) == [
        (1, "draw", "paint", 4.0, 0.0, 1), (1, "draw/boats", "paint", 2.0, 1.0, 1),
        (1, "draw/boats/bow", "paint", 1.0, 1.0, 1), (1, "draw/sails", "paint", 0.5, 3.1, 1),
        (1, "steer", "river", 3.0, 0.5, 1), (2, "draw", "paint", 15.0, 9.9, 1),
        (3, "flat", "river", None, 5.0, 1),
    ]  # fmt: skip
    totals = {"/".join(p.path): (p.ms, p.calls) for p in laid(path).parts}
    assert totals["draw"] == (pytest.approx(19.0), 2)
    assert "early" not in totals


@pytest.mark.parametrize(
    ("lines", "rows"),
    {
        "by ids, across lanes, in any order": (
            ["id,parent,name,thread,begin_ms,end_ms", "c,b,wave,b,100012,100013", "a,,river,a,100010,100019",
             "b,a,wind,b,100011,100015", "d,nowhere,rain,a,100012,100013"],
            [(1, "river", "a", 9.0), (1, "river/wind", "a", 4.0), (1, "river/wind/wave", "a", 1.0), (1, "rain", "a", 1.0)],
        ),
        "by a path in the name": (
            ["part;start_s;took_us", "river/wind;100,0205;250", "river/wind/wave;100,0206;50"],
            [(2, "river/wind", "", 0.25), (2, "river/wind/wave", "", 0.05)],
        ),
        "by the frame's number from 0": (
            ["frame,part,ms,calls", "0,river,4,1", "3,wind,2,7"], [(0, "river", "", 4.0), (3, "wind", "", 2.0)],
        ),
    }.values(),
)  # fmt: skip
def test_what_lies_in_what_is_said_by_ids_or_by_a_path_and_frames_by_number(tmp_path, lines, rows):
    found = of(laid(put(tmp_path, lines)))
    assert sorted(r[:4] for r in found) == sorted(rows)


def test_stamps_of_an_epoch_in_ns_keep_their_last_digits(tmp_path):
    base = 1_764_000_000_000_000_000
    run = ReadRun("pond.csv", FrameSeries(FRAMES), ends_s=base / 1e9 + np.cumsum(FRAMES) / 1000.0)
    path = put(tmp_path, ["name,start_ns,end_ns", f"river,{base + 1},{base + 1_000_001}", f"wind,{base + 1},{base + 3}"])  # fmt: skip
    assert [(path, ms) for _, path, _, ms, _, _ in of(laid(path, run=run))] == [("river", 1.0), ("river/wind", 2e-6)]


def test_a_log_is_read_by_a_pattern_and_other_lines_are_counted(tmp_path):
    log = put(tmp_path, ["== the river opens ==", "[100.0101] river: drew boats in 250us (34 boats)",
                         "warning: wind", "[100.0311] river: drew sails in 90us (2 boats)"], "river.log")  # fmt: skip
    pattern = r"\[(?P<at_s>[\d.]+)\] (?P<lane>\w+): drew (?P<part>\w+) in (?P<took_us>\d+)us \((?P<boats>\d+)"
    asked = Asked(holds=Holds.WORK, pattern=pattern)
    assert [r[:4] for r in of(laid(log, asked))] == [(1, "boats", "river", 0.25), (3, "sails", "river", 0.09)]
    seen = look(log, asked)
    assert (seen.work.count, seen.work.parts, seen.pattern) == (2, 2, pattern)
    # A count that is named so in a reading comes with its rows; the reading finds its lines again by itself.
    columns = {**seen.reading.columns}
    columns["boats"] = file_reading.ColumnReading(file_reading.Kind.COUNTER)
    kept = file_reading.parsed(file_reading.written(file_reading.replace(seen.reading, columns=columns)))
    assert laid(log, Asked(reading=kept)).part_rows.counts["boats"].tolist() == [34, 2]


@pytest.mark.parametrize(
    ("pattern", "code"), [("(?P<ms", "pattern-invalid"), (r"(\d+)", "pattern-invalid"), ("(?P<ms>nothing)", "empty")]
)
def test_a_pattern_that_finds_nothing_or_cannot_be_read_says_so(tmp_path, pattern, code):
    with pytest.raises(FormatError) as refused:
        read_work(put(tmp_path, ["a line"]), Asked(holds=Holds.WORK, pattern=pattern))
    assert refused.value.code == code


def test_a_pattern_of_frames_makes_a_run(tmp_path):
    log = put(tmp_path, ["boot", *(f"frame took {v} ms" for v in (14.5, 15.25, 14.125))])
    (run,) = read_runs(log, Asked(pattern=r"took (?P<frame_ms>[\d.]+) ms"))
    assert run.series.frame_ms.tolist() == [14.5, 15.25, 14.125]


def otlp(*spans):
    return {"resourceSpans": [{"scopeSpans": [{"spans": list(spans)}]}]}


def span(name, own, inside, start_ms, end_ms, **attributes):
    kinds = {int: "intValue", str: "stringValue"}
    listed = [{"key": k, "value": {kinds[type(v)]: str(v)}} for k, v in attributes.items()]
    return {"name": name, "spanId": own, "parentSpanId": inside, "attributes": listed,
            "startTimeUnixNano": str(int(start_ms * 1e6)), "endTimeUnixNano": str(int(end_ms * 1e6))}  # fmt: skip


SPANS = (
    span("draw", "b1", "", 100_010, 100_014, **{"thread.name": "paint", "boats": 40}),
    span("boats", "b2", "b1", 100_011, 100_013, **{"thread.name": "paint"}),
)


@pytest.mark.parametrize(
    "text",
    [json.dumps(otlp(*SPANS)), json.dumps(otlp(*SPANS), indent=1), "\n".join(json.dumps(otlp(s)) for s in SPANS)],
    ids=["a line", "many lines", "a document a line"],
)
def test_otlp_spans_say_themselves_what_they_are(tmp_path, text):
    path = put(tmp_path, text, "spans.json")
    assert look(path, Asked()).holds == Holds.WORK  # without being told
    assert [r[:4] for r in of(laid(path))] == [(1, "draw", "paint", 4.0), (1, "draw/boats", "paint", 2.0)]


@pytest.mark.parametrize(
    ("change", "code"),
    [
        ({"startTimeUnixNano": "noon"}, "spans-unreadable"),
        ({"attributes": 5}, "spans-unreadable"),
        ({"endTimeUnixNano": "1"}, "not-positive"),
        ({"spanId": "b2"}, "id-twice"),
        ({"parentSpanId": "b2"}, "ids-in-a-circle"),
    ],
)
def test_damaged_spans_are_refused(tmp_path, change, code):
    path = put(tmp_path, json.dumps(otlp({**SPANS[0], **change}, SPANS[1])))
    with pytest.raises(FormatError) as refused:
        read_work(path, WORK)
    assert refused.value.code == code


def test_rows_under_a_key_of_other_json_are_mapped_by_a_reading(tmp_path):
    rows = [{"what": "draw", "t": 100_010, "d": 4.0}, {"what": "boats", "t": 100_011, "d": 2.0}]
    path = put(tmp_path, json.dumps({"made": "by hand", "trace": {"events": rows}, "others": []}), "other.json")
    with pytest.raises(FormatError, match="which of its keys"):
        read_work(put(tmp_path, json.dumps({"a": [1], "b": [2]}), "two.json"), WORK)
    reading = file_reading.parsed(
        'vigilant_reading = 1\nholds = "work"\nrows = "trace.events"\n[columns]\nwhat = {is = "part"}\n'
        't = {is = "stamps", unit = "ms"}\nd = {is = "times", unit = "ms"}\n'
    )
    assert [r[:4] for r in of(laid(path, Asked(reading=reading)))] == [(1, "draw", "", 4.0), (1, "draw/boats", "", 2.0)]


def test_samples_become_parts_of_the_whole_run_with_their_counting_error(tmp_path):
    path = put(tmp_path, ["stack,samples", "river;wind,30", "river;wind;waves,10", "river,20", "sleep,40"])
    series = laid(path)
    assert series.part_rows is None
    found = {"/".join(p.path): p for p in series.parts}
    assert {n: p.ms for n, p in found.items()} == pytest.approx(
        {"river": 24.0, "river/wind": 16.0, "river/wind/waves": 4.0, "sleep": 16.0}
    )
    # The standard error of a binomial share of 100 samples, over 40 ms.
    assert found["river/wind"].error_ms == pytest.approx(math.sqrt(0.4 * 0.6 / 100) * 40.0)
    assert {p.calls for p in series.parts} == {0}
    assert look(path, WORK).work.count == 100
    # They go out with the run and come back.
    out = tmp_path / "run.jsonl"
    with out.open("w") as stream:
        write(stream, series)
    assert read_stream(out).series.parts == list(series.parts)


@pytest.mark.parametrize(
    ("lines", "doubt"),
    {
        "no unit": (["name,start,took", "a,100,2", "b,101,3"], "its unit is not named"),
        "frames from 1?": (["frame,part,ms", "1,a,2", "2,a,2"], "numbered from 0 or from 1"),
        "no part": (["start_s,dur_ms", "1,2"], "which part"),
        "no time": (["name,start_s", "a,2", "b,3"], "what a part took"),
        "no place": (["name,dur_ms", "a,2", "b,3"], "when a part began"),
    }.values(),
)
def test_what_cannot_be_told_is_asked(tmp_path, lines, doubt):
    path = put(tmp_path, lines)
    with pytest.raises(FormatError, match=doubt):
        read_work(path, WORK)
    assert any(doubt in text for text in look(path, WORK).open)


@pytest.mark.parametrize(
    ("name", "kind"),
    [("thread_id", "lane name"), ("parent_id", "inside"), ("span_id", "id"), ("frame_id", "frame number"),
     ("run_id", "run"), ("finished_at_ms", "end"), ("begin_us", "stamps"), ("took_ms", "times"), ("calls", "calls"),
     ("routine", "part"), ("hits", "samples"), ("size", "left out")],
)  # fmt: skip
def test_what_a_column_of_work_is_by_its_name(tmp_path, name, kind):
    cell = "draw" if kind == "part" else "0"
    columns = {
        c.name: c.is_ for c in look(put(tmp_path, [f"{name},other word", f"{cell},x", f"{cell},y"]), WORK).columns
    }
    assert columns[name] == kind


@pytest.mark.parametrize(
    ("lines", "code"),
    [
        (["name,start_s,dur_ms", "a,100,soon"], "not-a-number"),
        (["name,start_s,dur_ms", "a,100,-1"], "not-positive"),
        (["part,samples", "a,1.5"], "not-positive"),
    ],
)
def test_bad_rows_are_refused_with_their_line_or_left_out_and_counted(tmp_path, lines, code):
    path = put(tmp_path, [lines[0], lines[1].replace("a", "whole").replace("soon", "2").replace("-1", "2").replace("1.5", "1"), lines[1]])  # fmt: skip
    with pytest.raises(FormatError) as refused:
        read_work(path, WORK)
    assert (refused.value.code, refused.value.line) == (code, 3)
    kept = read_work(path, Asked(holds=Holds.WORK, keep_valid=True))
    assert {kept.parts[p][1] for p in kept.part} == {("whole",)}


@pytest.mark.parametrize(
    ("columns", "fault"),
    [
        ({"a": {"is": "part"}, "b": {"is": "rate"}}, "has none"),
        ({"a": {"is": "part"}, "b": {"is": "samples"}, "c": {"is": "times", "unit": "ms"}}, "know no frames"),
        ({"a": {"is": "part"}, "b": {"is": "frame number"}, "c": {"is": "times", "unit": "ms"}}, "from 0 or from 1"),
        ({"a": {"is": "part"}, "b": {"is": "part"}}, "two columns"),
        ({"a": {"is": "stamps", "unit": "s"}, "b": {"is": "times", "unit": "ms"}}, "which part"),
    ],
)
def test_a_reading_of_work_that_cannot_be_is_refused(columns, fault):
    with pytest.raises(FormatError, match=fault):
        file_reading.checked({"vigilant_reading": 1, "holds": "work", "columns": columns})


def test_a_first_stamp_that_cannot_be_read_takes_no_other_row_with_it(tmp_path):
    path = put(tmp_path, ["name,start_s,dur_ms", "a,soon,1", "b,100.0115,2"])
    kept = read_work(path, Asked(holds=Holds.WORK, keep_valid=True))
    assert (kept.start_s.tolist(), kept.left) == ([pytest.approx(100.0115)], {"not readable": 1})


def test_a_file_is_read_as_what_it_holds_only(tmp_path):
    spans = put(tmp_path, json.dumps(otlp(*SPANS)))
    with pytest.raises(FormatError, match="it holds work, not runs"):
        read_runs(spans)


def test_parts_of_a_stream_and_of_a_file_stand_together_and_not_twice(tmp_path):
    work = read_work(put(tmp_path, ["frame,part,ms", "0,river,4", "3,wind,2"]), WORK)
    once = with_work(RUN, work)
    with pytest.raises(FormatError, match="is in the run already"):
        with_work(once, work)
    more = read_work(put(tmp_path, ["frame,part,ms", "0,rain,1", "1,rain,1"], "more.csv"), WORK)
    assert [r[:2] for r in of(with_work(once, more).series)] == [(0, "river"), (0, "rain"), (1, "rain"), (3, "wind")]


@pytest.mark.parametrize(
    ("name", "run", "expected"),
    [("pond-3.power.csv", "pond-3.csv", True), ("pond-3-spans.json", "pond-3.csv.gz", True),
     ("pond-31.csv", "pond-3.csv", False), ("spans.json", "pond-3.csv", False)],
)  # fmt: skip
def test_a_file_belongs_to_the_run_it_is_called_after(name, run, expected):
    assert belongs(name, run) is expected


@given(st.lists(st.tuples(st.integers(0, 200), st.integers(1, 60)), min_size=1, max_size=25, unique=True))
def test_nesting_by_time_is_that_of_the_plain_rule(tmp_path_factory, spans):
    """Twin: of the pieces that span it the shortest that began before it, or stood before it in the same moment."""
    path = put(tmp_path_factory.mktemp("w"), ["name,start_ms,dur_ms", *(f"p{i},{a},{d}" for i, (a, d) in enumerate(spans))])  # fmt: skip
    run = ReadRun("r", FrameSeries([1000.0]), ends_s=np.array([1.0]))
    got = {p.path[-1]: len(p.path) for p in laid(path, run=run).parts}
    order = sorted(range(len(spans)), key=lambda i: (spans[i][0], -spans[i][1]))
    stack, depth = [], {}
    for i in order:
        a, d = spans[i]
        while stack and (a >= sum(spans[stack[-1]]) - SAME_MS or a + d > sum(spans[stack[-1]]) + SAME_MS):
            stack.pop()
        stack.append(i)
        depth[f"p{i}"] = len(stack)
    assert got == depth
