"""``vigilant-frames`` version 1: UTF-8 JSON Lines of frames as they happen (docs/formats.md)."""

from __future__ import annotations

import json
import math
from array import array
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, BinaryIO, TextIO

import numpy as np
import orjson

from vigilant.core import CoreError, FrameSeries, Mark, Part

from . import limits, strict_json
from .errors import FormatError
from .limits import LINE_BYTES
from .run import UNIT_MS, Dropped, ReadRun

VERSION = 1
LANE_ROLES = ("processor", "graphics", "waiting")
ON_STEP_SHARE = 0.98
_KNOWN_LINES = ("mark", "part", "figure", "window", "end")
_WINDOW = {"focus": ("kept", "lost"), "visible": ("yes", "no")}
_NAN = float("nan")
#: What a frame of plain numbers is written with, and how many are read at once.
_PLAIN = b"0123456789+-.eE[], \n"
LEAST_AT_ONCE, MOST_AT_ONCE = 8, 4096


def parse_head(line: bytes, source: str = "") -> dict[str, Any]:
    """Read and check the first line of a stream. Raises :class:`FormatError`."""
    if len(line) > LINE_BYTES:
        raise FormatError("line-too-long", f"the head is over {LINE_BYTES} bytes", source, 1)
    try:
        head = strict_json.loads(line)
    except strict_json.JsonRefused as error:
        raise FormatError("head-unreadable", f"the head is not JSON: {error}", source, 1) from None
    return check_head(head, source)


def check_head(head: Any, source: str = "") -> dict[str, Any]:
    """Check a head that was read, and fill in what it leaves out. Raises :class:`FormatError`."""

    def fail(code: str, message: str) -> FormatError:
        return FormatError(code, message, source, 1)

    if not isinstance(head, dict) or "vigilant_frames" not in head:
        raise fail("head-missing", 'the first line must be a head with "vigilant_frames"')
    if head["vigilant_frames"] != VERSION:
        raise fail(
            "version-unknown", f"version {_short(head['vigilant_frames'])} is not known; this reads version {VERSION}"
        )
    columns = head.get("columns")
    if not isinstance(columns, list) or not columns or not all(isinstance(c, str) for c in columns):
        raise fail("columns-unreadable", f'"columns" must be a list of names, got {_short(columns)}')
    counters = head.setdefault("counters", [])
    lanes = head.setdefault("lanes", {})
    if not isinstance(counters, list) or not all(isinstance(c, str) for c in counters):
        raise fail("columns-unreadable", f'"counters" must be a list of names, got {_short(counters)}')
    for name in columns + counters:
        if why := unfit_name(name):
            raise fail("columns-unreadable", f"a column's name {why}")
    for kind, count, most in (("lanes", len(columns) - 1, limits.LANES), ("counters", len(counters), limits.COUNTERS)):
        if count > most:
            raise fail("columns-too-many", f"{count} {kind}; {most} are allowed")
    if len(set(columns + counters)) != len(columns) + len(counters):
        raise fail("columns-unreadable", "a column is named twice")
    if columns[0] not in ("frame", "at"):
        raise fail("column-unknown", f'the first column must be "frame" or "at", got {_short(columns[0])}')
    if not isinstance(lanes, dict) or set(lanes) - set(columns[1:]):
        raise fail("column-unknown", f'"lanes" names columns that are not there: {_short(lanes)}')
    for lane, role in lanes.items():
        if role not in LANE_ROLES:
            raise fail("role-unknown", f"lane {lane!r} has the role {_short(role)}; known: {', '.join(LANE_ROLES)}")
    unit = head.setdefault("unit", "ms")
    if not isinstance(unit, str) or unit not in UNIT_MS:
        raise fail("unit-unknown", f"unit {_short(unit)} is not known; use {', '.join(UNIT_MS)}")
    if not isinstance(head.setdefault("conditions", {}), dict):
        raise fail("head-unreadable", f'"conditions" must be an object, got {_short(head["conditions"])}')
    sheet = head_conditions(head)
    if len(sheet) > limits.SHEET_KEYS:
        raise fail("conditions-too-many", f"{len(sheet)} conditions; {limits.SHEET_KEYS} are allowed")
    for key, value in sheet.items():
        if len(value) > limits.VALUE:
            raise fail(
                "condition-too-long", f"condition {key!r} has {len(value)} characters; {limits.VALUE} are allowed"
            )
    return head


