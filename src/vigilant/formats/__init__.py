"""File formats: one file each, one registry. Reading streams in bounded memory (docs/formats.md)."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from . import delimited, frames, limits
from .errors import FormatError
from .opening import DAMAGED, open_bytes
from .run import ReadRun

__all__ = ["FormatError", "ReadRun", "read_run", "read_stream"]


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


def read_run(path: str | Path, column: str | None = None, unit: str | None = None, keep_valid: bool = False) -> ReadRun:
    """Read one run from a file: ``vigilant-frames`` by its head, delimited text otherwise.

    ``column`` and ``unit`` apply to delimited text. gzip and zstd are opened by their magic
    bytes. Raises :class:`FormatError` with the line, the value met and what to do.
    """
    path = Path(path)
    with _reported(path), open_bytes(path) as stream:
        first = stream.readline(limits.LINE_BYTES + 1)
    if first.lstrip(b"\xef\xbb\xbf \t").startswith(b"{"):
        return read_stream(path, keep_valid)
    if first.lstrip(b"\xef\xbb\xbf \t").startswith(b"["):
        raise FormatError(
            "json-array", "a JSON array is no stream of frames: give vigilant-frames or a table", path.name
        )
    with _reported(path), open_bytes(path) as stream:
        return delimited.read(stream, path.name, column, unit, keep_valid)
