"""One arm's level of a figure against a threshold: what a goal is judged by.

A goal on an extreme (the slowest second, the worst frame, the most draws in any frame) is a goal
for every run: the worst run counts, never a mean over runs. Other figures are judged by the 95 %
interval of the arm's level: y over runs with Student's t, on the figure's own scale, with the
floors of docs/statistics.md so that identical runs do not become certainty; shares and counts of
events by the number and the sizes of their bursts as well.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from scipy.special import stdtrit

from .bursts import UNSEEN_MS, bursts, event_bounds
from .errors import InvalidComparison
from .figures import FIGURES, FigureKind
from .legs import legs_of, only_legs
from .levels import half_of_mean
from .policy import Policy
from .scales import COUNT, LATE, LOG, SHARE, effective_event
from .series import FloatArray, FrameSeries
from .summary import RunFrames, Summary, summarize_view

MOST = "most:"
EXTREMES = ("slowest_second_fps", "worst_ms")
State = Literal["met", "not met", "unclear"]
CONFIDENCE = 0.95


@dataclass(frozen=True)
class ArmLevel:
    """An arm's level in the figure's unit, its 95 % interval (None where there is none), and the
    worst of its runs. ``extreme`` levels are the worst run's own value; ``events`` counts the bursts (or
    stutters) that a share or a count rests on."""

    figure: str
    value: float
    low: float | None
    high: float | None
    worst: float
    runs: int
    extreme: bool = False
    events: int | None = None


def higher_is_better(figure: str) -> bool:
    """Is more of this figure better? Limits on counters ("most:draws") are upper limits."""
    return figure in FIGURES and FIGURES[figure].higher_is_better


def check_figure(figure: str) -> None:
    """Raises :class:`InvalidComparison` for a figure that no goal can be set on."""
    named = figure.removeprefix(MOST) if figure.startswith(MOST) else ""
    if not named and (figure not in FIGURES or FIGURES[figure].work or figure in ("best_ms", "stutter_share")):
        raise InvalidComparison(f"no goal can be set on {figure!r}")


def arm_level(runs: Sequence[FrameSeries], policy: Policy, figure: str, legs: Sequence[str] = ()) -> ArmLevel | None:
    """The level of one arm, over ``legs`` only where some are named; None where a run lacks the figure.

    Raises :class:`InvalidComparison` for an unknown figure or no run.
    """
    check_figure(figure)
    if not runs:
        raise InvalidComparison("a level needs a run, got none")
    plain = replace(policy, legs=()) if legs else policy
    views = []
    for series in runs:
        kept = only_legs(series, legs_of(policy.legs), legs) if legs else series
        if kept is None:
            return None
        views.append(RunFrames(kept, plain))
    if figure.startswith(MOST):
        return _most(views, figure)
    values = [_value(summarize_view(v), figure) for v in views]
    if any(v is None for v in values):
        return None
    x = np.array(values, dtype=np.float64)
    if figure in EXTREMES:
        worst = float(x.min() if higher_is_better(figure) else x.max())
        return ArmLevel(figure, worst, worst, worst, worst, len(views), extreme=True)
    return _interval(figure, x, views)


def judge(level: ArmLevel, threshold: float) -> State:
    """Against a threshold: met where the whole interval is on the good side, not met where none of it is."""
    if level.low is None or level.high is None:
        return "unclear"
    if higher_is_better(level.figure):
        good, bad = level.low >= threshold, level.high < threshold
    else:
        good, bad = level.high <= threshold, level.low > threshold
    return "met" if good else "not met" if bad else "unclear"


def _value(summary: Summary, figure: str) -> float | None:
    if figure == "freezes_per_min":
        return summary.freezes / (summary.seconds / 60.0)
    value = getattr(summary, figure)
    return None if value is None else float(value)


def _most(views: Sequence[RunFrames], figure: str) -> ArmLevel | None:
    """The largest value of a counter in any frame that counts."""
    name = figure.removeprefix(MOST)
    most = []
    for view in views:
        values = view.series.counters.get(name)
        if values is None or not np.isfinite(played := values[view.played.index]).any():
            return None
        most.append(float(np.nanmax(played)))
    worst = max(most)
    return ArmLevel(figure, worst, worst, worst, worst, len(views), extreme=True)


def _interval(figure: str, x: FloatArray, views: Sequence[RunFrames]) -> ArmLevel:
    """Mean of y -+ t se, taken back, on the figure's scale and with its floor as in a comparison.

    What comes in bursts is not narrower than what the bursts themselves allow (core/bursts.py), nor
    than Student's interval of the runs' own values, which does not lean where bursts are few.
    """
    kind = FIGURES[figure]
    k = x.size
    minutes = np.array([v.minutes for v in views])
    worst = float(x.min() if kind.higher_is_better else x.max())
    if kind.scale is LOG:
        y = LOG.y(x)
        middle = float(np.exp(y.mean()))
        step = float(np.median([v.timer_step for v in views]))
        half = half_of_mean(y, LOG.floor(1000.0 / middle if kind.unit == "fps" else middle, step))
        if half is None:
            return ArmLevel(figure, middle, None, None, worst, k)
        return ArmLevel(figure, middle, middle * math.exp(-half), middle * math.exp(half), worst, k)
    sizes, exposure = _events(kind, views, x)
    seen = np.concatenate(sizes)
    total = float(exposure.sum())
    value = float(seen.sum()) / total
    frame_ms = float(np.mean([v.total_ms / v.n for v in views]))
    unseen = 1.0 if kind.scale is COUNT else UNSEEN_MS if kind.scale is SHARE else max(1.0, UNSEEN_MS / frame_ms)
    low, high = (bound / total for bound in event_bounds(seen, unseen, CONFIDENCE))
    if kind.scale is not COUNT:
        high = min(1.0, high)
    if seen.size and k == 1:
        return ArmLevel(figure, value, None, None, worst, k, events=int(seen.size))
    if seen.size:
        mean_minutes = float(minutes.mean())
        y, floor = _event_scale(kind, x, sizes, views)
        half = half_of_mean(y, floor) or 0.0
        reach = float(stdtrit(k - 1, 0.5 + CONFIDENCE / 2.0)) * float(x.std(ddof=1)) / math.sqrt(k)
        low = min(low, kind.scale.back(float(y.mean()) - half, mean_minutes))
        high = max(high, kind.scale.back(float(y.mean()) + half, mean_minutes), float(x.mean()) + reach)
    return ArmLevel(figure, value, low, high, worst, k, events=int(seen.size))


def _events(kind: FigureKind, views: Sequence[RunFrames], x: FloatArray) -> tuple[list[FloatArray], FloatArray]:
    """Each run's events by size (late frames, ms over budget, or one each), and what they are a share of."""
    if kind.scale is COUNT:
        minutes = np.array([v.minutes for v in views])
        return [np.ones(round(float(rate * t))) for rate, t in zip(x, minutes, strict=True)], minutes
    if kind.scale is LATE:
        sizes = [bursts(v.stretches, v.late_from_ms(v.timer_step) or math.inf) for v in views]
        return sizes, np.array([float(v.n) for v in views])
    budget = views[0].policy.budget_ms or math.inf
    return [bursts(v.stretches, budget, budget) for v in views], np.array([v.total_ms for v in views])


