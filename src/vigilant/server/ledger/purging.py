"""What is really deleted: entries that were withdrawn, runs that were set aside. It says first what goes with it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any
from uuid import UUID

from django.db.models import QuerySet

from vigilant.server.books.models import Book, LogLine
from vigilant.server.database import in_transaction
from vigilant.server.entries.balance import rebalance
from vigilant.server.entries.models import ComparisonRun, Entry
from vigilant.server.problems import conflict
from vigilant.server.runs import aside
from vigilant.server.runs.figures import runs_changed
from vigilant.server.runs.models import Recording, Run
from vigilant.server.seals.services import seal_purged


@dataclass(frozen=True)
class Purge:
    """``name`` must be said to do it; ``goes`` is what is deleted, ``stays`` what might be thought to go and does
    not, ``hinders`` why it cannot be done."""

    name: str
    goes: list[str]
    hinders: list[str]
    stays: list[str] = field(default_factory=list)


def _count(number: int, one: str, many: str = "") -> str:
    return f"{number:,} {one if number == 1 else many or one + 's'}"


def _own_runs(entry: Entry) -> QuerySet[Run]:
    """Runs of the entry that no other entry rests on."""
    used = ComparisonRun.objects.filter(arm__comparison=entry.comparison_id).values("run")
    elsewhere = ComparisonRun.objects.exclude(arm__comparison=entry.comparison_id).values("run")
    return Run.objects.filter(pk__in=used).exclude(pk__in=elsewhere)


def of_entry(entry: Entry, with_runs: bool) -> Purge:
    """What purging an entry would do, with the runs that nothing else rests on or without."""
    hinders = []
    if entry.withdrawn_at is None:
        hinders.append("It is not withdrawn: withdraw it first, with the reason.")
    planned = Recording.objects.filter(book=entry.book_id, plan__entry__number=entry.number, completed_at=None)
    if entry.comparison_id is None and planned.exclude(state=Recording.State.REFUSED).exists():
        hinders.append("A recording is planned or under way for it.")
    stays: list[str] = []
    goes = [f"the entry \u201c{entry.title}\u201d and its verdict"]
    goes += [_count(n, "decision") for n in [entry.decisions.count()] if n]
    goes += [_count(n, "correction") for n in [entry.corrections.count()] if n]
    if entry.comparison is not None:
        runs = _own_runs(entry).count()
        if with_runs:
            goes.append(f"{_count(runs, 'run')} with all frames")
        elif runs:
            stays.append(f"{_count(runs, 'run')} that no other entry rests on")
    return Purge(f"entry {entry.number}", goes, hinders, stays)


@in_transaction
def purge_entry(entry: Entry, with_runs: bool, confirmed: str, user: Any) -> Purge:
    """Delete it, if ``confirmed`` is its name. Raises a problem where something hinders it."""
    Book.objects.select_for_update().get(pk=entry.book_id)
    entry = Entry.objects.select_for_update().select_related("comparison__scenario_version", "book").get(pk=entry.pk)
    purge = of_entry(entry, with_runs)
    _check(purge, confirmed)
    LogLine.write("purged", f"{purge.name}: {'; '.join(purge.goes)}", by=user, book=entry.book)
    Book.objects.filter(pk=entry.book_id, last_number__lt=entry.number).update(last_number=entry.number)
    comparison = entry.comparison
    runs = list(_own_runs(entry)) if with_runs and comparison else []
    seal_purged([*entry.decisions.all(), *entry.corrections.all(), entry, *runs])
    entry.delete()
    if comparison is not None:
        rebalance([comparison], whole=True)
        comparison.delete()
    _delete(runs)
    return purge


def _delete(runs: Sequence[Run]) -> None:
    runs_changed.send(sender=Run, runs=runs)
    Run.objects.filter(pk__in=[run.pk for run in runs]).delete()


def of_runs(runs: Sequence[Run]) -> Purge:
    """What purging these runs would do."""
    hinders = []
    if standing := [run for run in runs if run.excluded_at is None]:
        hinders.append(f"{_count(len(standing), 'run is', 'runs are')} not set aside: do that first, with the reason.")
    used = Entry.objects.filter(comparison__arms__runs__run__in=runs).distinct().order_by("number")
    if entries := list(used.values_list("number", flat=True)):
        rest = "Entry {} rests" if len(entries) == 1 else "Entries {} rest"
        numbers = ", ".join(map(str, entries[:10])) + (" \u2026" if len(entries) > 10 else "")
        hinders.append(f"{rest.format(numbers)} on them: what is shown by them would be shown by nothing.")
    frames = sum(run.frames for run in runs)
    return Purge(_count(len(runs), "run"), [f"{_count(len(runs), 'run')} with {_count(frames, 'frame')}"], hinders)


@in_transaction
def purge_runs(book: Book, ids: Sequence[UUID], confirmed: str, user: Any) -> Purge:
    """Delete runs, if ``confirmed`` is how many they are. Raises a problem where something hinders it."""
    runs = aside.of_book(book, ids)
    purge = of_runs(runs)
    _check(purge, confirmed)
    for run in runs:
        LogLine.write("purged", f"{run}, {run.frames} frames; it was set aside: {run.excluded_why}", by=user, book=book)
    seal_purged(runs)
    _delete(runs)
    return purge


def _check(purge: Purge, confirmed: str) -> None:
    if purge.hinders:
        raise conflict("purge-hindered", " ".join(purge.hinders))
    if confirmed != purge.name:
        raise conflict("purge-not-confirmed", f"Nothing was deleted: confirm it by its name, \u201c{purge.name}\u201d.")
