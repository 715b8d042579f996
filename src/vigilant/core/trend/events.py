"""Steps of several figures, and of several rigs, that are one event.

Formulas: docs/statistics.md, *One event in several lines*.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

from scipy.special import stdtrit

from .line import Line, Step
from .search import centre

_T = 0.975


@dataclass(frozen=True)
class Event:
    """Steps that may lie at one place: by figure the step; ``first`` and ``last`` the builds that all of them allow, None where their
    places differ. ``trade_off``: one of them got better and another worse."""

    steps: Mapping[str, Step]
    first: int | None
    last: int | None
    trade_off: bool


@dataclass(frozen=True)
class Elsewhere:
    """The same place on another rig: whether it has a step there, else what the level changed by, with its 95 % interval."""

    shows: bool
    size: float
    low: float
    high: float


def events(lines: Mapping[str, Line], higher_is_better: Collection[str] = ()) -> tuple[Event, ...]:
    """Steps of lines over the same builds whose places overlap, in build order."""
    found = sorted(((step, name) for name, line in lines.items() for step in line.steps), key=lambda one: one[0].first)
    groups: list[list[tuple[Step, str]]] = []
    reach = -1
    for step, name in found:
        if groups and step.first <= reach and name not in {other for _, other in groups[-1]}:
            groups[-1].append((step, name))
            reach = max(reach, step.last)
        else:
            groups.append([(step, name)])
            reach = step.last
    return tuple(_event(group, higher_is_better) for group in groups)


def _event(group: Sequence[tuple[Step, str]], higher_is_better: Collection[str]) -> Event:
    first, last = max(step.first for step, _ in group), min(step.last for step, _ in group)
    better = {(step.size > 0) == (name in higher_is_better) for step, name in group}
    steps = {name: step for step, name in group}
    one_place = first <= last
    return Event(steps, first if one_place else None, last if one_place else None, len(better) > 1)


def elsewhere(step: Step, of: Line) -> Elsewhere:
    """Hold a step of one rig against the line of another, over the same builds."""
    for own in of.steps:
        if own.first <= step.last and own.last >= step.first:
            return Elsewhere((own.size > 0) == (step.size > 0), own.size, own.low, own.high)
    edges = (0, *of.cuts, of.noise.m.size)
    a = max(edge for edge in edges if edge < step.at)
    b = min(edge for edge in edges if edge >= step.at) if step.at < edges[-1] else edges[-1]
    if b <= step.at or a >= step.at:
        return Elsewhere(False, 0.0, -math.inf, math.inf)
    left, right = centre(of.noise.m[a : step.at], of.v[a : step.at]), centre(of.noise.m[step.at : b], of.v[step.at : b])
    half = float(stdtrit(of.nu, _T)) * math.sqrt(1.0 / left.weight + 1.0 / right.weight)
    size = right.at - left.at
    return Elsewhere(False, size, size - half, size + half)
