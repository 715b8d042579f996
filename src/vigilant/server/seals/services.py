"""Rows are sealed as they are written, and the chain is checked: an altered row is found and named.

A link's hash is SHA-256 over its number, what was done, to what, when, the row's content and the hash before it
(docs/formats.md). Whoever holds an earlier head (a statement, a bundle) can tell that the chain was not made anew.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

import orjson
from django.db import models
from django.utils import timezone

from vigilant.server.books.models import Book
from vigilant.server.database import at_one_moment, in_transaction

from .models import Chain, Link

#: Faults that a check names one by one.
MOST_NAMED = 50
#: Rows read at a time: some hold a megabyte.
AT_A_TIME = 50
PURGED = "purged"


@dataclass(frozen=True)
class Kind:
    """Rows of one model that are sealed: which of a book, what names one, and what of it is sealed.

    ``only`` says which rows must be sealed, where not all."""

    model: type[models.Model]
    book: str
    subject: Callable[[Any], str]
    content: Callable[[Any], Mapping[str, Any]]
    related: tuple[str, ...] = ()
    only: models.Q | None = None


_kinds: dict[type[models.Model], Kind] = {}


def sealed_kind(kind: Kind) -> None:
    """Registers rows that are sealed."""
    _kinds[kind.model] = kind


def kinds() -> list[Kind]:
    return list(_kinds.values())


def _plain(value: Any) -> Any:
    if isinstance(value, datetime):
        return value.isoformat()
    raise TypeError(f"{value!r} is not sealed")


def digest(content: Any) -> str:
    """SHA-256 of JSON with sorted keys and no spaces."""
    passed = orjson.OPT_SORT_KEYS | orjson.OPT_PASSTHROUGH_DATETIME
    return hashlib.sha256(orjson.dumps(content, default=_plain, option=passed)).hexdigest()


def link_hash(number: int, what: str, subject: str, content: str, at: datetime, before: str) -> str:
    return digest([number, what, subject, content, at.isoformat(), before])


@in_transaction
def seal(what: str, row: Any) -> Link:
    """Add a link for a row as it now stands in the database, in the caller's transaction."""
    kind = _kinds[type(row)]
    fresh = kind.model._default_manager.select_related(*kind.related).get(pk=row.pk)
    return _add(_book_of(kind, fresh), what, kind.subject(fresh), digest(kind.content(fresh)))


@in_transaction
def seal_purged(rows: Iterable[Any]) -> None:
    """Say that rows go for good; of what was never sealed nothing is said."""
    for row in rows:
        kind = _kinds[type(row)]
        book, subject = _book_of(kind, row), kind.subject(row)
        if newest(book, subject) is not None:
            _add(book, PURGED, subject, "")


def _book_of(kind: Kind, row: Any) -> Any:
    for step in filter(None, kind.book.split("__")):
        row = getattr(row, step)
    return row


def _add(book: Book, what: str, subject: str, content: str) -> Link:
    Chain.objects.get_or_create(book=book)
    chain = Chain.objects.select_for_update().get(book=book)
    number, at = chain.length + 1, timezone.now()
    link = Link.objects.create(
        book=book, number=number, what=what, subject=subject, content=content, at=at, before=chain.head,
        hash=link_hash(number, what, subject, content, at, chain.head),
    )  # fmt: skip
    chain.length, chain.head = number, link.hash
    chain.save(update_fields=["length", "head"])
    return link


def newest(book: Book, subject: str) -> Link | None:
    """The newest link of what a subject names."""
    return Link.objects.filter(book=book, subject=subject).order_by("-number").first()


def faults_of(book: Book) -> list[str]:
    """Everything that is not as it was sealed, in sentences; empty where the chain and its rows are whole."""
    with at_one_moment():
        last, chained = _chain_faults(book)
        return [*chained, *_row_faults(book, last)]


def _chain_faults(book: Book) -> tuple[dict[str, Link], list[str]]:
    """The newest link of each subject, and what is wrong with the chain itself."""
    found: list[str] = []
    last: dict[str, Link] = {}
    number, before = 0, ""
    for link in Link.objects.filter(book=book).order_by("number").iterator(chunk_size=2000):
        number += 1
        if link.number != number:
            gone = f"link {number} is" if link.number == number + 1 else f"links {number} to {link.number - 1} are"
            found.append(f"{gone} gone from the chain.")
            number = link.number
        elif link.before != before:
            found.append(f"{str(link).capitalize()} does not hold the link before it.")
        if link.hash != link_hash(link.number, link.what, link.subject, link.content, link.at, link.before):
            found.append(f"{str(link).capitalize()} was altered.")
        before = link.hash
        last[link.subject] = link
    chain = Chain.objects.filter(book=book).first()
    if chain is not None and (chain.length, chain.head) != (number, before):
        found.append(f"The chain ends at link {number}; it was {chain.length} links long.")
    elif chain is None and number:
        found.append("The end of the chain is gone.")
    return last, found


def _row_faults(book: Book, last: dict[str, Link]) -> Iterator[str]:
    unseen = {subject for subject, link in last.items() if link.what != PURGED}
    for kind in kinds():
        for row in _rows(kind, book):
            subject = kind.subject(row)
            link = last.get(subject)
            unseen.discard(subject)
            if link is None:
                if kind.only is None or kind.model._default_manager.filter(kind.only, pk=row.pk).exists():
                    yield f"{subject.capitalize()} was never sealed: it was written past the ledger."
            elif link.what == PURGED:
                yield f"{subject.capitalize()} was purged and is there again."
            elif link.content != digest(kind.content(row)):
                yield f"{subject.capitalize()} was altered after {link.at:%Y-%m-%d %H:%M} UTC, when it was {link.what} (link {link.number})."
    for subject in sorted(unseen):
        yield f"{subject.capitalize()} is gone; it was sealed by link {last[subject].number}."


def _rows(kind: Kind, book: Book) -> Iterator[Any]:
    """The rows that must be sealed, and those that may be."""
    rows = kind.model._default_manager.filter(**{kind.book: book}).select_related(*kind.related).order_by("pk")
    if kind.only is not None:
        named = Link.objects.filter(book=book, subject__startswith=f"{kind.model._meta.model_name} ")
        keys = {subject.split(" ", 1)[1] for subject in named.values_list("subject", flat=True)}
        rows = rows.filter(kind.only | models.Q(pk__in=keys))
    at: Any = None
    while some := list((rows if at is None else rows.filter(pk__gt=at))[:AT_A_TIME]):
        yield from some
        at = some[-1].pk


def check(book: Book) -> Chain:
    """Check the chain and its rows, and keep what was found."""
    Chain.objects.get_or_create(book=book)
    length = Chain.objects.get(book=book).length
    found = faults_of(book)
    if len(found) > MOST_NAMED:
        found = [*found[:MOST_NAMED], f"{len(found) - MOST_NAMED} more."]
    Chain.objects.filter(book=book).update(checked_at=timezone.now(), checked_length=length, faults=found)
    return Chain.objects.get(book=book)
