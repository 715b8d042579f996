"""The demo's fleet: forty thousand made-up sessions, kept and counted as if they had come in over the last four weeks."""

from __future__ import annotations

import base64
import hashlib
import uuid
from collections.abc import Iterator, Mapping, Sequence
from copy import copy
from dataclasses import replace
from datetime import datetime, timedelta
from itertools import chain, islice
from typing import Any

import numpy as np
import orjson
from django.utils import timezone

from vigilant.core.field import EDGES_VERSION, packed_each
from vigilant.formats.field import Snapshot, known_snapshot
from vigilant.server.books.models import Book
from vigilant.server.database import in_transaction
from vigilant.subjects import fleet

from .folding import Counted, Sums, add, apply
from .keeping import digest_of, kept_as
from .models import FieldSettings, Seen, Session, Term
from .terms import Terms

SESSIONS = 40_000
GOAL = 0.02
#: Sessions of the next build on the team's own devices, some days of testing it.
OWN_BUILD, OWN = "river 42", 6
#: Sessions whose frames are packed together.
TOGETHER = 500


class Drafted(Terms):
    """Terms with numbers of their own until they are stored."""

    def __init__(self, book: int) -> None:
        self.book, self.rules = book, []
        self.known, self.counts, self.labels = {}, {}, {}
        self.asked: dict[int, tuple[str, str, dict[str, Any], Any]] = {}

    def of(self, kind: str, name: str, facts: Mapping[str, Any] | None = None, by: Any = None) -> Term:
        found = super().of(kind, name, facts, by)
        self.asked.setdefault(found.pk, (kind, name, dict(facts or {}), by))
        return found

    def found(self, kind: str, name: str, facts: dict[str, Any], digest: str) -> Term:
        return Term(pk=len(self.known) + 1, kind=kind, name=name, facts=facts)

    def known_labels(self, build: int) -> list[Term]:
        return []

    def stored(self) -> dict[int, int]:
        """The numbers that they have once they are stored."""
        terms, numbers = Terms(self.book), {}
        for draft, (kind, name, facts, by) in self.asked.items():
            if kind == Term.Kind.LABEL:  # a build's own
                facts, by = {"build": numbers[by]}, numbers[by]
            numbers[draft] = terms.of(kind, name, facts, by).pk
        return numbers


def load(book: Book, count: int = SESSIONS, seed: int = 18) -> int:
    """Fill the field of a book that has none; how many sessions. All is drawn before anything is stored."""
    if Seen.objects.filter(book=book).exists():
        return 0
    now, terms, sums = timezone.now(), Drafted(book.pk), Sums()
    rows: list[Session] = []
    own = list(islice(fleet.sessions(OWN * 40, seed + 1), 0, None, 40))[:OWN]
    tested = ({**one, "build": OWN_BUILD, "day": 0.5, "hash": f"own {one['hash']}"} for one in own)
    left = chain(fleet.sessions(count, seed), tested)
    while several := list(islice(left, TOGETHER)):
        frames = frames_of(several)
        for one in several:
            row, snapshot = _row(book, one, now, len(rows), frames)
            row.build_id, row.model_id = terms.build(snapshot).pk, terms.model(snapshot.device).pk
            row.sorted_as_id = terms.class_of(snapshot.device).pk
            add(sums, terms, Counted(row, snapshot, row.ended), 1)
            rows.append(row)
        sums.settle()
    _store(book.pk, rows, sums, terms)
    return len(rows)


@in_transaction
def _store(book: int, rows: Sequence[Session], sums: Sums, terms: Drafted) -> None:
    Book.objects.select_for_update().get(pk=book)  # whoever else fills it is waited for
    FieldSettings.objects.update_or_create(book_id=book, defaults={"goal": GOAL})
    numbers, stored = terms.stored(), Sums()
    for (table, _), one in sums.rows.items():
        what = {k: numbers[v] if k.endswith("_id") and k != "book_id" and v else v for k, v in one.of.items()}
        stored.rows[table, tuple(what.values())] = replace(one, of=what)
    for start in range(0, len(rows), 1000):
        several = [copy(row) for row in rows[start : start + 1000]]
        for row in several:
            row.build_id, row.model_id, row.sorted_as_id = (
                numbers[row.build_id],
                numbers[row.model_id],
                numbers[row.sorted_as_id],
            )  # type: ignore[index]
        Session.objects.bulk_create(several, batch_size=500)
    apply(stored)


def frames_of(several: Sequence[dict[str, Any]]) -> Iterator[str]:
    """The packed frames of each cell of drawn sessions, one after another."""
    counts = np.stack([cell["counts"] for one in several for cell in one["cells"]])
    return (base64.b64encode(sent).decode() for sent in packed_each(counts))


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


def _row(
    book: Book, one: dict[str, Any], now: datetime, number: int, frames: Iterator[str]
) -> tuple[Session, Snapshot]:
    body = body_of(one, number, frames)
    sent = orjson.dumps(body, option=orjson.OPT_SORT_KEYS)
    day = now - timedelta(days=one["day"])
    row = Session(
        book=book, session=body["session"], seq=body["seq"], digest=digest_of(sent), own=one["build"] == OWN_BUILD, first_day=day.date(),
        received_at=day + timedelta(seconds=one["age_s"]), ended=one["ended"], sent=kept_as(sent), waits=False,
    )  # fmt: skip
    snapshot = known_snapshot(body)  # it was drawn here (a test reads some)
    for cell, drawn in zip(snapshot.cells, one["cells"], strict=True):
        cell.__dict__["counts"] = drawn["counts"]
    return row, snapshot
