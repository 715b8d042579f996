"""Figures of one run (docs/statistics.md, *Figures of one run*)."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from .cap import cap_period_ms
from .errors import InvalidSeries
from .figures import FIGURES, QUANTILES, quantiles_of, slowest_mean
from .legs import legs_of, only_legs, with_legs
from .policy import Policy
from .regular import RegularPauses, regular_pauses
from .series import FloatArray, FrameSeries, PlayedFrames, median, played
from .settle import Settle, settled_s
from .stutter import StutterEvents, block_spread_ms, stutter_events
from .timer import timer_step_ms

FREEZE_BUDGETS, FREEZE_MS = 20.0, 300.0
LEAST_WORK_MS = 0.001
#: So many legs of a run have figures of their own.
MOST_LEGS = 100
_AT = np.array(list(QUANTILES.values()))
#: Windows looked at first: every so many-th.
_LOOK_EVERY = 32


@dataclass(frozen=True)
class Summary:
    """Figures of one run. Times in ms, shares 0..1; None where a figure has no meaning here.

    ``regular`` are pauses that come at a period. ``few_beyond`` names the quantiles with fewer than 10
    frames beyond them. ``work`` holds the work twins (frame less waiting) where a lane has the role *waiting*.
    """

    frames: int
    seconds: float
    mean_ms: float
    rate_fps: float
    p50_ms: float
    p75_ms: float
    p90_ms: float
    p95_ms: float
    p99_ms: float
    p999_ms: float
    slowest_1pct_ms: float
    slowest_01pct_ms: float
    worst_ms: float
    best_ms: float
    late_share: float | None
    late_frames: int | None
    overrun_share: float | None
    stutters: int
    stutters_per_min: float
    stutter_share: float
    freezes: int
    jitter_ms: float | None
    slowest_second_fps: float | None
    timer_step_ms: float
    cap_ms: float | None
    few_beyond: tuple[str, ...] = ()
    regular: RegularPauses | None = None
    work: Mapping[str, float] = field(default_factory=dict)


class RunFrames:
    """One run prepared for its figures: frames that count, sorted once, totals.

    Shared by :func:`summarize` and the comparison so that each run is sorted once.
    """

    def __init__(self, series: FrameSeries, policy: Policy) -> None:
        series = with_legs(series, legs_of(policy.legs))
        self.series = series
        self.policy = policy
        self.settled_s = settled_s(series, policy.settle) if isinstance(policy.settle, Settle) else None
        self.played: PlayedFrames = played(series, max(policy.trim_s, self.settled_s or 0.0))
        self.x = self.played.frame_ms
        self.stretches = self.played.stretches()
        self.ordered = np.sort(self.x)
        self.n = int(self.x.size)
        self.total_ms = float(self.x.sum())

    @property
    def minutes(self) -> float:
        return self.total_ms / 60_000.0

    @cached_property
    def cap_ms(self) -> float | None:
        return cap_period_ms(self.stretches, self.ordered, self._raw_step)

    @cached_property
    def _raw_step(self) -> float:
        return timer_step_ms(self.x, self.ordered)

    @cached_property
    def timer_step(self) -> float:
        if self.cap_ms is not None and self._raw_step > 2.0 / 7.0 * self.cap_ms:
            return timer_step_ms(self.x, self.ordered, self.cap_ms)
        return self._raw_step

    @cached_property
    def spread_ms(self) -> float:
        return block_spread_ms(self.stretches)

    def quantile_values(self, step_ms: float = 0.0) -> FloatArray:
        """The quantiles of the registry (6,); grouped where a comparison's clock is coarse."""
        return quantiles_of(self.ordered, _AT, step_ms)

    @cached_property
    def jitter_ms(self) -> float | None:
        steps = [np.diff(s) for s in self.stretches if s.size > 1]
        if not steps:
            return None
        sizes = steps[0] if len(steps) == 1 else np.concatenate(steps)
        return median(np.abs(sizes, out=sizes), scratch=True)

    @cached_property
    def work_ordered(self) -> FloatArray | None:
        waiting = self.series.waiting_ms()
        if waiting is None:
            return None
        return np.sort(np.maximum(self.x - waiting[self.played.index], LEAST_WORK_MS))

    def late_from_ms(self, step_ms: float) -> float | None:
        """A frame above this is late: max((1 + tolerance) B, B + q); None without a target."""
        budget = self.policy.budget_ms
        return None if budget is None else max((1.0 + self.policy.late_tolerance) * budget, budget + step_ms)

    def late_frames(self, step_ms: float) -> int | None:
        """Frames that are late."""
        limit = self.late_from_ms(step_ms)
        return None if limit is None else int(self.n - np.searchsorted(self.ordered, limit, "right"))

    @cached_property
    def overruns_ms(self) -> FloatArray:
        """The excesses over the budget, in ms; empty without a target."""
        budget = self.policy.budget_ms
        if budget is None:
            return np.empty(0)
        return self.ordered[np.searchsorted(self.ordered, budget, "right") :] - budget

    def stutter(self, allowance_ratio: float = 1.0, spread_ms: float = 0.0) -> StutterEvents:
        return stutter_events(self.stretches, allowance_ratio, spread_ms)

    def freezes(self, events: StutterEvents) -> int:
        limit = max(FREEZE_MS, FREEZE_BUDGETS * (self.policy.budget_ms or 0.0))
        return int(np.sum(events.longest_ms > limit))

    @cached_property
    def slowest_second_fps(self) -> float | None:
        """Fewest frames in any sliding second that starts at a frame and lies within a stretch."""
        fewest = [self._fewest(s) for s in self.stretches]
        return min((f for f in fewest if f is not None), default=None)

    @staticmethod
    def _fewest(x: FloatArray) -> float | None:
        """Fewest frames in any second of one stretch; the last frame counts by its share.

        Windows looked at here and there bound the fewest from above; only those below the bound (the
        m-th frame from their start ends after them) are counted.
        """
        ends = np.cumsum(x)
        # A frame starts where the one before it ends.
        until = np.concatenate(([0.0], ends[: np.searchsorted(ends[:-1], ends[-1] - 1000.0 + 1e-9, "right")]))
        until += 1000.0
        windows = until.size
        if ends[-1] < 1000.0 - 1e-9:
            return None
        seen = np.arange(0, windows, _LOOK_EVERY)
        bound = int((np.searchsorted(ends, until[seen], "right") - seen).min()) + 1
        reaching = max(0, min(windows, x.size - bound + 1))
        below = np.flatnonzero(ends[bound - 1 : bound - 1 + reaching] > until[:reaching])
        below = np.concatenate((below, np.arange(reaching, windows)))
        whole = np.searchsorted(ends, until[below], "right") - below
        high = int(whole.min()) + 1
        at = below[whole == high - 1]
        cut = at + high - 1
        last = np.minimum(cut, x.size - 1)
        part = np.clip((until[at] - (ends[last] - x[last])) / np.maximum(x[last], 1e-12), 0.0, 1.0)
        part[cut >= x.size] = 0.0
        return float(high - 1 + part.min())


