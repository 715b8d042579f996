"""File formats: one file each, one registry. Reading streams in bounded memory (docs/formats.md)."""

from __future__ import annotations

from pathlib import Path

from . import delimited, frames
from .errors import FormatError
from .opening import open_bytes
from .run import ReadRun

__all__ = ["FormatError", "ReadRun", "read_run"]


def read_run(path: str | Path, column: str | None = None, unit: str | None = None, keep_valid: bool = False) -> ReadRun:
    """Read one run from a file: ``vigilant-frames`` by its head, delimited text otherwise.

    ``column`` and ``unit`` apply to delimited text. gzip and zstd are opened by their magic
    bytes. Raises :class:`FormatError` with the line, the value met and what to do.
    """
    path = Path(path)
    try:
        with open_bytes(path) as stream:
            first = stream.readline(frames.MOST_LINE_BYTES + 1)
            looks_like_frames = first.lstrip(b"\xef\xbb\xbf \t").startswith(b"{")
        with open_bytes(path) as stream:
            if looks_like_frames:
                return frames.read(stream, path.name, keep_valid)
            return delimited.read(stream, path.name, column, unit, keep_valid)
    except OSError as error:
        raise FormatError("unreadable", f"cannot be read: {error.strerror or error}", path.name) from error
