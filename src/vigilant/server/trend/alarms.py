"""Alarms: raised where a newest build leaves its line, confirmed or withdrawn by a second session, open until they are explained."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from django.db.models import OuterRef, Subquery
from django.utils import timezone

from vigilant.core.trend import Alert, Point, is_worse, state_of
from vigilant.server.books.models import Book, LogLine
from vigilant.server.database import in_transaction
from vigilant.server.entries.deciding import open_entry
from vigilant.server.entries.models import Entry
from vigilant.server.problems import conflict, unprocessable
from vigilant.server.runs.models import Recording, Run
from vigilant.server.scenarios.models import Rig, Scenario
from vigilant.wording import trend as wording

from .lines import FigureLine, Standing, figure_line, held
from .measurements import Measurement, RigLine, gathered, same_rig, watched
from .models import Alarm, Following


@dataclass(frozen=True, eq=False)
class Heard:
    """What a figure of the newest build says against its line: the level before ``alarm``'s build where one stands, else all before it."""

    line: FigureLine
    newest: Point
    found: Alert | str
    alarm: Alarm | None = None

    @property
    def worse(self) -> bool:
        return not isinstance(self.found, str) and is_worse(self.found, self.line.scaled.kind.higher_is_better)

    @property
    def call(self) -> str:
        return "" if isinstance(self.found, str) else self.found.call


def following_of(scenario: Scenario) -> Following:
    """What was asked of a scenario, or what holds where nothing was."""
    return Following.objects.filter(scenario=scenario).first() or Following(scenario=scenario)


@in_transaction
def set_following(scenario: Scenario, values: Mapping[str, Any], user: Any) -> Following:
    following, _ = Following.objects.update_or_create(scenario=scenario, defaults=dict(values))
    again = f"every {following.recheck_days} days" if following.recheck_days else "at no fixed time"
    LogLine.write("following set", f"{scenario}: 1 false alarm in {following.false_alarm_in} builds, again {again}", by=user, book=scenario.book)  # fmt: skip
    return following


# -- the newest build


def heard(
    line: RigLine, figures: Sequence[str], rate: float, alarms: Iterable[Alarm], build: str = "", setup: str = ""
) -> list[Heard]:
    """Every figure of the newest build of a line, or of ``build`` (on one ``setup``), held against it."""
    alarms, told = list(alarms), []
    for figure in figures:
        own = figure_line(line, figure, len(figures))
        if own is None:
            continue
        newest = own.newest
        if build:
            asked = [
                point
                for point, m in zip(own.joined.points, own.measurements, strict=True)
                if m.build == build and setup in ("", m.setup)
            ]
            if not asked:
                continue
            newest = asked[-1]
        alarm, standing = stands(line, own.of(newest), alarms)
        told.append(Heard(own, newest, held(own, newest, len(figures), rate, standing), alarm))
    return told


def stands(line: RigLine, of: Measurement, alarms: Iterable[Alarm]) -> tuple[Alarm | None, Standing]:
    """The open alarm that a measurement is still held against, the first one; and what all alarms of earlier builds on its set-up say:
    across a break nothing is held against a level."""
    places = {m.build: m.place for m in line.measurements}
    earlier = sorted(
        (
            (places[a.build], a.pk, a)
            for a in alarms
            if a.setup == of.setup and places.get(a.build, of.place) < of.place
        ),
        key=lambda one: one[:2],
    )
    opened = next(((at, a) for at, _, a in earlier if a.state in Alarm.OPEN), None)
    accepted = tuple(at for at, _, a in earlier if a.state == Alarm.State.EXPLAINED)
    return (opened[1], Standing(opened[0], accepted)) if opened else (None, Standing(None, accepted))


# -- after a recording


