"""An upload from a device: the whole session so far replaces what was there. Order and repeats cannot matter."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import Any

import orjson
import zstandard
from django.core.cache import cache
from django.db import IntegrityError, transaction
from django.db.models import F
from django.utils import timezone

from vigilant.formats import limits
from vigilant.formats.errors import FormatError
from vigilant.formats.field import Snapshot, read_snapshot, shrinks
from vigilant.server.books.models import Book, RecorderToken
from vigilant.server.database import in_transaction
from vigilant.server.jobs import services as jobs
from vigilant.server.problems import Problem, conflict, unprocessable

from .models import Refused, Session

#: The kind of job that counts what has come in.
COUNT_IN = "count the field"
#: A session that began longer ago is not taken any more, and one is kept so long after it was heard of last (a little longer, so that nothing
#: counts twice).
OLDEST, KEPT = timedelta(days=30), timedelta(days=31)
#: A device whose clock was set back may be so much younger than nothing.
FUTURE = timedelta(days=1)
#: Seconds until the next upload is asked for: of players, and of the team's own devices.
NEXT_S, OWN_NEXT_S = 300, 30
#: The counting is asked for at most so often by one process; whatever is missed is found by the next, or by the sweep.
ASKED_EVERY_S = 2
TOO_LATE = "too-late"


@dataclass(frozen=True)
class Received:
    """What stands: the highest number kept of the session, whether this was it, and when the device is to send again."""

    seq: int
    made: bool
    next_s: int


def receive(token: RecorderToken, body: dict[str, Any], now: datetime | None = None) -> Received:
    """Raises problems: ``session-refused`` 422 for what is none or shrinks, ``session-differs`` 409 for another content under a number that is
    known, ``too-many-sessions`` 429."""
    now = now or timezone.now()
    own = token.scope == RecorderToken.Scope.OWN_FIELD
    try:
        snapshot = read_snapshot(body)
    except FormatError as error:
        _turn_away(token.book_id, now.date(), error.code)
        raise unprocessable(error.code, error.message) from None
    age = timedelta(seconds=snapshot.age_s)
    if age > OLDEST or age < -FUTURE:
        _turn_away(token.book_id, now.date(), TOO_LATE)
        return Received(snapshot.seq, False, OWN_NEXT_S if own else NEXT_S)
    sent = orjson.dumps(body, option=orjson.OPT_SORT_KEYS)
    seq, made = _kept(token.book_id, own, snapshot, sent, now, (now - max(age, timedelta())).date())
    if made and cache.add(f"field-asked-{token.book_id}", 1, ASKED_EVERY_S):
        ask_to_count(token.book_id)
    return Received(seq, made, OWN_NEXT_S if own else NEXT_S)


def ask_to_count(book: int) -> None:
    jobs.start(COUNT_IN, book, Book.objects.get(pk=book))


def digest_of(sent: bytes) -> str:
    return hashlib.blake2b(sent, digest_size=16).hexdigest()


def kept_as(sent: bytes) -> bytes:
    return zstandard.compress(sent, 1)


def snapshot_of(kept: bytes | memoryview) -> Snapshot:
    """A snapshot that was read before."""
    return Snapshot.model_validate(body_of(kept))


def body_of(kept: bytes | memoryview) -> dict[str, Any]:
    """A session as it was sent."""
    found: dict[str, Any] = orjson.loads(zstandard.decompress(bytes(kept)))
    return found


@in_transaction
def _kept(book: int, own: bool, snapshot: Snapshot, sent: bytes, now: datetime, first_day: date) -> tuple[int, bool]:
    """The highest number kept of the session, and whether this one was."""
    known = Session.objects.select_for_update().filter(book=book, session=snapshot.session).first()
    digest = digest_of(sent)
    values = {"seq": snapshot.seq, "digest": digest, "sent": kept_as(sent), "received_at": now, "waits": True, "ended": snapshot.ended or ""}  # fmt: skip
    if known is None:
        _within_quota(book, now.date())
        try:
            with transaction.atomic():
                Session.objects.create(book_id=book, session=snapshot.session, own=own, first_day=first_day, **values)
            return snapshot.seq, True
        except IntegrityError:  # another upload of it was quicker
            known = Session.objects.select_for_update().get(book=book, session=snapshot.session)
    if snapshot.seq < known.seq:
        return known.seq, False
    if snapshot.seq == known.seq:
        if known.digest != digest:
            raise conflict(
                "session-differs", f"Upload {snapshot.seq} of this session is known with other content.", seq=known.seq
            )
        return known.seq, False
    if less := shrinks(snapshot_of(known.sent), snapshot):
        raise unprocessable(
            "session-shrinks", f"Upload {snapshot.seq} tells less than upload {known.seq}: {less}.", seq=known.seq
        )
    if not known.waits:
        values |= {"counted": known.sent, "counted_ended": known.ended}
    Session.objects.filter(pk=known.pk).update(**values)
    return snapshot.seq, True


def _within_quota(book: int, day: date) -> None:
    """New sessions a day; each web process counts for itself."""
    key = f"field-new-{book}-{day}"
    cache.add(key, 0, 86_400)
    if cache.incr(key) > limits.FIELD_SESSIONS_A_DAY:
        raise Problem(429, "too-many-sessions", f"{limits.FIELD_SESSIONS_A_DAY} new sessions came in today; send again tomorrow.")  # fmt: skip


def _turn_away(book: int, day: date, why: str) -> None:
    """Count what is not stored."""
    if not Refused.objects.filter(book=book, day=day, why=why).update(count=F("count") + 1):
        try:
            with transaction.atomic():
                Refused.objects.create(book_id=book, day=day, why=why, count=1)
        except IntegrityError:
            Refused.objects.filter(book=book, day=day, why=why).update(count=F("count") + 1)
