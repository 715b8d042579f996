"""File formats: one registry. Reading streams in bounded memory (docs/formats.md)."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING

from . import frames, limits
from .errors import FormatError
from .opening import DAMAGED, open_bytes
from .reading import Holds, Kind
from .run import UNIT_MS, ReadRun

if TYPE_CHECKING:
    from .beside import Samples
    from .file_reading import FileReading
    from .tables import Table
    from .work import Work

__all__ = [
    "Asked",
    "FormatError",
    "Holds",
    "Kind",
    "ReadRun",
    "read_run",
    "read_runs",
    "read_samples",
    "read_stream",
    "read_work",
    "table_of",
]


_HEAD = b'"vigilant_frames"'


@dataclass(frozen=True)
class Asked:
    """What somebody said of a file: the column of its frames, what that holds and in which unit, or a whole reading.
    For a ``verdict`` only what one rests on need be known."""

    column: str | None = None
    unit: str | None = None
    kind: Kind | None = None
    reading: FileReading | None = None
    keep_valid: bool = False
    verdict: bool = False
    #: What the file is said to hold: runs, readings at a rate of their own (:mod:`.beside`), work (:mod:`.work`).
    holds: Holds = Holds.RUNS
    #: How rows are found in it, where that is said (:class:`.file_reading.FileReading`).
    pattern: str = ""
    rows: str = ""


@contextmanager
def _reported(path: Path) -> Iterator[None]:
    """Reading errors of the system, and of a damaged archive, as FormatError."""
    try:
        yield
    except DAMAGED as error:
        reason = getattr(error, "strerror", None) or str(error)
        raise FormatError("unreadable", f"cannot be read: {reason}", path.name) from error


def read_stream(path: str | Path, keep_valid: bool = False) -> ReadRun:
    """Read a ``vigilant-frames`` stream and nothing else. Raises :class:`FormatError`."""
    path = Path(path)
    with _reported(path), open_bytes(path) as stream:
        return frames.read(stream, path.name, keep_valid)


def table_of(path: str | Path, asked: Asked = Asked()) -> Table | None:
    """The table that a file holds; None for a ``vigilant-frames`` stream, known by its head. gzip and zstd are opened
    by their magic bytes. Raises :class:`FormatError`."""
    path = Path(path)
    pattern = asked.pattern or (asked.reading.pattern if asked.reading else "")
    rows = asked.rows or (asked.reading.rows if asked.reading else "")
    with _reported(path):
        with open_bytes(path) as stream:
            start = stream.read(limits.LINE_BYTES)
        plain = start.lstrip(b"\xef\xbb\xbf \t")
        head = plain.split(b"\n", 1)[0]
        # A head that is cut off is one still.
        cut = (len(head) > 2 or head == plain) and _HEAD.startswith(head[1:].rstrip())
        if not pattern and head.startswith(b"{") and (_HEAD in head or cut):
            return None
        from .tables import open_table  # on pyarrow, which a stream does without

        return open_table(path, start, pattern, rows)


def reading_of(table: Table, asked: Asked) -> FileReading:
    """What a table is read as: what was asked, what lies beside it, or what is proposed. Raises :class:`FormatError`."""
    from . import file_reading

    if asked.unit is not None and asked.unit not in UNIT_MS:
        raise FormatError("unit-unknown", f"unit {asked.unit!r} is not known; use {', '.join(UNIT_MS)}", table.source)
    head = file_reading.head_of(table, asked.keep_valid)
    own = asked.column is not None or asked.kind is not None or asked.unit is not None
    said = asked.reading or (None if own else table.own or file_reading.beside(table.path))
    if said is not None and file_reading.fits(said, table.names):
        return file_reading.held(table, head, said)
    if asked.reading is not None:
        raise FormatError("reading-unfit", f"the reading {asked.reading.name!r} names columns that are not there: there are {file_reading.known(table)}", table.source)  # fmt: skip
    if asked.holds == Holds.READINGS:
        from .beside import propose_samples

        found = propose_samples(table, head)
    elif asked.holds == Holds.WORK:
        from .work import propose_work

        found = propose_work(table, head)
    else:
        frame = None if asked.column is None else file_reading.pick(table, asked.column)
        found = file_reading.propose_file(table, head, frame, asked.kind, asked.unit)
    return replace(found, holds=asked.holds, pattern=asked.pattern, rows=asked.rows)


def _beside(path: str | Path, asked: Asked, holds: Holds) -> tuple[Table, FileReading]:
    """The table of a file that belongs beside runs, and its reading."""
    path = Path(path)
    table = table_of(path, asked)
    if table is None:
        raise FormatError("no-samples", f"a stream of frames is a run, and holds no {holds}", path.name)
    reading = reading_of(table, asked)
    _holding(reading, holds, table)
    return table, reading


def _holding(reading: FileReading, holds: Holds, table: Table) -> None:
    if reading.holds != holds:
        raise FormatError("holds-other", f"it holds {reading.holds}, not {holds}", table.source)


def read_samples(path: str | Path, asked: Asked) -> Samples:
    """Read the readings that belong beside runs. Raises :class:`FormatError`."""
    with _reported(Path(path)):
        table, reading = _beside(path, asked, Holds.READINGS)
        from .beside import samples_in

        return samples_in(table, reading, asked.keep_valid)


def read_work(path: str | Path, asked: Asked) -> Work:
    """Read the work that lies inside the frames of runs. Raises :class:`FormatError`."""
    with _reported(Path(path)):
        table, reading = _beside(path, asked, Holds.WORK)
        from .work import work_in

        return work_in(table, reading, asked.keep_valid)


def read_runs(path: str | Path, asked: Asked = Asked(), clock: bool = False) -> list[ReadRun]:
    """Read every run of a file; with ``clock`` each says when its frames ended. Raises :class:`FormatError` with the line, the value met and what to do; where its
    reading is in doubt, until ``asked`` says which."""
    path = Path(path)
    table = table_of(path, asked)
    if table is None:
        return [read_stream(path, asked.keep_valid)]
    from .runs_in import runs_in

    with _reported(path):
        reading = reading_of(table, asked)
        _holding(reading, Holds.RUNS, table)
        return runs_in(table, reading.for_a_verdict() if asked.verdict else reading, asked.keep_valid, clock)


def read_run(path: str | Path, asked: Asked = Asked(verdict=True)) -> ReadRun:
    """Read the one run of a file, as :func:`read_runs`."""
    runs = read_runs(path, asked)
    if len(runs) > 1:
        raise FormatError("several-runs", f"it holds {len(runs)} runs, one was looked for", Path(path).name)
    return runs[0]