def work_figures(ordered: FloatArray | None, step_ms: float = 0.0) -> dict[str, float]:
    """The work twins from sorted work times; empty where there is no waiting lane."""
    if ordered is None:
        return {}
    twins = {f"work_{name}": float(v) for name, v in zip(QUANTILES, quantiles_of(ordered, _AT, step_ms), strict=True)}
    return {
        "work_mean_ms": float(ordered.mean()),
        **twins,
        "work_slowest_1pct_ms": slowest_mean(ordered, 100),
    }


def summarize(series: FrameSeries, policy: Policy | None = None) -> Summary:
    """Figures of one run under ``policy`` (default: no target).

    Raises :class:`~vigilant.core.errors.InvalidSeries` when no frame is left.
    """
    return summarize_view(RunFrames(series, policy or Policy()))


def summarize_view(view: RunFrames) -> Summary:
    """As :func:`summarize`, for a run already prepared."""
    events = view.stutter()
    late = view.late_frames(view.timer_step)
    named = dict(zip(QUANTILES, (float(v) for v in view.quantile_values()), strict=True))
    few = tuple(name for name, p in QUANTILES.items() if view.n * (1000 - round(1000 * p)) < 10 * 1000)
    return Summary(
        frames=view.n,
        seconds=view.total_ms / 1000.0,
        mean_ms=view.total_ms / view.n,
        rate_fps=1000.0 * view.n / view.total_ms,
        **named,
        slowest_1pct_ms=slowest_mean(view.ordered, 100),
        slowest_01pct_ms=slowest_mean(view.ordered, 1000),
        worst_ms=float(view.ordered[-1]),
        best_ms=float(view.ordered[0]),
        late_share=None if late is None else late / view.n,
        late_frames=late,
        overrun_share=None if view.policy.budget_ms is None else float(view.overruns_ms.sum()) / view.total_ms,
        stutters=len(events),
        stutters_per_min=len(events) / view.minutes,
        stutter_share=float(events.size_ms.sum()) / view.total_ms,
        freezes=view.freezes(events),
        jitter_ms=view.jitter_ms,
        slowest_second_fps=view.slowest_second_fps,
        timer_step_ms=view.timer_step,
        cap_ms=view.cap_ms,
        few_beyond=few,
        regular=regular_pauses(events, view.x),
        work=work_figures(view.work_ordered),
    )


def figure_values(summary: Summary) -> dict[str, float]:
    """The figures of the registry that a run has, by name, in their units."""
    minutes = summary.seconds / 60.0
    found = {**summary.work, "freezes_per_min": summary.freezes / minutes}
    found |= {name: value for name in FIGURES if (value := getattr(summary, name, None)) is not None}
    return {name: float(value) for name, value in found.items()}


def leg_summaries(series: FrameSeries, policy: Policy) -> dict[str, Summary]:
    """The figures of each leg of play on its own, by its name; legs of no frame that counts are left out."""
    course = legs_of(policy.legs)
    names = dict.fromkeys(m.name for m in with_legs(series, course).marks if m.play and m.name)
    found = {}
    for name in list(names)[:MOST_LEGS]:
        alone = only_legs(series, course, [name])
        try:
            if alone is not None:
                # The legs are laid already: what is not this one is no play.
                found[name] = summarize(alone, replace(policy, legs=()))
        except InvalidSeries:
            continue
    return found
