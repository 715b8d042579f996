"""One value a run, held against the other arm's by itself: outside the verdict, and in no family."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ..arms import Arms, ArmValues
from ..design import plan_design
from ..estimates import called_figure, estimate_figures, shown_figure
from ..figures import FigureKind
from ..levels import even
from ..policy import Policy
from ..result import FigureResult
from ..scales import LOG_VARIANCE
from ..summary import RunFrames
from .legs import without_runs

Values = Sequence[Sequence[float | None]]


def counts(values: Sequence[Sequence[object]]) -> tuple[int, int]:
    """The runs of each arm that have a value."""
    before, after = (sum(v is not None for v in arm) for arm in values)
    return before, after


def compared_alone(
    kind: FigureKind,
    values: Values,
    views: Sequence[Sequence[RunFrames]],
    policy: Policy,
    order: Sequence[str | None] | None,
    sessions: Sequence[int] | None,
) -> FigureResult | None:
    """``values`` above 0 of each run of both arms on the logarithm, by the comparison's own design; the slots of runs
    without one are empty. None where an arm has none."""
    runs = counts(values)
    if not all(runs):
        return None
    have = [[v for v, x in zip(arm, own, strict=True) if x is not None] for arm, own in zip(views, values, strict=True)]
    known = [[x for x in own if x is not None] for own in values]
    arms = Arms(have[0], have[1], Policy())
    y = np.log(np.array([*known[0], *known[1]], dtype=np.float64))
    raw = (float(np.mean(known[0])), float(np.mean(known[1])))
    made = ArmValues(kind, y, np.zeros(y.size), np.full(2, LOG_VARIANCE), raw)
    levels = even(policy.alpha)
    design = plan_design(*runs, without_runs(order, values), sessions)
    e = estimate_figures(arms, {kind.name: made}, design, {}, levels, ())[kind.name]
    shown = shown_figure(arms, made, e, False, levels)
    return called_figure(shown, True, e.p_value is not None and e.p_value < levels.interval)
