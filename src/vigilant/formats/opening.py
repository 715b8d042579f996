"""Opening plain, gzip and zstd content alike: whole, or refused.

Both formats may hold several members or frames one after another, and both may be cut short. All
of them are read, the end of the last is required, and what follows it must be another.
"""

from __future__ import annotations

import gzip
import io
import zlib
from pathlib import Path
from typing import TYPE_CHECKING, BinaryIO, cast

import zstandard

if TYPE_CHECKING:
    from _typeshed import WriteableBuffer

GZIP, ZSTD = b"\x1f\x8b", b"\x28\xb5\x2f\xfd"
#: What damaged or truncated content raises when it is read.
DAMAGED = (OSError, EOFError, zlib.error, zstandard.ZstdError)
#: Compressed bytes taken at a time: they grow to at most a block of 128 KiB for each 4 of them.
_PIECE = 256
_WINDOW = 8 * 1024 * 1024


class ZstdFrames(io.RawIOBase):
    """All frames of a zstd stream. The library's own reader ends without an error where the stream is cut."""

    def __init__(self, raw: BinaryIO) -> None:
        self._raw = raw
        self._frame = self._next_frame()
        self._began = False
        self._rest = b""
        self._plain = b""

    @staticmethod
    def _next_frame() -> zstandard.ZstdDecompressionObj:
        return zstandard.ZstdDecompressor(max_window_size=_WINDOW).decompressobj()

    def readable(self) -> bool:
        return True

    def readinto(self, buffer: WriteableBuffer) -> int:
        view = memoryview(buffer).cast("B")
        while not self._plain:
            piece = self._rest or self._raw.read(_PIECE)
            if not piece:
                if self._began:
                    raise EOFError("it is cut short: the last frame has no end")
                return 0
            self._began = True
            self._plain = self._frame.decompress(piece)
            self._rest = b""
            if self._frame.eof:
                self._rest, self._frame, self._began = self._frame.unused_data, self._next_frame(), False
        count = min(len(view), len(self._plain))
        view[:count] = self._plain[:count]
        self._plain = self._plain[count:]
        return count

    def close(self) -> None:
        self._raw.close()
        super().close()


def decoded(raw: BinaryIO, encoding: str) -> BinaryIO:
    """A stream of the content of ``raw`` under a Content-Encoding: gzip or zstd. Reading it raises one
    of :data:`DAMAGED` where the content is not whole; content without any member is not."""
    if not raw.read(1):
        raise EOFError("it is empty")
    raw.seek(0)
    if encoding == "gzip":
        return cast(BinaryIO, io.BufferedReader(cast(io.RawIOBase, gzip.GzipFile(fileobj=raw))))
    if encoding == "zstd":
        return cast(BinaryIO, io.BufferedReader(ZstdFrames(raw)))
    raise ValueError(f"unknown encoding {encoding!r}")


def open_bytes(path: Path) -> BinaryIO:
    """A buffered binary stream of the decompressed content. Raises OSError."""
    raw = path.open("rb")
    magic = raw.read(4)
    raw.seek(0)
    if magic[:2] == GZIP:
        return decoded(raw, "gzip")
    if magic == ZSTD:
        return decoded(raw, "zstd")
    return raw
