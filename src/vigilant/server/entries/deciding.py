"""Entries are opened, their expectation is locked, decisions are written; claims are held against their runs."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from django.db.models import Max
from django.utils import timezone

from vigilant.server.books.models import Book, LogLine
from vigilant.server.database import in_transaction
from vigilant.server.problems import conflict
from vigilant.server.runs.models import Recording
from vigilant.server.seals.services import seal
from vigilant.wording.claim import Answer, check_claim

from .balance import rebalance
from .keeping import kept_figures
from .models import Correction, Decision, Entry


def next_number(book: Book) -> int:
    """The next entry's number, which none had before; the book's row is locked so that two writers get two numbers."""
    locked = Book.objects.select_for_update().get(pk=book.pk)
    highest = Entry.objects.filter(book=book).aggregate(Max("number"))["number__max"] or 0
    locked.last_number = max(locked.last_number, highest) + 1
    locked.save(update_fields=["last_number"])
    return locked.last_number


@in_transaction
def open_entry(book: Book, title: str, why: str, expected: str) -> Entry:
    """A new entry, before anything is recorded."""
    entry = Entry.objects.create(book=book, number=next_number(book), title=title, why=why, expected=expected)
    seal("opened", entry)
    return entry


@in_transaction
def correct(entry: Entry, user: Any, **said: str) -> Entry:
    """Other words for an entry; what stood before is kept. The expectation is locked by the first run: a problem."""
    entry = Entry.objects.select_for_update().get(pk=entry.pk)
    changed = {name: text for name, text in said.items() if text != getattr(entry, name)}
    if not changed:
        return entry
    if "expected" in changed and entry.locked_at is not None:
        raise conflict("expectation-locked", "What was expected is locked since the first run arrived.")
    seal(
        "corrected",
        Correction.objects.create(
            entry=entry, title=entry.title, why=entry.why, expected=entry.expected, corrected_by=user
        ),
    )
    LogLine.write("corrected", f"entry {entry.number}: {', '.join(changed)}", by=user, book=entry.book)
    for name, text in changed.items():
        setattr(entry, name, text)
    entry.save(update_fields=list(changed))
    seal("corrected", entry)
    return entry


@in_transaction
def withdraw(entry: Entry, user: Any, withdrawn: bool, why: str) -> None:
    """Withdraw an entry, or put it back; it stays to be read, and its line is reckoned anew."""
    entry = Entry.objects.select_for_update().select_related("comparison__scenario_version").get(pk=entry.pk)
    if (entry.withdrawn_at is not None) == withdrawn:
        raise conflict("nothing-changed", f"Entry {entry.number} {'is' if withdrawn else 'is not'} withdrawn.")
    entry.withdrawn_at = timezone.now() if withdrawn else None
    entry.withdrawn_why = why if withdrawn else ""
    entry.withdrawn_by = user if withdrawn else None
    entry.save(update_fields=["withdrawn_at", "withdrawn_why", "withdrawn_by"])
    done = "withdrawn" if withdrawn else "put back"
    LogLine.write(done, f"entry {entry.number}: {why}", by=user, book=entry.book)
    seal(done, entry)
    if entry.comparison is not None:
        rebalance([entry.comparison])


def lock_expectation(recording: Recording) -> None:
    """The first run has arrived: what the entry expects can no longer change."""
    if recording.entry_number is not None:
        entry = Entry.objects.filter(book=recording.book_id, number=recording.entry_number, locked_at=None)
        if entry.update(locked_at=timezone.now()):
            seal("locked", Entry.objects.get(book=recording.book_id, number=recording.entry_number))


def claim(entry: Entry, sentence: str) -> Answer:
    """What an entry's runs say of a spoken sentence. Raises a problem where nothing is recorded."""
    if entry.comparison is None:
        raise conflict("nothing-recorded", "A claim is held against runs, and none were recorded.")
    figures = kept_figures(entry.comparison)
    if not figures:
        raise conflict("result-unreadable", "The stored result cannot be read any more; it waits to be computed anew.")
    return check_claim(sentence, entry.comparison.verdict, figures)


_HELD = {
    "holds": Decision.Expectation.SUPPORTED,
    "at least that much": Decision.Expectation.EXCEEDED,
    "does not hold": Decision.Expectation.NOT_SUPPORTED,
    "cannot be told": Decision.Expectation.UNDECIDED,
}


def held_expectation(entry: Entry) -> tuple[str, str]:
    """What the runs make of the expectation where it can be read as a claim, and why; ("", "") elsewhere."""
    figures = kept_figures(entry.comparison) if entry.comparison is not None and entry.expected else {}
    if not figures:
        return "", ""
    answer = check_claim(entry.expected, entry.comparison.verdict, figures)
    return (_HELD[answer.state].value, answer.sentence) if answer.state in _HELD else ("", "")


@in_transaction
def decide(
    entry: Entry,
    choice: str,
    why: str,
    user: Any,
    expectation: str = "",
    only_if: str = "",
    at: datetime | None = None,
) -> Decision:
    """Write a decision; earlier ones stay in the history. ``expectation`` says what became of it, ``only_if`` what the
    decision presupposes; ``at`` is when it was made, where that is not now."""
    if entry.comparison_id is None:
        raise conflict("nothing-recorded", "An entry is decided after its runs were recorded.")
    if Entry.objects.select_for_update().get(pk=entry.pk).withdrawn_at is not None:
        raise conflict("entry-withdrawn", "A withdrawn entry is not decided; put it back first.")
    LogLine.write("decided", f"entry {entry.number}: {choice}", by=user, book=entry.book)
    made = Decision.objects.create(
        entry=entry,
        choice=choice,
        why=why,
        only_if=only_if,
        decided_by=user,
        expectation=expectation,
        decided_at=at or timezone.now(),
    )
    seal("decided", made)
    rebalance([entry.comparison])
    return made
