"""Readings at a rate of their own, in a file beside the runs: laid along their frames by time."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from vigilant.core import FrameSeries
from vigilant.core.gaps import GAP, gap_counts
from vigilant.core.series import LANE_ROLES, FloatArray

from . import limits
from .errors import FormatError
from .file_reading import ColumnReading, FileReading, Head, proposed_columns
from .reading import Kind, named, words_of
from .run import UNIT_MS, ReadRun
from .runs_in import numbers_beside, settled
from .tables import Table

#: So many of its usual steps after the last reading nothing is known any more.
SILENT_STEPS = 2.0


@dataclass(frozen=True)
class Samples:
    """``at_s`` (k,) seconds by the file's clock, rising; ``lanes`` in ms and ``counters``, each (k,) with its gaps."""

    source: str
    at_s: FloatArray
    lanes: Mapping[str, FloatArray]
    roles: Mapping[str, str]
    counters: Mapping[str, FloatArray]


def propose_samples(table: Table, head: Head) -> FileReading:
    """What the columns of such a file are: one of stamps, and what was read then."""
    columns = proposed_columns(table, head)
    rising = [n for n, c in columns.items() if c.kind == Kind.STAMPS]
    # Of a few readings it is no wonder that they rise: then the name has to say it.
    stamps = rising or [n for n in columns if named(n).kind == Kind.STAMPS or "time" in words_of(n)]
    if len(stamps) != 1:
        return FileReading(columns, doubt="name the one column of stamps")
    clock = stamps[0]
    unit = head.units.get(clock) or named(clock).unit
    doubt = "" if unit else "its unit is not named"
    told = {
        n: replace(c, kind=Kind.COUNTER, why="a number now and then", doubt="") if c.kind == Kind.RATE else c
        for n, c in columns.items()
    }
    told[clock] = ColumnReading(Kind.STAMPS, unit or "s", why="it is when each was read", doubt=doubt)
    return FileReading(told)


def samples_in(table: Table, reading: FileReading, keep_valid: bool = False) -> Samples:
    """Every reading of the file. Raises :class:`FormatError` with the line."""
    settled(table, reading)
    clock = next((n for n in reading.of(Kind.STAMPS) if n in table.names), None)
    if clock is None:
        raise FormatError("column-missing", "name the one column of stamps", table.source)
    beside = [n for n in reading.of(Kind.LANE, Kind.COUNTER) if n in table.names]
    if not beside:
        raise FormatError("empty", "there is nothing beside the stamps", table.source)
    pieces: dict[str, list[FloatArray]] = {n: [] for n in (clock, *beside)}
    for block in table.blocks(pieces, keep_valid, set(pieces)):
        found = block.cells[clock].numbers()
        for row, word in sorted(found.unread.items())[:1]:
            line = table.lines_of([block.first + row])[0]
            raise FormatError("stamp-unreadable", f"{word!r} is no stamp", table.source, line)
        pieces[clock].append(found.values)
        for name in beside:
            how = reading.columns[name]
            pieces[name].append(numbers_beside(table, block, name, how, keep_valid))
    columns = {n: np.concatenate(p) if p else np.empty(0) for n, p in pieces.items()}
    at_s = columns.pop(clock) * UNIT_MS[reading.columns[clock].unit] / 1000.0
    if at_s.size < 2:
        raise FormatError("empty", "fewer than two readings", table.source)
    if at_s.size > limits.FRAMES:
        raise FormatError("too-many-frames", f"over {limits.FRAMES} readings", table.source)
    bad = np.flatnonzero(~(np.diff(at_s) > 0))
    if bad.size:
        line = table.lines_of([int(bad[0]) + 1])[0]
        raise FormatError("not-rising", "a stamp must be later than the one before", table.source, line)
    called = {n: reading.columns[n].called or n for n in beside}
    kinds = {n: reading.columns[n].kind for n in beside}
    roles = {called[n]: reading.columns[n].role for n in beside if kinds[n] == Kind.LANE}
    return Samples(
        table.source,
        at_s,
        {called[n]: columns[n] for n in beside if kinds[n] == Kind.LANE},
        {n: r for n, r in roles.items() if r in LANE_ROLES},
        {called[n]: columns[n] for n in beside if kinds[n] == Kind.COUNTER},
    )


def ends_of(run: ReadRun) -> FloatArray:
    """When each frame ended, in seconds: by the file's clock where it has one, else since the run began."""
    return run.ends_s if run.ends_s is not None else np.cumsum(run.series.frame_ms) / 1000.0


def laid_along(run: ReadRun, samples: Samples) -> ReadRun | None:
    """The run with what was read during it: a frame has the newest reading up to its end, *stale* where the frame
    before had it already, *missing* before the first and where the file has fallen silent. None where no reading
    falls into the run. Raises :class:`FormatError` where a column is there already."""
    ends, series = ends_of(run), run.series
    begin = ends[0] - series.frame_ms[0] / 1000.0
    at_s = samples.at_s
    inside = np.searchsorted(at_s, [begin, ends[-1]], side="right")
    if inside[0] == inside[1]:
        return None
    newest = np.searchsorted(at_s, ends, side="right") - 1
    before = np.concatenate(([inside[0] - 1], newest[:-1]))
    silent = ends > at_s[-1] + SILENT_STEPS * float(np.median(np.diff(at_s)))

    def along(values: FloatArray) -> FloatArray:
        laid = values[np.maximum(newest, 0)]
        laid[newest == before] = GAP["stale"]
        laid[(newest < 0) | silent] = GAP["missing"]
        return laid

    for group, more in (("lane", samples.lanes), ("counter", samples.counters)):
        there = series.lanes if group == "lane" else series.counters
        if twice := set(more) & set(there):
            raise FormatError("columns-unreadable", f"{group} {min(twice)!r} is in the run already", samples.source)
    lanes = {**series.lanes, **{n: along(v) for n, v in samples.lanes.items()}}
    counters = {**series.counters, **{n: along(v) for n, v in samples.counters.items()}}
    whole = FrameSeries(
        series.frame_ms, lanes, {**series.lane_roles, **samples.roles}, counters, series.marks, series.conditions,
        series.stated_s, series.figures, series.measured, series.parts, series.part_rows, series.source,
    )  # fmt: skip
    gaps = {n: g for n, v in {**lanes, **counters}.items() if (g := gap_counts(v))}
    return replace(run, series=whole, gaps=gaps)
