"""Arms made of stored runs: what order they were recorded in, whether they may be compared, and
several of them side by side."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any
from uuid import UUID

from vigilant.core import Finding, Several
from vigilant.formats import limits
from vigilant.server.books.models import Book
from vigilant.server.problems import unprocessable
from vigilant.server.runs.models import Run, Slot
from vigilant.server.scenarios.models import ScenarioVersion


@dataclass(frozen=True)
class Recorded:
    """Arms in the order of their runs, the arm of every slot, and each slot's session."""

    arms: dict[str, list[Run]]
    order: list[str | None]
    sessions: list[int]


def recorded_order(arms: Mapping[str, Sequence[Run]]) -> Recorded | None:
    """The order that the recordings of these runs have kept; None if one of them has none, or is in two arms.

    Each recording is a session. Slots of other runs keep their place.
    """
    arm_of = {run.pk: (name, run) for name, runs in arms.items() for run in runs}
    found = {s.run_id: s for s in Slot.objects.filter(run__in=arm_of).select_related("recording")}
    if set(found) != set(arm_of) or len(arm_of) < sum(len(runs) for runs in arms.values()):
        return None
    recordings = sorted({s.recording for s in found.values()}, key=lambda r: (r.created_at, r.pk))
    made = Recorded({name: [] for name in arms}, [], [])
    for session, recording in enumerate(recordings):
        last = {s.position: s for s in recording.slots.order_by("position", "attempt") if s.run_id in arm_of}
        total = 1 + max(recording.slots.values_list("position", flat=True))
        for position in range(total):
            name, run = arm_of[last[position].run_id] if position in last else (None, None)
            made.order.append(name)
            made.sessions.append(session)
            if name is not None and run is not None:
                made.arms[name].append(run)
    counted = sum(len(runs) for runs in made.arms.values())
    return made if counted == len(arm_of) else None


def unlike(before: Sequence[Run], after: Sequence[Run]) -> list[Finding]:
    """What makes stored runs void together beside what their frames say: versions and rigs that differ."""
    runs = [*before, *after]
    found = []
    versions = {run.scenario_version_id: run.scenario_version for run in runs}
    if len(versions) > 1:
        named = [f"{v.scenario.name} {v.number}" for v in versions.values()]
        found.append(Finding("scenario-versions-differ", "void", {"versions": named}))
    if len({run.rig_id for run in runs}) > 1:
        rigs = [sorted({str(run.rig) for run in arm}) for arm in (before, after)]
        difference = {"condition": "rig", "before": rigs[0], "after": rigs[1]}
        found.append(Finding("conditions-differ", "void", {"differences": [difference]}))
    return found


def usable(runs: Sequence[Run]) -> ScenarioVersion:
    """The newest scenario version of runs that may enter an arm. Raises a problem for others, and for more
    frames than are read for one answer."""
    frames = sum(run.frames for run in runs)
    if frames > limits.FRAMES_AT_ONCE:
        raise unprocessable(
            "too-many-frames", f"These runs hold {frames:,} frames; {limits.FRAMES_AT_ONCE:,} are read for one answer."
        )
    if aside := [run for run in runs if run.excluded_at]:
        raise unprocessable(
            "run-set-aside", f"Run {aside[0].pk} is set aside and enters no arm: {aside[0].excluded_why}"
        )
    bad = [run for run in runs if run.state != Run.State.COMPLETE]
    if bad:
        raise unprocessable("run-not-complete", f"Run {bad[0].pk} is {bad[0].state} and enters no arm.")
    return max((run.scenario_version for run in runs), key=lambda v: v.pk)


def runs_by_id(book: Book, ids: Sequence[UUID]) -> list[Run]:
    """Runs of a book in the order asked for. Raises a problem for one that is not there."""
    found = {
        run.pk: run
        for run in Run.objects.filter(book=book, pk__in=ids).select_related(
            "scenario_version__scenario", "rig", "conditions", "build"
        )
    }
    missing = [str(i) for i in ids if i not in found]
    if missing:
        raise unprocessable("run-unknown", f"Run {missing[0]} is not in this book.")
    return [found[i] for i in ids]


def placed(several: Several, names: Mapping[str, str]) -> list[dict[str, Any]]:
    """The places that significant differences leave each arm, per primary (named by the figure)."""
    primaries = next(iter(several.pairs.values())).primaries
    return [
        {"figure": figure, "arm": names[arm], "best": best, "worst": worst}
        for figure in primaries
        if figure in several.ranks
        for arm, (best, worst) in several.ranks[figure].items()
    ]
