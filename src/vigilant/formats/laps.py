"""Laps: a routine timed by itself. One process a stream, as the emitters write it; or a table of several processes.

The form is told in docs/formats.md, *Laps*.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from vigilant.core.errors import CoreError
from vigilant.core.vary import Process

from . import limits, strict_json
from .errors import FormatError

VERSION = 1
COLUMNS = ("items", "repeats", "seconds")


@dataclass(frozen=True)
class LapsRead:
    """What one file holds: the routine's ``name`` and ``version`` as they are stated ("" where they are not), and its processes."""

    name: str
    version: str
    processes: tuple[Process, ...]


def read_laps(text: str, source: str = "") -> LapsRead:
    """Laps of one file: a stream that begins with {"vigilant_laps": 1}, or a table with the columns items, repeats and seconds (and
    process, checksum). Raises :class:`FormatError`, with the line, for what is neither."""
    if "\x00" in text:
        raise FormatError("laps-unreadable", "it holds a zero byte: this is no text", source)
    lines = text.lstrip("\ufeff").splitlines()
    if not any(line.strip() for line in lines):
        raise FormatError("laps-empty", "it holds no lap", source)
    read = _stream(lines, source) if lines[0].lstrip().startswith("{") else _table(lines, source)
    for process in read.processes:
        try:
            process.check()
        except CoreError as error:
            raise FormatError("laps-unreadable", str(error), source) from error
    return read


def _stream(lines: Sequence[str], source: str) -> LapsRead:
    head = _json(lines[0], source, 1)
    if not isinstance(head, dict) or head.get("vigilant_laps") != VERSION:
        raise FormatError("laps-unreadable", f'it begins with no {{"vigilant_laps": {VERSION}}}', source, 1)
    rows: list[tuple[float, float, float, str]] = []
    for number, line in enumerate(lines[1:], 2):
        if not line.strip():
            continue
        value = _json(line, source, number)
        if not isinstance(value, list) or len(value) not in (3, 4):
            raise FormatError(
                "laps-unreadable", "a lap is [items, repeats, seconds], or with a checksum", source, number
            )
        rows.append((*(_number(v, source, number) for v in value[:3]), str(value[3]) if len(value) == 4 else ""))  # type: ignore[arg-type]
        if len(rows) > limits.LAPS:
            raise FormatError("laps-too-many", f"a process may have {limits.LAPS} laps", source, number)
    if not rows:
        raise FormatError("laps-empty", "it holds no lap", source)
    return LapsRead(_text(head, "name", source), _text(head, "version", source), (_process(rows),))


def _table(lines: Sequence[str], source: str) -> LapsRead:
    separator = max(",;\t", key=lines[0].count)
    reader = csv.DictReader(io.StringIO("\n".join(lines)), delimiter=separator, strict=True)
    heads = [head.strip().lower() for head in reader.fieldnames or []]
    if missing := [name for name in COLUMNS if name not in heads]:
        raise FormatError(
            "laps-unreadable",
            f"a table of laps has the columns {', '.join(COLUMNS)}; {missing[0]} is missing",
            source,
            1,
        )
    reader.fieldnames = heads
    rows: dict[str, list[tuple[float, float, float, str]]] = {}
    try:
        for number, row in enumerate(reader, 2):
            own = rows.setdefault(str(row.get("process") or ""), [])
            items, repeats, seconds = (_number(row[name], source, number) for name in COLUMNS)
            own.append((items, repeats, seconds, str(row.get("checksum") or "")))
            if number > limits.LAPS + 1:
                raise FormatError("laps-too-many", f"a table may have {limits.LAPS} laps", source, number)
    except csv.Error as error:
        raise FormatError("laps-unreadable", f"this is no table: {error}", source, reader.line_num) from error
    if not rows:
        raise FormatError("laps-empty", "it holds no lap", source)
    if len(rows) > limits.LAP_PROCESSES:
        raise FormatError("laps-too-many", f"{len(rows)} processes; {limits.LAP_PROCESSES} are allowed", source)
    return LapsRead("", "", tuple(_process(own) for own in rows.values()))


def _process(rows: Sequence[tuple[float, float, float, str]]) -> Process:
    values = np.array([row[:3] for row in rows], dtype=np.float64)
    sums = tuple(row[3] for row in rows)
    return Process(values[:, 0], values[:, 1], values[:, 2], sums if any(sums) else ())


def _json(line: str, source: str, number: int) -> Any:
    try:
        return strict_json.loads(line)
    except strict_json.JsonRefused as error:
        raise FormatError("laps-unreadable", f"this is no JSON: {error}", source, number) from error


def _number(value: Any, source: str, line: int) -> float:
    if isinstance(value, bool) or value is None:
        raise FormatError("laps-unreadable", f"items, repeats and seconds are numbers, got {value!r}", source, line)
    try:
        return float(value)
    except (TypeError, ValueError) as error:
        raise FormatError(
            "laps-unreadable", f"items, repeats and seconds are numbers, got {str(value)[:40]!r}", source, line
        ) from error


def _text(head: dict[str, Any], key: str, source: str) -> str:
    value = head.get(key, "")
    if not isinstance(value, str) or len(value) > limits.NAME:
        raise FormatError("laps-unreadable", f"{key} is a text of at most {limits.NAME} characters", source, 1)
    return value


def as_rows(process: Process) -> list[list[float | str]]:
    """A process as it is stored: [items, repeats, seconds] or with its checksum."""
    sums = process.checksum or ("",) * process.items.size
    return [
        [float(i), float(r), float(s), *([c] if process.checksum else [])]
        for i, r, s, c in zip(process.items, process.repeats, process.seconds, sums, strict=True)
    ]


def of_rows(rows: Sequence[Sequence[Any]]) -> Process:
    """A process as it was stored."""
    return _process([(row[0], row[1], row[2], str(row[3]) if len(row) > 3 else "") for row in rows])