def _event_scale(
    kind: FigureKind, x: FloatArray, sizes: Sequence[FloatArray], views: Sequence[RunFrames]
) -> tuple[FloatArray, float]:
    """y of every run and the floor, as the comparison has them."""
    minutes = np.array([v.minutes for v in views])
    if kind.scale is COUNT:
        rate = float((x * minutes).sum() / minutes.sum())
        return COUNT.y(x, float(minutes.mean())), COUNT.floor(rate, minutes, x.size)
    if kind.scale is LATE:
        frames = np.array([float(v.n) for v in views])
        c = x * frames
        return LATE.y(c, frames), LATE.floor(float(c.sum() / frames.sum()), float(frames.mean()))
    whole = float(sum(s.sum() for s in sizes))
    floor = SHARE.floor(effective_event(sizes), whole, 60.0 * float(minutes.mean()), x.size)
    return SHARE.y(x), floor


def carried_over(level: ArmLevel, ratio: float, log_error: float) -> ArmLevel:
    """A level of times or rates as another rig would show it, if all of its work scaled alike.

    ``ratio`` is the other rig's time of the calibration load over this one's, ``log_error`` the
    standard error of its logarithm; the interval widens by both. An extrapolation: never a proof.
    """
    kind = FIGURES.get(level.figure)
    if kind is None or kind.scale is not LOG:
        raise InvalidComparison(f"{level.figure} cannot be carried over to another rig")
    factor = 1.0 / ratio if kind.unit == "fps" else ratio
    reach = math.exp(1.96 * log_error)

    def moved(value: float | None, by: float) -> float | None:
        return None if value is None else value * factor * by

    return replace(
        level,
        value=level.value * factor,
        worst=level.worst * factor,
        low=moved(level.low, 1.0 / reach),
        high=moved(level.high, reach),
    )
