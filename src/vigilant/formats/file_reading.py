"""What a whole file is: of each column whether it is the frames, a lane, a counter, a leg, or which run a row is of.

It is proposed from names, shapes and a second clock in the file, each with its reason; what is in doubt says so. A
reading can be kept as TOML (docs/formats.md), beside the data or under a name, and is known again by its columns.
"""

from __future__ import annotations

import tomllib
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
import numpy.typing as npt
import tomli_w

from vigilant.core import FrameSeries, Mark
from vigilant.core.series import LANE_ROLES

from . import limits
from .errors import FormatError
from .head import finite, short, unfit_name
from .reading import SURE, Holds, Kind, named, propose, words_of
from .run import UNIT_MS

if TYPE_CHECKING:
    from .tables import Table

VERSION = 1
#: The name of a reading that is kept beside the files it is of.
BESIDE = "vigilant-reading.toml"
#: Rows that a reading is proposed from.
HEAD_ROWS = 65_536
#: Two clocks that differ by a smaller share agree.
AGREE = 0.02
#: A text names legs or runs where it stays the same for so many rows on average.
STAYS = 8
MOST_NAMES = 1000

#: Makes the error of what does not fit, from what is wrong.
Wrong = Callable[[str], FormatError]

#: The doubt of a file whose frames may be in several columns.
WHICH = "name the frame time column"

_ROLES = {
    "graphics": {"gpu", "graphics", "g", "shader", "raster"},
    "processor": {"cpu", "processor", "main", "thread", "logic", "sim", "simulation", "update", "submit", "physics"},
    "waiting": {"wait", "waiting", "waits", "idle", "vsync", "present", "blocked", "sleep", "limiter", "refresh"},
}
_AMOUNTS = {"load", "usage", "use", "used", "util", "utilization", "temp", "temperature", "clock", "mhz", "ghz", "power", "watt", "watts", "w", "memory", "mem", "mb", "gb", "kb", "bytes", "percent", "count", "calls", "draws", "c"}  # fmt: skip
_LEGS = {"leg", "stage", "scene", "segment", "section", "phase", "area", "level", "chapter", "zone"}
_RUNS = {"run", "pass", "iteration", "session", "repeat", "repetition", "trial", "attempt", "take", "file"}
_ARMS = {"arm", "build", "variant", "version", "branch", "commit", "revision", "config", "configuration", "side"}


@dataclass(frozen=True)
class ColumnReading:
    """``unit`` is of times, stamps and lanes, ``role`` of lanes; ``called`` is what a lane or a counter is called in
    the run where that is not the column's name; ``doubt`` says what has to be answered first."""

    kind: Kind
    unit: str = ""
    role: str = ""
    why: str = ""
    doubt: str = ""
    called: str = ""


@dataclass(frozen=True)
class OwnRun:
    """What a table that was written here says of its run beside its columns."""

    marks: tuple[Mark, ...] = ()
    conditions: Mapping[str, str] = field(default_factory=dict)
    figures: Mapping[str, float] = field(default_factory=dict)
    stated_s: float | None = None
    started: str | None = None

    @classmethod
    def of(cls, series: FrameSeries, started: str | None) -> OwnRun:
        return cls(tuple(series.marks), dict(series.conditions), dict(series.figures), series.stated_s, started)

    def document(self) -> dict[str, Any]:
        """As JSON; :meth:`checked` takes it."""
        kept = {
            "marks": [[m.index, m.name, m.play] for m in self.marks],
            "conditions": dict(self.conditions),
            "figures": dict(self.figures),
            "stated_s": self.stated_s,
            "started": self.started,
        }
        return {k: v for k, v in kept.items() if v not in (None, [], {})}

    @classmethod
    def checked(cls, document: Any, wrong: Wrong) -> OwnRun:
        """Raises what ``wrong`` makes."""
        keys = {"marks", "conditions", "figures", "stated_s", "started"}
        if not isinstance(document, dict) or set(document) - keys:
            raise wrong(f"run must be a table of {', '.join(sorted(keys))}")
        marks, sheet, figures = (document.get(k, {}) for k in ("marks", "conditions", "figures"))
        if not isinstance(sheet, dict) or len(sheet) > limits.SHEET_KEYS or not isinstance(figures, dict):
            raise wrong("run.conditions and run.figures must be tables")
        if any(not isinstance(v, str) or len(v) > limits.VALUE for v in sheet.values()):
            raise wrong(f"run.conditions must hold texts of at most {limits.VALUE} characters")
        if len(figures) > limits.FIGURES or any(finite(v) is None or unfit_name(str(k)) for k, v in figures.items()):
            raise wrong("run.figures must hold finite numbers")
        stated, started = document.get("stated_s"), document.get("started")
        if stated is not None and (finite(stated) is None or stated <= 0):
            raise wrong("run.stated_s must be a positive number")
        if started is not None and (not isinstance(started, str) or len(started) > limits.NAME):
            raise wrong("run.started must be a time as a text")
        made = []
        for mark in list(marks)[: limits.MARKS + 1]:
            if not isinstance(mark, list) or len(mark) != 3 or not isinstance(mark[0], int) or mark[0] < 0:
                raise wrong(f"a mark is a list of its frame, name and play, got {short(mark)}")
            if not isinstance(mark[1], str) or unfit_name(mark[1]) or not isinstance(mark[2], bool):
                raise wrong(f"a mark is a list of its frame, name and play, got {short(mark)}")
            made.append(Mark(mark[0], mark[1], mark[2]))
        if len(made) > limits.MARKS:
            raise wrong(f"over {limits.MARKS} marks")
        return cls(tuple(made), sheet, {k: float(v) for k, v in figures.items()}, stated, started)


