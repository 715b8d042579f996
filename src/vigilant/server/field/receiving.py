"""An upload from a device: the whole session so far replaces what was there. Order and repeats cannot matter."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import Any

import orjson
from django.core.cache import cache
from django.db import IntegrityError, transaction
from django.db.models import F
from django.utils import timezone

from vigilant.formats.errors import FormatError
from vigilant.formats.field import read_snapshot
from vigilant.server.books.models import Book, RecorderToken
from vigilant.server.jobs import services as jobs
from vigilant.server.problems import unprocessable

from .keeping import Upload, keep
from .models import Refused

#: The kind of job that counts what has come in.
COUNT_IN = "count the field"
#: And of that which takes out again what came by a key.
DISCARD = "discard sessions"
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
    seq, made = keep(Upload(token, snapshot, sent, now, (now - max(age, timedelta())).date()))
    if made and cache.add(f"field-asked-{token.book_id}", 1, ASKED_EVERY_S):
        ask_to_count(token.book_id)
    return Received(seq, made, OWN_NEXT_S if own else NEXT_S)


def ask_to_count(book: int) -> None:
    jobs.start(COUNT_IN, book, Book.objects.get(pk=book))


def _turn_away(book: int, day: date, why: str) -> None:
    """Count what is not stored."""
    if not Refused.objects.filter(book=book, day=day, why=why).update(count=F("count") + 1):
        try:
            with transaction.atomic():
                Refused.objects.create(book_id=book, day=day, why=why, count=1)
        except IntegrityError:
            Refused.objects.filter(book=book, day=day, why=why).update(count=F("count") + 1)
