"""A line over builds across changes of set-up: which set-ups follow each other, and what bridges join them.

Formulas: docs/statistics.md, *Breaks and bridges*.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from vigilant.core.errors import InvalidComparison
from vigilant.core.scales import LOG_VARIANCE

from .bridge import Across, Bridge, across, bridge
from .line import Line, Step, line


@dataclass(frozen=True)
class Point:
    """A measurement of one figure: the place of its ``build`` in the order, the number of its set-up, its run values and the sessions they
    come from. ``work`` is what was recorded (a version of the scenario): nothing bridges two of them. ``seen`` is False where the figure
    counts events and there was none."""

    build: int
    setup: int
    runs: tuple[float, ...]
    sessions: int = 1
    work: int = 0
    seen: bool = True


@dataclass(frozen=True)
class Stretch:
    """Points ``start`` to ``stop`` of one set-up; ``shift`` puts them on the level of the newest stretch that bridges lead to."""

    setup: int
    start: int
    stop: int
    shift: float


@dataclass(frozen=True)
class Break:
    """Where a stretch begins: the stretch before that it is bridged to (the one just before where it is to none), the builds that were
    recorded on both, what the set-ups differ by, and what changed beside that."""

    at: int
    before: int
    common: tuple[int, ...]
    bridge: Bridge | None
    across: Across | None


@dataclass(frozen=True, eq=False)
class Joined:
    """A line of several stretches; its steps, drifts and odd builds are places among ``points``."""

    points: tuple[Point, ...]
    line: Line
    stretches: tuple[Stretch, ...]
    breaks: tuple[Break, ...]

    @property
    def builds(self) -> tuple[int, ...]:
        return tuple(point.build for point in self.points)

    def stretch_of(self, place: int) -> Stretch:
        return next(one for one in self.stretches if one.start <= place < one.stop)


def successions(spans: Sequence[Sequence[int]]) -> list[list[int]]:
    """Which set-ups make a line, the earliest first, by the builds that each was recorded with: one follows another where it begins and
    ends later and shares at most half of the builds of the shorter; those recorded side by side are lines of their own."""
    lines: list[list[int]] = []
    for own in sorted(range(len(spans)), key=lambda i: (min(spans[i]), max(spans[i]))):
        before = [one for one in lines if _follows(spans[one[-1]], spans[own])]
        if before:
            max(before, key=lambda one: max(spans[one[-1]])).append(own)
        else:
            lines.append([own])
    return lines


def _follows(earlier: Sequence[int], later: Sequence[int]) -> bool:
    shared = len({*earlier} & {*later})
    return (
        min(later) > min(earlier)
        and max(later) > max(earlier)
        and 2 * shared <= max(2, min(len({*earlier}), len({*later})))
    )


def joined(points: Sequence[Point], figures: int = 1, floor: float = LOG_VARIANCE) -> Joined:
    """The line of set-ups that follow each other (:func:`successions`). Raises :class:`InvalidComparison`."""
    ordered = in_stretches(points)
    starts = starts_of(ordered)
    found = line([p.runs for p in ordered], figures, starts[1:], floor, [p.sessions for p in ordered])
    ends = [*starts[1:], len(ordered)]
    spans = list(zip(starts, ends, strict=True))
    breaks = tuple(_break(ordered, spans, i, found, figures, floor) for i in range(1, len(spans)))
    shifts = [0.0] * len(spans)
    for i in range(len(spans) - 1, 0, -1):
        made = breaks[i - 1]
        if made.bridge is not None:
            shifts[made.before] = shifts[i] + made.bridge.offset
    return Joined(
        tuple(ordered),
        found,
        tuple(Stretch(ordered[a].setup, a, b, shift) for (a, b), shift in zip(spans, shifts, strict=True)),
        breaks,
    )


def in_stretches(points: Sequence[Point]) -> list[Point]:
    """Measurements set-up by set-up, those that begin earlier first, each in build order. Raises :class:`InvalidComparison`."""
    if not points:
        raise InvalidComparison("a line has a measurement at least")
    if len({(p.setup, p.build) for p in points}) < len(points):
        raise InvalidComparison("the runs of one build on one set-up are one measurement")
    first: dict[int, int] = {}
    for p in points:
        first[p.setup] = min(first.get(p.setup, p.build), p.build)
    return sorted(points, key=lambda p: (first[p.setup], p.setup, p.build))


def starts_of(ordered: Sequence[Point]) -> list[int]:
    return [i for i, p in enumerate(ordered) if i == 0 or p.setup != ordered[i - 1].setup]


def _break(
    points: Sequence[Point], spans: Sequence[tuple[int, int]], i: int, found: Line, figures: int, floor: float
) -> Break:
    """Between a stretch and the nearest earlier one that shares a build with it."""
    own = {p.build: p for p in points[slice(*spans[i])]}
    for j in range(i - 1, -1, -1):
        other = {p.build: p for p in points[slice(*spans[j])]}
        common = tuple(sorted({*own} & {*other}))
        if not common or own[common[0]].work != other[common[0]].work:
            continue
        if not (any(p.seen for p in own.values()) and any(p.seen for p in other.values())):
            continue
        left, right = [other[b].runs for b in common], [own[b].runs for b in common]
        made = bridge(left, right, found.tau2, found.noise.s2, found.nu)
        before, after = (
            line([p.runs for p in side.values()], figures, (), floor, [p.sessions for p in side.values()])
            for side in (other, own)
        )
        return Break(spans[i][0], j, common, made, across(before, after, made))
    return Break(spans[i][0], i - 1, (), None, None)


def moved(step: Step, of: Sequence[int], to: Sequence[int]) -> Step | None:
    """A step among points of the builds ``of``, as places among points of the builds ``to``; None where those end before it."""

    def place(at: int) -> int:
        return sum(build < of[at] for build in to)

    if not place(step.at) or place(step.at) >= len(to):
        return None
    return Step(place(step.at), place(step.first), place(step.last), step.size, step.low, step.high)
