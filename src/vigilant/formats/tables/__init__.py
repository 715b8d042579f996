"""Files that hold a table, however they are made: delimited text, JSON rows, Parquet and Arrow, in blocks of rows."""

from __future__ import annotations

from pathlib import Path

from . import columnar, json_rows, text
from .table import Block, Cells, Numbers, Table

__all__ = ["Block", "Cells", "Numbers", "Table", "open_table"]

_PARQUET, _ARROW, _STREAM = b"PAR1", b"ARROW1", b"\xff\xff\xff\xff"


def open_table(path: Path, start: bytes) -> Table:
    """The table of a file whose decompressed content begins with ``start``. Raises :class:`FormatError`."""
    if start.startswith((_PARQUET, _ARROW, _STREAM)):
        if start.startswith(_PARQUET):
            return columnar.ParquetTable(path)
        return columnar.ArrowTable(path, stream=start.startswith(_STREAM))
    plain = start.lstrip(b"\xef\xbb\xbf \t\r\n")
    if plain.startswith((b"{", b"[")):
        return json_rows.JsonTable(path)
    return text.TextTable(path)
