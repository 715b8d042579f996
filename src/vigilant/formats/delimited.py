"""Delimited text: one column of frame times, named by the user; errors carry line numbers."""

from __future__ import annotations

import csv
import io
import math
from array import array
from typing import BinaryIO

import numpy as np

from vigilant.core import CoreError, FrameSeries

from .errors import FormatError
from .run import UNIT_MS, Dropped, ReadRun

DELIMITERS = (",", ";", "\t", "|")
DEFAULT_COLUMN = "frame_ms"


def _is_number(text: str) -> bool:
    try:
        float(text)
    except ValueError:
        return False
    return True


def _known(names: list[str], width: int) -> str:
    """The columns there are, the first few of many, none at length: what is no table must not fill a screen."""
    if not names:
        return f"1 to {width}"
    shown = [n if len(n) <= 30 else f"{n[:29]}\u2026" for n in names[:12]]
    return ", ".join(shown) + (f" and {len(names) - len(shown)} more" if len(names) > len(shown) else "")


def _pick(header: list[str] | None, width: int, column: str | None, source: str) -> int:
    """0-based place of the column: by header name, by 1-based number, or the only one."""
    names = header or []
    if column is None:
        if width == 1:
            return 0
        if names.count(DEFAULT_COLUMN) == 1:
            return names.index(DEFAULT_COLUMN)
        raise FormatError("column-missing", f"name the frame time column; there are: {_known(names, width)}", source)
    if names.count(column) == 1:
        return names.index(column)
    if names.count(column) > 1:
        raise FormatError("column-unknown", f"column {column!r} is there {names.count(column)} times", source)
    if column.isdigit() and 1 <= int(column) <= width:
        return int(column) - 1
    raise FormatError("column-unknown", f"there is no column {column!r}; there are: {_known(names, width)}", source)


def _unit_of(name: str, unit: str | None, source: str) -> str:
    if unit is None:
        suffix = name.rsplit("_", 1)[-1]
        return suffix if "_" in name and suffix in UNIT_MS else "ms"
    if unit not in UNIT_MS:
        raise FormatError("unit-unknown", f"unit {unit!r} is not known; use {', '.join(UNIT_MS)}", source)
    return unit


def read(
    stream: BinaryIO, source: str, column: str | None = None, unit: str | None = None, keep_valid: bool = False
) -> ReadRun:
    """Read frame times from one column. The unit is ``unit``, else the column name's suffix
    (``_ms``, ``_us``, ...), else ms. Blank lines and lines that begin with # are passed over."""
    text = io.TextIOWrapper(stream, encoding="utf-8-sig", newline="")
    try:
        return _read(text, source, column, unit, keep_valid)
    except UnicodeDecodeError as error:
        raise FormatError("not-text", f"not UTF-8 text: {error.reason}", source) from None
    except csv.Error as error:
        raise FormatError("line-unreadable", str(error), source) from None
    finally:
        text.detach()


def _read(text: io.TextIOWrapper, source: str, column: str | None, unit: str | None, keep_valid: bool) -> ReadRun:
    first = ""
    skipped = 0
    for line in text:
        if line.strip() and not line.startswith("#"):
            first = line
            break
        skipped += 1
    if not first:
        raise FormatError("empty", "the file holds no line", source)
    delimiter = max(DELIMITERS, key=first.count)
    row = next(csv.reader([first], delimiter=delimiter))
    cells = [c.strip() for c in row]
    header = None if all(_is_number(c) or not c for c in cells) else cells
    place = _pick(header, len(cells), column, source)
    scale = UNIT_MS[_unit_of(header[place] if header else "", unit, source)]
    frame_ms = array("d")
    dropped: list[Dropped] = []

    def take(values: list[str], number: int) -> None:
        if place >= len(values):
            raise FormatError(
                "columns-unlike", f"{len(values)} columns, the frame time is column {place + 1}", source, number
            )
        cell = values[place]
        try:
            value = float(cell) * scale
        except ValueError:
            raise FormatError("not-a-number", f"{cell!r} is not a number", source, number) from None
        if not math.isfinite(value):
            raise FormatError("not-finite", f"a frame time must be finite, got {cell!r}", source, number)
        if value <= 0:
            raise FormatError("not-positive", f"a frame time must be positive, got {cell!r}", source, number)
        frame_ms.append(value)

    def take_or_drop(values: list[str], number: int) -> None:
        try:
            take(values, number)
        except FormatError as error:
            if not keep_valid:
                raise
            dropped.append(Dropped(number, error.message))

    if header is None:
        take_or_drop(cells, skipped + 1)
    reader = csv.reader(text, delimiter=delimiter)
    for values in reader:
        if values and not values[0].startswith("#") and (len(values) > 1 or values[0].strip()):
            take_or_drop(values, skipped + 1 + reader.line_num)
    if not frame_ms:
        raise FormatError("empty", "no frame was found", source)
    try:
        series = FrameSeries(np.frombuffer(frame_ms, dtype=np.float64), source=source)
    except CoreError as error:
        raise FormatError(error.code, str(error), source) from error
    return ReadRun(source=source, series=series, dropped=tuple(dropped))
