"""The page of a line over builds, and a line as a table to take out."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any
from uuid import UUID

from vigilant.core.trend import Break, Joined, Step, elsewhere, events, moved
from vigilant.server.books.models import name_of
from vigilant.server.runs.models import Recording
from vigilant.server.runs.plans import policy_of
from vigilant.server.scenarios.models import Rig, Scenario
from vigilant.wording import FIGURE_TEXTS
from vigilant.wording import trend as wording

from .alarms import Heard, Recheck, alarms_of, following_of, heard, on_line
from .lines import FigureLine, best_of, figure_line
from .measurements import Gathered, RigLine, gathered, on_same_rig, same_rig, watched
from .models import Alarm, Following

#: Builds at the end of a line of which no step can be told yet.
FRESH = 2
#: Figures that a line is looked at in beside those that are watched.
ALSO = ("p50_ms", "slowest_01pct_ms", "worst_ms")


# -- one line


def line_page(scenario: Scenario, line: RigLine, found: Gathered, asked: str) -> dict[str, Any]:
    """Everything that is said of a line, with one figure of it drawn: a ``LinePageSerializer``."""
    figures, without = watched(found.version)
    following = following_of(scenario)
    rate = 1.0 / following.false_alarm_in
    own_alarms = on_line(alarms_of(scenario), line)
    now = heard(line, figures, rate, own_alarms)
    lines = {one.line.figure: one.line for one in now}
    chosen = asked if asked in lines or asked in ALSO else next(iter(lines), "")
    drawn = lines.get(chosen) or (figure_line(line, chosen, len(figures)) if chosen else None)
    names = build_names(line)
    target = found.version.target_fps
    return {
        "scenario": {"id": scenario.pk, "name": scenario.name},
        "version": found.version.number,
        "target_fps": target,
        "budget_ms": 1000.0 / target if target else None,
        "rig": str(line.rig),
        "rig_id": line.rig.pk,
        "chain": line.chain,
        "builds": list(dict.fromkeys(names[m.place] for m in line.measurements)),
        "figures": [_figure(one, names) for one in now],
        "also": [{"figure": f, "label": FIGURE_TEXTS[f].label} for f in ALSO if f not in lines],
        "unfollowed": wording.no_line(without) if without else "",
        "drawn": None if drawn is None else _drawn(drawn, line, found, names),
        "events": list(_events(lines, line, found, figures, names)),
        "alarms": [alarm_row(a) for a in own_alarms],
        "others": [_other(one, figures) for one in found.lines if one is not line],
        "left_out": wording.left_out(found.left_out),
        "rate": wording.rate_sentence(rate, len(figures)),
        "following": following_row(following),
    }


def build_names(line: RigLine) -> dict[int, str]:
    return {m.place: m.build for m in line.measurements}


def following_row(following: Following) -> dict[str, Any]:
    return {"false_alarm_in": following.false_alarm_in, "recheck_days": following.recheck_days}


def names_of(of: FigureLine, names: dict[int, str]) -> list[str]:
    """Each point's build."""
    return [names[p.build] for p in of.joined.points]


def _sizer(of: FigureLine, place: int) -> wording.Said:
    """Sizes from the level just before a point."""
    return wording.sizer(of.scaled, float(of.joined.line.fitted[max(0, place - 1)]))


def _figure(one: Heard, names: dict[int, str]) -> dict[str, Any]:
    of, newest = one.line, names[one.newest.build]
    kind, mean = of.scaled.kind, sum(one.newest.runs) / len(one.newest.runs)
    said = wording.sizer(of.scaled, mean)
    now = (
        f"{newest} is held against nothing: {wording.WHY_NOT[one.found]}."
        if isinstance(one.found, str)
        else wording.alert_sentence(of.figure, one.found, newest, kind.higher_is_better, said)
    )
    return {
        "figure": of.figure,
        "label": FIGURE_TEXTS[of.figure].label,
        "newest": wording.value_said(of.scaled, mean),
        "sentence": wording.line_sentence(of.figure, of.joined.line, names_of(of, names), said),
        "now": now,
        "change": "" if isinstance(one.found, str) else wording.alert_words(one.found, kind.higher_is_better, said),
        "call": one.call,
        "worse": one.worse if one.call else False,
        "missing": of.missing,
    }


