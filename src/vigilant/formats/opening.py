"""Opening plain, gzip and zstd files alike."""

from __future__ import annotations

import gzip
import io
from pathlib import Path
from typing import BinaryIO, cast

import zstandard


def open_bytes(path: Path) -> BinaryIO:
    """A buffered binary stream of the decompressed content. Raises OSError."""
    raw = path.open("rb")
    magic = raw.read(4)
    raw.seek(0)
    if magic[:2] == b"\x1f\x8b":
        return cast(BinaryIO, io.BufferedReader(cast(io.RawIOBase, gzip.GzipFile(fileobj=raw))))
    if magic == b"\x28\xb5\x2f\xfd":
        return cast(BinaryIO, io.BufferedReader(zstandard.ZstdDecompressor().stream_reader(raw, closefd=True)))
    return raw
