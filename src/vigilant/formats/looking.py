"""What a file would become: its first lines, each column with what it is read as and why, and the runs that follow."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass, field, replace
from pathlib import Path
from typing import Any

import numpy as np

from vigilant.core import CoreError, summarize

from . import Asked, limits, read_stream, reading_of, table_of
from .beside import Samples, ends_of, samples_in
from .errors import FormatError
from .file_reading import FileReading
from .reading import Holds
from .run import ReadRun
from .runs_in import runs_in
from .work import Work, work_in

FIRST_LINES = 6
#: Groups of frames that the small trace of a run is drawn from.
POINTS = 240


@dataclass(frozen=True)
class SeenColumn:
    """``is_`` is its kind; ``first`` are its first cells as they stand."""

    name: str
    is_: str
    unit: str
    role: str
    why: str
    doubt: str
    first: tuple[str, ...] = ()


@dataclass(frozen=True)
class SeenRun:
    """``lows`` and ``highs`` are ms of at most :data:`POINTS` groups of neighbouring frames."""

    name: str
    arm: str
    frames: int
    seconds: float
    mean_ms: float
    slowest_1pct_ms: float
    legs: tuple[str, ...]
    lanes: tuple[str, ...]
    counters: tuple[str, ...]
    gaps: Mapping[str, Mapping[str, int]]
    started: str
    #: When it began and ended, in seconds by the file's clock, else since it began.
    from_s: float
    to_s: float
    lows: tuple[float, ...]
    highs: tuple[float, ...]


@dataclass(frozen=True)
class SeenSamples:
    """Readings beside runs: how many, and when the first and the last were made, in seconds by the file's clock."""

    count: int
    from_s: float
    to_s: float
    names: tuple[str, ...]


@dataclass(frozen=True)
class SeenWork:
    """Work inside frames: how many pieces, or samples, of how many parts, and what said where they lie (``by``)."""

    by: str
    count: int
    parts: int
    names: tuple[str, ...]
    lanes: tuple[str, ...]
    runs: tuple[str, ...]
    from_s: float | None = None
    to_s: float | None = None


@dataclass(frozen=True)
class Look:
    """``stream`` is a ``vigilant-frames`` file, which needs no reading. ``problem`` says why there are no runs."""

    stream: bool
    made: tuple[str, ...] = ()
    first_lines: tuple[str, ...] = ()
    columns: tuple[SeenColumn, ...] = ()
    recognised: str = ""
    said: str = ""
    doubt: str = ""
    runs: tuple[SeenRun, ...] = ()
    holds: str = Holds.RUNS.value
    pattern: str = ""
    rows: str = ""
    parted_by: str = ""
    samples: SeenSamples | None = None
    work: SeenWork | None = None
    left_out: int = 0
    left_lines: tuple[str, ...] = ()
    problem: Mapping[str, Any] | None = None
    reading: FileReading | None = field(default=None, compare=False)

    @property
    def open(self) -> list[str]:
        """What has to be answered before the file is taken."""
        return [*([self.doubt] if self.doubt else []), *(f"{c.name}: {c.doubt}" for c in self.columns if c.doubt)]

    def document(self) -> dict[str, Any]:
        """As JSON: without the reading itself, which is its columns."""
        document = {k: v for k, v in asdict(replace(self, reading=None)).items() if k != "reading"}
        for column in document["columns"]:
            column["is"] = column.pop("is_")
        return document


