"""Inventories kept by build, and the totals that a book watches over."""

from __future__ import annotations

import hashlib
import json
import tempfile
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import numpy as np

from vigilant.core.work.inventory import Item, Ranked, Row, changes, ranked
from vigilant.formats import FormatError, limits
from vigilant.formats.inventory import read_inventory
from vigilant.formats.run import ReadRun
from vigilant.server.books.models import Book, name_of
from vigilant.server.database import in_transaction
from vigilant.server.problems import conflict, unprocessable
from vigilant.server.runs.models import Run
from vigilant.server.runs.store import read_series
from vigilant.server.scenarios import services as scenarios
from vigilant.server.scenarios.models import Build
from vigilant.wording import inventory as wording

from .formulas import PIECES, plain, weights
from .models import Inventory, Total

#: So many runs of a build say what its counters were.
RUNS_READ = 5


# -- inventories


def take_from_file(book: Book, build: str, name: str, text: str, user: Any) -> Inventory:
    """Keep what a file states of a build. Raises a problem for a file that is no inventory."""
    if (size := len(text.encode())) > limits.INVENTORY_BYTES:
        raise unprocessable("file-too-large", f"The file has {size} bytes; {limits.INVENTORY_BYTES} are allowed.")
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "inventory"
        path.write_text(text, encoding="utf-8")
        try:
            items = read_inventory(path, name)
        except FormatError as error:
            raise unprocessable(error.code, str(error), line=error.line) from error
    kept = _keep(book, scenarios.build(book, build, {}), name, items, user)
    assert kept is not None
    return kept


def take_from_run(run: Run, read: ReadRun) -> None:
    """Keep what a run stated of its build, once."""
    if read.items:
        _keep(run.book, run.build, f"stated by run {str(run.pk)[:8]}", read.items, None)


@in_transaction
def _keep(book: Book, build: Build, name: str, items: Sequence[Item], user: Any) -> Inventory | None:
    rows = [[i.kind, i.count, dict(sorted(i.weights.items()))] for i in sorted(items, key=lambda i: i.kind)]
    digest = hashlib.sha256(json.dumps(rows).encode()).hexdigest()
    full = Inventory.objects.filter(book=book).count() >= limits.INVENTORIES
    if full and user is None:
        return None  # a run is kept whatever it states
    if full:
        raise conflict("inventories-too-many", f"A book keeps at most {limits.INVENTORIES} inventories.")
    found, _ = Inventory.objects.get_or_create(
        build=build,
        digest=digest,
        defaults={
            "book": book,
            "name": name,
            "items": rows,
            "kinds": len(rows),
            "made_by": user,
            "stated_by_run": user is None,
        },
    )
    return found


def items_of(inventory: Inventory) -> list[Item]:
    return [Item(kind, count, units) for kind, count, units in inventory.items]


# -- totals


def totals_of(book: Book) -> list[Total]:
    """The totals of the book's own that stand, by name."""
    newest: dict[str, Total] = {}
    for one in Total.objects.filter(book=book).select_related("set_by"):
        newest.setdefault(one.name, one)
    return sorted((one for one in newest.values() if one.formula), key=lambda one: one.name)


@in_transaction
def set_total(book: Book, data: Mapping[str, Any], user: Any) -> None:
    """Set a total anew, for a reason; an empty formula ends it. Raises a problem for a formula that no inventory can be weighed
    by."""
    Book.objects.select_for_update().get(pk=book.pk)
    if not data["reason"].strip():
        raise unprocessable("reason-missing", "A total is set for a reason; say which.")
    standing = {one.name for one in totals_of(book)}
    if not data["formula"] and data["name"] not in standing:
        raise conflict("total-unknown", f"There is no total {data['name']!r} to be ended.")
    if data["formula"] and data["name"] not in standing and len(standing) >= limits.TOTALS:
        raise conflict("totals-too-many", f"A book has at most {limits.TOTALS} totals of its own.")
    newest = Inventory.objects.filter(book=book).first()
    if data["formula"] and newest is not None:
        weights(data["formula"], items_of(newest))
    Total.objects.create(book=book, set_by=user, **data)


