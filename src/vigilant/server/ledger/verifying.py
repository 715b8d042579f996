"""A whole book is held against itself: every result anew from its frames, bit for bit, and the seal."""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import dataclass

from vigilant.core import CORE_VERSION
from vigilant.core.stored import differences
from vigilant.server.books.models import Book
from vigilant.server.entries.basis import made_again
from vigilant.server.entries.models import Comparison, Entry
from vigilant.server.problems import Problem
from vigilant.server.seals import services as seals

#: Places of one entry that are named.
MOST_NAMED = 5


@dataclass(frozen=True)
class Line:
    """``wrong`` where something is not as it was kept."""

    said: str
    wrong: bool = False


def verify_book(book: Book) -> Iterator[Line]:
    """Line by line, entry by entry; then the seal."""
    entries = Entry.objects.filter(book=book).exclude(comparison=None).order_by("number")
    for number, key in entries.values_list("number", "comparison"):
        yield _verified(number, Comparison.objects.select_related("recording__scenario_version").get(pk=key))
    found = seals.faults_of(book)
    for fault in found:
        yield Line(f"seal: {fault}", True)
    if not found:
        chain = seals.check(book)
        yield Line(f"seal: {chain.length} links, whole; the newest is {chain.head}")


def _verified(number: int, comparison: Comparison) -> Line:
    by = comparison.core_version
    try:
        made = made_again(comparison).values()
    except Problem as error:
        return Line(f"entry {number}: cannot be computed anew: {error.detail}", True)
    if made["fingerprint"] != comparison.fingerprint:
        return Line(f"entry {number}: it rests on other frames than when it was made by core {by}", True)
    # Through JSON, as what is kept went.
    found = list(differences(comparison.result, json.loads(json.dumps(made["result"]))))
    if comparison.verdict != made["verdict"] or comparison.ledger_line != json.loads(json.dumps(made["ledger_line"])):
        found.append(("verdict", comparison.verdict, made["verdict"]))
    if not found:
        return Line(f"entry {number}: {comparison.verdict}, to the bit as core {by} made it")
    places = "; ".join(f"{place} is {was!r}, not {now!r}" for place, was, now in found[:MOST_NAMED])
    more = f"; {len(found) - MOST_NAMED} more" if len(found) > MOST_NAMED else ""
    if by != CORE_VERSION:
        return Line(f"entry {number}: made by core {by}; core {CORE_VERSION} differs: {places}{more}")
    return Line(f"entry {number}: not as core {by} makes it: {places}{more}", True)
