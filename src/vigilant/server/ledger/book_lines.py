"""The lines of a book: one scenario on one rig each, whose entries follow each other."""

from __future__ import annotations

from dataclasses import dataclass

from django.db.models import Count

from vigilant.server.books.models import Book
from vigilant.server.entries.models import Balance
from vigilant.server.scenarios.models import Rig, Scenario

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
    counted = list(Balance.objects.filter(book=book).values("scenario", "rig").annotate(entries=Count("pk")).order_by())
    rigs = Rig.objects.in_bulk({row["rig"] for row in counted})
    names = dict(Scenario.objects.filter(pk__in={row["scenario"] for row in counted}).values_list("pk", "name"))
    return [
        BookLine(key_of(row["scenario"], row["rig"]), names[row["scenario"]], str(rigs[row["rig"]]), row["entries"])
        for row in sorted(counted, key=lambda row: (names[row["scenario"]].casefold(), row["rig"]))
    ]


def last_line(book: Book) -> str:
    """The line of the newest decision, else of the newest entry that was recorded; "" in an empty book."""
    rows = Balance.objects.filter(book=book, shown=True)
    found = rows.exclude(decision=None).order_by("-decision_id").values_list("scenario", "rig").first()
    found = found or rows.order_by("-entry__number").values_list("scenario", "rig").first()
    return key_of(*found) if found else ""