@dataclass(frozen=True)
class FileReading:
    """Readings by column. ``said`` is what two clocks say of each other; ``doubt`` is of the file as a whole; ``run``
    is there where the file was written here and says itself what it is."""

    columns: Mapping[str, ColumnReading]
    name: str = ""
    said: str = ""
    doubt: str = ""
    run: OwnRun | None = None
    holds: Holds = Holds.RUNS
    #: How rows are found in the file: by a pattern in its lines, or under these keys of its JSON.
    pattern: str = ""
    rows: str = ""
    #: What parts the names of a part's path, outermost first; "" where time or ids say what lies in what.
    parted_by: str = ""

    def of(self, *kinds: Kind) -> list[str]:
        return [name for name, column in self.columns.items() if column.kind in kinds]

    @property
    def frame(self) -> str | None:
        """The column that frames come from: times or a rate, else the stamps."""
        return next(iter([*self.of(Kind.TIMES, Kind.RATE), *self.of(Kind.STAMPS)]), None)

    @property
    def doubts(self) -> dict[str, str]:
        """What has to be answered, by column ("" for the whole file)."""
        found = {name: column.doubt for name, column in self.columns.items() if column.doubt}
        return {**({"": self.doubt} if self.doubt else {}), **found}

    def for_a_verdict(self) -> FileReading:
        """Only what a comparison rests on: a lane or a leg in doubt is left out, and need not be answered."""
        beside = (Kind.LANE, Kind.COUNTER, Kind.LEG)
        kept = {
            n: replace(c, kind=Kind.LEFT_OUT, doubt="") if c.doubt and c.kind in beside else c
            for n, c in self.columns.items()
        }
        return replace(self, columns=kept)


@dataclass(frozen=True)
class Head:
    """The first rows of a table (m, at most :data:`HEAD_ROWS`): numbers, texts, and the units that types state."""

    numbers: Mapping[str, npt.NDArray[np.float64]]
    texts: Mapping[str, npt.NDArray[np.object_]]
    units: Mapping[str, str] = field(default_factory=dict)


def head_of(table: Table, keep_valid: bool = False) -> Head:
    """Raises :class:`FormatError` where the table cannot be read."""
    pieces: dict[str, list[Any]] = {name: [] for name in table.names}
    words: dict[str, list[Any]] = {name: [] for name in table.names}
    units: dict[str, str] = {}
    rows = 0
    for block in table.blocks(table.names, keep_valid):
        for name, cells in block.cells.items():
            found = cells.numbers()
            pieces[name].append(found.values)
            if len(found.unread) * 2 > block.rows or name in words:
                words[name].append(cells.texts() if len(found.unread) * 2 > block.rows or _may_part(name) else None)
            if cells.unit:
                units[name] = cells.unit
        rows += block.rows
        if rows >= HEAD_ROWS:
            break
    if not rows:
        raise FormatError("empty", "the file holds no row", table.source)
    numbers = {name: np.concatenate(p)[:HEAD_ROWS] for name, p in pieces.items()}
    texts = {n: np.concatenate(p)[:HEAD_ROWS] for n, p in words.items() if p and all(w is not None for w in p)}
    return Head(numbers, texts, units)


def _may_part(name: str) -> bool:
    return bool(set(words_of(name)) & (_LEGS | _RUNS | _ARMS))


