"""Counting what has come in, closing sessions that fell silent, and letting go of old ones."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import timedelta
from typing import Any

from django.utils import timezone

from vigilant.server.books.models import Book
from vigilant.server.jobs import services as jobs
from vigilant.server.jobs.models import Job
from vigilant.server.jobs.sweeping import swept

from .folding import fold
from .models import Session
from .receiving import COUNT_IN, KEPT, ask_to_count

#: A session that is not heard of for so long has vanished.
SILENT = timedelta(hours=48)
#: So long a job that counted can be looked at.
COUNTED_KEPT = timedelta(hours=1)
#: Old or silent sessions that one look at them closes or lets go.
AT_A_TIME = 2_000


@jobs.handles(COUNT_IN, needed=True)
def count_in(work: jobs.Work, subject: str, arguments: Mapping[str, Any]) -> int:
    book, counted = Book.objects.get(pk=int(subject)), 0
    while found := fold(book):
        counted += found
        work.at(0.5, f"{counted} sessions counted")
    return counted


@swept
def look_after() -> None:
    """Sessions that wait though nobody asked, those that fell silent, and those of old: their sums stay."""
    now = timezone.now()
    silent = Session.objects.filter(ended="", received_at__lt=now - SILENT, waits=False)[:AT_A_TIME]
    for session in silent:
        Session.objects.filter(pk=session.pk, ended="", seq=session.seq, waits=False).update(
            ended="vanished", counted=session.sent, counted_ended="", waits=True
        )
    old = Session.objects.filter(received_at__lt=now - KEPT, waits=False).exclude(ended="")
    Session.objects.filter(pk__in=list(old.values_list("pk", flat=True)[:AT_A_TIME])).delete()
    # Counting is asked for every few seconds: its jobs are not kept as long as others.
    Job.objects.filter(kind=COUNT_IN, active=None, finished_at__lt=now - COUNTED_KEPT).delete()
    for book in Session.objects.filter(waits=True).values_list("book", flat=True).distinct():
        ask_to_count(book)
