"""Every figure of every leg, compared by the comparison's own design; the worst leg; whether no leg got worse."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from scipy.special import stdtrit

from ..arms import Arms, ArmValues
from ..design import plan_design
from ..errors import InvalidSeries
from ..estimates import Estimate, called_figure, estimate_figures, shown_figure
from ..figures import FIGURES
from ..legs import only_legs
from ..levels import even, holm
from ..planning import runs_needed
from ..policy import Policy
from ..result import FigureResult
from ..series import FrameSeries
from ..summary import RunFrames
from .place import segments

#: So many frames must lie beyond a quantile of a leg for it to be tested.
BEYOND = 10
MOST_LEGS = 60


@dataclass(frozen=True, eq=False)
class LegFigures:
    """One leg: ``figures`` by name; ``runs`` of each arm that have it; ``untested`` says of a figure why it has no p.
    Of a leg that only one arm has there is none."""

    name: str
    runs: tuple[int, int]
    figures: dict[str, FigureResult]
    untested: dict[str, str]


@dataclass(frozen=True)
class WorstLeg:
    """The leg with the largest change for the worse of one figure; its interval in the figure's unit (after less before)
    is wider than its row's by Sidak over the legs, since it was chosen among them."""

    name: str
    difference: float
    ci_low: float
    ci_high: float


@dataclass(frozen=True)
class NoLegWorse:
    """*No leg got worse*, a claim of its own: every leg's one-sided upper end lies under the margin. Where it is not
    said, ``leg`` is the one that lies furthest over it and ``runs_needed`` are runs an arm that would settle it."""

    said: bool
    leg: str = ""
    runs_needed: int | None = None


@dataclass(frozen=True, eq=False)
class LegTable:
    """``legs`` in the order of the course; ``worst`` and ``no_leg_worse`` by figure."""

    legs: tuple[LegFigures, ...]
    worst: dict[str, WorstLeg]
    no_leg_worse: dict[str, NoLegWorse]


def leg_table(
    before: Sequence[RunFrames],
    after: Sequence[RunFrames],
    policy: Policy,
    order: Sequence[str | None] | None,
    primaries: Sequence[str],
    sessions: Sequence[int] | None = None,
) -> LegTable:
    """Compare the arms leg by leg. ``order`` and ``sessions`` are those of the comparison.

    Holm over the legs of one figure. Raises :class:`~vigilant.core.errors.InvalidComparison`.
    """
    names = dict.fromkeys(s.name for view in (*before, *after) for s in segments(view) if s.name)
    alone = replace(policy, legs=(), trim_s=0.0, settle=None)
    made = [_leg(name, before, after, alone, order, sessions) for name in list(names)[:MOST_LEGS]]
    tested = [leg for leg in made if leg.estimates]
    levels = even(policy.alpha)
    called: dict[tuple[str, str], bool] = {}
    for figure in FIGURES:
        rows = [(leg.name, e.p_value) for leg in tested if (e := leg.estimates.get(figure)) and e.p_value is not None]
        for (name, _), found in zip(rows, holm([p for _, p in rows], levels.of), strict=True):
            called[name, figure] = found
    legs = []
    for leg in made:
        figures = {}
        for figure, e in leg.estimates.items():
            assert leg.arms is not None
            values = leg.values[figure]
            row = shown_figure(leg.arms, values, e, figure in primaries, levels)
            figures[figure] = called_figure(row, values.observed, called.get((leg.name, figure), False))
        legs.append(LegFigures(leg.name, leg.runs, figures, leg.untested))
    judged = [name for name in FIGURES if name in primaries]
    return LegTable(
        tuple(legs),
        {f: w for f in judged if (w := _worst(tested, f, policy)) is not None},
        {f: n for f in judged if (n := _no_leg_worse(tested, f, policy)) is not None},
    )


@dataclass(frozen=True, eq=False)
class _Leg:
    name: str
    runs: tuple[int, int]
    arms: Arms | None
    values: dict[str, ArmValues]
    estimates: dict[str, Estimate]
    untested: dict[str, str]
    position: bool = False


def _leg(
    name: str,
    before: Sequence[RunFrames],
    after: Sequence[RunFrames],
    alone: Policy,
    order: Sequence[str | None] | None,
    sessions: Sequence[int] | None,
) -> _Leg:
    arms = [[_only(view, name, alone) for view in arm] for arm in (before, after)]
    have = [[v for v in arm if v is not None] for arm in arms]
    runs = (len(have[0]), len(have[1]))
    if not all(runs):
        return _Leg(name, runs, None, {}, {}, {})
    design = plan_design(*runs, without_runs(order, arms), sessions)
    made = Arms(have[0], have[1], alone)
    values = made.values()
    untested = {n: "few frames" for n in values if _few(n, have)}
    estimates = estimate_figures(made, values, design, alone.margins, even(alone.alpha), list(untested))
    return _Leg(name, runs, made, values, estimates, untested, design.kind == "position")