def unfit_name(name: str) -> str:
    """Why a text cannot name a column, a leg, a part or a figure; "" where it can."""
    if not name:
        return "is empty"
    if len(name) > limits.NAME:
        return f"has {len(name)} characters; {limits.NAME} are allowed"
    if any(c < " " or c == "\x7f" for c in name):
        return f"holds a control character: {_short(name)}"
    return ""


def _finite(value: Any) -> float | None:
    """The value as float64, or None where it is no finite number (a whole number may be too large for one)."""
    if isinstance(value, bool) or not isinstance(value, (int, float)):
        return None
    try:
        number = float(value)
    except OverflowError:
        return None
    return number if math.isfinite(number) else None


def _short(value: Any) -> str:
    text = repr(value)
    return text if len(text) <= 40 else f"{text[:37]}..."


def head_conditions(head: Mapping[str, Any]) -> dict[str, str]:
    """What a checked head says of the run's conditions: its sheet, and what else must match between arms."""
    sheet = {str(k): str(v) for k, v in head["conditions"].items()}
    for key in ("frame_is", "clock", "scenario", "seed"):
        if key in head:
            sheet.setdefault(key, str(head[key]))
    return sheet


@dataclass(frozen=True)
class StreamState:
    """Where a stream stands after ``lines`` of its lines: what its next ones are checked against."""

    lines: int = 1
    frames: int = 0
    marks: int = 0
    figures: int = 0
    last_stamp_ms: float | None = None
    ended: bool = False


