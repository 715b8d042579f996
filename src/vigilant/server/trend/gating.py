"""A new build's runs held against its line, by the rule of an entry: what a build server lets pass."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from vigilant.core.trend import Followed, judged
from vigilant.server.problems import unprocessable
from vigilant.server.runs.models import Recording, Run
from vigilant.server.runs.plans import policy_of
from vigilant.wording import trend as wording

from .alarms import alarms_of, on_line, stands
from .lines import figure_line
from .measurements import RigLine, gathered, watched


def build_of(recording: Recording) -> str:
    """The one build that was recorded. Raises a problem for several, and for none."""
    runs = Run.objects.filter(slot__recording=recording, state=Run.State.COMPLETE)
    builds = sorted(set(runs.values_list("build__label", flat=True)))
    if len(builds) != 1:
        said = f"of {len(builds)} builds" if builds else "without a complete run"
        raise unprocessable("build-not-one", f"A line takes runs of one build; this recording is {said}.")
    return builds[0]


def gated(recording: Recording, alpha: float) -> dict[str, Any]:
    """The verdict of a recording of one build against the builds before it. Raises a problem for one that is of several."""
    build = build_of(recording)
    scenario = recording.scenario_version.scenario
    found = gathered(scenario, build)
    lines = [line for line in found.of_rig(recording.rig) if line.holds(build, recording.pk)] if recording.rig else []
    figures, without = watched(found.version)
    before = [("figure-missing", wording.no_line(without))] if without else []
    if not lines:
        return wording.gate_document(build, judged([], {}, alpha), alpha, before)
    line = _this_session(lines[0], build, recording)
    measured = next(m for m in reversed(line.measurements) if m.build == build)
    alarm, standing = stands(line, measured, on_line(alarms_of(scenario), line))
    if alarm is not None:
        before.append(("alarm-open", f"An alarm is open since {alarm.build}: held against the level before it."))
    followed = []
    for own in filter(None, (figure_line(line, figure, len(figures)) for figure in figures)):
        newest = next((p for p in own.joined.points if p.build == measured.place), None)
        if newest is not None:
            followed.append(Followed(own.figure, own.scaled, own.joined.points, newest))
    margins = policy_of(found.version.definition).margins
    verdict = judged(followed, margins, alpha, standing.before, standing.accepted)
    return wording.gate_document(build, verdict, alpha, before)


def _this_session(line: RigLine, build: str, recording: Recording) -> RigLine:
    """The line with the build's runs of this recording alone."""
    kept = []
    for m in line.measurements:
        runs = m.runs.of(recording.pk) if m.build == build else m.runs
        if len(runs):
            kept.append(replace(m, runs=runs))
    return replace(line, measurements=tuple(kept))