def _drawn(of: FigureLine, line: RigLine, found: Gathered, names: dict[int, str]) -> dict[str, Any]:
    """A figure's line as it is drawn: every value in the figure's unit, earlier stretches shifted to the newest one's level."""
    made = of.joined
    builds = sorted({p.build for p in made.points})
    x = {build: i for i, build in enumerate(builds)}
    fresh = set(builds[-FRESH:])
    named = names_of(of, names)
    margins = policy_of(found.version.definition).margins

    def unit(y: float, shift: float = 0.0) -> float:
        return of.scaled.back(float(y) + shift)

    points = []
    for i, (point, measurement) in enumerate(zip(made.points, of.measurements, strict=True)):
        shift = made.stretch_of(i).shift
        ids = measurement.runs.having(of.figure).ids()
        points.append(
            {
                "x": x[point.build],
                "build": named[i],
                "level": unit(made.line.noise.m[i], shift),
                "measured": unit(made.line.noise.m[i]),
                "low": None if made.line.short else unit(made.line.low[i], shift),
                "high": None if made.line.short else unit(made.line.high[i], shift),
                "fitted": unit(made.line.fitted[i], shift),
                "fitted_low": unit(made.line.fitted[i] - made.line.half[i], shift),
                "fitted_high": unit(made.line.fitted[i] + made.line.half[i], shift),
                "runs": [{"run": run, "value": unit(y, shift)} for run, y in zip(ids, point.runs, strict=True)],
                "sessions": point.sessions,
                "stretch": made.stretches.index(made.stretch_of(i)),
                "odd": i in made.line.odd,
                "fresh": point.build in fresh,
                "words": wording.point_words(of.scaled, made.line, i, point.sessions),
            }
        )
    return {
        "figure": of.figure,
        "label": FIGURE_TEXTS[of.figure].label,
        "definition": FIGURE_TEXTS[of.figure].definition,
        "unit": FIGURE_TEXTS[of.figure].unit,
        "points": points,
        "breaks": [_break(of, one, line, named, x) for one in made.breaks],
        "steps": [
            _step(of, step, named, x, margins.get(of.figure)) for step in made.line.steps
        ],
        "drifts": [
            {
                "first": x[made.points[d.first].build],
                "last": x[made.points[d.last].build],
                "sentence": wording.drift_words(d, named, _sizer(of, d.first + 1)),
            }
            for d in made.line.drifts
        ],
        "shifted": wording.shown_shifted(made),
        "notes": wording.notes(made.line, named, _sizer(of, len(made.points))),
    }  # fmt: skip


def _step(of: FigureLine, step: Step, named: Sequence[str], x: dict[int, int], margin: float | None) -> dict[str, Any]:
    points, said = of.joined.points, _sizer(of, step.at)
    level = float(of.joined.line.fitted[step.at - 1])
    room = of.scaled.kind.margin_y(level, margin)
    return {
        "x": x[points[step.at].build],
        "first": x[points[step.first].build],
        "last": x[points[step.last].build],
        "size": said(step.size),
        "material": step.low > room or step.high < -room,
        "worse": (step.size > 0) != of.scaled.kind.higher_is_better,
        "sentence": wording.step_words(step, named, said),
    }


def _break(of: FigureLine, one: Break, line: RigLine, named: Sequence[str], x: dict[int, int]) -> dict[str, Any]:
    made = of.joined
    after = made.stretch_of(one.at)
    before = made.stretches[one.before]
    keys = list(line.setups)
    old, new = (line.setups[keys[s.setup]].facts for s in (before, after))
    changed = {
        name: (old.get(name, ""), new.get(name, ""))
        for name in sorted({*old, *new}, key=lambda n: (n != "version", n))
        if old.get(name) != new.get(name)
    }
    common = [named[i] for i, p in enumerate(made.points) if p.build in one.common and i >= after.start][
        : len(one.common)
    ]
    ends = [named[before.stop - 1], named[after.start]]
    return {
        "at": x[made.points[after.start].build],
        "until": x[made.points[before.stop - 1].build],
        "reason": wording.break_reason(changed),
        "bridged": one.bridge is not None,
        "sentence": wording.break_sentence(
            one.bridge, one.across, common, _sizer(of, one.at), [] if old["version"] != new["version"] else ends
        ),
    }


def _events(
    lines: dict[str, FigureLine], line: RigLine, found: Gathered, figures: Sequence[str], names: dict[int, str]
) -> Iterator[dict[str, Any]]:
    """Steps of several figures as one event, and whether other rigs show it."""
    if not lines:
        return
    first = next(iter(lines.values()))
    alike = {name: one for name, one in lines.items() if one.joined.builds == first.joined.builds}
    better = {name for name, one in alike.items() if one.scaled.kind.higher_is_better}
    rigs = _other_rigs(line, found)
    named = names_of(first, names)
    builds = sorted({p.build for p in first.joined.points})
    for event in events({name: one.joined.line for name, one in alike.items()}, better):
        name, step = next(iter(event.steps.items()))
        seen, not_seen = [], []
        for rig in rigs:
            other = figure_line(rig, name, len(figures))
            there = other and _there(step, first.joined, other.joined)
            if other and there:
                told, at = there
                said = _sizer(other, at.at)
                if told.shows:
                    seen.append(str(rig.rig))
                else:
                    not_seen.append((str(rig.rig), wording.at_most(told, said)))
        steps = [(f, _sizer(alike[f], s.at)(s.size), wording.figure_name(f)) for f, s in event.steps.items()]
        place = None if event.first is None or event.last is None else (named[event.first], named[event.last])
        yield {
            "x": builds.index(first.joined.points[step.at].build),
            "sentence": wording.event_sentence(named[step.at], place, steps, event.trade_off),
            "elsewhere": wording.elsewhere_sentence(str(line.rig), seen, not_seen),
            "figures": list(event.steps),
        }