def propose_file(
    table: Table, head: Head, frame: str | None = None, kind: Kind | None = None, unit: str | None = None
) -> FileReading:
    """What the columns of ``table`` are, with the reasons. ``frame`` names the column that the frames are in, ``kind``
    and ``unit`` say what it holds. Raises :class:`FormatError` for what is never right."""
    columns = proposed_columns(table, head)
    numeric = [n for n in table.names if n not in _texts(columns, head)]
    frame = frame or _frame_of(table, columns, numeric)
    if frame is None:
        return FileReading(columns, doubt=f"{WHICH}; there are: {known(table)}")
    values = head.numbers[frame]
    clock = _second_clock(columns, frame)
    unit = unit or head.units.get(frame)
    try:
        found = propose(frame if table.named else "", values[np.isfinite(values)], kind, unit)
    except FormatError as error:
        raise FormatError(error.code, error.message, table.source) from None
    own = ColumnReading(found.kind, found.unit, why=found.why, doubt=found.doubt)
    others = {n: c for n, c in columns.items() if n != frame}
    # A second stamp beside stamps, and a rate beside frames, say nothing of their own.
    for name in [n for n, c in others.items() if c.kind == Kind.RATE]:
        others[name] = ColumnReading(
            Kind.COUNTER, why="a rate beside the frames: it is kept, and no frame comes from it"
        )
    reading = FileReading({n: own if n == frame else others[n] for n in table.names})
    if own.kind == Kind.STAMPS:
        for name in [n for n, c in others.items() if c.kind == Kind.STAMPS]:
            others[name] = replace(others[name], kind=Kind.LEFT_OUT, doubt="")
        return replace(reading, columns={n: own if n == frame else others[n] for n in table.names})
    return _clocked(reading, head, frame, clock, told=unit is not None or named(frame).unit is not None)


def held(table: Table, head: Head, said: FileReading) -> FileReading:
    """A reading that somebody said of this table, held against what is never right. Raises :class:`FormatError`."""
    left = ColumnReading(Kind.LEFT_OUT, why="the reading does not name it")
    columns = {n: said.columns.get(n, left) for n in table.names}
    if said.holds == Holds.WORK:
        return replace(said, columns=columns)
    frame = said.frame
    if frame is None:
        raise FormatError("reading-invalid", "no column is said to be the frames", table.source)
    own, values = said.columns[frame], head.numbers[frame]
    try:
        # What was written here may rise by chance, and says what it is.
        if said.run is None and said.holds == Holds.RUNS:
            propose(frame if table.named else "", values[np.isfinite(values)], own.kind, own.unit or None)
    except FormatError as error:
        raise FormatError(error.code, error.message, table.source) from None
    clock = _second_clock(columns, frame)
    return replace(said, columns=columns, said=_clocked(FileReading(columns), head, frame, clock, told=True).said)


def known(table: Table) -> str:
    """The columns there are, the first few of many, none at length: what is no table must not fill a screen."""
    if not table.named:
        return f"1 to {len(table.names)}"
    shown = [n if len(n) <= 30 else f"{n[:29]}\u2026" for n in table.names[:12]]
    return ", ".join(shown) + (f" and {len(table.names) - 12} more" if len(table.names) > 12 else "")


def pick(table: Table, column: str) -> str:
    """A column by its name, or by its number from 1. Raises :class:`FormatError`."""
    if column in table.names:
        return column
    if column.isdigit() and 1 <= int(column) <= len(table.names):
        return table.names[int(column) - 1]
    raise FormatError("column-unknown", f"there is no column {column!r}; there are: {known(table)}", table.source)


def _texts(columns: Mapping[str, ColumnReading], head: Head) -> set[str]:
    """Columns of words."""
    return {n for n in columns if not np.isfinite(head.numbers[n]).any()}


def proposed_columns(table: Table, head: Head) -> dict[str, ColumnReading]:
    """What each column is where it is not the frames."""
    return {name: _column(name, table.named, head) for name in table.names}


