"""Runs are set aside, with the reason, and taken back; nothing of them is lost."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any
from uuid import UUID

from django.utils import timezone

from vigilant.server.books.models import Book, LogLine
from vigilant.server.database import in_transaction
from vigilant.server.problems import unprocessable
from vigilant.server.seals.services import seal

from .figures import runs_changed
from .models import Run


def of_book(book: Book, ids: Sequence[UUID]) -> list[Run]:
    """Runs of a book by their ids, locked. Raises a problem where one of them is not in it."""
    found = list(Run.objects.select_for_update().filter(book=book, pk__in=ids).order_by("pk"))
    missing = set(ids) - {run.pk for run in found}
    if missing:
        raise unprocessable("run-unknown", f"Run {min(missing)} is not in this book.")
    return found


@in_transaction
def set_aside(book: Book, runs: Sequence[UUID], aside: bool, why: str, user: Any) -> int:
    """How many were set aside (or taken back); those that stand so already keep their reason."""
    found = [run for run in of_book(book, runs) if (run.excluded_at is not None) != aside]
    for run in found:
        run.excluded_at = timezone.now() if aside else None
        run.excluded_why = why if aside else ""
        run.excluded_by = user if aside else None
        LogLine.write("run set aside" if aside else "run taken back", f"{run}: {why}", by=user, book=book)
    Run.objects.bulk_update(found, ["excluded_at", "excluded_why", "excluded_by"])
    runs_changed.send(sender=Run, runs=found)
    for run in found:
        seal("set aside" if aside else "taken back", run)
    return len(found)
