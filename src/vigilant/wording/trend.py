"""The line over builds in words: its steps, drifts and odd builds, breaks, and the newest build against it."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from datetime import datetime
from typing import Any

from vigilant.core.trend import Across, Alert, Bridge, Drift, Elsewhere, GateRow, Joined, Judged, Line, Scaled, Step

from .change import number, percent
from .figures import FIGURE_TEXTS

#: A size on a figure's scale in words.
Said = Callable[[float], str]
#: Why a build is held against nothing.
WHY_NOT = {
    "line-too-short": "fewer than eight builds are before it",
    "set-up-new": "no build before it was recorded on its set-up",
}


def figure_name(figure: str) -> str:
    """A figure inside a sentence."""
    noun = FIGURE_TEXTS[figure].noun
    return "the mean frame" if figure == "mean_ms" else noun


def share_said(size: float) -> str:
    """A size on a scale of logarithms, as a share."""
    return percent(math.expm1(size))


def size_said(of: Scaled, level: float, size: float) -> str:
    """A size on a figure's scale, from a level on it: times as a share, shares in points, counts a minute."""
    if of.kind.unit == "ms":
        return share_said(size)
    apart = of.back(level + size) - of.back(level)
    if of.kind.unit == "share":
        points = 100.0 * apart
        return f"{_signed(points, 2 if abs(points) < 1 else 1)} points"
    return f"{_signed(apart, 1)} a minute"


def _signed(value: float, decimals: int) -> str:
    text = number(abs(value), decimals)
    return text if not any(c in "123456789" for c in text) else f"{'+' if value > 0 else '-'}{text}"


def value_said(of: Scaled, y: float) -> str:
    """A level in the figure's unit."""
    value = of.back(y)
    if of.kind.unit == "ms":
        return f"{number(value, 2)} ms"
    if of.kind.unit == "share":
        return f"{number(100.0 * value, 2)} %"
    return f"{number(value, 1)} a minute"


def step_words(step: Step, builds: Sequence[str], said: Said = share_said) -> str:
    """ "+2.9 % (+2.1 to +3.6 %) from b42 on; it may begin with any from b41 to b43"."""
    told = f"{said(step.size)} ({_span(said(step.low), said(step.high))}) from {builds[step.at]} on"
    if step.first == step.last:
        return told
    return f"{told}; it may begin with any from {builds[step.first]} to {builds[step.last]}"


def drift_words(drift: Drift, builds: Sequence[str], said: Said = share_said) -> str:
    return f"a drift of {said(drift.size)} from {builds[drift.first]} to {builds[drift.last]}"


def line_sentence(figure: str, found: Line, builds: Sequence[str], said: Said = share_said) -> str:
    """``builds`` names each measurement of the line; one on two set-ups is named twice, and counts once."""
    name = figure_name(figure)
    of = f"{name[:1].upper()}{name[1:]} over {len(set(builds))} builds"
    if found.short:
        return f"{of}: levels only, as eight builds are the least to tell a step from another session."
    parts = [step_words(step, builds, said) for step in found.steps]
    parts += [drift_words(drift, builds, said) for drift in found.drifts]
    if found.slope:
        parts.append(f"{said(found.slope)} a build all along")
    return f"{of}: {'; '.join(parts) if parts else 'no step'}."


def notes(found: Line, builds: Sequence[str], said: Said = share_said) -> list[str]:
    told = []
    if found.odd:
        named = ", ".join(builds[i] for i in found.odd)
        told.append(f"Odd: {named}. Such a build stands alone and weighs little; record it again.")
    if not found.short:
        sessions, runs = (said(math.sqrt(v)).lstrip("+") for v in (found.tau2, found.noise.s2))
        told.append(
            f"Sessions of one build differ by {sessions}, runs of one session by {runs}: the intervals are what a repeat in another"
            " session agrees with."
        )
    return told


# -- breaks


def break_reason(facts: Mapping[str, Sequence[str]]) -> str:
    """What changed between two set-ups: by name, before and after ("" where it was not there)."""
    named = [
        f"{'version of the scenario' if name == 'version' else name} {before or 'not stated'}, then {after or 'not stated'}"
        for name, (before, after) in facts.items()
    ]
    return "; ".join(named[:3]) + (f"; and {len(named) - 3} more" if len(named) > 3 else "")


