"""``vigilant-frames`` version 1: UTF-8 JSON Lines of frames as they happen (docs/formats.md)."""

from __future__ import annotations

import json
import math
from array import array
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, BinaryIO

import numpy as np
import orjson

from vigilant.core import CoreError, FrameSeries, Mark
from vigilant.core.gaps import GAP, gap_counts
from vigilant.core.sheet import AWAY, FOCUS, VISIBLE

from . import limits, strict_json
from .errors import FormatError
from .head import finite, head_conditions, parse_head, short, unfit_name
from .items import ItemsTaken
from .limits import LINE_BYTES
from .parts import PartsTaken
from .run import SHOWS, UNIT_MS, Dropped, ReadRun, StillLine, fit_name

ON_STEP_SHARE = 0.98
_KNOWN_LINES = ("mark", "part", "item", "figure", "window", "still", "lost", "end")
_WINDOW = {FOCUS: ("kept", AWAY[FOCUS]), VISIBLE: ("yes", AWAY[VISIBLE])}
#: What a frame of plain numbers is written with, and how many are read at once.
_PLAIN = b"0123456789+-.eE[], \n"
LEAST_AT_ONCE, MOST_AT_ONCE = 8, 4096


@dataclass(frozen=True)
class StreamState:
    """Where a stream stands after ``lines`` of its lines: what its next ones are checked against."""

    lines: int = 1
    frames: int = 0
    marks: int = 0
    figures: int = 0
    items: int = 0
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
        self.items = ItemsTaken(state.items)
        self.parts = PartsTaken()
        self.dropped: list[Dropped] = []
        self.skipped: Counter[str] = Counter()
        self.lost = 0
        self.end: dict[str, Any] | None = None
        self.window: dict[str, str] = {}
        self.stills: dict[str, StillLine] = {}
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
        seen = (self.marks_seen, self.figures_seen, self.items.seen)
        return StreamState(self.lines, self.frames, *seen, self._last_stamp, self._ended)

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
        time = finite(first)
        if time is None or not math.isfinite(time * self.scale):
            raise self.fail("not-finite", f"a frame time must be a finite number, got {short(first)}", number)
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
        for i, (store, value) in enumerate(zip(self.side, side, strict=True)):
            store.append(value * self.scale if i < lanes and value == value else value)

    def _side_value(self, i: int, value: Any, number: int) -> float:
        if value is None or value in ("stale", "below"):
            return GAP[value or "missing"]
        reading = finite(value)
        if reading is None:
            raise self.fail(
                "not-finite", f"column {i + 2} must be a number, null, stale or below, got {short(value)}", number
            )
        if reading < 0 and i < len(self.lane_names):
            raise self.fail("not-positive", f"lane {self.lane_names[i]!r} is negative: {reading!r}", number)
        lane = i < len(self.lane_names)
        if abs(reading) * (self.scale if lane else 1.0) > (limits.FRAME_MS if lane else limits.COUNT):
            most = f"{limits.FRAME_MS:g} ms" if lane else f"{limits.COUNT:g}"
            raise self.fail("too-large", f"column {i + 2} is {reading!r}; {most} are allowed", number)
        return reading

    def _record(self, value: dict[str, Any], number: int) -> None:
        kind = next((k for k in _KNOWN_LINES if k in value), None)
        if kind == "mark":
            self._mark(value, number)
        elif kind == "figure":
            self._figure(value, number)
        elif kind == "part":
            self._part(value, number)
        elif kind == "item":
            self._item(value, number)
        elif kind == "window":
            self._window(value["window"])
        elif kind == "still":
            self._still(value, number)
        elif kind == "lost":
            lost = finite(value["lost"])
            self.lost += max(1, round(min(lost or 1.0, limits.FRAMES)))
        elif kind == "end":
            end = value["end"] if isinstance(value["end"], dict) else {}
            stated = end.get("frames")
            if stated is not None and (isinstance(stated, bool) or stated != self.frames) and not self.dropped:
                said = short(stated)
                self._drop_or_raise("count-unlike", f"the end states {said} frames, {self.frames} came", number)
            self.end, self._ended = end, True
        else:
            key = kind or next(iter(value), "empty")
            self.skipped[key if key in self.skipped or len(self.skipped) < limits.SHEET_KEYS else "further kinds"] += 1

    def _mark(self, value: dict[str, Any], number: int) -> None:
        name = value["mark"]
        name = str(name) if isinstance(name, (int, float)) else name
        why = unfit_name(name) if isinstance(name, str) else f"must be a text, got {short(name)}"
        if not why and self.marks_seen >= limits.MARKS:
            raise self.fail("marks-too-many", f"a run may have {limits.MARKS} marks", number)
        if why:
            self._drop_or_raise("mark-unfit", f"a mark's name {why}", number)
        else:
            self.marks_seen += 1
            self.marks.append(Mark(self.frames, name, bool(value.get("play", True))))

    def _figure(self, value: dict[str, Any], number: int) -> None:
        name, figure = str(value["figure"]), finite(value.get("value"))
        if self.figures_seen >= limits.FIGURES:
            raise self.fail("figures-too-many", f"a run may have {limits.FIGURES} figure lines", number)
        if why := unfit_name(name):
            self._drop_or_raise("figure-unfit", f"a figure's name {why}", number)
        elif figure is None or abs(figure) > limits.COUNT:
            said = f"{short(value.get('value'))}; a number up to {limits.COUNT:g} is wanted"
            self._drop_or_raise("not-finite", f"figure {name!r} has the value {said}", number)
        else:
            self.figures_seen += 1
            self.figures[name] = figure

    def _item(self, value: dict[str, Any], number: int) -> None:
        if why := self.items.take(value):
            self._drop_or_raise(*why, number)

    def _still(self, value: dict[str, Any], number: int) -> None:
        """A picture beside the stream; where no frame is said it is of the one being made."""
        name, leg, shows = value["still"], value.get("at_leg", self._leg()), value.get("shows", "view")
        sequence = value.get("sequence", "")
        frame = finite(value.get("frame", self.frames))
        if not isinstance(name, str) or not fit_name(name):
            self._drop_or_raise("still-unfit", f"a still is called like a file in no folder, got {short(name)}", number)
        elif not isinstance(leg, str) or (leg and unfit_name(leg)):
            self._drop_or_raise("still-unfit", f"still {name!r} is of no leg: {short(leg)}", number)
        elif frame is None or frame != int(frame) or not 0 <= frame <= limits.FRAMES:
            self._drop_or_raise("still-unfit", f"still {name!r} is of no frame: {short(value.get('frame'))}", number)
        elif shows not in SHOWS:
            self._drop_or_raise("still-unfit", f"still {name!r} shows view or cost, got {short(shows)}", number)
        elif not isinstance(sequence, str) or (sequence and unfit_name(sequence)):
            self._drop_or_raise("still-unfit", f"still {name!r} is of no sequence: {short(sequence)}", number)
        elif len(self.stills) >= limits.STILLS and name not in self.stills:
            raise self.fail("stills-too-many", f"a run may have {limits.STILLS} stills", number)
        else:
            self.stills[name] = StillLine(name, int(frame), leg, shows, sequence)

    def _leg(self) -> str:
        return self.marks[-1].name if self.marks else ""

    def _part(self, value: dict[str, Any], number: int) -> None:
        why = self.parts.take(value, self.frames)
        if why is not None:
            self._drop_or_raise(*why, number)

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
        stated = None if self.end is None else finite(self.end.get("ms"))
        names = (*self.lane_names, *self.counter_names)
        columns = {n: np.frombuffer(a, np.float64) for n, a in zip(names, self.side, strict=True)}
        try:
            series = FrameSeries(
                np.frombuffer(self.frame_ms, dtype=np.float64),
                lanes={n: columns[n] for n in self.lane_names},
                lane_roles=self.head["lanes"],
                waits=self.head.get("waits", {}),
                counters={n: columns[n] for n in self.counter_names},
                marks=self.marks,
                conditions={**head_conditions(self.head), **self.window},
                stated_s=None if stated is None else stated / 1000.0,
                figures=dict(self.figures),
                source=self.source,
                parts=self.parts.totals(),
                part_rows=self.parts.rows(len(self.frame_ms)),
            )
        except CoreError as error:
            raise FormatError(error.code, str(error), self.source) from error
        return ReadRun(
            source=self.source,
            series=series,
            complete=self.end is not None and not self.lost,
            head=self.head,
            dropped=tuple(self.dropped),
            gaps={n: found for n, c in columns.items() if (found := gap_counts(c))},
            skipped=self.skipped + self.parts.skipped,
            zero_frames=self.zero_frames,
            lost=self.lost,
            stills=tuple(self.stills.values()),
            items=tuple(self.items.kinds.values()),
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
