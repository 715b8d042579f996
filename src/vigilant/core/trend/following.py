"""The newest build of a line held against its level, and what becomes of an alarm as further sessions and builds come in.

Formulas: docs/statistics.md, *The newest build*.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import Literal

from vigilant.core.scales import LOG_VARIANCE

from .alert import BEFORE, RATE, Alert, alert
from .line import Line, line
from .stretches import Point, in_stretches, starts_of

#: An alarm asks for a second session of its build; with that it is confirmed or withdrawn.
State = Literal["asked", "confirmed", "withdrawn"]
SESSIONS = 2
#: At what p, two-sided, a build backs what four say together.
BACKED = 0.02
WhyNot = Literal["line-too-short", "set-up-new"]


def baseline(points: Sequence[Point], newest: Point, level_before: int | None = None) -> list[Point] | WhyNot:
    """The measurements that a build is held against, those of its own set-up last: of the builds before it, or with ``level_before``
    before that build (the level that an open alarm was raised against). Why there is none, where they are too few, or none is of its
    set-up."""
    end = newest.build if level_before is None else min(level_before, newest.build)
    before = [p for p in points if p.build < end]
    own = [p for p in before if p.setup == newest.setup]
    if not own:
        return "set-up-new"
    if len(before) < BEFORE:
        return "line-too-short"
    others = [p for p in before if p.setup != newest.setup]
    return [*(in_stretches(others) if others else ()), *in_stretches(own)]


def called(
    points: Sequence[Point],
    newest: Point,
    figures: int = 1,
    rate: float = RATE,
    floor: float = LOG_VARIANCE,
    level_before: int | None = None,
    accepted: Collection[int] = (),
) -> Alert | WhyNot:
    """Hold a build against its :func:`baseline`; why not, where it has none. ``accepted`` are builds that a level is known to begin with,
    since somebody explained it. Raises :class:`InvalidComparison`."""
    before = baseline(points, newest, level_before)
    if isinstance(before, str):
        return before
    sessions = [*(p.sessions for p in before), newest.sessions]
    cuts = _cuts(before, newest, accepted)
    return alert([p.runs for p in before], newest.runs, figures, rate, cuts, floor, sessions)


def held_to(
    points: Sequence[Point],
    newest: Point,
    figures: int = 1,
    floor: float = LOG_VARIANCE,
    level_before: int | None = None,
    accepted: Collection[int] = (),
) -> Line | WhyNot:
    """The line of a build's :func:`baseline`, as a gate takes it. Raises :class:`InvalidComparison`."""
    before = baseline(points, newest, level_before)
    if isinstance(before, str):
        return before
    cuts = _cuts(before, newest, accepted)
    return line([p.runs for p in before], figures, cuts, floor, [p.sessions for p in before])


def _cuts(before: Sequence[Point], newest: Point, accepted: Collection[int]) -> list[int]:
    """Places at which a set-up begins, or a level that was accepted."""
    own = [i for i, p in enumerate(before) if p.setup == newest.setup]
    levels = {next((i for i in own if before[i].build >= build), 0) for build in accepted}
    return sorted({*starts_of(before), *levels} - {0})


def state_of(found: Alert | WhyNot, worse: bool, higher_is_better: bool, sessions: int) -> State:
    """What an alarm is by the runs of its build as they are now: asked for another session until there are two, then confirmed where
    they still say so in the same direction, else withdrawn. Of builds that creep the newest one has to say so by itself too: three of the
    four are what they were when the alarm was raised."""
    if sessions < SESSIONS or isinstance(found, str):
        return "asked"
    said = found.call != "" and is_worse(found, higher_is_better) == worse
    last = found.last
    alone = last is not None and last.p < BACKED and (last.d > 0) == (found.d > 0)
    return "confirmed" if said and (found.call == "sudden" or alone) else "withdrawn"


def is_worse(found: Alert, higher_is_better: bool) -> bool:
    return (found.d > 0) != higher_is_better