def _other_rigs(line: RigLine, found: Gathered) -> list[RigLine]:
    rigs: dict[int, list[RigLine]] = {}
    for one in found.lines:
        if not same_rig(one.rig, line.rig):
            rigs.setdefault(one.rig.pk, []).append(one)
    return [best_of(own) for own in rigs.values()]


def _there(step: Step, of: Joined, other: Joined) -> Any:
    """What another rig's line says of a step, and where it would be there; None where it does not reach over it."""
    at = moved(step, of.builds, other.builds)
    return None if at is None else (elsewhere(at, other.line), at)


def _other(line: RigLine, figures: Sequence[str]) -> dict[str, Any]:
    return {
        "rig": str(line.rig),
        "rig_id": line.rig.pk,
        "chain": line.chain,
        "builds": len({m.place for m in line.measurements}),
        "newest": max(line.measurements, key=lambda m: m.place).build,
    }


def read_page(recording: Recording, build: str) -> dict[str, Any]:
    """What a recording's build says against its line, for whoever recorded it."""
    scenario = recording.scenario_version.scenario
    found = gathered(scenario)
    figures, _ = watched(found.version)
    rate = 1.0 / following_of(scenario).false_alarm_in
    own = [one for one in found.of_rig(recording.rig) if one.holds(build, recording.pk)] if recording.rig else []
    alarms = on_line(alarms_of(scenario), own[0]) if own else []
    now = heard(own[0], figures, rate, alarms, build) if own else []
    names = build_names(own[0]) if own else {}
    path = f"/{recording.book.slug}/trend/{scenario.pk}/{own[0].rig.pk}" if own else f"/{recording.book.slug}/trend"
    return {
        "build": build,
        "placed": bool(own),
        "figures": [_figure(one, names) for one in now],
        "alarms": [alarm_row(a) for a in alarms if a.state in Alarm.OPEN],
        "worse": any(one.call and one.worse for one in now),
        "rate": wording.rate_sentence(rate, len(figures)),
        "path": path,
    }


# -- alarms


def alarm_row(alarm: Alarm) -> dict[str, Any]:
    return {
        "id": alarm.pk,
        "scenario": {"id": alarm.scenario.pk, "name": alarm.scenario.name},
        "rig": str(alarm.rig),
        "rig_id": alarm.rig_id,
        "build": alarm.build,
        "state": alarm.state,
        "open": alarm.state in Alarm.OPEN,
        "worse": any(f["worse"] for f in alarm.figures),
        "sentence": f"{wording.alarm_sentence(alarm.build, alarm.figures)}.",
        "stands": wording.alarm_state(alarm.state, alarm.build, alarm.later),
        "raised_at": alarm.raised_at,
        "why": alarm.why,
        "by": name_of(alarm.explained_by) if alarm.explained_by else "",
        "entry": alarm.entry.number if alarm.entry else None,
        "like": _recorded_as(alarm) if alarm.state in Alarm.OPEN else None,
    }


def _recorded_as(alarm: Alarm) -> UUID | None:
    """The newest recording of an alarm's build for its line, by whose plan it is recorded again."""
    found = Recording.objects.filter(
        on_same_rig(alarm.rig),
        account="line",
        scenario_version__scenario=alarm.scenario_id,
        slots__run__build__label=alarm.build,
    )
    return found.order_by("-created_at").values_list("pk", flat=True).first()


def recheck_row(one: Recheck) -> dict[str, Any]:
    return {
        "scenario": {"id": one.scenario.pk, "name": one.scenario.name},
        "overdue": one.overdue_since is not None,
        "short": f"overdue since {one.overdue_since:%Y-%m-%d}" if one.overdue_since else "",
        "sentence": wording.recheck_sentence(one.days, one.last, one.overdue_since),
    }


# -- taken out


def taken_out(line: RigLine, figures: Sequence[str]) -> Iterator[list[Any]]:
    """A row a measurement and figure: what was measured and what the line makes of it, in the figure's unit."""
    yield [
        "figure",
        "unit",
        "build",
        "set_up",
        "runs",
        "sessions",
        "value",
        "low",
        "high",
        "level",
        "odd",
        "step_begins",
    ]
    names = build_names(line)
    for figure in figures:
        of = figure_line(line, figure, len(figures))
        if of is None:
            continue
        found = of.joined.line
        begins = {s.at for s in found.steps}
        for i, point in enumerate(of.joined.points):
            ends = [None, None] if found.short else [of.scaled.back(float(y)) for y in (found.low[i], found.high[i])]
            yield [
                figure, "" if of.scaled.kind.unit == "share" else of.scaled.kind.unit, names[point.build], point.setup + 1, len(point.runs),
                point.sessions, of.scaled.back(float(found.noise.m[i])), *ends, of.scaled.back(float(found.fitted[i])), i in found.odd,
                i in begins,
            ]  # fmt: skip


def line_at(found: Gathered, rig: Rig, chain: int | None) -> RigLine | None:
    """The line of a rig that is asked for, else the one with the newest build."""
    own = found.of_rig(rig)
    if chain is not None:
        return next((one for one in own if one.chain == chain), None)
    return best_of(own) if own else None
