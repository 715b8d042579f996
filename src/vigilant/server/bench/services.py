"""Planning recordings, handing them to recorders, and following them."""

from __future__ import annotations

import statistics
from collections.abc import Iterable, Mapping
from datetime import timedelta
from typing import Any
from uuid import UUID

from django.utils import timezone

from vigilant.plan import BY_HAND
from vigilant.plan.armref import in_order
from vigilant.server.books.models import Book
from vigilant.server.database import in_transaction
from vigilant.server.entries.comparing import COMPARE, complete_recording
from vigilant.server.entries.deciding import open_entry
from vigilant.server.entries.models import Entry
from vigilant.server.jobs.models import Job
from vigilant.server.problems import Problem, conflict, unprocessable
from vigilant.server.runs.models import Outcome, Recording, Slot
from vigilant.server.runs.plans import arm_name, checked_plan, definition_of
from vigilant.server.scenarios import services as scenarios
from vigilant.server.wake import tell
from vigilant.wording.run import run_rows

from . import reserving
from .models import Live, Standby, Visit
from .visits import invite

#: A recorder not heard of for so long is taken for gone.
PRESENT_S = 15.0
#: So many plans are looked through for the arguments of subjects, and so many of these are offered.
LATEST_PLANS, MOST_USED = 60, 10
MOST_MARKS = 100
GONE_S = 60.0
ARM_FIGURES = ("mean_ms", "slowest_1pct_ms", "late_share", "stutters_per_min")


@in_transaction
def plan_recording(book: Book, raw: Mapping[str, Any], asked_of: str, user: Any) -> Recording:
    """Plan a recording for an open entry, or for a new one; ``asked_of`` names a recorder standing by, ``user`` who asks. A screening has
    an account of its own, and no entry."""
    plan = checked_plan(raw)
    raw = plan.raw
    number = raw.get("entry", {}).get("number")
    if plan.account == "hunt":
        raise unprocessable(
            "no-hunt", "A hunt builds what it records: vigilant hunt starts it, on the machine where the builds are."
        )
    if plan.account:
        if number is not None:
            raise unprocessable("no-entry", f"Switches have an account of their own; they fill no entry, got {number}.")
    elif number is None:
        entry = open_entry(book, plan.title[:200], plan.why, plan.expected)
        number = entry.number
    elif Entry.objects.select_for_update().filter(book=book, number=number, comparison=None).first() is None:
        raise conflict("entry-taken", f"Entry {number} is not open for a recording.")
    if number and Recording.objects.filter(book=book, plan__entry__number=number, state__in=_OPEN).exists():
        raise conflict("entry-taken", f"A recording for entry {number} is planned or under way already.")
    if asked_of and not Standby.objects.filter(book=book, name=asked_of).exists():
        raise unprocessable("standby-unknown", f"No recorder named {asked_of} has stood by in this book.")
    if asked_of and plan.visited:
        raise unprocessable("page-elsewhere", f"Pages play in a visitor's own browser, not on {asked_of}.")
    definition = definition_of(raw)
    recording = Recording.objects.create(
        book=book,
        scenario_version=scenarios.scenario_version(book, plan.scenario, definition),
        state=Recording.State.PLANNED,
        asked_of=asked_of,
        planned_by=user,
        plan={**raw, "entry": {"title": plan.title, "why": plan.why} if number is None else {"number": number}},
        conditions=dict(plan.conditions),
        created_at=timezone.now(),
    )
    if plan.visited:
        invite(recording, plan)
    return recording


_OPEN = (Recording.State.PLANNED, Recording.State.RECORDING)


def planned_for(book: Book, entry: int) -> Recording:
    """The recording planned for an entry. Raises a problem when there is none."""
    found = (
        Recording.objects.filter(book=book, state=Recording.State.PLANNED, plan__entry__number=entry)
        .order_by("received_at")
        .first()
    )
    if found is None:
        raise conflict("nothing-planned", f"Nothing is planned for entry {entry}; plan it on the Bench screen.")
    return found


def planned(book: Book, recording: str) -> Recording:
    """The recording of an id, while nobody has taken it. Raises a problem when there is none."""
    try:
        key = UUID(recording)
    except ValueError:
        raise unprocessable("recording-unreadable", f"recording must be an id, got {recording[:40]!r}.") from None
    found = Recording.objects.filter(book=book, state=Recording.State.PLANNED, pk=key).first()
    if found is None:
        raise conflict("nothing-planned", f"No recording {key} waits for a recorder in this book.")
    return found