class FramesParser:
    """Takes the lines after a head, one at a time, in bounded memory (8 bytes a value).

    With ``keep_valid`` lines that cannot count are dropped and recorded; otherwise the first
    one raises :class:`FormatError` and nothing of it is taken. ``state`` is that of the lines
    that another parser took before: the same stream cut anywhere is checked the same way.
    """

    def __init__(
        self,
        head: Mapping[str, Any],
        source: str = "",
        keep_valid: bool = False,
        state: StreamState = StreamState(),
    ) -> None:
        self.earlier = state
        self.lines = state.lines
        self.head = head
        self.source = source
        self.keep_valid = keep_valid
        self.stamps = head["columns"][0] == "at"
        self.scale = UNIT_MS[head["unit"]]
        self.lane_names: list[str] = list(head["columns"][1:])
        self.counter_names: list[str] = list(head["counters"])
        self.frame_ms = array("d")
        self.side = [array("d") for _ in (*self.lane_names, *self.counter_names)]
        self.marks: list[Mark] = []
        self.figures: dict[str, float] = {}
        self.parts: dict[tuple[str, tuple[str, ...]], tuple[float, int]] = {}
        self.dropped: list[Dropped] = []
        self.gaps: dict[str, Counter[str]] = {}
        self.skipped: Counter[str] = Counter()
        self.end: dict[str, Any] | None = None
        self.window: dict[str, str] = {}
        self.zero_frames = 0
        self.marks_seen, self.figures_seen = state.marks, state.figures
        self._last_stamp = state.last_stamp_ms
        self._ended = state.ended
        self._first_zero_line: int | None = None

    def fail(self, code: str, message: str, line: int) -> FormatError:
        return FormatError(code, message, self.source, line)

    @property
    def frames(self) -> int:
        """Frames of the stream so far, those of earlier parsers included."""
        return self.earlier.frames + len(self.frame_ms)

    def state(self) -> StreamState:
        """What the stream's next lines are to be checked against."""
        return StreamState(self.lines, self.frames, self.marks_seen, self.figures_seen, self._last_stamp, self._ended)

    def feed_lines(self, lines: Sequence[bytes]) -> None:
        """Take whole lines; the same as :meth:`feed` for each, some ten times as fast for plain frames."""
        at = 0
        while at < len(lines):
            stop = at
            while stop < len(lines) and stop - at < MOST_AT_ONCE and lines[stop].startswith(b"["):
                stop += 1
            if stop - at >= LEAST_AT_ONCE and self._feed_plain(lines[at:stop]):
                at = stop
                continue
            for i in range(at, max(stop, at + 1)):
                self.feed(lines[i])
            at = max(stop, at + 1)

    def _feed_plain(self, lines: Sequence[bytes]) -> bool:
        """Take frames of nothing but whole and decimal numbers, read at once; False and nothing taken
        where a line is anything else, so that :meth:`feed` finds out what."""
        text = b",".join(lines)
        if self._ended or text.translate(None, _PLAIN) or not text.endswith(b"]"):
            return False
        if not text.count(b"[") == text.count(b"]") == text.count(b"],[") + 1 == len(lines):
            return False
        if (self.stamps and self._last_stamp is None) or self.frames + len(lines) > limits.FRAMES:
            return False
        try:
            values = np.array(orjson.loads(b"[" + text + b"]"), dtype=np.float64)
        except (ValueError, OverflowError):
            return False
        lanes = len(self.lane_names)
        if values.shape != (len(lines), 1 + len(self.side)):
            return False
        values[:, : 1 + lanes] *= self.scale
        frames = values[:, 0] if not self.stamps else np.diff(values[:, 0], prepend=self._last_stamp or 0.0)
        times, counts = values[:, 1 : 1 + lanes], values[:, 1 + lanes :]
        if not (frames.min() > 0 and frames.max() <= limits.FRAME_MS and np.isfinite(values[:, 0]).all()):
            return False
        if times.size and not (times.min() >= 0 and times.max() <= limits.FRAME_MS):
            return False
        if counts.size and not np.abs(counts).max() <= limits.COUNT:
            return False
        if self.stamps:
            self._last_stamp = float(values[-1, 0])
        self.frame_ms.frombytes(frames.tobytes())
        for store, column in zip(self.side, values[:, 1:].T, strict=True):
            store.frombytes(column.tobytes())
        self.lines += len(lines)
        return True

    def feed(self, line: bytes) -> None:
        """Take one whole line."""
        self.lines += 1
        number = self.lines
        if len(line) > LINE_BYTES:
            raise self.fail("line-too-long", f"a line is over {LINE_BYTES} bytes", number)
        if not line.strip():
            return
        try:
            record = line.lstrip().startswith(b"{")
            value = strict_json.loads(line) if record else json.loads(line)
        except strict_json.JsonRefused as error:
            self._drop_or_raise("line-unreadable", f"{error}: {line[:60]!r}", number)
            return
        except (ValueError, RecursionError):
            self._drop_or_raise("line-unreadable", f"not JSON: {line[:60]!r}", number)
            return
        if self._ended:
            self._drop_or_raise("after-end", "a line follows the end", number)
        elif isinstance(value, list):
            try:
                self._frame(value, number)
            except FormatError as error:
                self._drop_or_raise(error.code, error.message, number)
        elif isinstance(value, dict):
            self._record(value, number)
        else:
            self._drop_or_raise("line-unreadable", f"neither a frame nor a record: {line[:60]!r}", number)

    def _drop_or_raise(self, code: str, message: str, number: int) -> None:
        if not self.keep_valid:
            raise self.fail(code, message, number)
        self.dropped.append(Dropped(number, message))

    def _frame(self, row: list[Any], number: int) -> None:
        if len(row) != 1 + len(self.side):
            raise self.fail("columns-unlike", f"{len(row)} values for {1 + len(self.side)} columns", number)
        first = row[0]
        if self.frames >= limits.FRAMES:
            raise self.fail("frames-too-many", f"a run may have {limits.FRAMES} frames", number)
        time = _finite(first)
        if time is None or not math.isfinite(time * self.scale):
            raise self.fail("not-finite", f"a frame time must be a finite number, got {_short(first)}", number)
        side = [self._side_value(i, v, number) for i, v in enumerate(row[1:])]
        if self.stamps:
            last, stamp = self._last_stamp, time * self.scale
            if last is not None and stamp < last:
                raise self.fail("clock-backwards", f"the clock runs backwards, from {last!r} to {stamp!r} ms", number)
            self._last_stamp = stamp
            if last is None:
                if side:
                    self.skipped["first stamp's lanes and counters"] += 1
                return
            frame = stamp - last
            if frame == 0.0:
                self.zero_frames += 1
                self._first_zero_line = self._first_zero_line or number
            if frame > limits.FRAME_MS:
                raise self.fail(
                    "too-large", f"{frame!r} ms from one stamp to the next; {limits.FRAME_MS:g} are allowed", number
                )
        else:
            frame = time * self.scale
            if frame > limits.FRAME_MS:
                raise self.fail("too-large", f"a frame of {frame!r} ms; {limits.FRAME_MS:g} are allowed", number)
            if not frame > 0:
                kind = "zero" if frame == 0 else "negative"
                raise self.fail(
                    "not-positive", f"a frame time must be positive, got the {kind} value {first!r}", number
                )
        self.frame_ms.append(frame)
        lanes = len(self.lane_names)
        for i, (store, (value_, gap)) in enumerate(zip(self.side, side, strict=True)):
            if gap is not None:
                name = self.lane_names[i] if i < lanes else self.counter_names[i - lanes]
                self.gaps.setdefault(name, Counter())[gap] += 1
            store.append(value_ * self.scale if i < lanes else value_)

    def _side_value(self, i: int, value: Any, number: int) -> tuple[float, str | None]:
        if value is None or value == "stale" or value == "below":
            return _NAN, "missing" if value is None else value
        reading = _finite(value)
        if reading is None:
            raise self.fail(
                "not-finite", f"column {i + 2} must be a number, null, stale or below, got {_short(value)}", number
            )
        if reading < 0 and i < len(self.lane_names):
            raise self.fail("not-positive", f"lane {self.lane_names[i]!r} is negative: {reading!r}", number)
        lane = i < len(self.lane_names)
        if abs(reading) * (self.scale if lane else 1.0) > (limits.FRAME_MS if lane else limits.COUNT):
            most = f"{limits.FRAME_MS:g} ms" if lane else f"{limits.COUNT:g}"
            raise self.fail("too-large", f"column {i + 2} is {reading!r}; {most} are allowed", number)
        return reading, None

    def _record(self, value: dict[str, Any], number: int) -> None:
        kind = next((k for k in _KNOWN_LINES if k in value), None)
        if kind == "mark":
            self._mark(value, number)
        elif kind == "figure":
            self._figure(value, number)
        elif kind == "part":
            self._part(value, number)
        elif kind == "window":
            self._window(value["window"])
        elif kind == "end":
            end = value["end"] if isinstance(value["end"], dict) else {}
            stated = end.get("frames")
            if stated is not None and (isinstance(stated, bool) or stated != self.frames) and not self.dropped:
                said = _short(stated)
                self._drop_or_raise("count-unlike", f"the end states {said} frames, {self.frames} came", number)
            self.end, self._ended = end, True
        else:
            key = kind or next(iter(value), "empty")
            self.skipped[key if key in self.skipped or len(self.skipped) < limits.SHEET_KEYS else "further kinds"] += 1

    def _mark(self, value: dict[str, Any], number: int) -> None:
        name = value["mark"]
        name = str(name) if isinstance(name, (int, float)) else name
        why = unfit_name(name) if isinstance(name, str) else f"must be a text, got {_short(name)}"
        if not why and self.marks_seen >= limits.MARKS:
            raise self.fail("marks-too-many", f"a run may have {limits.MARKS} marks", number)
        if why:
            self._drop_or_raise("mark-unfit", f"a mark's name {why}", number)
        else:
            self.marks_seen += 1
            self.marks.append(Mark(self.frames, name, bool(value.get("play", True))))

    def _figure(self, value: dict[str, Any], number: int) -> None:
        name, figure = str(value["figure"]), _finite(value.get("value"))
        if self.figures_seen >= limits.FIGURES:
            raise self.fail("figures-too-many", f"a run may have {limits.FIGURES} figure lines", number)
        if why := unfit_name(name):
            self._drop_or_raise("figure-unfit", f"a figure's name {why}", number)
        elif figure is None or abs(figure) > limits.COUNT:
            said = f"{_short(value.get('value'))}; a number up to {limits.COUNT:g} is wanted"
            self._drop_or_raise("not-finite", f"figure {name!r} has the value {said}", number)
        else:
            self.figures_seen += 1
            self.figures[name] = figure

    def _part(self, value: dict[str, Any], number: int) -> None:
        """Parts are kept as totals over the run; past so many names they are counted as skipped."""
        path, ms, calls = value["part"], _finite(value.get("ms")), value.get("calls", 1)
        names = [path] if isinstance(path, str) else path
        listed = isinstance(names, list) and 0 < len(names) <= limits.JSON_DEPTH
        if not listed or not all(isinstance(n, str) and not unfit_name(n) for n in names):
            said = f"up to {limits.JSON_DEPTH} names of {limits.NAME} characters each"
            self._drop_or_raise("part-unnamed", f"a part is a name or a list of {said}, got {_short(path)}", number)
        elif ms is None or not 0 <= ms <= limits.FRAME_MS:
            said = f"{limits.FRAME_MS:g}, got {_short(value.get('ms'))}"
            self._drop_or_raise("not-finite", f"part {names[-1]!r} needs ms from 0 to {said}", number)
        elif isinstance(calls, bool) or not isinstance(calls, int) or not 0 <= calls < 2**53:
            self._drop_or_raise(
                "not-finite", f"part {names[-1]!r} has the calls {_short(calls)}; a whole number is wanted", number
            )
        else:
            key = (str(value.get("lane", ""))[: limits.NAME], tuple(names))
            if key not in self.parts and len(self.parts) >= limits.PARTS:
                self.skipped["part"] += 1
                return
            before = self.parts.get(key, (0.0, 0))
            self.parts[key] = (before[0] + ms, before[1] + calls)

    def _window(self, state: Any) -> None:
        """Once away is away for the run: what was lost for a moment cannot be told from the frames."""
        if isinstance(state, dict):
            for key, (kept, away) in _WINDOW.items():
                if key in state:
                    self.window[key] = away if self.window.get(key) == away or not state[key] else kept

    def finish(self) -> ReadRun:
        """The run as far as it came. Raises :class:`FormatError` when there is no frame to keep."""
        if not self.frame_ms:
            raise FormatError("empty", "no frame was found", self.source)
        if self.zero_frames and not self.keep_valid:
            self._check_zeroes()
        lanes = len(self.lane_names)
        stated = None if self.end is None else _finite(self.end.get("ms"))
        try:
            series = FrameSeries(
                np.frombuffer(self.frame_ms, dtype=np.float64),
                lanes={n: np.frombuffer(a, np.float64) for n, a in zip(self.lane_names, self.side, strict=False)},
                lane_roles=self.head["lanes"],
                counters={
                    n: np.frombuffer(a, np.float64) for n, a in zip(self.counter_names, self.side[lanes:], strict=True)
                },
                marks=self.marks,
                conditions={**head_conditions(self.head), **self.window},
                stated_s=None if stated is None else stated / 1000.0,
                figures=dict(self.figures),
                source=self.source,
                parts=[Part(path, ms, calls, lane) for (lane, path), (ms, calls) in self.parts.items()],
            )
        except CoreError as error:
            raise FormatError(error.code, str(error), self.source) from error
        return ReadRun(
            source=self.source,
            series=series,
            complete=self.end is not None,
            head=self.head,
            dropped=tuple(self.dropped),
            gaps=self.gaps,
            skipped=self.skipped,
            zero_frames=self.zero_frames,
        )

    def _check_zeroes(self) -> None:
        """Equal stamps are real where 98 % of the differences lie on one step; else the clock is stuck."""
        x = np.frombuffer(self.frame_ms, dtype=np.float64)
        step = float(x[x > 0].min()) if (x > 0).any() else 0.0
        if step == 0.0 or np.mean(np.abs(x / step - np.round(x / step)) < 0.05) < ON_STEP_SHARE:
            assert self._first_zero_line is not None
            raise self.fail(
                "not-positive",
                f"{self.zero_frames} equal stamps on a clock without a step; the first is here",
                self._first_zero_line,
            )


