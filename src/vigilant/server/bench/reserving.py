"""Rigs that are somebody's for a while, and what waits meanwhile."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import Any

from django.utils import timezone

from vigilant.core.looks import MOST_PAIRS
from vigilant.formats import limits
from vigilant.server.books.models import Book, LogLine, name_of
from vigilant.server.database import in_transaction
from vigilant.server.problems import conflict, unprocessable
from vigilant.server.runs.models import Recording
from vigilant.server.scenarios.models import Rig

from .models import ReservedTime, Standby


def times_of(book: Book, rig: str | None = None, now: datetime | None = None) -> list[ReservedTime]:
    """Those that are not over, of one rig or of all; the first to begin first."""
    found = ReservedTime.objects.filter(book=book, ends_at__gt=now or timezone.now()).select_related("kept_by")
    return list(found if rig is None else found.filter(rig=rig))


@in_transaction
def reserve(book: Book, rig: str, begins_at: datetime, ends_at: datetime, why: str, user: Any) -> ReservedTime:
    """Keep a rig for somebody. Raises a problem for a time that cannot be, and for one that is somebody's already."""
    Book.objects.select_for_update().get(pk=book.pk)  # two at once see each other
    now = timezone.now()
    if begins_at >= ends_at:
        raise unprocessable("time-backwards", "A reserved time ends after it begins.")
    if ends_at <= now:
        raise unprocessable("time-over", "This time is over already.")
    if ends_at - begins_at > timedelta(days=limits.RESERVED_DAYS):
        raise unprocessable("time-long", f"A rig is reserved for {limits.RESERVED_DAYS} days at most.")
    if begins_at > now + timedelta(days=limits.RESERVED_AHEAD):
        raise unprocessable("time-far", f"A rig is reserved {limits.RESERVED_AHEAD} days ahead at most.")
    known = Rig.objects.filter(book=book, alias=rig).exists() or Standby.objects.filter(book=book, name=rig).exists()
    if not rig or not known:
        raise unprocessable("rig-unknown", f"No rig named {rig} is known in this book.")
    there = times_of(book, rig, now)
    if len(there) >= limits.RESERVED_TIMES:
        raise conflict("times-too-many", f"{rig} is reserved {len(there)} times; {limits.RESERVED_TIMES} are allowed.")
    other = next((one for one in there if one.begins_at < ends_at and begins_at < one.ends_at), None)
    if other is not None:
        raise conflict(
            "time-taken", f"{rig} is {name_of(other.kept_by)}'s from {_utc(other.begins_at)} to {_utc(other.ends_at)}."
        )
    made = ReservedTime.objects.create(book=book, rig=rig, begins_at=begins_at, ends_at=ends_at, why=why, kept_by=user)
    LogLine.write("rig reserved", f"{made}: {why}" if why else str(made), by=user, book=book)
    return made


@in_transaction
def give_back(reserved: ReservedTime, user: Any) -> None:
    """End a reserved time, before it begins or in the middle."""
    LogLine.write("rig given back", str(reserved), by=user, book=reserved.book)
    reserved.delete()


def _utc(at: datetime) -> str:
    return f"{at:%Y-%m-%d %H:%M} UTC"


# -- what waits


def run_s(recording: Recording) -> float:
    """How long one run is meant to play, warm-up included."""
    scenario = recording.asked("scenario")
    return float(scenario.get("duration_s", 120.0)) + float(scenario.get("warm_up_s", 0.0))


def runs_planned(recording: Recording) -> int:
    """Runs an arm, the most of them where it goes on until it is decided."""
    asked = recording.asked("recording")
    return int(asked.get("runs", MOST_PAIRS if asked.get("until_decided") else 5))


def takes(recording: Recording) -> timedelta:
    """The least that a recording takes: its runs one after another."""
    arms = recording.plan.get("arm") if isinstance(recording.plan, dict) else None
    return timedelta(seconds=run_s(recording) * runs_planned(recording) * (len(arms) if isinstance(arms, list) else 2))


def held_by(recording: Recording) -> ReservedTime | None:
    """Whose time a planned recording waits for at its recorder."""
    if recording.state != Recording.State.PLANNED or not recording.asked_of:
        return None
    return in_the_way(times_of(recording.book, recording.asked_of), recording)


def in_the_way(times: Sequence[ReservedTime], recording: Recording, now: datetime | None = None) -> ReservedTime | None:
    """The reserved time that a recording waits for: somebody else's that goes on, or would begin before it is through."""
    now = now or timezone.now()
    until = now + takes(recording)
    others = (one for one in times if recording.planned_by_id is None or one.kept_by_id != recording.planned_by_id)
    return next((one for one in others if one.begins_at < until and one.ends_at > now), None)