def _column(name: str, is_named: bool, head: Head) -> ColumnReading:
    """What one column is where it is not the frames."""
    values = head.numbers[name]
    words = set(words_of(name)) if is_named else set()
    own = named(name) if is_named else named("")
    known = values[np.isfinite(values)]
    texts = head.texts.get(name)
    if texts is not None and (not known.size or words & (_LEGS | _RUNS | _ARMS)):
        return _names(texts, words)
    if not known.size:
        return ColumnReading(Kind.LEFT_OUT, why="it holds no number")
    steps = np.diff(known)
    amount = words & _AMOUNTS
    if known.size >= SURE and not amount and np.all(steps == 1) and known[0] == round(known[0]) and own.unit is None:
        return ColumnReading(Kind.LEFT_OUT, why="it numbers the rows")
    unit = head.units.get(name) or own.unit
    if own.kind == Kind.RATE:
        return ColumnReading(Kind.RATE, why="it is named as a rate")
    role = next((r for r, own_words in _ROLES.items() if words & own_words), "")
    rising = bool(known.size >= SURE and np.all(steps >= 0) and known[-1] > known[0])
    if rising and not amount and not role and (own.kind == Kind.STAMPS or unit or np.all(steps > 0)):
        proposal = propose(name if is_named else "", known, Kind.STAMPS, head.units.get(name))
        return ColumnReading(Kind.STAMPS, proposal.unit, why=proposal.why, doubt="")
    if amount or not (unit or role):
        return ColumnReading(Kind.COUNTER, why="a number a frame")
    if not role:
        return ColumnReading(Kind.LANE, unit or "ms", why="it is a time a frame", doubt="its role: whose time it is")
    doubt = "" if unit else "its unit is not named"
    return ColumnReading(Kind.LANE, unit or "ms", role, f"it is named as {role} time", doubt)


def _names(texts: npt.NDArray[np.object_], words: set[str]) -> ColumnReading:
    """A column of words: legs, runs or arms by its name, or by staying the same for long."""
    distinct = len(set(texts.tolist()))
    changes = 1 + int(np.count_nonzero(texts[1:] != texts[:-1]))
    if distinct > MOST_NAMES or distinct * 2 > max(len(texts), 3):
        return ColumnReading(Kind.LEFT_OUT, why="it is another word in each row")
    for kind, own in ((Kind.RUN, _RUNS), (Kind.ARM, _ARMS), (Kind.LEG, _LEGS)):
        if words & own:
            return ColumnReading(
                kind, why=f"it is named so, and holds {distinct} {'name' if distinct == 1 else 'names'}"
            )
    if distinct > 1 and changes * STAYS <= len(texts):
        return ColumnReading(
            Kind.LEG,
            why=f"it stays the same for long: {distinct} names",
            doubt="whether it names a leg, a run or nothing",
        )
    return ColumnReading(Kind.LEFT_OUT, why="it says nothing that is known")


def _frame_of(table: Table, columns: Mapping[str, ColumnReading], numeric: Sequence[str]) -> str | None:
    """The column that the frames are in, where names or shapes leave one."""
    if len(numeric) == 1 or len(table.names) == 1:
        return (numeric or table.names)[0]
    if "frame_ms" in numeric:
        return "frame_ms"
    taken = {n for n in numeric if columns[n].kind == Kind.LEFT_OUT or columns[n].role}
    times = [n for n in numeric if table.named and n not in taken and named(n).kind == Kind.TIMES]
    stamps = [n for n in numeric if columns[n].kind == Kind.STAMPS and n not in times]
    if times:
        whole = [n for n in times if "frame" in words_of(n)] if len(times) > 1 else times
        return whole[0] if len(whole) == 1 else None
    rates = [n for n in numeric if columns[n].kind == Kind.RATE]
    for found in (stamps, rates):
        if found:
            return found[0] if len(found) == 1 else None
    left = [n for n in numeric if n not in taken]
    return left[0] if len(left) == 1 else None


def _second_clock(columns: Mapping[str, ColumnReading], frame: str) -> str | None:
    found = [n for n, c in columns.items() if c.kind == Kind.STAMPS and n != frame]
    return found[0] if len(found) == 1 else None


