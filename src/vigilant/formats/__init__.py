"""File formats: one file each, one registry. Reading streams in bounded memory (docs/formats.md)."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from . import delimited, frames, json_rows, limits
from .errors import FormatError
from .opening import DAMAGED, open_bytes
from .reading import Kind
from .run import ReadRun

__all__ = ["FormatError", "Kind", "ReadRun", "read_run", "read_stream"]


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


def read_run(
    path: str | Path,
    column: str | None = None,
    unit: str | None = None,
    keep_valid: bool = False,
    kind: Kind | None = None,
) -> ReadRun:
    """Read one run from a file: ``vigilant-frames`` by its head, JSON of numbers or delimited text otherwise.

    ``column``, ``unit`` and ``kind`` apply to these two. gzip and zstd are opened by their magic
    bytes. Raises :class:`FormatError` with the line, the value met and what to do.
    """
    path = Path(path)
    with _reported(path), open_bytes(path) as stream:
        first = stream.readline(limits.LINE_BYTES + 1)
    plain = first.lstrip(b"\xef\xbb\xbf \t")
    if plain.startswith(b"{") and (b"vigilant_frames" in first or not plain.rstrip().endswith(b"}")):
        return read_stream(path, keep_valid)
    read = json_rows.read if plain.startswith((b"{", b"[")) else delimited.read
    with _reported(path), open_bytes(path) as stream:
        return read(stream, path.name, column, unit, keep_valid, kind)