@in_transaction
def read_recording(recording: Recording) -> list[Alarm]:
    """Hold what a recording brought against its lines: raise an alarm, confirm or withdraw one, note what newer builds say of an open
    one. The same again changes nothing. The alarms that it touched."""
    scenario = Scenario.objects.select_for_update().get(pk=recording.scenario_version.scenario_id)
    builds = set(Run.objects.filter(slot__recording=recording).values_list("build__label", flat=True))
    if not builds or recording.rig is None:
        return []
    found = gathered(scenario)
    figures, _ = watched(found.version)
    rate = 1.0 / following_of(scenario).false_alarm_in
    touched: list[Alarm] = []
    for line in found.of_rig(recording.rig):
        alarms = on_line(alarms_of(scenario), line)
        touched += _settled(line, figures, rate, alarms, builds, recording)
        newest = {m.build for m in line.measurements if m.place == line.newest}
        if newest & builds:
            touched += _heard_now(line, figures, rate, alarms, recording)
    return touched


def _settled(
    line: RigLine,
    figures: Sequence[str],
    rate: float,
    alarms: Sequence[Alarm],
    builds: set[str],
    recording: Recording,
) -> list[Alarm]:
    """Alarms that asked for another session of a build, where that came."""
    changed = []
    for alarm in alarms:
        if alarm.state != Alarm.State.ASKED or alarm.build not in builds:
            continue
        worse = {f["figure"]: f["worse"] for f in alarm.figures}
        now = heard(line, figures, rate, alarms, alarm.build, alarm.setup)
        states = {
            one.line.figure: state_of(
                one.found, worse[one.line.figure], one.line.scaled.kind.higher_is_better, one.newest.sessions
            )
            for one in now
            if one.line.figure in worse
        }
        if not states or set(states.values()) == {"asked"}:
            continue
        # What more runs show beside belongs to it too.
        kept = [one for one in now if states.get(one.line.figure, "confirmed" if one.call else "") == "confirmed"]
        confirmed = "confirmed" in states.values()
        alarm.state = Alarm.State.CONFIRMED if confirmed else Alarm.State.WITHDRAWN
        told = kept if confirmed else [one for one in now if states.get(one.line.figure) == "withdrawn"]
        alarm.figures = [_row(one) for one in told]
        alarm.changed_at = recording.created_at
        alarm.save(update_fields=["state", "figures", "changed_at"])
        changed.append(alarm)
    return changed


def _heard_now(
    line: RigLine, figures: Sequence[str], rate: float, alarms: Sequence[Alarm], recording: Recording
) -> list[Alarm]:
    now = heard(line, figures, rate, alarms)
    if not now:
        return []
    alarm, newest = now[0].alarm, now[0].line.of(now[0].newest)
    build = newest.build
    if alarm is not None:
        # One step makes one alarm: whatever newer builds say while it is open is said of it.
        worse = any(f["worse"] for f in alarm.figures)
        still = [one.line.figure for one in now if one.call and one.worse == worse]
        alarm.later = [*(row for row in alarm.later if row["build"] != build), {"build": build, "still": still}]
        alarm.save(update_fields=["later"])
        return [alarm]
    left = [one for one in now if one.call]
    known = {a.build for a in alarms if a.state != Alarm.State.WITHDRAWN}
    return [_raise(newest, line.rig, left, recording)] if left and build not in known else []


def _row(one: Heard) -> dict[str, Any]:
    assert not isinstance(one.found, str)
    level = one.found.before.expected(one.found.before.noise.m.size)[0]
    return {
        "figure": one.line.figure,
        "call": one.found.call or "sudden",
        "d": one.found.d,
        "level": level,
        "p": one.found.sudden.p if one.found.call != "creeping" or one.found.creeping is None else one.found.creeping.p,
        "limit": one.found.limit,
        "worse": one.worse,
        "said": wording.size_said(one.line.scaled, level, one.found.d),
        "sessions": one.newest.sessions,
    }


