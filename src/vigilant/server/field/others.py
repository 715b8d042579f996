"""Histograms of other senders, by OTLP: each stream's in its own bounds; cumulative ones count what is new since the last."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Sequence
from typing import Any

from vigilant.core.field import Bucket, merged, share_of_buckets
from vigilant.formats import limits
from vigilant.formats.otlp import Point, read_otlp
from vigilant.server.books.models import Book, RecorderToken
from vigilant.server.database import in_transaction
from vigilant.wording import field as words

from .models import OtherStream

#: A frame of a sender that says no budget is late over this, ms: 60 fps and a twentieth.
LIMIT_MS = 17.5


def receive(token: RecorderToken, body: bytes, is_json: bool) -> int:
    """How many points were passed over. Raises :class:`FormatError` for what is no export."""
    found = read_otlp(body, is_json)
    passed_over = found.passed_over
    for point in found.points:
        passed_over += not _kept(token.book_id, token.scope == RecorderToken.Scope.OWN_FIELD, point)
    return passed_over


@in_transaction
def _kept(book: int, own: bool, point: Point) -> bool:
    """Add what a point has that its stream had not yet: what comes twice, or late, adds nothing. False where the book holds too many."""
    key = hashlib.blake2b(f"{book} {own} {point.stream}".encode(), digest_size=16).hexdigest()
    row = OtherStream.objects.select_for_update().filter(key=key).first()
    if row is None:
        if OtherStream.objects.filter(book=book).count() >= limits.OTHER_STREAMS:
            return False
        row = OtherStream(
            key=key, book_id=book, own=own, build=point.build, metric=point.metric, about=dict(point.about), buckets=[], so_far=[]
        )  # fmt: skip
    if row.time_ns is not None and point.time_ns <= row.time_ns:
        return True
    fresh = point.buckets
    if point.cumulative:
        # Another start is a reset: the stream counts from nothing again.
        held = _read(row.so_far) if row.start_ns == point.start_ns else ()
        fresh = _less(point.buckets, held)
        row.so_far = _stored(point.buckets)
    row.buckets = _stored(merged((*_read(row.buckets), *fresh)))
    row.start_ns, row.time_ns = point.start_ns, point.time_ns
    row.save()
    return True


def _less(now: Sequence[Bucket], before: Sequence[Bucket]) -> tuple[Bucket, ...]:
    """What is new; all of it where anything is less than before, or in other bounds: then it has begun anew."""
    held = {(b.low_ms, b.high_ms): b.count for b in before}
    found = {(b.low_ms, b.high_ms): b.count - held.pop((b.low_ms, b.high_ms), 0) for b in now}
    if held or any(count < 0 for count in found.values()):
        return tuple(now)
    return tuple(Bucket(low, high, count) for (low, high), count in found.items() if count)


def _stored(buckets: Iterable[Bucket]) -> list[list[float | int | None]]:
    return [[b.low_ms, None if b.high_ms == float("inf") else b.high_ms, b.count] for b in buckets]


def _read(stored: Sequence[Sequence[Any]]) -> tuple[Bucket, ...]:
    return tuple(Bucket(low, float("inf") if high is None else high, count) for low, high, count in stored)


def page(book: Book, own: bool, build: str | None) -> list[dict[str, Any]]:
    """Streams by metric and what they are about: how many frames, and between which shares they are late."""
    rows: dict[tuple[str, str, str], list[Bucket]] = {}
    streams = OtherStream.objects.filter(book=book, own=own)
    for stream in streams if build is None else streams.filter(build=build):
        about = ", ".join(f"{name} {value}" for name, value in sorted(stream.about.items()))
        rows.setdefault((stream.build, stream.metric, about), []).extend(_read(stream.buckets))
    found = []
    for (of_build, metric, about), buckets in sorted(rows.items()):
        held = merged(buckets)
        frames = sum(b.count for b in held)
        if frames:
            told = share_of_buckets(held, LIMIT_MS)
            found.append(
                {
                    "build": of_build,
                    "metric": metric,
                    "about": about,
                    "frames": frames,
                    "said": words.other(told, LIMIT_MS),
                }
            )
    return found
