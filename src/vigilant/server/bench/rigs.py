"""The rigs of a book: who records on them now, whether they still take as long for the same work, and what waits for them."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Any
from uuid import UUID

from django.db.models import Count, Max

from vigilant.core.carrying import RigDrift, rig_drift
from vigilant.server.books.models import Book
from vigilant.server.entries.models import Entry
from vigilant.server.runs.models import Recording, Run
from vigilant.server.scenarios.models import Rig, RigTiming
from vigilant.wording.carrying import rig_drift_words

from .models import ReservedTime, Standby
from .reserving import in_the_way, times_of
from .services import present

#: Timings that are read of a rig, the newest.
TIMINGS = 50
#: Recordings that are named of those that wait for one.
WAITING = 20


@dataclass(frozen=True)
class Asked:
    """A recording by the title of what it is for."""

    id: UUID
    title: str
    received_at: datetime
    #: Whose reserved time it waits for.
    held_by: ReservedTime | None = None


@dataclass
class RigLine:
    """One rig, by its alias. ``timings`` are of the newest calibration load alone, oldest first."""

    alias: str
    facts: dict[str, str] = field(default_factory=dict)
    runs: int = 0
    recorded_at: datetime | None = None
    standby: Standby | None = None
    there: bool = False
    recording: Asked | None = None
    waiting: list[Asked] = field(default_factory=list)
    reserved: list[ReservedTime] = field(default_factory=list)
    timings: list[RigTiming] = field(default_factory=list)
    drift: RigDrift | None = None

    @property
    def said(self) -> str:
        return rig_drift_words(self.drift, len(self.timings))


def rigs_of(book: Book) -> list[RigLine]:
    """Rigs that something was recorded on or that a recorder stands by for; by their names."""
    lines: dict[str, RigLine] = {}

    def of(alias: str) -> RigLine:
        return lines.setdefault(alias, RigLine(alias))

    rigs = Rig.objects.filter(book=book).exclude(alias="").order_by("pk").in_bulk()
    for rig in rigs.values():
        of(rig.alias).facts = rig.facts  # the newest sheet of that name
    counted = Run.objects.filter(rig__in=list(rigs)).values("rig").order_by()
    for row in counted.annotate(n=Count("pk"), last=Max("started_at")):
        line = of(rigs[row["rig"]].alias)
        line.runs += row["n"]
        line.recorded_at = max(filter(None, (line.recorded_at, row["last"])), default=None)
    for one in times_of(book):
        of(one.rig).reserved.append(one)
    _recorders(book, of)
    for line in lines.values():
        _times(book, line)
    return sorted(lines.values(), key=lambda line: line.alias)


def _recorders(book: Book, of: Any) -> None:
    there = {standby.pk for standby in present(book)}
    for standby in Standby.objects.filter(book=book):
        line = of(standby.name)
        line.standby, line.there = standby, standby.pk in there
        line.facts = line.facts or standby.facts
    under_way = Recording.objects.filter(book=book, state__in=(Recording.State.PLANNED, Recording.State.RECORDING))
    recordings = list(under_way.select_related("rig").order_by("received_at"))
    numbers = [recording.entry_number for recording in recordings]
    titles = dict(Entry.objects.filter(book=book, number__in=filter(None, numbers)).values_list("number", "title"))
    for recording, number in zip(recordings, numbers, strict=True):
        name = recording.rig.alias if recording.rig else recording.asked_of
        if not name:
            continue
        line, asked = of(name), Asked(recording.pk, titles.get(number) or recording.title, recording.received_at)
        if recording.state == Recording.State.RECORDING and line.recording is None and hasattr(recording, "live"):
            line.recording = asked
        elif recording.state == Recording.State.PLANNED and len(line.waiting) < WAITING:
            line.waiting.append(replace(asked, held_by=in_the_way(line.reserved, recording)))


def _times(book: Book, line: RigLine) -> None:
    """Of the load that was timed last: another load is another work."""
    found = RigTiming.objects.filter(rig__book=book, rig__alias=line.alias).order_by("-at", "-id")
    newest = found.first()
    if newest is None:
        return
    line.timings = list(reversed(found.filter(load=newest.load)[:TIMINGS]))
    line.drift = rig_drift([timing.ms for timing in line.timings])
