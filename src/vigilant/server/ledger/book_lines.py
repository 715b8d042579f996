"""The lines of a book: one scenario on one rig each, whose entries follow each other."""

from __future__ import annotations

from dataclasses import dataclass

from django.db.models import Count

from vigilant.server.books.models import Book
from vigilant.server.entries.models import Balance, Decision
from vigilant.server.scenarios.models import Rig

#: Asks for the line that was decided last.
LAST = "last"
#: A line in an address: the keys of its scenario and of its rig.
PATTERN = r"^\d{1,9}-\d{1,9}$"


@dataclass(frozen=True)
class BookLine:
    """``line`` is how an address names it."""

    line: str
    scenario: str
    rig: str
    entries: int


def key_of(scenario: int, rig: int) -> str:
    return f"{scenario}-{rig}"


def keys(line: str) -> tuple[int, int]:
    """Scenario and rig of a line's name."""
    scenario, _, rig = line.partition("-")
    return int(scenario), int(rig)


def lines_of(book: Book) -> list[BookLine]:
    """All lines of a book by name; blank tests count as entries."""
    found = Balance.objects.filter(entry__book=book).values("scenario", "scenario__name", "rig")
    counted = list(found.annotate(entries=Count("entry")).order_by("scenario__name", "rig"))
    rigs = Rig.objects.in_bulk({row["rig"] for row in counted})
    return [
        BookLine(key_of(row["scenario"], row["rig"]), row["scenario__name"], str(rigs[row["rig"]]), row["entries"])
        for row in counted
    ]


def last_line(book: Book) -> str:
    """The line of the newest decision, else of the newest entry that was recorded; "" in an empty book."""
    rows = Balance.objects.filter(entry__book=book, entry__comparison__blank=False, entry__withdrawn_at=None)
    decided = Decision.objects.filter(entry__book=book, entry__comparison__blank=False, entry__withdrawn_at=None)
    entry = decided.order_by("-pk").values_list("entry", flat=True).first()
    if entry is None:
        entry = rows.order_by("-entry__number").values_list("entry", flat=True).first()
    found = rows.filter(entry=entry).values_list("scenario", "rig").first() if entry is not None else None
    return key_of(*found) if found else ""