def look(path: str | Path, asked: Asked) -> Look:
    """Look at a file under what was asked of it; what is proposed and still in doubt is shown as it would be read.

    Raises :class:`FormatError` only where nothing can be said of it at all."""
    table = table_of(path, asked)
    if table is None:
        if asked.holds != Holds.RUNS:
            raise FormatError("no-samples", f"a stream of frames is a run, and holds no {asked.holds}", Path(path).name)
        run = read_stream(path, asked.keep_valid)
        return replace(_of_runs([run], stream=True), said=f"{run.broken}: the run is broken" if run.broken else "")
    reading = reading_of(table, asked)
    first = _first_cells(table)
    columns = tuple(
        SeenColumn(n, c.kind.value, c.unit, c.role, c.why, c.doubt, first.get(n, ()))
        for n, c in reading.columns.items()
    )
    seen = Look(
        False, tuple(table.made), tuple(table.shown(FIRST_LINES)), columns, reading.name, reading.said, reading.doubt,
        holds=reading.holds.value, pattern=reading.pattern, rows=reading.rows, parted_by=reading.parted_by, reading=reading,
    )  # fmt: skip
    if reading.doubt:
        return seen
    settled = replace(reading, columns={n: replace(c, doubt="") for n, c in reading.columns.items()})
    try:
        if reading.holds == Holds.READINGS:
            return replace(seen, samples=_of_samples(samples_in(table, settled, asked.keep_valid)))
        if reading.holds == Holds.WORK:
            return _of_work(seen, work_in(table, settled, asked.keep_valid))
        found = _of_runs(runs_in(table, settled, asked.keep_valid, clock=True), stream=False)
    except FormatError as error:
        return replace(seen, problem={"code": error.code, "detail": error.message, "line": error.line})
    return replace(seen, runs=found.runs, left_out=found.left_out, left_lines=found.left_lines)


def _first_cells(table: Any) -> dict[str, tuple[str, ...]]:
    for block in table.blocks(table.names, keep_valid=True):
        return {name: tuple(str(t)[:40] for t in cells.texts()[:3]) for name, cells in block.cells.items()}
    return {}


def _of_runs(runs: list[ReadRun], stream: bool) -> Look:
    left = [d for run in runs for d in run.dropped]
    said = tuple(f"line {d.line}: {d.reason}" for d in left[:5])
    return Look(stream, runs=tuple(_seen(run) for run in runs), left_out=len(left), left_lines=said)


def _of_samples(found: Samples) -> SeenSamples:
    return SeenSamples(found.at_s.size, float(found.at_s[0]), float(found.at_s[-1]), (*found.lanes, *found.counters))


def _of_work(seen: Look, found: Work) -> Look:
    """The parts that took most are named."""
    took: dict[str, float] = {}
    for part, ms in zip(found.part.tolist(), np.nan_to_num(found.ms).tolist(), strict=True):
        name = " / ".join(found.parts[part][1])
        took[name] = took.get(name, 0.0) + ms
    names = sorted(took, key=lambda n: -took[n])
    outermost = np.array([len(path) == 1 for _, path in found.parts])[found.part]
    starts = found.start_s
    left = found.left or {}
    work = SeenWork(
        found.by,
        int(found.ms[outermost].sum()) if found.by == "samples" else int(found.part.size),
        len(took),
        tuple(names[:8]),
        tuple(dict.fromkeys(lane for lane, _ in found.parts if lane))[:8],
        () if found.run is None else tuple(dict.fromkeys(found.run.tolist()))[:8],
        None if starts is None else float(starts.min()),
        None if starts is None else float(starts.max()),
    )
    said = tuple(f"{count:,} rows: {why}" for why, count in left.items())
    return replace(seen, work=work, left_out=sum(left.values()), left_lines=said)


def _seen(run: ReadRun) -> SeenRun:
    series = run.series
    ends = ends_of(run)
    try:
        summary = summarize(series)
        mean, slowest = summary.mean_ms, summary.slowest_1pct_ms
    except CoreError:  # no frame of it is play
        mean = slowest = float(series.frame_ms.mean())
    starts = np.unique(np.linspace(0, series.frame_ms.size, POINTS, endpoint=False).astype(np.int64))
    return SeenRun(
        run.name or run.source,
        run.arm,
        int(series.frame_ms.size),
        float(series.frame_ms.sum()) / 1000.0,
        mean,
        slowest,
        tuple(dict.fromkeys(m.name for m in series.marks))[: limits.SUBJECTS],
        tuple(series.lanes),
        tuple(series.counters),
        dict(run.gaps),
        str(run.head.get("started", "")),
        float(ends[0]) - float(series.frame_ms[0]) / 1000.0,
        float(ends[-1]),
        tuple(np.minimum.reduceat(series.frame_ms, starts).tolist()),
        tuple(np.maximum.reduceat(series.frame_ms, starts).tolist()),
    )
