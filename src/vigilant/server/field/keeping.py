"""Uploads into their rows: those that come at one time are written together, and none is answered before it is stored.

A transaction costs the database as much as ten rows do. While one is under way, what comes in gathers; the next takes all of it.
"""

from __future__ import annotations

import hashlib
import threading
import time
from collections.abc import Iterable, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field
from datetime import date, datetime
from typing import Any

import orjson
import zstandard
from django.core.cache import cache
from django.db import IntegrityError, InterfaceError, OperationalError, close_old_connections, connection

from vigilant.formats import limits
from vigilant.formats.field import Snapshot, known_snapshot, shrinks
from vigilant.server.books.models import RecorderToken
from vigilant.server.database import in_transaction
from vigilant.server.problems import Problem, conflict, unprocessable

from .models import Session

#: The highest number kept of a session, and whether this upload was it.
Kept = tuple[int, bool]
#: So long the first upload waits for others, which is nothing to a device that sends every few minutes.
GATHERING_S = 0.01
#: A session that two processes get at one moment is written by one of them; the other sees it when it tries again.
TRIES = 3


@dataclass(frozen=True)
class Upload:
    """A session so far, read and within its days; ``sent`` is what is kept of it."""

    key: RecorderToken
    snapshot: Snapshot
    sent: bytes
    now: datetime
    first_day: date
    kept: Future[Kept] = field(default_factory=Future, compare=False)

    @property
    def name(self) -> tuple[int, Any]:
        return self.key.book_id, self.snapshot.session


def keep(upload: Upload) -> Kept:
    """Raises problems: ``session-refused`` 422 for one that shrinks, ``session-differs`` 409, ``too-many-sessions`` 429."""
    if connection.in_atomic_block:  # stored when the caller's transaction is, which is nobody else's business
        _write([upload])
        return upload.kept.result()
    with _gathering:
        _waiting.append(upload)
        first = len(_waiting) == 1
    if first:  # it takes those along that come meanwhile
        _writer.submit(_write_waiting)
    return upload.kept.result()


_waiting: list[Upload] = []
_gathering = threading.Lock()
#: One thread writes, so that nobody who has an answer waits behind somebody who has none, and one connection is enough.
_writer = ThreadPoolExecutor(1, "uploads")


def _write_waiting() -> None:
    time.sleep(GATHERING_S)
    with _gathering:
        uploads = [*_waiting]
        _waiting.clear()
    _write(uploads)


def _write(uploads: Sequence[Upload]) -> None:
    """Settle each of them, by what is stored or by an error; the fault of one is not the others'."""
    try:
        found = _stored(uploads)
    except (OperationalError, InterfaceError) as error:
        found = [error] * len(uploads)
    except Exception as error:
        if len(uploads) > 1:
            for upload in uploads:
                _write([upload])
            return
        found = [error]
    for upload, one in zip(uploads, found, strict=True):
        if isinstance(one, Exception):
            upload.kept.set_exception(one)
        else:
            upload.kept.set_result(one)


def _stored(uploads: Sequence[Upload]) -> list[Kept | Exception]:
    if not connection.in_atomic_block:
        close_old_connections()
    for _ in range(TRIES - 1):
        try:
            return _in_one(uploads)
        except IntegrityError:  # another process was quicker with one of them
            continue
    return _in_one(uploads)


@in_transaction
def _in_one(uploads: Sequence[Upload]) -> list[Kept | Exception]:
    rows = {(row.book_id, row.session): row for row in _known(uploads)}
    changed: dict[tuple[int, Any], Session] = {}
    found: list[Kept | Exception] = []
    for upload in uploads:
        known = rows.get(upload.name)
        try:
            row = _fresh(upload) if known is None else _later(known, upload)
        except Problem as refusal:
            found.append(refusal)
            continue
        if row is None:
            found.append((known.seq, False))  # type: ignore[union-attr]
        else:
            rows[upload.name] = changed[upload.name] = row
            found.append((upload.snapshot.seq, True))
    Session.objects.bulk_create([row for row in changed.values() if row.pk is None])
    known_before = [row for row in changed.values() if row.pk is not None]
    Session.objects.bulk_create(known_before, update_conflicts=True, update_fields=[*CHANGES])
    return found


#: What a later upload changes of a session's row.
CHANGES = ("seq", "digest", "sent", "received_at", "waits", "ended", "counted", "counted_ended", "key")


def _known(uploads: Sequence[Upload]) -> Iterable[Session]:
    """The rows there are, locked in one order."""
    by_book: dict[int, set[Any]] = {}
    for upload in uploads:
        by_book.setdefault(upload.key.book_id, set()).add(upload.snapshot.session)
    for book in sorted(by_book):
        held = Session.objects.select_for_update().filter(book=book, session__in=sorted(by_book[book]))
        yield from held.order_by("session")


def _fresh(upload: Upload) -> Session:
    _within_quota(upload.key.book_id, upload.now.date())
    own = upload.key.scope == RecorderToken.Scope.OWN_FIELD
    row = Session(book_id=upload.key.book_id, session=upload.snapshot.session, own=own, first_day=upload.first_day)
    return _told(row, upload)


def _later(row: Session, upload: Upload) -> Session | None:
    """The row with what is new; None where nothing is."""
    snapshot = upload.snapshot
    if snapshot.seq < row.seq:
        return None
    if snapshot.seq == row.seq:
        if row.digest != digest_of(upload.sent):
            raise conflict(
                "session-differs", f"Upload {snapshot.seq} of this session is known with other content.", seq=row.seq
            )
        return None
    if less := shrinks(snapshot_of(row.sent), snapshot):
        raise unprocessable(
            "session-shrinks", f"Upload {snapshot.seq} tells less than upload {row.seq}: {less}.", seq=row.seq
        )
    if not row.waits:
        row.counted, row.counted_ended = row.sent, row.ended
    return _told(row, upload)


def _told(row: Session, upload: Upload) -> Session:
    row.seq, row.digest, row.sent = upload.snapshot.seq, digest_of(upload.sent), kept_as(upload.sent)
    row.received_at, row.waits, row.ended = upload.now, True, upload.snapshot.ended or ""
    row.key = upload.key
    return row


def _within_quota(book: int, day: date) -> None:
    """New sessions a day; each web process counts for itself."""
    counted = f"field-new-{book}-{day}"
    cache.add(counted, 0, 86_400)
    if cache.incr(counted) > limits.FIELD_SESSIONS_A_DAY:
        raise Problem(429, "too-many-sessions", f"{limits.FIELD_SESSIONS_A_DAY} new sessions came in today; send again tomorrow.")  # fmt: skip


def digest_of(sent: bytes) -> str:
    return hashlib.blake2b(sent, digest_size=16).hexdigest()


def kept_as(sent: bytes) -> bytes:
    return zstandard.compress(sent, 1)


def snapshot_of(kept: bytes | memoryview) -> Snapshot:
    """A snapshot that was read before."""
    return known_snapshot(body_of(kept))


def body_of(kept: bytes | memoryview) -> dict[str, Any]:
    """A session as it was sent."""
    found: dict[str, Any] = orjson.loads(zstandard.decompress(bytes(kept)))
    return found