def read(stream: BinaryIO, source: str, keep_valid: bool = False) -> ReadRun:
    """Read a whole stream. A last line without its end is left out and the run is *broken*."""
    first = stream.readline(LINE_BYTES + 1)
    if not first.strip():
        raise FormatError("empty", "the file is empty", source)
    parser = FramesParser(parse_head(first.removeprefix(b"\xef\xbb\xbf"), source), source, keep_valid)
    block: list[bytes] = []
    while line := stream.readline(LINE_BYTES + 1):
        if not line.endswith(b"\n") and len(line) <= LINE_BYTES and not is_whole(line):
            break  # cut off in the middle: the run is broken, what came before counts
        block.append(line if len(line) > LINE_BYTES else line.rstrip(b"\r\n"))
        if len(block) == MOST_AT_ONCE:
            parser.feed_lines(block)
            block = []
    parser.feed_lines(block)
    return parser.finish()


def is_whole(line: bytes) -> bool:
    """Is a last line without its newline a whole one all the same?"""
    try:
        json.loads(line)
    except (ValueError, RecursionError):
        return False
    return True


def write(stream: TextIO, series: FrameSeries, head: Mapping[str, Any] | None = None, complete: bool = True) -> None:
    """Write a series so that it reads back bit for bit (gaps become ``null``)."""
    full = {
        "vigilant_frames": VERSION,
        "columns": ["frame", *series.lanes],
        "unit": "ms",
        "lanes": dict(series.lane_roles),
        "counters": list(series.counters),
        "conditions": dict(series.conditions),
        **{
            k: v
            for k, v in (head or {}).items()
            if k not in ("vigilant_frames", "columns", "unit", "lanes", "counters")
        },
    }
    stream.write(json.dumps(full, separators=(",", ":"), ensure_ascii=False) + "\n")
    columns = [series.frame_ms.tolist(), *(c.tolist() for c in (*series.lanes.values(), *series.counters.values()))]
    marks = list(series.marks)
    for i, row in enumerate(zip(*columns, strict=True)):
        while marks and marks[0].index <= i:
            mark = marks.pop(0)
            stream.write(json.dumps({"mark": mark.name, "play": mark.play}, ensure_ascii=False) + "\n")
        stream.write("[" + ",".join("null" if v != v else repr(v) for v in row) + "]\n")
    for part in series.parts:
        total = {
            "part": list(part.path),
            "ms": part.ms,
            "calls": part.calls,
            **({"lane": part.lane} if part.lane else {}),
        }
        stream.write(json.dumps(total, ensure_ascii=False) + "\n")
    if complete:
        end = {"frames": int(series.frame_ms.size), "ms": float(series.frame_ms.sum())}
        stream.write(json.dumps({"end": end}) + "\n")