def _only(view: RunFrames, name: str, alone: Policy) -> RunFrames | None:
    """A run's counted frames of one leg; what does not count is no play there either."""
    if not any(s.name == name for s in segments(view)):
        return None
    cut = only_legs(_counted_only(view), (), [name])
    try:
        return None if cut is None else RunFrames(cut, alone)
    except InvalidSeries:
        return None


def _counted_only(view: RunFrames) -> FrameSeries:
    """The series from the first counted frame on: the warm-up is no part of its first leg."""
    first = int(view.played.index[0])
    if first == 0:
        return view.series
    series = view.series
    begun = [m for m in series.marks if m.index <= first]
    marks = [replace(begun[-1], index=0)] if begun else []
    marks += [replace(m, index=m.index - first) for m in series.marks if m.index > first]
    return FrameSeries(
        series.frame_ms[first:],
        lanes={n: v[first:] for n, v in series.lanes.items()},
        waits=series.waits,
        lane_roles=series.lane_roles,
        marks=marks,
        source=series.source,
    )


def without_runs(order: Sequence[str | None] | None, arms: Sequence[Sequence[object]]) -> list[str | None] | None:
    """The order, with nobody in the slots of runs that have no such leg."""
    if order is None:
        return None
    left = {"before": iter(arms[0]), "after": iter(arms[1])}
    return [arm if arm is not None and next(left[arm]) is not None else None for arm in order]


def _few(figure: str, have: list[list[RunFrames]]) -> bool:
    """Whether too few frames of a leg lie beyond what the figure is of."""
    kind = FIGURES[figure]
    beyond = {"slowest_1pct_ms": 0.01, "slowest_01pct_ms": 0.001, "work_slowest_1pct_ms": 0.01}.get(figure)
    if kind.quantile is not None:
        beyond = 1.0 - kind.quantile
    return beyond is not None and min(v.n for arm in have for v in arm) * beyond < BEYOND


def _rows(legs: Sequence[_Leg], figure: str) -> list[tuple[_Leg, Estimate]]:
    found = [(leg, leg.estimates[figure]) for leg in legs if figure in leg.estimates]
    return [(leg, e) for leg, e in found if e.se is not None and e.df is not None]


def _worse(e: Estimate, figure: str) -> float:
    return -e.d if FIGURES[figure].higher_is_better else e.d


def _worst(legs: Sequence[_Leg], figure: str, policy: Policy) -> WorstLeg | None:
    rows = _rows(legs, figure)
    if len(rows) < 2:
        return None
    leg, e = max(rows, key=lambda row: _worse(row[1], figure))
    assert leg.arms is not None
    assert e.se is not None
    assert e.df is not None
    alpha = sidak(policy.alpha, len(rows))
    half = float(stdtrit(e.df, 1.0 - alpha / 2.0)) * e.se
    wide = shown_figure(leg.arms, leg.values[figure], replace(e, half_width=half), True, even(policy.alpha))
    assert wide.ci_low is not None
    assert wide.ci_high is not None
    return WorstLeg(leg.name, wide.difference, wide.ci_low, wide.ci_high)


def sidak(alpha: float, count: int) -> float:
    """The level of one of ``count`` so that all hold together at alpha (Sidak, 1967)."""
    return float(1.0 - (1.0 - alpha) ** (1.0 / count))


def _no_leg_worse(legs: Sequence[_Leg], figure: str, policy: Policy) -> NoLegWorse | None:
    rows = _rows(legs, figure)
    if len(rows) < 2 or len(rows) < len([leg for leg in legs if figure in leg.estimates]):
        return None
    reach = [_worse(e, figure) + float(stdtrit(e.df, 1.0 - policy.alpha)) * (e.se or 0.0) - e.margin for _, e in rows]
    over = int(np.argmax(reach))
    if reach[over] < 0:
        return NoLegWorse(True)
    leg, e = rows[over]
    share = float(np.sqrt(1.0 / leg.runs[0] + 1.0 / leg.runs[1]))
    needed = runs_needed(e.margin, (e.se or 0.0) / share, policy.alpha, leg.position) if _worse(e, figure) < e.margin else None  # fmt: skip
    return NoLegWorse(False, leg.name, needed)
