"""Files that hold a table, however they are made: delimited text, JSON rows, Parquet and Arrow, in blocks of rows."""

from __future__ import annotations

from pathlib import Path

from . import columnar, json_rows, lines, spans, text
from .table import Block, Cells, Numbers, Table

__all__ = ["Block", "Cells", "Numbers", "Table", "open_table"]

_PARQUET, _ARROW, _STREAM = b"PAR1", b"ARROW1", b"\xff\xff\xff\xff"
#: So far into a document its kind is looked for.
_NEAR = 4096


def open_table(path: Path, start: bytes, pattern: str = "", rows: str = "") -> Table:
    """The table of a file whose decompressed content begins with ``start``; its lines by a ``pattern``, or those under
    the keys ``rows``, where one is said. Raises :class:`FormatError`."""
    if pattern:
        return lines.PatternTable(path, pattern)
    if start.startswith((_PARQUET, _ARROW, _STREAM)):
        if start.startswith(_PARQUET):
            return columnar.ParquetTable(path)
        return columnar.ArrowTable(path, stream=start.startswith(_STREAM))
    plain = start.lstrip(b"\xef\xbb\xbf \t\r\n")
    if plain.startswith((b"{", b"[")):
        if plain.startswith(b"{") and not rows and spans.MARK in start[:_NEAR]:
            return spans.SpanTable(path)
        return json_rows.JsonTable(path, rows)
    return text.TextTable(path)
