"""The demo's fleet: forty thousand made-up sessions, kept and counted as if they had come in over the last four weeks."""

from __future__ import annotations

import base64
import hashlib
import uuid
from collections.abc import Iterator
from datetime import datetime, timedelta
from itertools import islice
from typing import Any

import orjson
from django.db import transaction
from django.utils import timezone

from vigilant.core.field import EDGES_VERSION, packed
from vigilant.formats.field import (
    SentBursts,
    SentCell,
    SentDevice,
    SentHeld,
    SentLabelSet,
    SentLast,
    SentPlace,
    SentTier,
    Snapshot,
)
from vigilant.server.books.models import Book
from vigilant.subjects import fleet

from .folding import Counted, Sums, add, apply
from .models import FieldSettings, Session
from .receiving import digest_of, kept_as
from .terms import Terms

SESSIONS = 40_000
GOAL = 0.02


def load(book: Book, count: int = SESSIONS, seed: int = 18) -> int:
    """Fill the field of a book that has none; how many sessions."""
    if Session.objects.filter(book=book).exists():
        return 0
    FieldSettings.objects.update_or_create(book=book, defaults={"goal": GOAL})
    now, made = timezone.now(), 0
    terms, sums = Terms(book.pk), Sums()
    with transaction.atomic():
        drawn = fleet.sessions(count, seed)
        while several := list(islice(drawn, 1000)):
            rows = []
            for one in several:
                row, snapshot = _row(book, one, now, made + len(rows))
                row.build, row.model, row.sorted_as = terms.build(snapshot), terms.model(snapshot.device), terms.class_of(snapshot.device)  # fmt: skip
                add(sums, terms, Counted(row, snapshot, row.ended), 1)
                rows.append(row)
            Session.objects.bulk_create(rows, batch_size=500)
            made += len(rows)
        apply(sums)
    return made


def body_of(one: dict[str, Any], number: int, frames: Iterator[str]) -> dict[str, Any]:
    """A drawn session as its device would send it."""
    return {
        "vigilant_field": 1,
        "edges": EDGES_VERSION,
        "session": str(uuid.UUID(int=(18 << 96) + number)),
        "seq": 3,
        "installation": hashlib.sha256(one["hash"].encode()).hexdigest()[:32],
        **{key: value for key, value in one.items() if key not in ("hash", "day", "cells")},
        "cells": [
            {"frames": next(frames), **{k: v for k, v in cell.items() if k != "counts"}} for cell in one["cells"]
        ],
    }


def _row(book: Book, one: dict[str, Any], now: datetime, number: int) -> tuple[Session, Snapshot]:
    body = body_of(one, number, (base64.b64encode(packed(cell["counts"])).decode() for cell in one["cells"]))
    sent = orjson.dumps(body, option=orjson.OPT_SORT_KEYS)
    day = now - timedelta(days=one["day"])
    row = Session(
        book=book, session=body["session"], seq=body["seq"], digest=digest_of(sent), own=False, first_day=day.date(),
        received_at=day + timedelta(seconds=one["age_s"]), ended=one["ended"], sent=kept_as(sent), waits=False,
    )  # fmt: skip
    return row, _snapshot(one, body)


def _snapshot(one: dict[str, Any], body: dict[str, Any]) -> Snapshot:
    """What reading the body gives, without reading it: it was drawn here (a test reads some)."""
    cells = []
    for drawn, sent in zip(one["cells"], body["cells"], strict=True):
        cell = SentCell.model_construct(**sent, work=None)
        cell.__dict__["counts"] = drawn["counts"]
        cells.append(cell)
    return Snapshot.model_construct(
        **{key: body[key] for key in ("session", "seq", "installation", "build", "labels", "ended", "figures")},
        assigned="",
        device=SentDevice(**body["device"]),
        held=SentHeld(**body["held"]),
        places=[SentPlace(**place) for place in body["places"]],
        tiers=[SentTier(**tier) for tier in body["tiers"]],
        cells=cells,
        sets=[SentLabelSet(*own) for own in body["sets"]],
        bursts=[SentBursts(*own) for own in body["bursts"]],
        last=SentLast(**body["last"]),
    )
