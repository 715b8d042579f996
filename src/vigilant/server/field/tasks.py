"""Counting what has come in, closing sessions that fell silent, and letting go of old ones."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from datetime import timedelta
from typing import Any

from django.utils import timezone
from prometheus_client.core import GaugeMetricFamily, Metric

from vigilant.server.books.models import Book
from vigilant.server.jobs import services as jobs
from vigilant.server.jobs.models import Job
from vigilant.server.jobs.sweeping import swept
from vigilant.server.upkeep.metrics import told

from .folding import discard, fold
from .models import Session
from .receiving import COUNT_IN, DISCARD, KEPT, ask_to_count

#: A session that is not heard of for so long has vanished.
SILENT = timedelta(hours=48)
#: So long a job that counted can be looked at.
COUNTED_KEPT = timedelta(hours=1)
#: Old or silent sessions that one look at them closes or lets go.
AT_A_TIME = 2_000


@jobs.handles(COUNT_IN, needed=True, heavy=True)
def count_in(work: jobs.Work, subject: str, arguments: Mapping[str, Any]) -> int:
    book, counted = Book.objects.get(pk=int(subject)), 0
    while found := fold(book):
        counted += found
        work.at(0.5, f"{counted} sessions counted")
    return counted


@jobs.handles(DISCARD, needed=True, heavy=True)
def discard_all(work: jobs.Work, subject: str, arguments: Mapping[str, Any]) -> int:
    gone = 0
    while found := discard(int(subject)):
        gone += found
        work.at(0.5, f"{gone} sessions discarded")
    return gone


@told
def waiting() -> Iterator[Metric]:
    left = GaugeMetricFamily("vigilant_field_waiting", "Sessions of the field that are not counted yet.")
    left.add_metric((), Session.objects.filter(waits=True).count())
    yield left


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
