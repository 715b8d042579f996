"""The legs of a course: by time, or by the marks a subject sets."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from .errors import InvalidPolicy
from .numbers import is_number
from .series import FrameSeries, Mark


@dataclass(frozen=True)
class Leg:
    """A stretch of the course: from ``from_s`` seconds on, or (None) from the mark of its name.

    ``play=False`` keeps it out of the figures: loading, menus, a cold phase.
    """

    name: str
    from_s: float | None = None
    play: bool = True

    def __post_init__(self) -> None:
        if not isinstance(self.name, str) or not self.name:
            raise InvalidPolicy(f"a leg needs a name, got {self.name!r}")
        if not isinstance(self.play, bool):
            raise InvalidPolicy(f"leg {self.name!r}: play must be true or false, got {self.play!r}")
        at = self.from_s
        if at is not None and (not is_number(at) or not 0 <= at < 1e6):
            raise InvalidPolicy(f"leg {self.name!r}: from_s must be seconds from 0 on, got {at!r}")


def legs_of(raw: Sequence[Leg | Mapping[str, Any]]) -> tuple[Leg, ...]:
    """Checked legs from tables. Raises :class:`InvalidPolicy`."""
    if not isinstance(raw, (list, tuple)):
        raise InvalidPolicy(f"legs must be a list of tables, got {raw!r}")
    try:
        legs = tuple(leg if isinstance(leg, Leg) else Leg(**leg) for leg in raw)
    except TypeError as error:
        raise InvalidPolicy(f"a leg has a name, from_s and play: {error}") from error
    times = [leg.from_s for leg in legs if leg.from_s is not None]
    if times != sorted(set(times)):
        raise InvalidPolicy(f"legs by time must start one after the other, got {times}")
    return legs


def with_legs(series: FrameSeries, legs: Sequence[Leg]) -> FrameSeries:
    """The series under a course's legs.

    Legs by time are laid over a run without marks of its own; a leg without a time decides whether
    the mark of its name is play.
    """
    timed = [leg for leg in legs if leg.from_s is not None]
    if timed and not series.marks:
        starts_s = (np.cumsum(series.frame_ms) - series.frame_ms) / 1000.0
        found = [(int(np.searchsorted(starts_s, leg.from_s or 0.0)), leg) for leg in timed]
        marks = [Mark(index, leg.name, leg.play) for index, leg in found if index < series.frame_ms.size]
        return replace(series, marks=marks)
    silent = {leg.name for leg in legs if not leg.play}
    if not silent & {mark.name for mark in series.marks}:
        return series
    return replace(series, marks=[Mark(m.index, m.name, m.play and m.name not in silent) for m in series.marks])


def only_legs(series: FrameSeries, course: Sequence[Leg], names: Sequence[str]) -> FrameSeries | None:
    """The series with nothing but the named legs as play; None where the run has none of them."""
    laid = with_legs(series, course)
    if not any(mark.name in names and mark.play for mark in laid.marks):
        return None
    marks = [Mark(m.index, m.name, m.play and m.name in names) for m in laid.marks]
    if marks[0].index > 0:
        marks.insert(0, Mark(0, "", False))
    return replace(laid, marks=marks)
