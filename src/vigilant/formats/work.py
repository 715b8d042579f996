"""Work inside the frames of runs, in a file of its own: a row a piece, by its time, its frame's number, or in samples.

What lies in what is said by ids, by a path in the name, or by time: a piece lies in the shortest one of its lane that
spans it. A piece belongs to the frame in which it begins. Samples know no frames: a part's share of its lane's samples
is its share of the run, with the standard error of a binomial share, sqrt(p (1 - p) / n).
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import numpy.typing as npt

from vigilant.core import Part
from vigilant.core.gaps import GAP
from vigilant.core.series import FloatArray, IntArray, PartRows

from . import limits
from .beside import ends_of
from .errors import FormatError
from .file_reading import FIRST_FRAME, ColumnReading, FileReading, Head
from .head import short
from .reading import Holds, Kind, named, words_of
from .run import UNIT_MS, ReadRun
from .runs_in import settled
from .tables import Block, Table

#: Ends that differ by less are the same: a stamp's last digit must not tear a piece out of the one it lies in.
SAME_MS = 1e-6

Names = npt.NDArray[np.object_]


@dataclass(frozen=True, eq=False)
class Work:
    """m pieces: ``parts`` are lane and path of each part met, ``part`` (m,) numbers of them, ``ms`` (m,) what a piece
    took (*below* the clock's step where it is 0), or how many samples it has where ``by`` is samples. ``start_s`` (m,)
    by the file's clock and ``frame`` (m,), 0-based, where they are known. ``run`` (m,) names runs where the file does.
    ``left`` counts rows that were left out, by reason."""

    source: str
    by: str
    parts: Sequence[tuple[str, tuple[str, ...]]]
    part: IntArray
    ms: FloatArray
    calls: IntArray
    start_s: FloatArray | None = None
    frame: IntArray | None = None
    run: Names | None = None
    counts: Mapping[str, FloatArray] | None = None
    left: Mapping[str, int] | None = None


# -- proposing

_WORDS: dict[Kind, set[str]] = {
    Kind.SAMPLES: {"samples", "sampled", "hits"},
    Kind.INSIDE: {"parent", "within", "inside", "under"},
    Kind.ID: {"id"},
    Kind.LANE_NAME: {"thread", "lane", "tid", "queue", "core", "worker"},
    Kind.CALLS: {"calls", "called"},
    Kind.RUN: {"run", "pass", "iteration", "session", "repeat", "trial", "attempt"},
    Kind.PART: {"name", "part", "routine", "function", "operation", "label", "task", "stack", "path", "span"},
}
_END = {"end", "ended", "ends", "stop", "stopped", "finish", "finished", "until"}
#: What parts a path, where the names hold it.
_PARTING = (";", "/", " > ", "|")


def propose_work(table: Table, head: Head) -> FileReading:
    """What the columns of such a file are, by their names."""
    columns: dict[str, ColumnReading] = {}
    for name in table.names:
        columns[name] = _column(name, head)
    words = [n for n in table.names if n in head.texts and columns[n].kind == Kind.LEFT_OUT]
    if not any(c.kind == Kind.PART for c in columns.values()) and len(words) == 1:
        columns[words[0]] = ColumnReading(Kind.PART, why="it is the one column of words")
    if any(c.kind == Kind.STAMPS for c in columns.values()):  # the frame's number is not needed, and may be another's
        for name, c in columns.items():
            if c.kind == Kind.FRAME_NUMBER:
                columns[name] = ColumnReading(Kind.LEFT_OUT, why="the stamps say which frame it is")
    reading = FileReading(columns, holds=Holds.WORK)
    from .file_reading import lacking

    parts = reading.of(Kind.PART)
    parted = next((sep for sep in _PARTING if parts and _holds(head.texts.get(parts[0]), sep)), "")
    if reading.of(Kind.INSIDE):
        parted = ""
    return replace(reading, parted_by=parted, doubt=lacking(reading))


def _holds(texts: Any, sep: str) -> bool:
    return texts is not None and 4 * sum(sep in str(t) for t in texts) >= len(texts)


def _column(name: str, head: Head) -> ColumnReading:
    words = set(words_of(name))
    own, values = named(name), head.numbers[name]
    known = values[np.isfinite(values)]
    for kind in (Kind.SAMPLES, Kind.INSIDE, Kind.LANE_NAME, Kind.CALLS, Kind.RUN, Kind.ID):
        if words & _WORDS[kind] and not (kind == Kind.ID and "frame" in words):
            return ColumnReading(kind, why="it is named so")
    if not known.size:
        if words & _WORDS[Kind.PART]:
            return ColumnReading(Kind.PART, why="it is named so")
        return ColumnReading(Kind.LEFT_OUT, why="it says nothing that is known")
    unit = head.units.get(name) or own.unit
    doubt = "" if unit else "its unit is not named"
    if words & _END:
        return ColumnReading(Kind.END, unit or "ms", why="it is named so", doubt=doubt)
    if own.kind == Kind.STAMPS or (words & {"time", "begin", "begins", "from"} and not own.kind):
        return ColumnReading(Kind.STAMPS, unit or "ms", why="it is named so", doubt=doubt)
    if "frame" in words and own.kind != Kind.TIMES:
        role = FIRST_FRAME[0] if float(known.min()) < 1 else ""
        why = "whether frames are numbered from 0 or from 1" if not role else ""
        return ColumnReading(Kind.FRAME_NUMBER, role=role or FIRST_FRAME[1], why="it is named so", doubt=why)
    if own.kind == Kind.TIMES or unit:
        return ColumnReading(Kind.TIMES, unit or "ms", why="it is a time", doubt=doubt)
    return ColumnReading(Kind.LEFT_OUT, why="a number that is not known")


# -- reading


class _Coded:
    """Texts as numbers, in the order they are first met."""

    def __init__(self) -> None:
        self.index: dict[str, int] = {}

    def take(self, texts: Names) -> IntArray:
        index = self.index
        return np.fromiter((index.setdefault(t, len(index)) for t in texts.tolist()), np.int64, len(texts))


class _Rows:
    """The columns of all rows that count."""

    def __init__(self, table: Table, reading: FileReading, keep_valid: bool) -> None:
        self.table, self.reading, self.keep_valid = table, reading, keep_valid
        self.left: Counter[str] = Counter()
        self.pieces: dict[str, list[Any]] = {}
        self.names = {kind: _Coded() for kind in (Kind.PART, Kind.LANE_NAME, Kind.RUN, Kind.ID)}
        self.counted = [n for n in reading.of(Kind.COUNTER) if n in table.names]
        if len(self.counted) > limits.COUNTERS:
            raise FormatError("columns-too-many", f"{len(self.counted)} counts; {limits.COUNTERS} are allowed", table.source)  # fmt: skip
        self.base: dict[Kind, int | None] = {}
        self.total = 0

    def column(self, kind: Kind) -> str | None:
        return next((n for n in self.reading.of(kind) if n in self.table.names), None)

    def read(self) -> None:
        """Raises :class:`FormatError`."""
        wanted = [n for n, c in self.reading.columns.items() if c.kind != Kind.LEFT_OUT and n in self.table.names]
        for block in self.table.blocks(wanted, self.keep_valid):
            self._take(block)
            self.total += block.rows
            if self.total > limits.PART_ROWS:
                raise FormatError("too-many-rows", f"over {limits.PART_ROWS} rows of work", self.table.source)
        if not self.total:
            raise FormatError("empty", "no row of work was found", self.table.source)

    def _take(self, block: Block) -> None:
        for kind in (Kind.STAMPS, Kind.END):
            if name := self.column(kind):
                self._put(kind.value, self._stamps(block, name, kind))
        for kind in (Kind.TIMES, Kind.SAMPLES, Kind.CALLS, Kind.FRAME_NUMBER):
            if name := self.column(kind):
                self._put(kind.value, self._numbers(block, name, kind))
        for kind, coded in self.names.items():
            if name := self.column(kind):
                self._put(kind.value, coded.take(block.cells[name].texts()))
        if name := self.column(Kind.INSIDE):
            self._put(Kind.INSIDE.value, self.names[Kind.ID].take(block.cells[name].texts()))
        for name in self.counted:
            self._put(f"count {name}", block.cells[name].numbers().values)

    def _put(self, key: str, values: Any) -> None:
        self.pieces.setdefault(key, []).append(values)

    def _stamps(self, block: Block, name: str, kind: Kind) -> Any:
        """Whole numbers as long as all are, less the first of them: they have more digits than a double."""
        cells = block.cells[name]
        whole = cells.whole()
        if whole is not None and self.base.setdefault(Kind.STAMPS, int(whole[0]) if whole.size else 0) is not None:
            return whole
        if whole is None and self.base.get(Kind.STAMPS) is not None:
            self.base[Kind.STAMPS] = None
        self.base.setdefault(Kind.STAMPS, None)
        return self._numbers(block, name, kind)

    def _numbers(self, block: Block, name: str, kind: Kind) -> FloatArray:
        found = block.cells[name].numbers()
        values = found.values
        bad = ~np.isfinite(values)
        if kind in (Kind.TIMES, Kind.SAMPLES, Kind.CALLS, Kind.FRAME_NUMBER):
            bad |= values < 0
        if kind in (Kind.CALLS, Kind.FRAME_NUMBER, Kind.SAMPLES):
            bad |= values != np.rint(values)
        for i in np.flatnonzero(bad).tolist():
            if not self.keep_valid:
                stands = found.unread.get(i, f"{values[i]:g}")
                line = self.table.lines_of([block.first + i])[0]
                code = "not-a-number" if i in found.unread else "not-positive"
                raise FormatError(code, f"{short(stands)} in column {name!r} is no {_SAID[kind]}", self.table.source, line)  # fmt: skip
        return np.where(bad, np.nan, values)

    def done(self, kind: Kind) -> Any:
        pieces = self.pieces.get(kind.value)
        return None if pieces is None else np.concatenate(pieces)

    def stamp_ms(self, kind: Kind) -> FloatArray | None:
        """Milliseconds since the first stamp (m,)."""
        name = self.column(kind)
        if name is None:
            return None
        unit = UNIT_MS[self.reading.columns[name].unit]
        base = self.base[Kind.STAMPS]
        start = self.column(Kind.STAMPS)
        same = start is not None and self.reading.columns[start].unit == self.reading.columns[name].unit
        values = self.done(kind)
        if base is None or not same:
            whole = np.asarray(values, np.float64)
            return whole * unit - self._origin_ms(base)
        return np.asarray(values - base, np.float64) * unit

    def _origin_ms(self, base: int | None) -> float:
        start = self.column(Kind.STAMPS)
        if start is None:
            return 0.0
        first = float(base or 0)
        if base is None:  # the first that can be read
            stamps = np.asarray(self.done(Kind.STAMPS), np.float64)
            known = stamps[np.isfinite(stamps)]
            first = float(known[0]) if known.size else 0.0
        return first * UNIT_MS[self.reading.columns[start].unit]

    def origin_s(self) -> float:
        return self._origin_ms(self.base.get(Kind.STAMPS)) / 1000.0


_SAID = {
    Kind.STAMPS: "stamp", Kind.END: "stamp", Kind.TIMES: "time", Kind.SAMPLES: "number of samples",
    Kind.CALLS: "number of calls", Kind.FRAME_NUMBER: "number of a frame",
}  # fmt: skip


def work_in(table: Table, reading: FileReading, keep_valid: bool = False) -> Work:
    """Every piece of work in the file. Raises :class:`FormatError` with the line."""
    settled(table, reading)
    rows = _Rows(table, reading, keep_valid)
    rows.read()
    return _samples(rows) if rows.column(Kind.SAMPLES) else _pieces(rows)


def _named(name: str) -> str:
    """A name as a part may have it."""
    plain = "".join(c if c >= " " and c != "\x7f" else " " for c in name).strip()
    return (plain if len(plain) <= limits.NAME else f"{plain[: limits.NAME - 1]}\u2026") or "(no name)"


class _Tree:
    """Parts by what they lie in; a path deeper than is kept ends at its last place."""

    def __init__(self, names: Sequence[str], lanes: Sequence[str]) -> None:
        self._names, self._lanes = [_named(n) for n in names], [n[: limits.NAME] for n in lanes] or [""]
        self._nodes: dict[tuple[int, int], int] = {}
        self.paths: list[tuple[str, tuple[str, ...]]] = []

    def child(self, inside: int, name: int, lane: int) -> int:
        """The number of a part; ``inside`` is that of another, or -1. -1 where it would lie too deep."""
        key = (inside, name if inside >= 0 else -1 - (name * len(self._lanes) + lane))
        found = self._nodes.get(key)
        if found is None:
            above = self.paths[inside] if inside >= 0 else (self._lanes[lane], ())
            if len(above[1]) >= limits.JSON_DEPTH - 1:
                return -1
            found = self._nodes[key] = len(self.paths)
            self.paths.append((above[0], (*above[1], self._names[name])))
        return found


def _pieces(rows: _Rows) -> Work:
    table, name_of = rows.table, rows.done(Kind.PART)
    begins, until, took = rows.stamp_ms(Kind.STAMPS), rows.stamp_ms(Kind.END), rows.done(Kind.TIMES)
    if took is not None:
        ms = took * UNIT_MS[rows.reading.columns[rows.column(Kind.TIMES) or ""].unit]
    else:
        assert begins is not None
        assert until is not None
        ms = until - begins
        if (back := np.flatnonzero(ms < 0)).size and not rows.keep_valid:
            line = table.lines_of([int(back[0])])[0]
            raise FormatError("not-positive", "it ends before it begins", table.source, line)
    keep = np.isfinite(ms) & (ms >= 0) & (ms <= limits.FRAME_MS)
    numbers = rows.done(Kind.FRAME_NUMBER)
    first = 1 if numbers is not None and rows.reading.columns[rows.column(Kind.FRAME_NUMBER) or ""].role == FIRST_FRAME[1] else 0  # fmt: skip
    for known in (begins, numbers):
        if known is not None:
            keep &= np.isfinite(known)
    if not keep.all():
        rows.left["not readable"] = int((~keep).sum())
    lane = rows.done(Kind.LANE_NAME)
    lane = np.zeros(ms.size, np.int64) if lane is None else lane
    names, lanes = list(rows.names[Kind.PART].index), list(rows.names[Kind.LANE_NAME].index)
    tree = _Tree(names, lanes)
    sep = rows.reading.parted_by
    if rows.column(Kind.INSIDE):
        part = _by_ids(rows, tree, name_of, lane)
    elif sep or begins is None:
        part, tree = _by_paths(names, lanes, sep, name_of, lane)
    else:
        part = _by_time(tree, name_of, lane, begins, ms)
    deep = part < 0
    if (keep & deep).any():
        rows.left["too deep"] = int((keep & deep).sum())
    keep &= ~deep
    calls = rows.done(Kind.CALLS)
    run = rows.done(Kind.RUN)
    run_names = np.array(list(rows.names[Kind.RUN].index), dtype=object)
    counts = {rows.reading.columns[n].called or n: np.concatenate(rows.pieces[f"count {n}"])[keep] for n in rows.counted}  # fmt: skip
    return Work(
        table.source,
        "stamps" if begins is not None else "frames",
        tree.paths,
        part[keep],
        np.where(ms[keep] == 0, GAP["below"], ms[keep]),
        np.ones(int(keep.sum()), np.int64) if calls is None else np.nan_to_num(calls[keep]).astype(np.int64),
        None if begins is None else rows.origin_s() + begins[keep] / 1000.0,
        None if begins is not None else numbers[keep].astype(np.int64) - first,
        None if run is None else run_names[run[keep]],
        counts,
        dict(rows.left),
    )


def _by_paths(
    names: Sequence[str], lanes: Sequence[str], sep: str, name_of: IntArray, lane: IntArray
) -> tuple[IntArray, _Tree]:
    """Names that say themselves what they lie in, outermost first."""
    split = [[p for p in n.split(sep) if p.strip()] or [n] if sep else [n] for n in names]
    words = list(dict.fromkeys(p for path in split for p in path))
    code = {w: i for i, w in enumerate(words)}
    tree = _Tree(words, lanes)
    known: dict[tuple[int, int], int] = {}
    part = np.empty(name_of.size, np.int64)
    for row, key in enumerate(zip(name_of.tolist(), lane.tolist(), strict=True)):
        if key not in known:
            node = -1
            for depth, word in enumerate(split[key[0]]):
                if depth and node < 0:
                    break
                node = tree.child(node, code[word], key[1])
            known[key] = node
        part[row] = known[key]
    return part, tree


def _by_time(tree: _Tree, name_of: IntArray, lane: IntArray, begins: FloatArray, ms: FloatArray) -> IntArray:
    """A piece lies in the shortest one of its lane that spans it."""
    ends = begins + ms
    part = np.full(name_of.size, -1, np.int64)
    now = -1
    open_: list[tuple[float, int]] = []
    order = np.lexsort((-ends, begins, lane)).tolist()
    names, lanes, starts, stops = name_of.tolist(), lane.tolist(), begins.tolist(), ends.tolist()
    for row in order:
        if lanes[row] != now:
            now, open_ = lanes[row], []
        while (open_ and stops[row] > open_[-1][0] + SAME_MS) or (open_ and starts[row] >= open_[-1][0] - SAME_MS):
            open_.pop()
        inside = open_[-1][1] if open_ else -1
        if open_ and inside < 0:
            continue  # deeper than is kept
        node = tree.child(inside, names[row], now)
        part[row] = node
        open_.append((stops[row], node))
    return part


def _by_ids(rows: _Rows, tree: _Tree, name_of: IntArray, lane: IntArray) -> IntArray:
    """A piece lies in that whose id it names; what names none that is there lies in nothing."""
    own, above = rows.done(Kind.ID), rows.done(Kind.INSIDE)
    at: dict[int, int] = {}
    none = rows.names[Kind.ID].index.get("")
    for row, number in enumerate(own.tolist()):
        if number == none:
            continue
        if number in at:
            line = rows.table.lines_of([row])[0]
            raise FormatError("id-twice", f"the id {short(list(rows.names[Kind.ID].index)[number])} is there twice", rows.table.source, line)  # fmt: skip
        at[number] = row
    part = np.full(own.size, -2, np.int64)
    names, lanes, inside = name_of.tolist(), lane.tolist(), above.tolist()
    for row in range(own.size):
        chain: list[int] = []
        where: int | None = row
        while where is not None and part[where] == -2:
            if len(chain) > own.size:
                line = rows.table.lines_of([row])[0]
                raise FormatError("ids-in-a-circle", "it lies in itself by its ids", rows.table.source, line)
            chain.append(where)
            where = None if inside[where] == none else at.get(inside[where])
        for one in reversed(chain):
            over = None if inside[one] == none else at.get(inside[one])
            lies_in = -1 if over is None else int(part[over])
            part[one] = -1 if over is not None and lies_in < 0 else tree.child(lies_in, names[one], lanes[one])
    return part


def _samples(rows: _Rows) -> Work:
    """Samples by part, each with those of what lies in it."""
    found, lane = np.nan_to_num(rows.done(Kind.SAMPLES)), rows.done(Kind.LANE_NAME)
    lane = np.zeros(found.size, np.int64) if lane is None else lane
    names, lanes = list(rows.names[Kind.PART].index), list(rows.names[Kind.LANE_NAME].index)
    run = rows.done(Kind.RUN)
    of_run = np.zeros(found.size, np.int64) if run is None else run
    part, tree = _by_paths(names, lanes, rows.reading.parted_by, rows.done(Kind.PART), lane)
    number = {key: i for i, key in enumerate(tree.paths)}
    sums: dict[tuple[int, int], float] = {}
    for node, count, own in zip(part.tolist(), found.tolist(), of_run.tolist(), strict=True):
        lane_name, path = tree.paths[node] if node >= 0 else ("", ())
        if node < 0:
            rows.left["too deep"] += 1
        for depth in range(len(path)):
            above = number[lane_name, path[: depth + 1]]
            sums[own, above] = sums.get((own, above), 0.0) + count
    keys = [key for key, count in sums.items() if count > 0]
    if not keys:
        raise FormatError("empty", "no sample was found", rows.table.source)
    if len(keys) > limits.PARTS:
        kept = sorted(keys, key=lambda k: -sums[k])[: limits.PARTS]
        rows.left["smaller parts"] = len(keys) - len(kept)
        keys = [k for k in keys if k in set(kept)]
    run_names = np.array(list(rows.names[Kind.RUN].index), dtype=object)
    return Work(
        rows.table.source,
        "samples",
        tree.paths,
        np.array([k[1] for k in keys], np.int64),
        np.array([sums[k] for k in keys]),
        np.zeros(len(keys), np.int64),
        run=None if run is None else run_names[[k[0] for k in keys]],
        left=dict(rows.left),
    )


# -- laid into a run


def with_work(run: ReadRun, work: Work) -> ReadRun | None:
    """The run with the work inside its frames; None where none of it lies there. Raises :class:`FormatError`."""
    mine = np.ones(work.part.size, bool) if work.run is None else work.run == run.name
    series = run.series
    frames = int(series.frame_ms.size)
    if work.by == "samples":
        if not mine.any():
            return None
        return replace(run, series=replace(series, parts=_joined(series.parts, _shares(work, mine, series), work)))
    if work.frame is not None:
        frame, at_ms = work.frame, np.full(work.part.size, GAP["missing"])
    else:
        assert work.start_s is not None
        ends = ends_of(run)
        begins = ends - series.frame_ms / 1000.0
        frame = np.searchsorted(ends, work.start_s, side="right").astype(np.int64)
        mine &= work.start_s >= begins[0]
        at_ms = (work.start_s - begins[np.minimum(frame, frames - 1)]) * 1000.0
    mine &= (frame >= 0) & (frame < frames)
    if not mine.any():
        return None
    rows = np.flatnonzero(mine)[np.argsort(frame[mine], kind="stable")]
    met, number = np.unique(work.part[rows], return_inverse=True)
    if met.size > limits.PARTS:
        raise FormatError("too-many-parts", f"{met.size} parts; {limits.PARTS} are allowed", work.source)
    ms, calls = work.ms[rows], work.calls[rows]
    took = np.bincount(number, np.where(np.isfinite(ms), ms, 0.0), met.size)
    called = np.bincount(number, calls.astype(np.float64), met.size)
    own = [Part(work.parts[p][1], float(took[i]), int(called[i]), work.parts[p][0]) for i, p in enumerate(met.tolist())]
    parts = _joined(series.parts, own, work)
    counts = {n: v[rows] for n, v in (work.counts or {}).items()}
    made = PartRows(own, frame[rows], number.astype(np.int64), ms, at_ms[rows], calls, counts)
    if series.part_rows is not None:
        made = _merged(series.part_rows, made)
    return replace(run, series=replace(series, parts=parts, part_rows=made))


def _shares(work: Work, mine: npt.NDArray[np.bool_], series: Any) -> list[Part]:
    """Parts of the whole run by their samples: a lane's outermost parts make the whole of it."""
    run_ms = float(series.frame_ms.sum())
    total: Counter[str] = Counter()
    for row in np.flatnonzero(mine).tolist():
        lane, path = work.parts[work.part[row]]
        if len(path) == 1:
            total[lane] += int(work.ms[row])
    made = []
    for row in np.flatnonzero(mine).tolist():
        lane, path = work.parts[work.part[row]]
        n = max(total[lane], int(work.ms[row]))
        p = float(work.ms[row]) / n
        made.append(Part(path, p * run_ms, 0, lane, float(np.sqrt(p * (1.0 - p) / n)) * run_ms))
    return made


def _joined(there: Sequence[Part], more: Sequence[Part], work: Work) -> list[Part]:
    known = {(p.lane, p.path) for p in there}
    if twice := next((p for p in more if (p.lane, p.path) in known), None):
        raise FormatError("part-twice", f"the part {' / '.join(twice.path)!r} is in the run already", work.source)
    if len(there) + len(more) > limits.PARTS:
        raise FormatError("too-many-parts", f"{len(there) + len(more)} parts; {limits.PARTS} are allowed", work.source)
    return [*there, *more]


def _merged(a: PartRows, b: PartRows) -> PartRows:
    frame = np.concatenate([a.frame, b.frame])
    if frame.size > limits.PART_ROWS:
        raise FormatError("too-many-rows", f"over {limits.PART_ROWS} rows of work in one run")
    order = np.argsort(frame, kind="stable")

    def both(name: str) -> Any:
        shift = len(a.parts) if name == "part" else 0
        return np.concatenate([getattr(a, name), getattr(b, name) + shift])[order]

    counts = {}
    for name in dict.fromkeys([*a.counts, *b.counts]):
        halves = [half.counts.get(name, np.full(half.frame.size, GAP["missing"])) for half in (a, b)]
        counts[name] = np.concatenate(halves)[order]
    return PartRows([*a.parts, *b.parts], frame[order], both("part"), both("ms"), both("at_ms"), both("calls"), counts)
