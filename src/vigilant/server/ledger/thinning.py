"""Frames of runs that nothing rests on go after a time, by a rule of the book; the runs stay, with their figures.

What an entry rests on is never thinned, whatever becomes of the entry: its fingerprint, which is sealed, is of those frames.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any
from uuid import UUID

from django.db.models import Count, Exists, OuterRef, Q, QuerySet, Sum
from django.db.models.functions import Coalesce, Length
from django.utils import timezone

from vigilant.server.books.models import Book, LogLine
from vigilant.server.database import in_transaction
from vigilant.server.entries.models import ComparisonRun
from vigilant.server.runs.models import FrameChunk, PartChunk, Run, ThinningRule, TraceLevel

#: The kind of job that thins a book.
THIN = "thin"
#: Days that may be said. Shorter than a month, and somebody on holiday finds nothing left to object to.
LEAST_DAYS, MOST_DAYS = 30, 3650
#: Runs in one transaction.
AT_A_TIME = 20
#: What lies in the database of a run's frames.
PIECES = (FrameChunk, TraceLevel, PartChunk)


@dataclass(frozen=True)
class Due:
    """What a rule would thin now: runs, their frames and bytes; ``loses`` says what can no longer be computed or drawn."""

    runs: int = 0
    frames: int = 0
    stored_bytes: int = 0
    loses: list[str] = field(default_factory=list)


def rule_of(book: Book) -> ThinningRule:
    """The book's rule; one that thins nothing where none was set."""
    return ThinningRule.objects.filter(book=book).first() or ThinningRule(book=book)


def due_runs(rule: ThinningRule, now: datetime) -> QuerySet[Run]:
    """Runs whose frames go by the rule: over, with frames still there, old enough, and no entry's."""
    old = Q(pk__in=())
    if rule.aside_days is not None:
        old |= Q(excluded_at__lt=now - timedelta(days=rule.aside_days))
    if rule.old_days is not None:
        old |= Q(at__lt=now - timedelta(days=rule.old_days))
    over = Q(state__in=(Run.State.COMPLETE, Run.State.BROKEN), thinned_at=None, frames__gt=0)
    runs = Run.objects.filter(book=rule.book).annotate(at=Coalesce("started_at", "received_at"))
    return runs.filter(over, old, ~Exists(ComparisonRun.objects.filter(run=OuterRef("pk"))))


def due(rule: ThinningRule) -> Due:
    """What the rule would thin if it were applied now."""
    runs = due_runs(rule, timezone.now())
    told = runs.aggregate(runs=Count("pk"), frames=Sum("frames"))
    if not told["runs"]:
        return Due()
    keys = runs.values("pk")
    stored = sum(model.objects.filter(run__in=keys).aggregate(n=Sum(Length("body")))["n"] or 0 for model in PIECES)
    loses = [
        "Every frame of them: they are drawn no more, taken out no more, and enter no comparison, as arms or otherwise.",
        "Figures stay as they were computed, and are not computed anew when the core changes.",
    ]
    accounts = runs.exclude(slot__recording__account__in=("", "line")).values_list(
        "slot__recording", "slot__recording__account"
    )
    recordings = dict(accounts.exclude(slot=None).distinct())
    if recordings:
        kinds = ", ".join(sorted(set(recordings.values())))
        many = f"{len(recordings):,} recordings that fill" if len(recordings) > 1 else "one recording that fills"
        loses.append(f"What came of {many} no entry ({kinds}): it is computed from frames whenever it is asked for.")
    return Due(told["runs"], told["frames"], stored, loses)


@in_transaction
def set_rule(book: Book, aside_days: int | None, old_days: int | None, user: Any) -> ThinningRule:
    """Keep a rule from now on; days of None thin nothing."""
    rule, _ = ThinningRule.objects.update_or_create(
        book=book, defaults={"aside_days": aside_days, "old_days": old_days, "changed_by": user, "applied_at": None}
    )
    LogLine.write("rule of frames", str(rule), by=user, book=book)
    return rule


def thin(book: Book, work: Any) -> int:
    """Apply the book's rule; how many runs were thinned. ``work`` is told how far it is."""
    rule, now, done = rule_of(book), timezone.now(), 0
    waiting = list(due_runs(rule, now).order_by("pk").values_list("pk", flat=True))
    for first in range(0, len(waiting), AT_A_TIME):
        work.at(first / len(waiting), f"{first:,} of {len(waiting):,} runs")
        done += _thin_some(rule.pk, waiting[first : first + AT_A_TIME])
    return done


@in_transaction
def _thin_some(rule_pk: int, ids: list[UUID]) -> int:
    """Those of these runs that are due still, by the rule as it stands now."""
    rule = ThinningRule.objects.select_for_update().select_related("book").get(pk=rule_pk)
    now = timezone.now()
    # Locked before it is asked whether an entry rests on them: one that is being made waits, and finds them thinned.
    locked = list(Run.objects.select_for_update().filter(pk__in=ids).order_by("pk").values_list("pk", flat=True))
    runs = list(due_runs(rule, now).filter(pk__in=locked))
    if not runs:
        return 0
    for model in PIECES:
        model.objects.filter(run__in=runs).delete()
    Run.objects.filter(pk__in=[run.pk for run in runs]).update(thinned_at=now)
    frames = sum(run.frames for run in runs)
    LogLine.write("thinned", f"{len(runs)} runs, {frames:,} frames, by the rule: {rule}", book=rule.book)
    return len(runs)