def offered(book: Book, items: Sequence[Item]) -> list[tuple[str, str, Total | None]]:
    """What an inventory can be totalled by: name, formula, and the book's own total; pieces and each unit by themselves too."""
    own = {one.name: one for one in totals_of(book)}
    plainly = {PIECES: "1"} | {unit: plain(unit) for unit in dict.fromkeys(u for item in items for u in item.weights)}
    found = [(name, one.formula, one) for name, one in own.items()]
    return found + [(name, formula, None) for name, formula in plainly.items() if name not in own]


# -- an inventory, totalled


def page(inventory: Inventory, asked: str, against: Inventory | None) -> dict[str, Any]:
    """Kinds ranked in one total, held against another inventory, the total's limit, and what its counter says. Raises a problem
    for a total that is none, and for a formula that fails on these kinds."""
    items = items_of(inventory)
    choices = offered(inventory.book, items)
    chosen = next(((n, f, t) for n, f, t in choices if n == asked), None) if asked else choices[0]
    if chosen is None:
        raise unprocessable(
            "total-unknown", f"There is no total {asked[:40]!r}; there are {', '.join(n for n, *_ in choices[:20])}."
        )
    name, formula, total = chosen
    found = ranked(items, weights(formula, items))
    before = None
    if against is not None:
        others = items_of(against)
        before = ranked(others, weights(formula, others))
    return {
        "totals": [{"name": n, "formula": f, "own": t is not None} for n, f, t in choices],
        "total": name,
        "formula": formula,
        "sentence": wording.ranked_sentence(found, name),
        "sum": wording.amount(found.total),
        "rows": [_row(row, i) for i, row in enumerate(found.rows, start=1)],
        "untold": wording.untold(found),
        "limit": ""
        if total is None or total.most is None
        else wording.limit(found, total.most, total.reason, name_of(total.set_by)),
        "over": bool(total and total.most is not None and found.total > total.most),
        "set": "" if total is None else wording.set_by(name_of(total.set_by), total.set_at, total.reason),
        "counter": _counted(inventory, against, found, before, total.counter if total else ""),
        **_changed(before, found),
    }


def _changed(before: Ranked | None, after: Ranked) -> dict[str, Any]:
    """What moved between two inventories; kinds that did not are counted."""
    if before is None:
        return {"changes": None, "change": "", "unchanged": ""}
    found = changes(before, after)
    return {
        "changes": [{"kind": c.kind, "words": wording.change_words(c)} for c in found if c.d != 0.0],
        "change": wording.change_sentence(before, after, found),
        "unchanged": wording.unchanged(found),
    }


def _row(row: Row, rank: int) -> dict[str, Any]:
    return {"kind": row.kind, "rank": rank, "share": row.share, "words": wording.row_words(row)}


def counted(build: Build, counter: str) -> tuple[int, float, float] | None:
    """What a counter said in the newest complete runs of a build: their number, its mean over them, its largest value; None where no
    run has it."""
    runs = Run.objects.filter(
        build=build, state=Run.State.COMPLETE, excluded_at=None, columns__kind="counter", columns__path=counter
    )
    values = [
        read_series(run, [f"counter:{counter}"]).counters[counter]
        for run in runs.select_related("conditions").order_by("-received_at")[:RUNS_READ]
    ]
    known = [v[np.isfinite(v)] for v in values]
    known = [v for v in known if v.size]
    if not known:
        return None
    return len(known), float(np.mean([v.mean() for v in known])), float(max(v.max() for v in known))


def _counted(
    inventory: Inventory, against: Inventory | None, found: Ranked, before: Ranked | None, counter: str
) -> str:
    if not counter:
        return ""
    now = counted(inventory.build, counter)
    then = counted(against.build, counter) if against is not None else None
    return wording.counter_sentence(counter, found, now, before, then)