def _clocked(reading: FileReading, head: Head, frame: str, clock: str | None, told: bool) -> FileReading:
    """Hold frame times against the stamps beside them: they settle a unit, or stand against each other."""
    own = reading.columns[frame]
    if clock is None or own.kind != Kind.TIMES:
        return reading
    stamps, values = head.numbers[clock], head.numbers[frame]
    both = np.isfinite(stamps) & np.isfinite(values)
    stamps, values = stamps[both], values[both]
    steps = np.diff(stamps)
    if not steps.size or not np.all(steps >= 0) or stamps[-1] == stamps[0]:
        return reading
    span_ms = float(stamps[-1] - stamps[0]) * UNIT_MS[reading.columns[clock].unit]

    def apart(unit: str) -> float:
        """By what share the frames' sum differs, of the stamps at the frames' ends or at their starts."""
        sums = (float(values[1:].sum()), float(values[:-1].sum()))
        return min(abs(s * UNIT_MS[unit] / span_ms - 1.0) for s in sums)

    fitting = [unit for unit in UNIT_MS if apart(unit) <= AGREE]
    columns = dict(reading.columns)
    if fitting and (own.unit in fitting or not told):
        unit = own.unit if own.unit in fitting else fitting[0]
        why = own.why if unit == own.unit else f"only so its sum is what {clock} says"
        columns[frame] = replace(own, unit=unit, why=why, doubt="")
        said = f"the second clock, {clock}, agrees within {_percent(apart(unit))}"
        return replace(reading, columns=columns, said=said)
    if not _says_clock(clock):
        columns[clock] = ColumnReading(Kind.COUNTER, why="it rises, and is no clock of these frames")
        return replace(reading, columns=columns)
    mean = span_ms / steps.size
    against = f"by {clock} a frame takes {mean:.4g} ms, by this column {float(values.mean()) * UNIT_MS[own.unit]:.4g}"
    columns[frame] = replace(own, doubt=own.doubt or against)
    return replace(reading, columns=columns, said=against)


def _says_clock(name: str) -> bool:
    """Whether a column is a clock by its name: what rises may as well count something."""
    own = named(name)
    return own.kind == Kind.STAMPS or own.unit is not None or "time" in words_of(name)


def _percent(share: float) -> str:
    return next(f"{step:g} %" for step in (0.01, 0.1, 1, 2) if share * 100 <= step or step == 2)


# -- kept as TOML

_KEYS = ("vigilant_reading", "name", "holds", "pattern", "rows", "parted_by", "columns", "run")
_TIMED = (Kind.TIMES, Kind.STAMPS, Kind.LANE, Kind.END)
#: What is of runs alone, and what of work alone.
_OF_RUNS = {Kind.RATE, Kind.LANE, Kind.LEG, Kind.ARM}
_OF_WORK = {Kind.PART, Kind.END, Kind.LANE_NAME, Kind.ID, Kind.INSIDE, Kind.CALLS, Kind.FRAME_NUMBER, Kind.SAMPLES}
#: The first frame's number, where frames are numbered.
FIRST_FRAME = ("from 0", "from 1")


def document(reading: FileReading) -> dict[str, Any]:
    """The reading as :func:`checked` takes it."""
    columns = {
        name: {k: v for k, v in (("is", c.kind.value), ("unit", c.unit), ("role", c.role), ("called", c.called)) if v}
        for name, c in reading.columns.items()
    }
    own = {} if reading.run is None else {"run": reading.run.document()}
    holds = {} if reading.holds == Holds.RUNS else {"holds": reading.holds.value}
    found = {k: v for k in ("pattern", "rows", "parted_by") if (v := getattr(reading, k))}
    return {"vigilant_reading": VERSION, "name": reading.name, **holds, **found, "columns": columns, **own}


def written(reading: FileReading) -> str:
    """The reading as TOML."""
    return tomli_w.dumps(document(reading))


def parsed(text: str, source: str = "") -> FileReading:
    """A reading from TOML. Raises :class:`FormatError` naming every key that does not fit."""
    try:
        return checked(tomllib.loads(text), source)
    except tomllib.TOMLDecodeError as error:
        raise FormatError("reading-invalid", f"not TOML: {error}", source) from None