def break_sentence(
    found: Bridge | None, change: Across | None, common: Sequence[str], said: Said, asked: Sequence[str]
) -> str:
    """What joins two set-ups, and what the program changed across; without a bridge what would make one."""
    if found is None or change is None:
        want = " or ".join(asked)
        return (
            "No build was recorded on both sides, so that nothing is compared across."
            f"{f' To join them record {want} on the other side: one is usable, two are better.' if want else ''}"
        )
    low, high = found.interval()
    named = f"{common[0]} and {common[-1]}" if len(common) == 2 else ", ".join(common)
    bridged = f"Joined by {named}, recorded on both: the set-ups differ by {said(found.offset)} ({_span(said(low), said(high))})."
    if change.shown:
        return f"{bridged} Beside that the program changed by {said(change.d)} ({_span(said(change.low), said(change.high))})."
    return f"{bridged} No change of the program is shown across; it would have had to exceed {said(change.exceeds).lstrip('+')}."


def shown_shifted(of: Joined) -> bool:
    """Whether a stretch is drawn where it was not measured."""
    return any(one.shift for one in of.stretches)


# -- the newest build


def alert_sentence(
    figure: str, found: Alert, newest: str, higher_is_better: bool = False, said: Said = share_said
) -> str:
    """The newest build against the line before it."""
    name = figure_name(figure)
    if not found.call:
        return f"{newest} is what its line expects of {name}: {said(found.sudden.d)}, which is no alarm."
    word = "worse" if (found.d > 0) != higher_is_better else "better"
    how = "" if found.call == "sudden" else ", by the newest four builds together"
    return f"{newest} is {word} than its line: {name} {said(found.d)}{how}."


def alert_words(found: Alert, higher_is_better: bool, said: Said) -> str:
    """The newest build against the line before it, in a word."""
    if not found.call:
        return f"{said(found.sudden.d)}, no alarm"
    word = "worse" if (found.d > 0) != higher_is_better else "better"
    return f"{word}: {said(found.d)}{'' if found.call == 'sudden' else ', by the newest four together'}"


def alarm_sentence(build: str, figures: Sequence[Mapping[str, Any]]) -> str:
    """ "b58 is worse than its line: the mean frame +3.1 %, the slowest 1 % of frames +4.0 %"."""
    worse = {bool(f["worse"]) for f in figures}
    word = "worse and better" if len(worse) > 1 else "worse" if worse == {True} else "better"
    named = ", ".join(f"{figure_name(f['figure'])} {f['said']}" for f in figures)
    return f"{build} is {word} than its line: {named}"


def alarm_state(state: str, build: str, later: Sequence[Mapping[str, Any]]) -> str:
    """Where an alarm stands, and what newer builds say of it."""
    told = {
        "asked": f"Record {build} again in another session: that confirms it or takes it back.",
        "confirmed": "A second session says so too.",
        "withdrawn": "With a second session it is within what sessions differ by.",
        "explained": "",
    }[state]
    still = [one["build"] for one in later if one["still"]]
    back = [one["build"] for one in later if not one["still"]]
    parts = [told] if told else []
    if still:
        parts.append(f"Still there in {_some(still)}.")
    if back:
        parts.append(f"Not in {_some(back)}.")
    return " ".join(parts)


def _some(names: Sequence[str]) -> str:
    return ", ".join(names) if len(names) <= 4 else f"{names[0]} to {names[-1]} ({len(names)} builds)"


def rate_sentence(rate: float, figures: int) -> str:
    watched = "" if figures == 1 else f", {figures} figures watched"
    return (
        f"One false alarm in {round(1 / rate)} builds is expected{watched}; record the build again in another session"
        " before an alarm is believed."
    )


# -- the gate

#: What to do where sessions differ by more than a session's runs.
BESIDE = (
    "Sessions of one build differ by more than the mean of these runs does: no number of runs in one session makes this surer. Record a"
    " baseline build beside the new one, and compare the two."
)


def sizer(of: Scaled, level: float) -> Said:
    """Sizes from a level on a figure's scale, in words."""
    return lambda size: size_said(of, level, size)


def no_line(figures: Sequence[str]) -> str:
    named = ", ".join(FIGURE_TEXTS[f].label for f in figures)
    return f"{named}: no line is made of it, so that it is not judged here; an entry judges it."


def gate_sentence(build: str, verdict: str, rows: Sequence[Mapping[str, Any]]) -> str:
    named = ", ".join(f"{row['name']} {row['change']} ({row['interval']})" for row in rows)
    head = f"{build} against its line: {verdict}"
    return f"{head}. {named[:1].upper()}{named[1:]}." if named else f"{head}."


