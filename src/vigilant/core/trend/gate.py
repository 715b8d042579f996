"""A new build's runs against its line, by the rule of an entry.

Formulas: docs/statistics.md, *The gate against a line*.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from scipy.special import stdtr, stdtrit

from vigilant.core.errors import InvalidComparison
from vigilant.core.levels import even, holm

from .following import held_to
from .line import SHORTEST, Line
from .stretches import Point
from .values import Scaled

Verdict = Literal["gain", "regression", "trade-off", "no material change", "undecided"]
#: Builds from which a level is no longer young, where it began with a step, a set-up, or an answer.
YOUNG = 3
ALPHA = 0.05


@dataclass(frozen=True)
class GateRow:
    """One primary: the new runs' mean less the ``level`` expected, on the figure's scale, with its interval; ``inside`` its margin, and
    whether Holm's procedure over the primaries calls it a change."""

    name: str
    level: float
    d: float
    se: float
    df: int
    p: float
    low: float
    high: float
    inside: bool
    young: bool
    called: bool = False


@dataclass(frozen=True)
class Gated:
    verdict: Verdict
    rows: tuple[GateRow, ...]
    #: Why nothing is tested, where that is so.
    why: str = ""


@dataclass(frozen=True, eq=False)
class Primary:
    """The line of a figure, the new build's run values, its margin on the figure's scale, and whether more is better. ``offset_variance``
    is that of a bridge that its set-up stands across."""

    name: str
    line: Line
    newest: Sequence[float]
    margin: float
    higher_is_better: bool = False
    offset_variance: float = 0.0


def gate(primaries: Sequence[Primary], alpha: float = ALPHA) -> Gated:
    """All inside their margins: no material change; else Holm over the primaries. Raises :class:`InvalidComparison`."""
    if not primaries or not all(len(one.newest) for one in primaries):
        raise InvalidComparison("a gate has a primary figure, and runs of the new build")
    rows = tuple(_row(one, alpha) for one in primaries)
    if any(one.line.noise.m.size < SHORTEST for one in primaries):
        return Gated("undecided", rows, "session-spread-unknown")
    if all(row.inside for row in rows):
        return Gated("no material change", rows)
    called = holm([row.p for row in rows], even(alpha).of)
    rows = tuple(replace(row, called=call) for row, call in zip(rows, called, strict=True))
    signs = {
        (row.d > 0) == one.higher_is_better for row, one, call in zip(rows, primaries, called, strict=True) if call
    }
    verdicts: Mapping[frozenset[bool], Verdict] = {
        frozenset(): "undecided", frozenset({True}): "gain", frozenset({False}): "regression",
        frozenset({True, False}): "trade-off",
    }  # fmt: skip
    return Gated(verdicts[frozenset(signs)], rows)


@dataclass(frozen=True, eq=False)
class Followed:
    """A primary figure of a line: its points on their scale, and the one of the new build."""

    figure: str
    scaled: Scaled
    points: Sequence[Point]
    newest: Point


@dataclass(frozen=True, eq=False)
class Judged:
    """The verdict of a new build with what is to be known of it, as codes; ``lines`` are those of its rows."""

    verdict: Verdict | Literal["void"]
    rows: tuple[GateRow, ...]
    lines: tuple[Scaled, ...]
    codes: tuple[str, ...]


def judged(
    lines: Sequence[Followed],
    margins: Mapping[str, float],
    alpha: float = ALPHA,
    level_before: int | None = None,
    accepted: Collection[int] = (),
) -> Judged:
    """A new build against its line in every primary that has one: held to the level before an open alarm's build (``level_before``), with
    levels that were ``accepted``. Void without anything on its set-up, undecided where the line is too short. Raises
    :class:`InvalidComparison`."""
    primaries = []
    for one in lines:
        before = held_to(one.points, one.newest, len(lines), one.scaled.floor, level_before, accepted)
        if before == "line-too-short":
            return Judged("undecided", (), (), ("session-spread-unknown",))
        if isinstance(before, str):
            return Judged("void", (), (), ("set-up-differs",))
        level, kind = before.expected(before.noise.m.size)[0], one.scaled.kind
        margin = kind.margin_y(level, margins.get(one.figure))
        primaries.append(Primary(one.figure, before, one.newest.runs, margin, kind.higher_is_better))
    if not primaries:
        return Judged("void", (), (), ("set-up-differs",))
    found = gate(primaries, alpha)
    return Judged(found.verdict, found.rows, tuple(one.scaled for one in lines), tuple(_codes(primaries, found)))


def _codes(primaries: Sequence[Primary], found: Gated) -> list[str]:
    """A level that began lately; and where nothing could be told, sessions that differ by more than these runs' mean does."""
    told = ["level-young"] if any(row.young for row in found.rows) else []
    wide = any(one.line.tau2 > one.line.noise.s2 / len(one.newest) for one in primaries)
    if found.verdict == "undecided" and wide:
        told.append("sessions-spread")
    return told


def _row(one: Primary, alpha: float) -> GateRow:
    n, nu = one.line.noise.m.size, one.line.nu
    level, variance = one.line.expected(n)
    d = float(np.mean(one.newest)) - level
    se = math.sqrt(one.line.tau2 + one.line.noise.s2 / len(one.newest) + variance + one.offset_variance)
    t = abs(d) / se if se > 0 else math.inf
    half = float(stdtrit(nu, 1.0 - alpha / 2.0)) * se
    inside = abs(d) + float(stdtrit(nu, 1.0 - alpha)) * se < one.margin
    young = bool(one.line.cuts) and n - one.line.cuts[-1] < YOUNG
    return GateRow(one.name, level, d, se, nu, 2.0 * float(stdtr(nu, -t)), d - half, d + half, inside, young)