def checked(document: Any, source: str = "") -> FileReading:
    """A reading from its document. Raises :class:`FormatError`."""

    def wrong(said: str) -> FormatError:
        return FormatError("reading-invalid", said, source)

    if not isinstance(document, dict) or document.get("vigilant_reading") != VERSION:
        raise wrong(f"vigilant_reading must be {VERSION}")
    unknown = set(document) - set(_KEYS)
    if unknown:
        raise wrong(f"unknown key {sorted(unknown)[0]!r}; known: {', '.join(_KEYS[1:-1])}")
    try:
        holds = Holds(document.get("holds", Holds.RUNS))
    except ValueError:
        raise wrong(f"holds must be one of {', '.join(Holds)}, got {short(document['holds'])}") from None
    found = {}
    for key, most in (("name", limits.NAME), ("pattern", limits.PATTERN), ("rows", limits.NAME), ("parted_by", 8)):
        found[key] = document.get(key, "")
        if not isinstance(found[key], str) or len(found[key]) > most:
            raise wrong(f"{key} must be a text of at most {most} characters")
    columns = document.get("columns")
    if not isinstance(columns, dict) or not columns:
        raise wrong("columns must be a table of columns")
    if len(columns) > limits.LANES + limits.COUNTERS + 8:
        raise wrong(f"{len(columns)} columns; {limits.LANES + limits.COUNTERS + 8} are allowed")
    own = OwnRun.checked(document["run"], wrong) if "run" in document else None
    read = {str(n): _checked_column(str(n), c, wrong) for n, c in columns.items()}
    reading = FileReading(read, run=own, holds=holds, **found)
    for name, column in read.items():
        if column.kind in (_OF_RUNS if holds == Holds.WORK else _OF_WORK):
            raise wrong(f"column {name!r} is {column.kind}: a file that holds {holds} has none")
    if holds == Holds.WORK:
        if why := lacking(reading):
            raise wrong(why)
        return reading
    sources = reading.of(Kind.TIMES, Kind.RATE)
    if len(sources) > 1:
        raise wrong(f"{sources[0]!r} and {sources[1]!r} are both said to be the frames")
    if reading.frame is None:
        raise wrong("no column is said to be the frames: times, a rate or stamps")
    for kind in (Kind.STAMPS, Kind.LEG, Kind.RUN, Kind.ARM):
        if len(reading.of(kind)) > 1:
            raise wrong(f"two columns are said to be {kind.value}")
    return reading


def lacking(reading: FileReading) -> str:
    """Why work cannot be read by a reading; "" where it can."""
    for kind in (*_OF_WORK, Kind.STAMPS, Kind.TIMES, Kind.RUN):
        if len(reading.of(kind)) > 1:
            return f"two columns are said to be {kind.value}"
    if not reading.of(Kind.PART):
        return "name the column that says which part of the work a row is"
    if reading.of(Kind.SAMPLES):
        other = reading.of(Kind.STAMPS, Kind.TIMES, Kind.END, Kind.FRAME_NUMBER)
        return f"samples know no frames: {other[0]!r} must be left out" if other else ""
    if not reading.of(Kind.STAMPS, Kind.FRAME_NUMBER):
        return "name the column of when a part began, of its frame's number, or of samples"
    if not reading.of(Kind.TIMES) and not (reading.of(Kind.STAMPS) and reading.of(Kind.END)):
        return "name the column of what a part took, or of when it ended"
    if reading.of(Kind.INSIDE) and not reading.of(Kind.ID):
        return "what a part lies in is named by its id: name the column of ids"
    return ""


def _checked_column(name: str, column: Any, wrong: Wrong) -> ColumnReading:
    if not isinstance(column, dict) or set(column) - {"is", "unit", "role", "called"}:
        raise wrong(f"column {name!r} must be a table of is, unit, role and called")
    try:
        kind = Kind(str(column.get("is")))
    except ValueError:
        raise wrong(
            f"column {name!r} is {short(column.get('is'))}; known: {', '.join(k.value for k in Kind)}"
        ) from None
    unit, role = column.get("unit", ""), column.get("role", "")
    if kind in _TIMED and unit not in UNIT_MS:
        raise wrong(f"column {name!r} needs a unit: {', '.join(UNIT_MS)}")
    if kind == Kind.LANE and role not in (*LANE_ROLES, "none"):
        raise wrong(f"lane {name!r} needs a role: {', '.join(LANE_ROLES)}, none")
    if kind == Kind.FRAME_NUMBER and role not in FIRST_FRAME:
        raise wrong(f"column {name!r} needs a role: whether frames are numbered {' or '.join(FIRST_FRAME)}")
    called = column.get("called", "")
    if not isinstance(called, str) or (called and unfit_name(called)):
        raise wrong(f"column {name!r} cannot be called {short(called)}")
    role = str(role) if kind in (Kind.LANE, Kind.FRAME_NUMBER) else ""
    return ColumnReading(kind, str(unit) if kind in _TIMED else "", role, why="it is said so", called=called)


def fits(reading: FileReading, names: Sequence[str]) -> bool:
    """Whether a kept reading is of a table with these columns: all that it uses are there."""
    used = {name for name, column in reading.columns.items() if column.kind != Kind.LEFT_OUT}
    return used <= set(names)


def beside(path: Path) -> FileReading | None:
    """The reading that is kept in the folder of a file. Raises :class:`FormatError` where it is none."""
    try:
        return parsed((path.parent / BESIDE).read_text(encoding="utf-8"), BESIDE)
    except OSError:
        return None
    except UnicodeDecodeError:
        raise FormatError("reading-invalid", "not UTF-8 text", BESIDE) from None
