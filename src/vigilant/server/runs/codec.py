"""How columns of frames are stored: exact, compressed, in chunks (docs/formats.md, *Stored frames*).

``eD-shuffle-zstd``: whole multiples of 10^-D as int64, bytes shuffled, zstd; only where every value
survives bit for bit, and then with the fewest decimals that do; a gap (core.gaps) is a number beyond all
of them. ``ns-shuffle-zstd`` is an older name of six decimals without gaps. ``f64-shuffle-zstd``: the
float64 values themselves.
"""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
import orjson
import zstandard

from vigilant.core import Part
from vigilant.core.gaps import GAP, STATES, gap_states
from vigilant.core.series import FloatArray, IntArray, PartRows
from vigilant.server.problems import Problem

CHUNK = 65_536
STEPS = tuple(64 * 4**i for i in range(10))
#: A picture holds at most so many points a column; every frame of a window that small is drawn.
MOST_POINTS = 4_000
#: Windows of at most this many frames are grouped from the frames themselves, larger ones from stored levels.
GROUPED_WINDOW = STEPS[0] * MOST_POINTS
_LEVEL = 3
_DIGITS, _SAMPLE, _BEYOND = (0, 1, 2, 3, 4, 6), 256, 2**62


class DamagedChunk(Problem):
    """Stored frames that no longer fit their checksum."""

    def __init__(self, why: str) -> None:
        said = f"Stored frames do not fit their checksum: {why}. They are not served."
        super().__init__(500, "chunk-damaged", said)


@dataclass(frozen=True)
class Encoded:
    codec: str
    checksum: str
    body: bytes


def _shuffle(raw: bytes) -> bytes:
    return np.frombuffer(raw, np.uint8).reshape(-1, 8).T.tobytes()


def _unshuffle(raw: bytes) -> npt.NDArray[np.uint8]:
    """Eight bytes of each value (n, 8); byte by byte, which takes half as long as all at once."""
    sent = np.frombuffer(raw, np.uint8).reshape(8, -1)
    found = np.empty((sent.shape[1], 8), np.uint8)
    for place, each in enumerate(sent):
        found[:, place] = each
    found.setflags(write=False)
    return found


def _as_whole(values: FloatArray, digits: int) -> IntArray:
    """Multiples of 10^-digits, gaps as numbers beyond them all."""
    whole = np.zeros(values.size, dtype="<i8")
    finite = np.isfinite(values)
    whole[finite] = np.round(values[finite] * 10.0**digits)
    for state, at in gap_states(values).items():
        whole[at] = _BEYOND + STATES.index(state)
    return whole


def _from_whole(whole: IntArray, digits: int) -> FloatArray:
    values = whole / 10.0**digits
    for number in np.unique(whole[whole >= _BEYOND]):
        values[whole == number] = GAP[STATES[int(number - _BEYOND)]]
    return values


def encode(values: FloatArray) -> Encoded:
    """Encode at most a chunk of values."""
    codec, raw = "f64-shuffle-zstd", values.astype("<f8").tobytes()
    checksum = hashlib.sha256(raw).hexdigest()
    finite = np.isfinite(values)
    if np.abs(values[finite]).max(initial=0.0) < 1e12:
        for digits in _DIGITS:
            sample = _as_whole(values[:_SAMPLE], digits)
            if _from_whole(sample, digits).tobytes() != raw[: 8 * _SAMPLE]:
                continue
            whole = _as_whole(values, digits)
            if _from_whole(whole, digits).tobytes() == raw:
                codec, raw = f"e{digits}-shuffle-zstd", whole.tobytes()
                break
    return Encoded(codec, checksum, zstandard.ZstdCompressor(level=_LEVEL).compress(_shuffle(raw)))


def decode(codec: str, checksum: str, body: bytes) -> FloatArray:
    """The values, bit for bit. Raises :class:`DamagedChunk`."""
    try:
        raw = _unshuffle(zstandard.ZstdDecompressor().decompress(body))
    except (zstandard.ZstdError, ValueError) as error:
        raise DamagedChunk(str(error)) from error
    if codec == "f64-shuffle-zstd":
        values = raw.view("<f8").ravel()
    else:
        digits = 6 if codec == "ns-shuffle-zstd" else int(codec.partition("-")[0][1:])
        values = _from_whole(raw.view("<i8").ravel(), digits)
    if hashlib.sha256(values).hexdigest() != checksum:
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


def _whole(values: IntArray) -> bytes:
    """Whole numbers: bytes shuffled, zstd."""
    return zstandard.ZstdCompressor(level=_LEVEL).compress(_shuffle(values.astype("<i8").tobytes()))


def _whole_again(body: bytes) -> IntArray:
    return _unshuffle(zstandard.ZstdDecompressor().decompress(body)).view("<i8").ravel()


def encode_parts(rows: PartRows) -> tuple[str, bytes]:
    """Rows of parts as one body, and its checksum: a line of JSON says what follows it and how long each is."""
    columns: list[tuple[dict[str, object], bytes]] = []
    columns.append(({"name": "frame", "codec": "delta"}, _whole(np.diff(rows.frame, prepend=0))))
    columns.append(({"name": "part", "codec": "whole"}, _whole(rows.part)))
    columns.append(({"name": "calls", "codec": "whole"}, _whole(rows.calls)))
    for name, values in (("ms", rows.ms), ("at_ms", rows.at_ms), *((f"count:{k}", v) for k, v in rows.counts.items())):
        made = encode(values)
        columns.append(({"name": name, "codec": made.codec, "sum": made.checksum}, made.body))
    head = orjson.dumps([{**said, "bytes": len(body)} for said, body in columns])
    whole_body = head + b"\n" + b"".join(body for _, body in columns)
    return hashlib.sha256(whole_body).hexdigest(), whole_body


def decode_parts(checksum: str, whole: bytes, parts: Sequence[Part]) -> PartRows:
    """The rows, bit for bit. Raises :class:`DamagedChunk`."""
    if hashlib.sha256(whole).hexdigest() != checksum:
        raise DamagedChunk("the checksum of a chunk of parts does not fit")
    head, _, rest = whole.partition(b"\n")
    found: dict[str, np.ndarray] = {}
    at = 0
    for said in orjson.loads(head):
        body = rest[at : at + said["bytes"]]
        at += said["bytes"]
        if said["codec"] in ("delta", "whole"):
            whole_ = _whole_again(body)
            found[said["name"]] = np.cumsum(whole_) if said["codec"] == "delta" else whole_
        else:
            found[said["name"]] = decode(said["codec"], said["sum"], body)
    counts = {name.removeprefix("count:"): v for name, v in found.items() if name.startswith("count:")}
    return PartRows(parts, found["frame"], found["part"], found["ms"], found["at_ms"], found["calls"], counts)