def _raise(newest: Measurement, rig: Rig, left: Sequence[Heard], recording: Recording) -> Alarm:
    at = recording.created_at
    scenario = recording.scenario_version.scenario
    alarm = Alarm.objects.create(
        scenario=scenario, rig=rig, build=newest.build, setup=newest.setup, figures=[_row(one) for one in left], raised_at=at, changed_at=at
    )  # fmt: skip
    said = wording.alarm_sentence(newest.build, alarm.figures)
    LogLine.write("alarm", f"{scenario} on {rig}: {said}", book=scenario.book)
    return alarm


# -- answers


def alarms_of(scenario: Scenario) -> list[Alarm]:
    """Newest first."""
    found = Alarm.objects.filter(scenario=scenario)
    return list(found.select_related("rig", "scenario", "explained_by", "entry"))


def on_line(alarms: Iterable[Alarm], line: RigLine) -> list[Alarm]:
    """Those of a line: set-ups that are recorded side by side have alarms of their own."""
    return [alarm for alarm in alarms if same_rig(alarm.rig, line.rig) and alarm.setup in line.setups]


def open_alarms(book: Book) -> list[Alarm]:
    """Of a book, the oldest first."""
    found = Alarm.objects.filter(scenario__book=book, state__in=Alarm.OPEN).order_by("id")
    return list(found.select_related("rig", "scenario", "explained_by", "entry"))


@in_transaction
def explain(alarm: Alarm, why: str, user: Any) -> Alarm:
    """Close an open alarm by what was found out. Raises a problem."""
    alarm = Alarm.objects.select_for_update().select_related("scenario__book", "rig").get(pk=alarm.pk)
    if not why.strip():
        raise unprocessable("reason-missing", "An alarm is explained by what was found out; say what.")
    if alarm.state not in Alarm.OPEN:
        raise conflict("alarm-closed", f"This alarm is {alarm.state} already.")
    alarm.state, alarm.why, alarm.explained_by, alarm.changed_at = Alarm.State.EXPLAINED, why, user, timezone.now()
    alarm.save(update_fields=["state", "why", "explained_by", "changed_at"])
    LogLine.write("alarm explained", f"{alarm.build} on {alarm.rig}: {why}", by=user, book=alarm.scenario.book)
    return alarm


@in_transaction
def entry_of(alarm: Alarm) -> Entry:
    """An entry of the ledger that the alarm is looked into by; the one it has already where it has one."""
    alarm = Alarm.objects.select_for_update().select_related("scenario__book", "rig", "entry").get(pk=alarm.pk)
    if alarm.entry is not None:
        return alarm.entry
    said = wording.alarm_sentence(alarm.build, alarm.figures)
    title = f"What made {alarm.build} {'worse' if any(f['worse'] for f in alarm.figures) else 'better'}?"
    alarm.entry = open_entry(alarm.scenario.book, title, f"{alarm.scenario} on {alarm.rig}: {said}", "")
    alarm.save(update_fields=["entry"])
    return alarm.entry


# -- again after some days


@dataclass(frozen=True)
class Recheck:
    """When a scenario was recorded last, and since when it is overdue (None: it is not, or no time was asked for)."""

    scenario: Scenario
    days: int
    last: Any
    overdue_since: Any


def rechecks(book: Book) -> list[Recheck]:
    """Of every scenario that is to be recorded again after some days."""
    told = []
    for following in (
        Following.objects.filter(scenario__book=book).exclude(recheck_days=None).select_related("scenario")
    ):
        runs = Run.objects.filter(state=Run.State.COMPLETE)
        # The newest of each version is the last of an index.
        newest = runs.filter(scenario_version=OuterRef("pk")).order_by("-started_at").values("started_at")[:1]
        each = following.scenario.versions.order_by().annotate(newest=Subquery(newest)).values_list("newest", flat=True)
        last = max(filter(None, each), default=None)
        assert following.recheck_days is not None
        due = last + timedelta(days=following.recheck_days) if last else None
        over = due if due is not None and due < timezone.now() else None
        told.append(Recheck(following.scenario, following.recheck_days, last, over))
    return told