@in_transaction
def stand_by(
    book: Book, name: str, subjects: list[str], facts: Mapping[str, str], version: str = ""
) -> Recording | None:
    """A recorder says it is there; the oldest recording asked of it that no reserved time holds back, if any."""
    Standby.objects.update_or_create(
        book=book,
        name=name,
        defaults={"subjects": subjects, "facts": dict(facts), "version": version, "seen_at": timezone.now()},
    )
    asked = Recording.objects.filter(book=book, state=Recording.State.PLANNED, asked_of=name).order_by("received_at")
    times = reserving.times_of(book, name)
    if not times:
        return asked.first()
    return next((one for one in asked.iterator(chunk_size=20) if reserving.in_the_way(times, one) is None), None)


def present(book: Book) -> list[Standby]:
    """Recorders standing by now; one that is recording is not heard of, but still there."""
    since = timezone.now() - timedelta(seconds=PRESENT_S)
    busy = Recording.objects.filter(book=book, state=Recording.State.RECORDING).values_list("asked_of", flat=True)
    found = Standby.objects.filter(book=book).order_by("name")
    return [s for s in found if s.seen_at >= since or s.name in set(busy)]


def subjects_of(book: Book) -> list[dict[str, Any]]:
    """What recorders standing by offer, and what plans named before: each subject with who offers it and the
    arguments it was started with, the last used first."""
    found: dict[str, dict[str, Any]] = {}

    def known(name: str) -> dict[str, Any]:
        return found.setdefault(name, {"name": name, "offered_by": [], "used": []})

    for standby in present(book):
        for name in standby.subjects:
            known(name)["offered_by"].append(standby.name)
    plans = Recording.objects.filter(book=book).order_by("-created_at").values_list("plan", flat=True)
    for plan in plans[:LATEST_PLANS]:
        listed = plan.get("arm") if isinstance(plan, dict) else None
        for arm in listed if isinstance(listed, list) else []:
            name, arguments = (arm.get("subject"), arm.get("arguments")) if isinstance(arm, dict) else ("", None)
            if not isinstance(name, str) or not name or not isinstance(arguments, list):
                continue
            text = " ".join(map(str, arguments))
            used = known(name)["used"]
            if text and text not in used and len(used) < MOST_USED:
                used.append(text)
    return sorted(found.values(), key=lambda subject: (not subject["offered_by"], subject["name"]))


def jobs_of(recordings: Iterable[UUID]) -> dict[str, str]:
    """How far the job behind each recording is, in a word that changes when it does; by the recording's key."""
    found = Job.objects.filter(kind=COMPARE, subject__in=[str(r) for r in recordings]).order_by("created_at")
    rows = found.values_list("subject", "state", "progress")
    return {subject: f"{state} {progress:.2f}" for subject, state, progress in rows}


def comparing_job(recording: Recording) -> Job | None:
    """The newest job that compares the recording; None before it, and once its entry is there."""
    newest = Job.objects.filter(kind=COMPARE, subject=str(recording.pk)).order_by("-created_at").first()
    return None if newest is not None and newest.state == Job.State.DONE else newest


@in_transaction
def report(book: Book, recording_id: UUID, state: Mapping[str, Any]) -> dict[str, Any]:
    """Keep a recorder's newest report; the answer is what is asked of it, and the marks asked for with their
    age. A mark, and the call to skip or to end a run, are given once."""
    recording = Recording.objects.select_for_update().filter(pk=recording_id, book=book).first()
    if recording is None:
        raise conflict("recording-unknown", f"Recording {recording_id} was not registered in this book.")
    live, _ = Live.objects.select_for_update().get_or_create(recording=recording)
    live.number += 1
    live.state = dict(state)
    live.save()
    tell(recording_id)
    control = recording.control
    now = timezone.now().timestamp()
    marks = [{"name": m["name"], "ago_s": round(max(0.0, now - m["at"]), 3)} for m in recording.marks_asked]
    if marks or control in (Recording.Control.SKIP, Recording.Control.END):
        recording.marks_asked = []
        recording.control = (
            Recording.Control.RUN if control in (Recording.Control.SKIP, Recording.Control.END) else control
        )
        recording.save(update_fields=["control", "marks_asked"])
    return {"control": control, "marks": marks}


@in_transaction
def ask_for_mark(recording: Recording, name: str) -> None:
    """A mark for the run that is being played by hand."""
    fresh = Recording.objects.select_for_update().get(pk=recording.pk)
    if not by_hand(fresh) or fresh.state != Recording.State.RECORDING:
        raise conflict("not-by-hand", "Marks are set in a recording that is being played by hand.")
    fresh.marks_asked = [*fresh.marks_asked, {"name": name, "at": timezone.now().timestamp()}][-MOST_MARKS:]
    fresh.save(update_fields=["marks_asked"])


