"""Histograms of frame times as devices send them: our own edges, and those of others in their own bounds.

Formulas: docs/statistics.md, *Field: histograms*.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from vigilant.core.errors import InvalidSeries
from vigilant.core.series import FloatArray, IntArray

#: The version of the edges; only histograms of one version are added.
EDGES_VERSION = 1
#: Buckets an octave, octaves from 1 ms on, and the number of buckets: the first holds all up to 1 ms, the last all over 1,024 ms.
PER_OCTAVE, OCTAVES = 16, 10
BUCKETS = PER_OCTAVE * OCTAVES + 2
#: The upper edge of every bucket, ms; the last is open.
EDGES_MS: FloatArray = np.append(2.0 ** (np.arange(BUCKETS - 1) / PER_OCTAVE), np.inf)
#: Counts on a device are of 32 bits, and stay there.
MOST_COUNT = 2**32 - 1


@dataclass(frozen=True, eq=False)
class Histogram:
    """Frames by bucket: ``counts`` (162,), their ``sum_ms`` and the longest, ``max_ms``, exact."""

    counts: IntArray
    sum_ms: float
    max_ms: float

    def __post_init__(self) -> None:
        if self.counts.shape != (BUCKETS,) or (self.counts < 0).any():
            raise InvalidSeries(f"a histogram has {BUCKETS} counts of 0 or more")

    @property
    def frames(self) -> int:
        return int(self.counts.sum())

    def __add__(self, other: Histogram) -> Histogram:
        return Histogram(self.counts + other.counts, self.sum_ms + other.sum_ms, max(self.max_ms, other.max_ms))


@dataclass(frozen=True)
class Told:
    """A value read off a histogram, with the bounds of its bucket, within which it surely lies."""

    value: float
    low: float
    high: float


def bucket_of(frame_ms: FloatArray) -> IntArray:
    """The bucket of each frame time (n,). Times must be above 0."""
    found: IntArray = np.searchsorted(EDGES_MS, frame_ms, "left")
    return found


def histogram_of(frame_ms: FloatArray) -> Histogram:
    """Frame times (n,) counted. Raises :class:`InvalidSeries` for times that are not above 0."""
    x = np.asarray(frame_ms, dtype=np.float64)
    if x.size and not bool((np.isfinite(x) & (x > 0)).all()):
        raise InvalidSeries("frame times of a histogram are above 0")
    counts = np.bincount(bucket_of(x), minlength=BUCKETS).astype(np.int64)
    return Histogram(counts, float(x.sum()), float(x.max()) if x.size else 0.0)


def quantile(found: Histogram, p: float) -> Told:
    """The quantile of rank p n: logarithmically between its bucket's edges, in the first one straight. The longest frame ends the last
    bucket in use. Raises :class:`InvalidSeries` without a frame."""
    if not found.frames or not 0 < p <= 1:
        raise InvalidSeries(f"a quantile is of a share above 0, and of a frame at least; got {p:g} of {found.frames}")
    rank, sums = p * found.frames, np.cumsum(found.counts)
    i = int(np.searchsorted(sums, rank - 1e-9, "left"))
    share = (rank - float(sums[i] - found.counts[i])) / float(found.counts[i])
    low, high = _bounds(found, i)
    value = low + share * (high - low) if i == 0 else low * (high / low) ** share
    return Told(value, low, high)


def _bounds(found: Histogram, i: int) -> tuple[float, float]:
    low = float(EDGES_MS[i - 1]) if i else 0.0
    return low, max(low, min(float(EDGES_MS[i]), found.max_ms))


def share_over(found: Histogram, limit_ms: float) -> Told:
    """The share of frames over a limit: those in buckets wholly over it, with the limit's own bucket, and what lies between by its
    logarithm. Raises :class:`InvalidSeries` without a frame."""
    if not found.frames:
        raise InvalidSeries("a share is of a frame at least")
    i = int(np.searchsorted(EDGES_MS, limit_ms, "left"))
    over = float(found.counts[i + 1 :].sum()) / found.frames
    own = float(found.counts[i]) / found.frames
    low, high = _bounds(found, i)
    if limit_ms >= high:
        part = 0.0
    elif i == 0:
        part = (high - limit_ms) / (high - low) if high > low else 0.0
    else:
        part = math.log(high / limit_ms) / math.log(high / low) if high > low else 0.0
    return Told(over + own * min(1.0, max(0.0, part)), over, over + own)


# -- as it is sent


def packed(counts: Sequence[int] | IntArray) -> bytes:
    """Counts by bucket as pairs of how many empty buckets come before one in use, and its count, each a varint."""
    return packed_each(np.asarray(counts)[None])[0]


def packed_each(counts: IntArray) -> list[bytes]:
    """Each row as :func:`packed` would give it."""
    rows, buckets = np.nonzero(counts)
    gaps = np.diff(buckets, prepend=0) - 1
    first = np.diff(rows, prepend=-1) > 0
    gaps[first] = buckets[first]
    numbers = np.column_stack((gaps, counts[rows, buckets])).ravel()
    sizes = np.ones(numbers.size, dtype=np.int64)
    for shift in range(7, 63, 7):
        sizes += numbers >> shift > 0
    ends = np.concatenate(([0], np.cumsum(sizes)))
    out = np.zeros(ends[-1], dtype=np.uint8)
    for k in range(sizes.max(initial=0)):
        told = sizes > k
        out[ends[:-1][told] + k] = numbers[told] >> 7 * k & 0x7F | np.where(sizes[told] > k + 1, 0x80, 0)
    sent, cuts = out.tobytes(), ends[2 * np.searchsorted(rows, np.arange(len(counts) + 1))].tolist()
    return [sent[start:end] for start, end in pairwise(cuts)]


def unpacked(sent: bytes) -> IntArray:
    """Raises :class:`InvalidSeries` for bytes that are none."""
    numbers = _varints(sent)
    gaps, found = numbers[::2], numbers[1::2]
    if len(gaps) > len(found):
        raise InvalidSeries("a gap of a packed histogram has no count")
    if sum(gaps) + len(gaps) > BUCKETS or min(found, default=1) < 1 or max(found, default=1) > MOST_COUNT:
        raise InvalidSeries(f"a packed histogram has {BUCKETS} buckets with counts from 1 to {MOST_COUNT}")
    # A few tens of numbers: a list is quicker than an array for each step.
    counts = [0] * BUCKETS
    at = -1
    for gap, count in zip(gaps, found, strict=True):
        at += gap + 1
        counts[at] = count
    return np.array(counts, dtype=np.int64)


def _varints(sent: bytes) -> list[int]:
    found: list[int] = []
    value = shift = 0
    for byte in sent:
        if byte < 0x80 and not shift:  # nearly all of them
            found.append(byte)
            continue
        value |= (byte & 0x7F) << shift
        shift += 7
        if byte & 0x80:
            if shift > 35:
                raise InvalidSeries("a number of a packed histogram is too large")
            continue
        found.append(value)
        value = shift = 0
    if shift:
        raise InvalidSeries("a packed histogram ends within a number")
    return found


# -- histograms of others, in their own bounds


@dataclass(frozen=True)
class Bucket:
    """So many frames over ``low_ms`` and up to ``high_ms``, which may be open."""

    low_ms: float
    high_ms: float
    count: int


def explicit(bounds_ms: Sequence[float], counts: Sequence[int]) -> tuple[Bucket, ...]:
    """Buckets between ascending bounds, the first from 0 and the last open. Raises :class:`InvalidSeries`."""
    if len(counts) != len(bounds_ms) + 1 or any(c < 0 for c in counts):
        raise InvalidSeries(f"{len(bounds_ms)} bounds have {len(bounds_ms) + 1} counts of 0 or more, got {len(counts)}")
    ends = [0.0, *map(float, bounds_ms), math.inf]
    if any(not low < high for low, high in pairwise(ends)):
        raise InvalidSeries("bounds ascend from above 0")
    return tuple(Bucket(low, high, int(c)) for (low, high), c in zip(pairwise(ends), counts, strict=True) if c)


def exponential(scale: int, offset: int, counts: Sequence[int], zero: int = 0, unit_ms: float = 1.0) -> Histogram | tuple[Bucket, ...]:  # fmt: skip
    """Buckets i of (base^i, base^(i+1)] with base 2^(2^-scale), in units of ``unit_ms``. In ms and at least as fine as ours they fold
    exactly into ours; else they are kept in their own bounds. Sum and longest of a folded one are not known: 0 and the upper edge. Raises
    :class:`InvalidSeries`."""
    if not -20 <= scale <= 20 or any(c < 0 for c in counts) or zero < 0 or abs(offset) > 2**31:
        raise InvalidSeries("an exponential histogram has a scale from -20 to 20 and counts of 0 or more")
    if unit_ms == 1.0 and scale >= 4:
        own = np.zeros(BUCKETS, dtype=np.int64)
        own[0] = zero
        per = 2 ** (scale - 4)
        for i, count in enumerate(counts, start=offset):
            # (2^(i / per16), 2^((i + 1) / per16)] lies in our bucket of 2^((b - 1)/16) to 2^(b/16).
            own[min(BUCKETS - 1, max(0, i // per + 1))] += int(count)
        top = max((i for i in range(BUCKETS) if own[i]), default=0)
        return Histogram(own, 0.0, float(EDGES_MS[min(top, BUCKETS - 2)]))
    base = 2.0 ** (2.0**-scale)
    return (
        *((Bucket(0.0, 0.0, zero),) if zero else ()),
        *(
            Bucket(unit_ms * base**i, unit_ms * base ** (i + 1), int(c))
            for i, c in enumerate(counts, start=offset)
            if c
        ),
    )


def merged(parts: Iterable[Bucket]) -> tuple[Bucket, ...]:
    """Buckets of several senders as one list; equal bounds are added, others are never spread over each other."""
    found: dict[tuple[float, float], int] = {}
    for one in parts:
        found[one.low_ms, one.high_ms] = found.get((one.low_ms, one.high_ms), 0) + one.count
    return tuple(Bucket(low, high, count) for (low, high), count in sorted(found.items()))


def share_of_buckets(parts: Sequence[Bucket], limit_ms: float) -> Told:
    """The share of frames over a limit: no nearer than the buckets that hold it allow. Raises :class:`InvalidSeries`."""
    total = sum(one.count for one in parts)
    if not total:
        raise InvalidSeries("a share is of a frame at least")
    over = sum(one.count for one in parts if one.low_ms >= limit_ms) / total
    held = sum(one.count for one in parts if one.low_ms < limit_ms < one.high_ms) / total
    return Told(over + held / 2.0, over, over + held)