# -- the page


def point_words(of: Scaled, found: Line, place: int, sessions: int) -> str:
    """What a measurement says: its level with the interval a repeat would agree with, of how many runs."""
    runs = int(found.noise.k[place])
    counted = f"{runs} run{'' if runs == 1 else 's'}" + (f" of {sessions} sessions" if sessions > 1 else "")
    level = value_said(of, float(found.noise.m[place]))
    if found.short:
        return f"{level}, {counted}"
    low, high = (value_said(of, float(y)) for y in (found.low[place], found.high[place]))
    return f"{level} ({_span(low, high)}), {counted}"


def _span(low: str, high: str) -> str:
    """Two amounts of one unit, which is said once."""
    return f"{low.split(' ')[0]} to {high}"


def at_most(found: Elsewhere, said: Said) -> str:
    """What another rig's level changed by at most where it shows no step."""
    if math.isinf(found.low) or math.isinf(found.high):
        return "not told"
    worst = max((found.low, found.high), key=abs)
    return f"{said(worst)} at most"


def event_sentence(
    build: str, place: tuple[str, str] | None, steps: Sequence[tuple[str, str, str]], trade_off: bool
) -> str:
    """``steps`` are each figure's size and name; ``place`` the builds that all of them may begin with."""
    named = ", ".join(f"{name} {size}" for _, size, name in steps)
    where = (
        "; their places differ"
        if place is None
        else f"; it may begin with any from {place[0]} to {place[1]}"
        if place[0] != place[1]
        else ""
    )
    return f"From {build} on: {named}{where}.{' A trade-off.' if trade_off else ''}"


def elsewhere_sentence(rig: str, seen: Sequence[str], not_seen: Sequence[tuple[str, str]]) -> str:
    if not seen and not not_seen:
        return ""
    total = 1 + len(seen) + len(not_seen)
    told = f"Seen on {1 + len(seen)} of {total} rigs: {', '.join((rig, *seen))}"
    without = "; ".join(f"not on {name}: {most}" for name, most in not_seen)
    return f"{told}; {without}." if without else f"{told}."


def left_out(counts: Mapping[str, int]) -> str:
    if not counts:
        return ""
    named = ", ".join(f"{n} {why}" for why, n in counts.items())
    return f"Runs left out: {named}."


def recheck_sentence(days: int, last: datetime | None, overdue_since: datetime | None) -> str:
    asked = f"to be recorded every {days} days"
    if last is None:
        return f"{asked[:1].upper()}{asked[1:]}; it never was."
    said = f"Last recorded on {last:%Y-%m-%d}, {asked}"
    return f"{said}: overdue since {overdue_since:%Y-%m-%d}." if overdue_since else f"{said}."


#: What a finding of the gate says.
GATE_FINDINGS = {
    "session-spread-unknown": WHY_NOT["line-too-short"],
    "set-up-differs": WHY_NOT["set-up-new"],
    "level-young": "The level it is held against began fewer than three builds ago.",
    "sessions-spread": BESIDE,
}


def gate_document(build: str, found: Judged, alpha: float, before: Sequence[tuple[str, str]] = ()) -> dict[str, Any]:
    """A gate's verdict whole; findings that came ``before`` it are code and text."""
    rows = [_gate_row(row, of) for row, of in zip(found.rows, found.lines, strict=True)]
    findings = [*before, *((code, GATE_FINDINGS[code]) for code in found.codes)]
    return {
        "build": build,
        "verdict": found.verdict,
        "sentence": gate_sentence(build, found.verdict, rows),
        "rows": rows,
        "findings": [{"code": code, "text": f"{text[:1].upper()}{text[1:].rstrip('.')}."} for code, text in findings],
        "alpha": alpha,
        "false_failure": f"One build in {round(1 / alpha)} fails falsely where nothing changed.",
    }


def _gate_row(row: GateRow, of: Scaled) -> dict[str, Any]:
    """A primary as it is judged: the level expected, the new build's, the change with its interval."""
    said = sizer(of, row.level)
    worse = (row.d > 0) != of.kind.higher_is_better
    return {
        "figure": row.name,
        "name": figure_name(row.name),
        "label": FIGURE_TEXTS[row.name].label,
        "level": value_said(of, row.level),
        "newest": value_said(of, row.level + row.d),
        "change": said(row.d),
        "interval": _span(said(row.low), said(row.high)),
        "inside": row.inside,
        "worse": bool(row.called and worse),
    }
