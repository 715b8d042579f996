"""The runs that a table holds, by its reading: exact float64 ms, lanes, counters and legs, in bounded memory."""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np

from vigilant.core import CoreError, FrameSeries, Mark
from vigilant.core.gaps import gap_counts
from vigilant.core.series import LANE_ROLES, FloatArray, IntArray

from . import limits
from .errors import FormatError
from .file_reading import ColumnReading, FileReading, OwnRun
from .head import unfit_name
from .reading import OF_FRAMES, Kind
from .run import UNIT_MS, Dropped, ReadRun
from .tables import Block, Table
from .tables.table import is_gap


class _Growing:
    """An array that grows in place, an eighth at a time: what is not filled yet would take memory too."""

    def __init__(self, dtype: type) -> None:
        self._array: Any = np.empty(0, dtype)
        self._size = 0

    def extend(self, values: Any) -> None:
        end = self._size + values.size
        if end > self._array.size:
            self._array.resize(max(end, self._array.size * 9 // 8, 4096), refcheck=False)
        self._array[self._size : end] = values
        self._size = end

    def __len__(self) -> int:
        return self._size

    def done(self) -> Any:
        """The array itself, read-only; nothing is added any more."""
        self._array.resize(self._size, refcheck=False)
        self._array.flags.writeable = False
        return self._array


class _Run:
    """What was gathered of one run."""

    def __init__(self, lanes: Sequence[str], counters: Sequence[str]) -> None:
        self.frames = _Growing(np.float64)
        #: Stamps in whole numbers as long as all are: they have more digits than a double.
        self.whole: _Growing | None = _Growing(np.int64)
        #: Rows of stamps, to say which one does not rise.
        self.rows = _Growing(np.int64)
        self.beside = {name: _Growing(np.float64) for name in (*lanes, *counters)}
        self.first_clock = self.last_clock = np.nan
        #: The second clock of every row, where it is asked for.
        self.clock = _Growing(np.float64)
        self.legs: list[tuple[int, str]] = []


def numbers_beside(table: Table, block: Block, name: str, how: ColumnReading, keep_valid: bool) -> FloatArray:
    """A lane in ms or a counter, with its gaps. Other words are refused, or gaps where that is wished."""
    found = block.cells[name].numbers()
    values = found.values
    if not keep_valid:
        for row, word in found.unread.items():
            if not is_gap(word):
                line = table.lines_of([block.first + row])[0]
                raise FormatError("not-a-number", f"{word!r} in column {name!r} is not a number", table.source, line)
    if how.kind == Kind.LANE and how.unit != "ms":
        gaps = np.isnan(values)
        scaled = values * UNIT_MS[how.unit]
        scaled[gaps] = values[gaps]  # a state is in the bits of its NaN
        values = scaled
    known = values[~np.isnan(values)]
    most = limits.FRAME_MS if how.kind == Kind.LANE else limits.COUNT
    if known.size and not np.abs(known).max() <= most:
        raise FormatError("too-large", f"column {name!r} holds a value over {most:g}", table.source)
    return values


class _Reader:
    def __init__(self, table: Table, reading: FileReading, keep_valid: bool, clock: bool) -> None:
        self.keeps_clock = clock
        frame = reading.frame
        if frame is None or frame not in table.names:
            missing = frame or "of frames"
            raise FormatError("column-unknown", f"there is no column {missing!r}", table.source)
        self.table, self.reading, self.keep_valid = table, reading, keep_valid
        self.frame, self.how = frame, reading.columns[frame]
        there = set(table.names)
        self.lanes = [n for n in reading.of(Kind.LANE) if n in there]
        self.counters = [n for n in reading.of(Kind.COUNTER) if n in there]
        self.clock = next((n for n in reading.of(Kind.STAMPS) if n in there and n != frame), None)
        self.leg = next((n for n in reading.of(Kind.LEG) if n in there), None)
        self.parted = [n for n in (*reading.of(Kind.ARM), *reading.of(Kind.RUN)) if n in there]
        for kind, count, most in (
            ("lanes", len(self.lanes), limits.LANES),
            ("counters", len(self.counters), limits.COUNTERS),
        ):
            if count > most:
                raise FormatError("columns-too-many", f"{count} {kind}; {most} are allowed", table.source)
        for name in (*self.lanes, *self.counters):
            if why := unfit_name(name):
                raise FormatError("columns-unreadable", f"a column's name {why}", table.source)
        for group in (self.lanes, self.counters):
            called = [self._called(n) for n in group]
            if twice := [n for n in called if called.count(n) > 1]:
                raise FormatError("columns-unreadable", f"two columns are called {twice[0]!r}", table.source)
        self.stamps = self.how.kind == Kind.STAMPS
        self.runs: dict[tuple[str, ...], _Run] = {}
        self.dropped: list[tuple[int, str]] = []
        self.frames_in_all = 0

    def read(self) -> list[ReadRun]:
        wanted = {self.frame, *self.lanes, *self.counters, *self.parted, *filter(None, (self.clock, self.leg))}
        numeric = wanted - {*self.parted, self.leg}
        for block in self.table.blocks(wanted, self.keep_valid, numeric):
            self._take(block)
        if not self.runs:
            raise self._nothing()
        dropped = [Dropped(line, reason) for line, reason in self._left_out()]
        made: list[ReadRun] = []
        for key in list(self.runs):
            run = self.runs.pop(key)  # what a run was gathered in goes as soon as it is made
            made.append(self._made(key, run, () if made else tuple(dropped)))
        return made

    def _left_out(self) -> list[tuple[int, str]]:
        lines = self.table.lines_of([row for row, _ in self.dropped]) if self.dropped else []
        return sorted(
            [*self.table.left, *((line, reason) for line, (_, reason) in zip(lines, self.dropped, strict=True))]
        )

    def _nothing(self) -> FormatError:
        left = self._left_out()
        because = f": line {left[0][0]}: {left[0][1]}" if left else ""
        return FormatError("empty", f"no frame was found{because}", self.table.source)

    def _at(self, code: str, row: int, reason: str) -> FormatError:
        return FormatError(code, reason, self.table.source, self.table.lines_of([row])[0])

    def _take(self, block: Block) -> None:
        values, keep = self._frames(block)
        self.frames_in_all += int(keep.sum())
        if self.frames_in_all > limits.FRAMES:
            raise FormatError("too-many-frames", f"over {limits.FRAMES} frames", self.table.source)
        whole = block.cells[self.frame].whole() if self.stamps else None
        beside = {
            name: numbers_beside(self.table, block, name, self.reading.columns[name], self.keep_valid)
            for name in (*self.lanes, *self.counters)
        }
        clock = block.cells[self.clock].numbers().values if self.clock else None
        legs = block.cells[self.leg].texts() if self.leg else None
        for key, at in self._parts(block, keep):
            run = self.runs.get(key)
            if run is None:
                if len(self.runs) >= limits.ARM_RUNS:
                    raise FormatError("too-many-runs", f"over {limits.ARM_RUNS} runs in one file", self.table.source)
                run = self.runs[key] = _Run(self.lanes, self.counters)
            if legs is not None:
                self._legs(run, legs[at], len(run.frames))
            if self.stamps and run.whole is not None:
                if whole is None:
                    run.whole = None
                else:
                    run.whole.extend(whole[at])
            run.frames.extend(values[at])
            if self.stamps:
                run.rows.extend(block.first + at)
            for name, column in beside.items():
                run.beside[name].extend(column[at])
            if clock is not None and at.size:
                run.first_clock = clock[at[0]] if np.isnan(run.first_clock) else run.first_clock
                run.last_clock = clock[at[-1]]
                if self.keeps_clock:
                    run.clock.extend(clock[at])

    def _frames(self, block: Block) -> tuple[FloatArray, np.ndarray]:
        """The frame column, and which of its rows count (m,)."""
        found = block.cells[self.frame].numbers()
        values = found.values
        bad = ~np.isfinite(values)
        if not self.stamps:
            # A coarse timer's empty frames were counted when the run was recorded, and come back with it.
            bad |= (values < 0) if self.reading.run else (values <= 0)
        for i in np.flatnonzero(bad).tolist():
            code, reason = self._why_not(values[i], found.unread.get(i))
            # Between the stamps on both sides of one that is not there lie two frames that cannot be told apart.
            if not self.keep_valid or self.stamps:
                raise self._at("stamp-unreadable" if self.stamps and self.keep_valid else code, block.first + i, reason)
            if len(self.dropped) < limits.FRAMES:
                self.dropped.append((block.first + i, reason))
        return values, ~bad

    @staticmethod
    def _why_not(value: float, stands: str | None) -> tuple[str, str]:
        if stands is not None:
            return "not-a-number", f"{stands!r} is not a number"
        if not np.isfinite(value):
            return "not-finite", f"a frame time must be finite, got {str(value)!r}"
        return "not-positive", f"a frame time must be positive, got {f'{value:g}'!r}"

    def _parts(self, block: Block, keep: np.ndarray) -> Iterator[tuple[tuple[str, ...], IntArray]]:
        """Rows of the block by the run they are of."""
        rows = np.flatnonzero(keep)
        if not self.parted:
            if rows.size:
                yield (), rows
            return
        if not rows.size:
            return
        names = [block.cells[n].texts()[rows] for n in self.parted]
        changed = np.any([column[1:] != column[:-1] for column in names], axis=0)
        bounds = [0, *(np.flatnonzero(changed) + 1).tolist(), rows.size]
        for start, stop in itertools.pairwise(bounds):
            yield tuple(column[start] for column in names), rows[start:stop]

    @staticmethod
    def _legs(run: _Run, names: np.ndarray, at: int) -> None:
        changes = np.flatnonzero(names[1:] != names[:-1]) + 1
        for place in [0, *changes.tolist()]:
            name = names[place] or "no leg"
            if not run.legs or run.legs[-1][1] != name:
                run.legs.append((at + place, name))

    def _made(self, key: tuple[str, ...], run: _Run, dropped: tuple[Dropped, ...]) -> ReadRun:
        source = f"{self.table.source}: {', '.join(filter(None, key))}" if key else self.table.source
        rows = run.rows.done()
        stamps = run.frames.done() if self.stamps else None
        frame_ms = self._frame_ms(run, rows)
        first = 1 if self.stamps else 0
        lanes = {self._called(n): _from(run.beside.pop(n).done(), first) for n in self.lanes}
        counters = {self._called(n): _from(run.beside.pop(n).done(), first) for n in self.counters}
        roles = {self._called(n): self.reading.columns[n].role for n in self.lanes}
        marks = [Mark(max(0, at - first), name[: limits.NAME]) for at, name in run.legs]
        if len(marks) > limits.MARKS:
            raise FormatError("too-many-marks", f"{len(marks)} changes of leg; {limits.MARKS} are allowed", source)
        own = self.reading.run or OwnRun(tuple(_last_of_each(marks)), stated_s=self._stated_s(run, frame_ms))
        try:
            series = FrameSeries(
                frame_ms,
                lanes=lanes,
                lane_roles={name: role for name, role in roles.items() if role in LANE_ROLES},
                counters=counters,
                marks=own.marks,
                conditions=own.conditions,
                figures=own.figures,
                stated_s=own.stated_s,
                source=source,
            )
        except CoreError as error:
            raise FormatError(error.code, str(error), source) from error
        parted = dict(zip(self.parted, key, strict=True)) if key else {}
        arm = next((v for n, v in parted.items() if self.reading.columns[n].kind == Kind.ARM), "")
        name = next((v for n, v in parted.items() if self.reading.columns[n].kind == Kind.RUN), "")
        return ReadRun(
            source=source,
            series=series,
            head={"started": own.started} if own.started else {},
            dropped=dropped,
            gaps={n: g for n, v in {**lanes, **counters}.items() if (g := gap_counts(v))},
            skipped=self.table.skipped,
            reading=said_of(self.how),
            arm=arm,
            name=name,
            ends_s=self._ends_s(run, stamps) if self.keeps_clock else None,
        )

    def _ends_s(self, run: _Run, stamps: FloatArray | None) -> FloatArray | None:
        """When each frame ended by the file's clock; stamps that stand at the starts are one frame early, and say so
        by what they agree with no better."""
        if stamps is not None:
            return stamps[1:] * UNIT_MS[self.how.unit] / 1000.0
        if self.clock is None or not len(run.clock):
            return None
        return np.asarray(run.clock.done() * UNIT_MS[self.reading.columns[self.clock].unit] / 1000.0)

    def _called(self, name: str) -> str:
        return self.reading.columns[name].called or name

    def _frame_ms(self, run: _Run, rows: IntArray) -> FloatArray:
        values: Any = run.frames.done()
        if not self.stamps:
            if self.how.kind == Kind.RATE:
                return np.asarray(1000.0 / values)
            return np.asarray(values if self.how.unit == "ms" else values * UNIT_MS[self.how.unit])
        exact = run.whole.done() if run.whole is not None else values
        steps = np.diff(exact)
        if not steps.size:
            raise FormatError("empty", "one stamp is no frame yet", self.table.source)
        bad = np.flatnonzero(steps <= 0)
        if bad.size:
            raise self._at("not-rising", int(rows[bad[0] + 1]), "a stamp must be later than the one before")
        return np.asarray(steps, dtype=np.float64) * UNIT_MS[self.how.unit]

    def _stated_s(self, run: _Run, frame_ms: FloatArray) -> float | None:
        """The length by the second clock: stamps at the ends of frames or at their starts leave one of them out."""
        if self.clock is None or not np.isfinite(run.last_clock - run.first_clock):
            return None
        between = (run.last_clock - run.first_clock) * UNIT_MS[self.reading.columns[self.clock].unit]
        ends = [between + float(frame_ms[0]), between + float(frame_ms[-1])]
        length = float(frame_ms.sum())
        return min(ends, key=lambda e: abs(e - length)) / 1000.0


def _from(values: FloatArray, first: int) -> FloatArray:
    return values[first:] if first else values


def _last_of_each(marks: Sequence[Mark]) -> list[Mark]:
    """Of marks at one frame the last."""
    return list({mark.index: mark for mark in marks}.values())


def said_of(how: ColumnReading) -> str:
    """How the frames were read, in words; "" for plain frame times in ms."""
    if how.kind == Kind.TIMES and how.unit == "ms":
        return ""
    of = "" if how.kind == Kind.RATE else f" in {how.unit}"
    return f"read as {how.kind}{of}: {how.why}"


def _asked(name: str, how: ColumnReading, doubt: str) -> str:
    """What a column is proposed as, why that is in doubt, and how it is answered."""
    of = f" in {how.unit}" if how.unit else ""
    if how.kind in OF_FRAMES:
        return f"column {name!r} read as {how.kind}{of}: {how.why}; but {doubt}. Say which: --reading times, stamps or rate, and --unit"
    return (
        f"column {name!r} read as {how.kind}{of}: {how.why}; open is {doubt}. Say it in a reading: --reading FILE.toml"
    )


def settled(table: Table, reading: FileReading) -> None:
    """Nothing of the reading is open. Raises :class:`FormatError`."""
    if reading.doubt:
        raise FormatError("column-missing", reading.doubt, table.source)
    for name, doubt in reading.doubts.items():
        raise FormatError("reading-doubtful", _asked(name, reading.columns[name], doubt), table.source)


def runs_in(table: Table, reading: FileReading, keep_valid: bool = False, clock: bool = False) -> list[ReadRun]:
    """Every run of ``table``, in order of appearance. ``keep_valid`` leaves out rows that are no frame; with ``clock``
    a run says when each of its frames ended.

    Frames are float64 ms, converted once; of stamps they are the steps, subtracted as whole numbers where they are
    such, and the first row's lanes and counters fall away. Raises :class:`FormatError` with the line."""
    settled(table, reading)
    return _Reader(table, reading, keep_valid, clock).read()
