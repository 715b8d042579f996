"""Rules are written down, tested by what was recorded, and dropped."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Literal

from django.db.models import QuerySet
from django.utils import timezone

from vigilant.formats import limits
from vigilant.server.books.models import Book, LogLine
from vigilant.server.database import in_transaction
from vigilant.server.entries.models import Entry
from vigilant.server.problems import conflict, unprocessable
from vigilant.server.runs.models import Recording

from .models import Rule, RuleTest

State = Literal["true here", "not here", "never tested"]
STATES: tuple[State, ...] = ("true here", "not here", "never tested")


def rules_of(book: Book) -> QuerySet[Rule]:
    """Those that were not dropped, newest first."""
    found = Rule.objects.filter(book=book, dropped_at=None).select_related("made_by")
    return found.prefetch_related(
        "tests__entry__comparison__rig",
        "tests__recording__scenario_version",
        "tests__recording__rig",
        "tests__tested_by",
    )


def test_of(rule: Rule) -> RuleTest | None:
    """The newest test that still stands."""
    return next((test for test in rule.tests.all() if test.stands), None)


def state_of(rule: Rule) -> State:
    test = test_of(rule)
    if test is None:
        return "never tested"
    return "true here" if test.holds else "not here"


@in_transaction
def write(book: Book, data: Mapping[str, Any], user: Any) -> Rule:
    """Raises a problem."""
    Book.objects.select_for_update().get(pk=book.pk)
    if not data["reason"].strip():
        raise unprocessable("reason-missing", "A rule has a reason, or somebody who says so; say which.")
    if data["said_on"] > timezone.now().date():
        raise unprocessable("date-ahead", "A rule was found on a day that has been.")
    if rules_of(book).count() >= limits.RULES:
        raise conflict("rules-too-many", f"The book holds {limits.RULES:,} rules; drop some first.")
    return Rule.objects.create(book=book, made_by=user, **data)


@in_transaction
def try_here(rule: Rule, data: Mapping[str, Any], user: Any) -> RuleTest:
    """A rule held against an entry or the account of a recording of its book. Raises a problem."""
    number, recording = data["entry"], data["recording"]
    if (number is None) == (recording is None):
        raise unprocessable("test-not-one", "A rule is tested by an entry or by a recording; name one of them.")
    entry, of = None, None
    if number is not None:
        entry = Entry.objects.filter(book=rule.book_id, number=number).first()
        if entry is None or entry.comparison_id is None or entry.withdrawn_at is not None:
            raise unprocessable("entry-tests-nothing", f"Entry {number} has no verdict that stands in this book.")
    else:
        of = Recording.objects.filter(book=rule.book_id, pk=recording).first()
        if of is None or not of.account or of.state != Recording.State.FINISHED:
            raise unprocessable("recording-tests-nothing", "This recording has no account in this book.")
    made = RuleTest.objects.create(
        rule=rule, entry=entry, recording=of, holds=data["holds"], note=data["note"], tested_by=user
    )
    LogLine.write("rule tested", f"{rule}: {'true here' if made.holds else 'not here'}", by=user, book=rule.book)
    return made


@in_transaction
def drop(rule: Rule, user: Any) -> None:
    """It is listed no more; what was found stays."""
    rule.dropped_at = timezone.now()
    rule.save(update_fields=["dropped_at"])
    LogLine.write("rule dropped", str(rule), by=user, book=rule.book)
