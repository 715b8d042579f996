"""JSON of numbers: an array, or JSON Lines; each row a number, a list of them, or an object of them."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, BinaryIO

from . import limits, strict_json
from .column import Column, pick
from .errors import FormatError
from .reading import Kind
from .run import ReadRun

#: An array is read whole.
ARRAY_BYTES = 256 * 1024 * 1024


def read(
    stream: BinaryIO,
    source: str,
    column: str | None = None,
    unit: str | None = None,
    keep_valid: bool = False,
    kind: Kind | None = None,
) -> ReadRun:
    """Read frames from one column of rows, as :func:`.delimited.read` does. Errors name the row, or the line."""
    start = stream.readline(limits.LINE_BYTES + 1)
    whole = start.lstrip(b"\xef\xbb\xbf \t").startswith(b"[")
    found: Column | None = None
    place: int | str | None = None
    for number, row in _array(start + stream.read(ARRAY_BYTES + 1), source) if whole else _lines(start, stream, source):
        if found is None:
            place, name = _place(row, column, source)
            found = Column(source, name, keep_valid)
        with found.leaving_out(number):
            value = _at(row, place, source, number)
            found.add(float(value), value if isinstance(value, int) else None, number)
    if found is None:
        raise FormatError("empty", "the file holds no row", source)
    return found.run(kind, unit, {})


def _array(body: bytes, source: str) -> Iterator[tuple[int, Any]]:
    if len(body) > ARRAY_BYTES:
        raise FormatError("too-large", f"an array of over {ARRAY_BYTES} bytes: write one row a line", source)
    try:
        rows = strict_json.loads(body.removeprefix(b"\xef\xbb\xbf"))
    except strict_json.JsonRefused as error:
        raise FormatError("json-unreadable", str(error), source) from None
    return enumerate(rows, 1)


def _lines(start: bytes, stream: BinaryIO, source: str) -> Iterator[tuple[int, Any]]:
    line, number = start.removeprefix(b"\xef\xbb\xbf"), 1
    while line:
        if len(line) > limits.LINE_BYTES:
            raise FormatError("line-too-long", f"over {limits.LINE_BYTES} bytes", source, number)
        if line.strip():
            try:
                yield number, strict_json.loads(line)
            except strict_json.JsonRefused as error:
                raise FormatError("json-unreadable", str(error), source, number) from None
        line, number = stream.readline(limits.LINE_BYTES + 1), number + 1


def _place(row: Any, column: str | None, source: str) -> tuple[int | str | None, str]:
    """Where in a row the column is (None: the row itself), and its name."""
    if isinstance(row, dict):
        names = list(row)
        name = names[pick(names, len(names), column, source)]
        return name, name
    if isinstance(row, list):
        return pick(None, len(row), column, source), ""
    return None, ""


def _at(row: Any, place: int | str | None, source: str, number: int) -> int | float:
    try:
        value = row if place is None else row[place]
    except (KeyError, IndexError, TypeError):
        raise FormatError("columns-unlike", f"this row has no {place!r}", source, number) from None
    if isinstance(value, bool) or not isinstance(value, (int, float)):
        raise FormatError("not-a-number", f"{str(value)[:40]!r} is not a number", source, number)
    return value