def by_hand(recording: Recording) -> bool:
    return recording.asked("recording").get("played") == BY_HAND


def silence_s(recording: Recording) -> float | None:
    """Seconds since the recorder was heard of; None where it never was."""
    live = Live.objects.filter(recording=recording).values_list("reported_at", flat=True).first()
    return None if live is None else (timezone.now() - live).total_seconds()


def set_control(recording: Recording, control: str) -> None:
    """What the Bench screen asks of the recorder. One that nobody has taken yet is called off by *stop*;
    one whose recorder is gone is stopped here, with what it delivered."""
    silent = silence_s(recording)
    gone = silent is not None and silent > GONE_S
    visited = Visit.objects.filter(recording=recording).exists()
    if visited and control != Recording.Control.STOP:
        raise conflict(
            "no-recorder", f"A visitor's browser is not asked to {control}; stop it, and keep what there is."
        )
    if control == Recording.Control.STOP and recording.state == Recording.State.RECORDING and (gone or visited):
        _give_up(recording)
    else:
        _keep_control(recording, control)


def _give_up(recording: Recording) -> None:
    try:
        live = Live.objects.filter(recording=recording).first()
        looks = live.state.get("looks", []) if live else []
        complete_recording(recording.book, recording.pk, stopped=True, looks=looks)
    except Problem as problem:
        Recording.objects.filter(pk=recording.pk).update(
            state=Recording.State.FINISHED, stopped=True, remark=f"ended without its recorder; {problem.detail}"
        )


@in_transaction
def _keep_control(recording: Recording, control: str) -> Recording:
    fresh = Recording.objects.select_for_update().get(pk=recording.pk)
    if fresh.state == Recording.State.PLANNED and control == Recording.Control.STOP:
        fresh.state, fresh.remark = Recording.State.REFUSED, "called off before it began"
    elif control == Recording.Control.END and not by_hand(fresh):
        raise conflict("not-by-hand", "Only a run played by hand is ended so; skip it, or stop.")
    elif fresh.state != Recording.State.RECORDING:
        raise conflict("not-recording", f"This recording is {fresh.state}; there is nothing to {control}.")
    fresh.control = control
    fresh.save(update_fields=["control", "state", "remark"])
    tell(fresh.pk)
    return fresh


@in_transaction
def refuse(book: Book, recording_id: UUID, why: str) -> None:
    """A recorder cannot make a recording that was asked of it."""
    Recording.objects.filter(pk=recording_id, book=book, state=Recording.State.PLANNED).update(
        state=Recording.State.REFUSED, remark=why
    )


def places(slots: list[Slot]) -> list[dict[str, Any]]:
    """The schedule: one place a slot, with its last attempt and how often it was tried."""
    last: dict[int, Slot] = {}
    tries: dict[int, list[str]] = {}
    for slot in slots:
        last[slot.position] = slot
        if slot.outcome not in (Outcome.PLANNED, Outcome.COMPLETE):
            tries.setdefault(slot.position, []).append(slot.outcome)
    return [
        {
            "position": position,
            "arm": slot.arm,
            "outcome": slot.outcome,
            "detail": slot.detail,
            "run": slot.run_id,
            "mean_ms": _figure(slot, "mean_ms"),
            "failed": tries.get(position, []),
        }
        for position, slot in sorted(last.items())
    ]


def _figure(slot: Slot, name: str) -> float | None:
    figures = getattr(slot.run, "figures", None) if slot.run else None
    return figures.values.get(name) if figures and slot.outcome == Outcome.COMPLETE else None


def arms(recording: Recording, slots: list[Slot]) -> list[dict[str, Any]]:
    """Each arm's figures as they come: the mean over its complete runs. No verdict: that needs them all."""
    labels = in_order(s.arm for s in slots)
    found = []
    for label in labels:
        complete = [s for s in slots if s.arm == label and _figure(s, "mean_ms") is not None]
        values = {name: [_figure(s, name) for s in complete] for name in ARM_FIGURES}
        means = {n: statistics.fmean(v) for n, v in values.items() if v and all(x is not None for x in v)}
        found.append(
            {
                "label": label,
                "name": arm_name(recording.plan, label),
                "runs": len(complete),
                "failed": sum(s.arm == label and s.outcome not in ("planned", "complete") for s in slots),
                "rows": [row for row in run_rows(means) if row["name"] in ARM_FIGURES],
            }
        )
    return found
