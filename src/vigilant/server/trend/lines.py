"""Lines of stored measurements: each figure's, made once for the same runs."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from vigilant.core.trend import Alert, Joined, Point, Scaled, called, joined, scaled

from .build_runs import Runs
from .measurements import Measurement, RigLine

#: Lines that are kept while nothing of them changes: those of a page on several rigs, and the pages that are read at the same time.
KEPT = 256


@dataclass(frozen=True, eq=False)
class FigureLine:
    """A figure's line on a rig: its points are of ``measurements``, one each, in the order of ``joined``. ``missing`` measurements do not
    have the figure."""

    figure: str
    scaled: Scaled
    joined: Joined
    measurements: tuple[Measurement, ...]
    missing: int

    @property
    def newest(self) -> Point:
        """The measurement of the newest build, on the newest set-up that it was recorded on."""
        last = max(p.build for p in self.joined.points)
        return next(p for p in reversed(self.joined.points) if p.build == last)

    def of(self, point: Point) -> Measurement:
        """What a point was made of."""
        return self.measurements[self.joined.points.index(point)]


@dataclass(frozen=True)
class Standing:
    """What alarms say of the builds before a build: an open one of the build ``before`` keeps it at the level before that; explained ones
    began levels that are ``accepted``."""

    before: int | None = None
    accepted: tuple[int, ...] = ()


@lru_cache(KEPT)
def _joined(points: tuple[Point, ...], figures: int, floor: float) -> Joined:
    return joined(points, figures, floor)


@lru_cache(KEPT)
def _called(
    points: tuple[Point, ...],
    newest: Point,
    figures: int,
    rate: float,
    floor: float,
    before: int | None,
    accepted: tuple[int, ...],
) -> Alert | str:
    return called(points, newest, figures, rate, floor, before, accepted)


def figure_line(of: RigLine, figure: str, figures: int) -> FigureLine | None:
    """The line of a figure where ``figures`` are watched; None where no run has the figure."""
    numbers = {key: i for i, key in enumerate(of.setups)}
    every = Runs.together([measurement.runs for measurement in of.measurements])
    have = every.have(figure)
    ends = np.cumsum([len(measurement.runs) for measurement in of.measurements])
    sizes = np.diff(np.concatenate([[0], np.cumsum(have)])[np.concatenate([[0], ends])]).tolist()
    found = [(measurement, size) for measurement, size in zip(of.measurements, sizes, strict=True) if size]
    if not found:
        return None
    told = scaled(figure, every.having(figure).values(figure), [size for _, size in found])
    points = [
        Point(m.place, numbers[m.setup], y, min(m.runs.sessions, len(y)), of.setups[m.setup].version, seen)
        for (m, _), y, seen in zip(found, told.runs, told.seen, strict=True)
    ]
    made = _joined(tuple(points), figures, told.floor)
    of_point = {(p.build, p.setup): m for p, (m, _) in zip(points, found, strict=True)}
    return FigureLine(
        figure, told, made, tuple(of_point[p.build, p.setup] for p in made.points), len(sizes) - len(found)
    )


def held(line: FigureLine, newest: Point, figures: int, rate: float, standing: Standing) -> Alert | str:
    """A build of the line against the builds before it; why not, as words' key."""
    points, floor = line.joined.points, line.scaled.floor
    return _called(points, newest, figures, rate, floor, standing.before, standing.accepted)


def best_of(lines: Sequence[RigLine]) -> RigLine:
    """Of the lines of one rig the one with the newest build; of equal ones the longest."""
    return max(lines, key=lambda one: (one.newest, len(one.measurements)))
