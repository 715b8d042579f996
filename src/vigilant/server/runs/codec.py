"""How columns of frames are stored: exact, compressed, in chunks (docs/formats.md, *Stored frames*).

``ns-shuffle-zstd``: whole nanoseconds as int64, bytes shuffled, zstd; only where every value
survives bit for bit. ``f64-shuffle-zstd``: the float64 values themselves.
"""

from __future__ import annotations

import hashlib
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
import zstandard

FloatArray = npt.NDArray[np.float64]
CHUNK = 65_536
STEPS = tuple(64 * 4**i for i in range(10))
#: Windows of at most this many frames are drawn from the frames themselves.
RAW_WINDOW = 50_000
_LEVEL = 3


class DamagedChunk(Exception):
    """Stored frames that no longer fit their checksum."""


@dataclass(frozen=True)
class Encoded:
    codec: str
    checksum: str
    body: bytes


def _shuffle(raw: bytes) -> bytes:
    return np.frombuffer(raw, np.uint8).reshape(-1, 8).T.tobytes()


def _unshuffle(raw: bytes) -> bytes:
    return np.frombuffer(raw, np.uint8).reshape(8, -1).T.tobytes()


def encode(values: FloatArray) -> Encoded:
    """Encode at most a chunk of values."""
    codec, raw = "f64-shuffle-zstd", values.astype("<f8").tobytes()
    checksum = hashlib.sha256(raw).hexdigest()
    if np.isfinite(values).all() and np.abs(values).max(initial=0.0) < 1e12:
        whole = np.round(values * 1e6).astype("<i8")
        if (whole / 1e6).astype("<f8").tobytes() == raw:
            codec, raw = "ns-shuffle-zstd", whole.tobytes()
    return Encoded(codec, checksum, zstandard.ZstdCompressor(level=_LEVEL).compress(_shuffle(raw)))


def decode(codec: str, checksum: str, body: bytes) -> FloatArray:
    """The values, bit for bit. Raises :class:`DamagedChunk`."""
    try:
        raw = _unshuffle(zstandard.ZstdDecompressor().decompress(body))
    except (zstandard.ZstdError, ValueError) as error:
        raise DamagedChunk(str(error)) from error
    values = np.frombuffer(raw, "<i8") / 1e6 if codec == "ns-shuffle-zstd" else np.frombuffer(raw, "<f8")
    if hashlib.sha256(values.tobytes()).hexdigest() != checksum:
        raise DamagedChunk("the checksum does not fit")
    return values


def level(values: FloatArray, step: int, starts: FloatArray | None) -> FloatArray:
    """Rows minimum, maximum, mean (and start) over groups of ``step``; a group without a number is NaN."""
    at = np.arange(0, values.size, step)
    known = np.isfinite(values)
    low = np.minimum.reduceat(np.where(known, values, np.inf), at)
    high = np.maximum.reduceat(np.where(known, values, -np.inf), at)
    count = np.add.reduceat(known.astype(np.float64), at)
    total = np.add.reduceat(np.where(known, values, 0.0), at)
    empty = count == 0
    rows = [np.where(empty, np.nan, r) for r in (low, high, total / np.where(empty, 1.0, count))]
    if starts is not None:
        rows.append(starts[at])
    return np.stack(rows)
