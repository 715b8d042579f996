"""What workers do for a book as a whole."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import timedelta
from typing import Any

from django.db.models import Q
from django.utils import timezone

from vigilant.server.books.models import Book
from vigilant.server.database import in_transaction
from vigilant.server.jobs import services as jobs
from vigilant.server.jobs.sweeping import swept
from vigilant.server.runs.models import ThinningRule

from . import thinning

#: A rule is applied so often.
EVERY = timedelta(days=1)


@jobs.handles(thinning.THIN, heavy=True)
def thin(work: jobs.Work, subject: str, arguments: Mapping[str, Any]) -> dict[str, int]:
    return {"runs": thinning.thin(Book.objects.get(pk=int(subject)), work)}


@swept
def by_the_rules() -> None:
    """Each book with a rule, once a day."""
    rules = ThinningRule.objects.exclude(aside_days=None, old_days=None)
    for rule in rules.filter(Q(applied_at=None) | Q(applied_at__lt=timezone.now() - EVERY)).select_related("book"):
        _begin(rule)


@in_transaction
def _begin(rule: ThinningRule) -> None:
    """Noted as it is begun, not when it is over: the next sweep, seconds later, begins no other, and one that fails is left until tomorrow."""
    ThinningRule.objects.filter(pk=rule.pk).update(applied_at=timezone.now())
    jobs.start(thinning.THIN, rule.book.pk, rule.book)
