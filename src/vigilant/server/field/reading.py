"""What is asked of the field, and the sums of it: by class, by group of installations, by how sessions ended."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import date
from typing import Any

import numpy as np
from django.db.models import Min, QuerySet, Sum

from vigilant.core.field import share_of_groups, shown
from vigilant.core.field.shares import LEAST_GROUPS, LEAST_INSTALLATIONS, Share
from vigilant.server.books.models import Book

from .folding import GROUPS, installations_in
from .models import FieldSettings, OfModel, Played, Seen, Session, Term

#: Sums over the frames of a class.
SUMS = ("frames", "late", "late_processor", "late_graphics", "free_frames", "late_ms", "play_s", "work_frames", "work_ms", "sum_ms")  # fmt: skip


@dataclass(frozen=True)
class Asked:
    """Which sessions are read: of one build, from week to week (both included), perhaps at one tier or in one place, of players or of the
    team's own devices."""

    book: Book
    build: Term
    own: bool = False
    tier: Term | None = None
    place: Term | None = None
    since: date | None = None
    until: date | None = None

    def of(self, table: Any, **more: Any) -> QuerySet[Any]:
        """Rows of a roll-up, whatever their tier and place: those over all weeks, unless some are asked for."""
        if self.since is None and self.until is None:
            return self._all(table, week=None, **more)
        return self.by_week(table, **more)

    def by_week(self, table: Any, **more: Any) -> QuerySet[Any]:
        """Rows of single weeks."""
        found = self._all(table, week__isnull=False, **more)
        if self.since is not None:
            found = found.filter(week__gte=self.since)
        return found.filter(week__lte=self.until) if self.until is not None else found

    def _all(self, table: Any, **more: Any) -> QuerySet[Any]:
        return table.objects.filter(book=self.book, own=self.own, build=self.build, **more)  # type: ignore[no-any-return]

    def within(self, table: Any, **more: Any) -> QuerySet[Any]:
        """Rows at the tier and in the place that are asked for."""
        return self.of(table, **self.where, **more)

    @property
    def where(self) -> dict[str, Term]:
        found = {"tier": self.tier, "place": self.place}
        return {name: term for name, term in found.items() if term is not None}


@dataclass
class OfClass:
    """What is known of one class: sums by group of installations (32,), sessions and installations, and how sessions ended."""

    sorted_as: Term
    groups: dict[str, Any] = field(default_factory=lambda: {name: np.zeros(GROUPS) for name in SUMS})
    sessions: int = 0
    installations: int = 0
    held: int = 0
    held_untold: int = 0
    over: Any = field(default_factory=lambda: np.zeros(len(FieldSettings.GOALS), dtype=np.int64))
    ended: dict[str, int] = field(default_factory=dict)
    #: Sessions of the class that are left out by the tier or place asked for.
    others: int = 0

    def total(self, name: str) -> float:
        return float(self.groups[name].sum())

    @property
    def share(self) -> Share | None:
        """None where too few groups of installations are in use."""
        if int((self.groups["frames"] > 0).sum()) < LEAST_GROUPS:
            return None
        return share_of_groups(self.groups["late"], self.groups["frames"])

    def hidden(self, own: bool) -> str:
        """Why nothing of it is shown; "" where it is. What would be left over may be one person's too."""
        if own:
            return ""
        if why := shown(self.sessions, self.installations):
            return why
        if 0 < self.others < LEAST_INSTALLATIONS:
            return f"fewer than {LEAST_INSTALLATIONS} sessions would be left"
        return "" if self.share else f"fewer than {LEAST_GROUPS} groups of installations"


def classes(asked: Asked) -> list[OfClass]:
    """Every class that has been seen there, by name."""
    found: dict[int, OfClass] = {}
    names = {term.pk: term for term in Term.objects.filter(book=asked.book, kind=Term.Kind.CLASS)}

    def of(key: int) -> OfClass:
        if key not in found:
            found[key] = OfClass(names[key])
        return found[key]

    sums = asked.within(Played).values("sorted_as", "group").annotate(**{f"of_{name}": Sum(name) for name in SUMS})
    for row in sums:
        for name in SUMS:
            of(row["sorted_as"]).groups[name][row["group"]] += float(row[f"of_{name}"])
    bits: dict[int, list[bytes]] = defaultdict(list)
    for row in asked.of(Seen, tier=asked.tier, place=asked.place):
        one = of(row.sorted_as_id)
        one.sessions, one.held = one.sessions + row.sessions, one.held + row.held
        one.held_untold += row.held_untold
        bits[row.sorted_as_id].append(row.installations)
    for row in asked.of(Seen, tier=None, place=None):
        one = of(row.sorted_as_id)
        one.others += row.sessions
        if row.over:
            one.over = one.over + np.array(row.over)
        for how, count in row.ended.items():
            one.ended[how] = one.ended.get(how, 0) + count
    for key, one in found.items():
        one.installations = installations_in(bits[key])
        one.others = max(0, one.others - one.sessions)
    return sorted((one for one in found.values() if one.sessions), key=lambda one: one.sorted_as.name)


@dataclass(frozen=True)
class Built:
    """A build of which sessions came in."""

    term: Term
    sessions: int
    first_week: date


def builds(book: Book, own: bool) -> list[Built]:
    """The newest first, by the week they were first seen in, and by when they were first heard of."""
    rows = Seen.objects.filter(book=book, own=own, tier=None, place=None, week__isnull=False).values("build").annotate(sessions_in=Sum("sessions"), first=Min("week"))  # fmt: skip
    told = {row["build"]: row for row in rows if row["sessions_in"]}
    found = [Built(t, int(told[t.pk]["sessions_in"]), told[t.pk]["first"]) for t in Term.objects.filter(pk__in=told)]
    return sorted(found, key=lambda one: (one.first_week, one.term.pk), reverse=True)


def weeks(book: Book, own: bool) -> list[date]:
    found = Seen.objects.filter(book=book, own=own, tier=None, place=None, week__isnull=False)
    return sorted(found.values_list("week", flat=True).distinct())


def seen_terms(asked: Asked, kind: str) -> list[Term]:
    """Tiers or places that the build was played at, by name; tiers by their level."""
    keys = asked.of(Seen).exclude(**{kind: None}).values_list(kind, flat=True).distinct()
    found = list(Term.objects.filter(pk__in=list(keys)))
    return sorted(found, key=lambda term: (term.facts.get("level", 0), term.name, term.pk))


def of_models(asked: Asked, **more: Any) -> QuerySet[OfModel]:
    """Rows of models at the tier asked for; over all places where none is."""
    return asked.within(OfModel, **more) if asked.place is not None else asked.within(OfModel, place=None, **more)


def names(terms: Iterable[int]) -> dict[int, str]:
    """Looked up by themselves: joined to sums over many weeks, they lead the database to read every week of each model."""
    return dict(Term.objects.filter(pk__in=set(terms)).values_list("pk", "name"))


SET_BY = {"program": "", "random": ", dealt at random", "person": ", set by the person"}


def tier_name(term: Term) -> str:
    """A tier as it is read: its level, its name, and who set it where that was not the program."""
    return f"{term.facts.get('level', '')} {term.name}{SET_BY[term.facts.get('set_by', 'program')]}".strip()


def waiting(book: Book) -> int:
    """Sessions that came in and are not counted yet."""
    return Session.objects.filter(book=book, waits=True).count()


def goal_of(book: Book) -> float:
    found = FieldSettings.objects.filter(book=book).first()
    return found.goal if found else FieldSettings().goal
