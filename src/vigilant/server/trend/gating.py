"""A new build's runs held against its line, by the rule of an entry: what a build server lets pass."""

from __future__ import annotations

from dataclasses import replace
from math import sqrt
from typing import Any

from vigilant.core import FIGURES
from vigilant.core.trend import Gated, Primary, gate, held_to
from vigilant.core.trend.search import LEAST
from vigilant.server.problems import unprocessable
from vigilant.server.runs.models import Recording, Run
from vigilant.server.runs.plans import policy_of
from vigilant.wording import trend as wording

from .alarms import alarms_of, stands
from .lines import FigureLine, figure_line
from .measurements import RigLine, gathered, same_rig, watched


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
    findings = [_finding("figure-missing", wording.no_line(without))] if without else []
    if not lines or not figures:
        findings.append(_finding("set-up-differs", wording.WHY_NOT["set-up-new"]))
        return _said(build, "void", [], findings, alpha)
    line = _this_session(lines[0], build, recording)
    alarms = [a for a in alarms_of(scenario) if same_rig(a.rig, line.rig)]
    place = next(m.place for m in line.measurements if m.build == build)
    alarm, standing = stands(line, place, alarms)
    if alarm is not None:
        findings.append(
            _finding("alarm-open", f"An alarm is open since {alarm.build}: held against the level before it.")
        )
    policy = policy_of(found.version.definition)
    primaries, told, why = [], [], ""
    for figure in figures:
        own = figure_line(line, figure, len(figures))
        if own is None:
            continue
        newest = next(p for p in own.joined.points if p.build == place)
        before = held_to(own.joined.points, newest, len(figures), own.scaled.floor, standing.before, standing.accepted)
        if isinstance(before, str):
            why = before
            break
        level = before.expected(before.noise.m.size)[0]
        kind = FIGURES[figure]
        margin = kind.margin_y(level, policy.margins.get(figure))
        primaries.append(Primary(figure, before, newest.runs, margin, kind.higher_is_better))
        told.append(own)
    if why or not primaries:
        short = why == "line-too-short"
        code = "session-spread-unknown" if short else "set-up-differs"
        findings.append(_finding(code, wording.WHY_NOT[why or "set-up-new"]))
        return _said(build, "undecided" if short else "void", [], findings, alpha)
    verdict = gate(primaries, alpha)
    if any(row.young for row in verdict.rows):
        findings.append(_finding("level-young", f"The level began with a step fewer than {LEAST} builds ago."))
    if any(sqrt(one.line.tau2) > sqrt(one.line.noise.s2 / len(one.newest)) for one in primaries):
        findings.append(_finding("sessions-spread", wording.BESIDE))
    return _said(build, verdict.verdict, _rows(verdict, told), findings, alpha)


def _this_session(line: RigLine, build: str, recording: Recording) -> RigLine:
    """The line with the build's runs of this recording alone."""
    kept = []
    for m in line.measurements:
        runs = tuple(r for r in m.runs if r.recording == recording.pk) if m.build == build else m.runs
        if runs:
            kept.append(replace(m, runs=runs))
    return replace(line, measurements=tuple(kept))


def _finding(code: str, text: str) -> dict[str, str]:
    return {"code": code, "text": text}


def _rows(found: Gated, told: list[FigureLine]) -> list[dict[str, Any]]:
    rows = []
    for row, own in zip(found.rows, told, strict=True):
        said = wording.sizer(own.scaled, row.level)
        rows.append(
            {
                "figure": row.name,
                "name": wording.figure_name(row.name),
                "level": wording.value_said(own.scaled, row.level),
                "newest": wording.value_said(own.scaled, row.level + row.d),
                "change": said(row.d),
                "interval": f"{said(row.low)} to {said(row.high)}",
                "inside": row.inside,
            }
        )
    return rows


def _said(build: str, verdict: str, rows: list[dict[str, Any]], findings: list[dict[str, str]], alpha: float) -> dict[str, Any]:  # fmt: skip
    return {
        "build": build,
        "verdict": verdict,
        "sentence": wording.gate_sentence(build, verdict, rows),
        "rows": rows,
        "findings": findings,
        "alpha": alpha,
        "false_failure": f"One build in {round(1 / alpha)} fails falsely where nothing changed.",
    }
