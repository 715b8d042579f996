"""Where on the course a frame is: by its leg and how much of the leg is gone, by a counter of position, or by time."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from ..errors import InvalidComparison
from ..series import FloatArray, IntArray
from ..summary import RunFrames

By = Literal["leg", "position", "time"]


class PositionTurnsBack(InvalidComparison):
    """A counter of position that falls, or is not always there: it cannot say where on the course a frame is."""

    code = "position-turns-back"


@dataclass(frozen=True, eq=False)
class Segment:
    """A leg each time it is entered: counted frames ``start`` to ``stop`` of one run."""

    name: str
    visit: int
    start: int
    stop: int


@dataclass(frozen=True, eq=False)
class Section:
    """A segment that all runs share: its share of the course from ``start`` to ``stop`` (0..1)."""

    name: str
    start: float
    stop: float


@dataclass(frozen=True, eq=False)
class Placing:
    """``at`` has an array a run (n,): where each counted frame begins, 0..1 of the course, NaN where it is in no
    section. ``length_s`` is the mean length of the course; ``drift_s`` is the median over runs of how far the end of the
    course lies from its mean place, where time alone says where one is. ``unshared`` names legs that not all runs have.
    """

    by: By
    sections: tuple[Section, ...]
    at: tuple[FloatArray, ...]
    length_s: float
    drift_s: float = 0.0
    unshared: tuple[str, ...] = ()


def segments(view: RunFrames) -> list[Segment]:
    """The legs of a run's counted frames in order; one without a name where there is no mark."""
    marks = view.series.marks
    if not view.n:
        return []
    begins = np.array([m.index for m in marks], dtype=np.int64)
    leg = np.searchsorted(begins, view.played.index, side="right") - 1
    edges = np.concatenate(([0], np.flatnonzero(np.diff(leg)) + 1, [view.n]))
    visits: dict[str, int] = {}
    found = []
    for start, stop in zip(edges[:-1].tolist(), edges[1:].tolist(), strict=True):
        name = marks[leg[start]].name if leg[start] >= 0 else ""
        visits[name] = visits.get(name, 0) + 1
        found.append(Segment(name, visits[name], start, stop))
    return found


def place(views: Sequence[RunFrames], position: str | None = None) -> Placing:
    """Where every counted frame of every run is.

    By leg and fraction of the leg where any run has marks, else by time since the first counted frame; by the counter
    ``position`` where it is named. Raises :class:`PositionTurnsBack`.
    """
    if position is not None:
        return _by_position(views, position)
    own = [{(s.name, s.visit): s for s in segments(view)} for view in views]
    shared = [key for key in own[0] if all(key in one for one in own)]
    unshared = tuple(dict.fromkeys(name for one in own for name, visit in one if (name, visit) not in set(shared)))
    if not any(name for name, _ in shared):
        return _by_time(views)
    lengths = np.array([[_ms(v, one[key]) for key in shared] for v, one in zip(views, own, strict=True)])
    mean = lengths.mean(axis=0)
    edges = np.concatenate(([0.0], np.cumsum(mean / mean.sum())))
    sections = tuple(Section(name, edges[i], edges[i + 1]) for i, (name, _) in enumerate(shared))
    at = []
    for view, one in zip(views, own, strict=True):
        places = np.full(view.n, np.nan)
        for section, key in zip(sections, shared, strict=True):
            part = one[key]
            x = view.x[part.start : part.stop]
            begun = (np.cumsum(x) - x) / x.sum()
            places[part.start : part.stop] = section.start + begun * (section.stop - section.start)
        at.append(places)
    return Placing("leg", sections, tuple(at), float(mean.sum()) / 1000.0, unshared=unshared)


def _ms(view: RunFrames, part: Segment) -> float:
    return float(view.x[part.start : part.stop].sum())


def _by_time(views: Sequence[RunFrames]) -> Placing:
    """Without marks: seconds since the first counted frame, over what all runs have."""
    lengths = np.array([v.total_ms for v in views])
    shortest = float(lengths.min())
    at = []
    for view in views:
        begun = np.cumsum(view.x) - view.x
        at.append(np.where(begun < shortest, begun / shortest, np.nan))
    drift = float(np.median(np.abs(lengths - lengths.mean()))) / 1000.0
    return Placing("time", (Section("", 0.0, 1.0),), tuple(at), shortest / 1000.0, drift)


def _by_position(views: Sequence[RunFrames], name: str) -> Placing:
    """By a counter that says where one is, over the range that all runs have."""
    found = []
    for view in views:
        values = view.series.counters.get(name)
        if values is None:
            raise PositionTurnsBack(f"{view.series.source or 'a run'} has no counter {name!r}")
        counted = values[view.played.index]
        if not np.isfinite(counted).all() or (np.diff(counted) < 0).any():
            raise PositionTurnsBack(f"the counter {name!r} falls or has gaps in {view.series.source or 'a run'}")
        found.append(counted)
    low, high = max(float(c[0]) for c in found), min(float(c[-1]) for c in found)
    if not high > low:
        raise PositionTurnsBack(f"the runs share no range of the counter {name!r}")
    at = tuple(np.where((c >= low) & (c < high), (c - low) / (high - low), np.nan) for c in found)
    length = float(np.mean([v.total_ms for v in views])) / 1000.0
    return Placing("position", (Section("", 0.0, 1.0),), at, length)


def bin_edges(placing: Placing, bins: int) -> tuple[FloatArray, IntArray]:
    """Edges of bins over the course (B + 1,), and the section of each (B,): each inside one section, their number in
    proportion to its length, one at least."""
    edges, of = [np.zeros(1)], []
    for number, section in enumerate(placing.sections):
        count = max(1, round(bins * (section.stop - section.start)))
        edges.append(np.linspace(section.start, section.stop, count + 1)[1:])
        of += [number] * count
    return np.concatenate(edges), np.array(of, dtype=np.int64)


def bin_numbers(placing: Placing, edges: FloatArray) -> list[IntArray]:
    """The bin of each counted frame of each run, -1 where it is in none."""
    last = edges.size - 2
    return [np.where(np.isfinite(at), np.clip(np.searchsorted(edges, at, side="right") - 1, 0, last), -1) for at in placing.at]  # fmt: skip
