"""Two arms prepared for comparison: every figure's y per run, its floors and raw pooled value."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from .figures import FIGURES, QUANTILES, FigureKind, quantiles, quantiles_of, slowest_mean
from .policy import Policy
from .scales import COUNT, LATE, LOG, SHARE, effective_event
from .series import FloatArray
from .stutter import StutterEvents
from .summary import RunFrames, work_figures

_AT = np.array(list(QUANTILES.values()))


@dataclass(frozen=True, eq=False)
class ArmValues:
    """One figure over both arms: ``y`` (N,) on its scale, before runs first, as shown;
    ``lean`` (N,) what unlike lengths alone would do to it (to subtract before the fit);
    ``floors`` (2,) least variances; ``raw`` pooled values; ``observed`` False where no event was."""

    kind: FigureKind
    y: FloatArray
    lean: FloatArray
    floors: FloatArray
    raw: tuple[float, float]
    observed: bool = True


def merge_sorted(parts: Sequence[FloatArray]) -> FloatArray:
    """Sorted union of arrays. Sorted anew: numpy's merging of sorted runs is slower from two of them on."""
    return np.sort(np.concatenate(parts))


class Arms:
    """Both arms under one policy; computes what more than one figure needs, once."""

    def __init__(self, before: Sequence[RunFrames], after: Sequence[RunFrames], policy: Policy) -> None:
        self.arms = (list(before), list(after))
        self.policy = policy
        self.views = [*before, *after]
        self.k = (len(before), len(after))
        self.minutes = np.array([v.minutes for v in self.views])
        self.frames = np.array([float(v.n) for v in self.views])
        self.mean_minutes = float(self.minutes.mean())
        self.step_ms = max(float(np.median([v.timer_step for v in arm])) for arm in self.arms)

    @cached_property
    def pooled(self) -> tuple[FloatArray, FloatArray]:
        b, a = (merge_sorted([v.ordered for v in arm]) for arm in self.arms)
        return b, a

    @cached_property
    def own_sd_ms(self) -> float:
        """Root mean square of the runs' own standard deviations, ms."""
        return float(np.sqrt(np.mean([v.x.var() for v in self.views])))

    @cached_property
    def caps(self) -> tuple[float | None, float | None]:
        """Refresh period per arm, ms: an arm is capped when more than half its runs are."""

        def of(arm: list[RunFrames]) -> float | None:
            periods = [v.cap_ms for v in arm if v.cap_ms is not None]
            return float(np.median(periods)) if 2 * len(periods) > len(arm) else None

        return of(self.arms[0]), of(self.arms[1])

    def split(self, values: FloatArray) -> tuple[FloatArray, FloatArray]:
        return values[: self.k[0]], values[self.k[0] :]

    def values(self) -> dict[str, ArmValues]:
        """Every figure that all runs have, in the order of the registry."""
        made = {**self._times(), **self._late(), **self._overrun(), **self._stutter()}
        return {name: made[name] for name in FIGURES if name in made}

    # -- times and rates

    def _times(self) -> dict[str, ArmValues]:
        per_run: dict[str, list[float | None]] = {}
        for view in self.views:
            row: dict[str, float | None] = dict(
                zip(QUANTILES, map(float, view.quantile_values(self.step_ms)), strict=True)
            )
            row |= {
                "mean_ms": view.total_ms / view.n,
                "rate_fps": 1000.0 * view.n / view.total_ms,
                "slowest_1pct_ms": slowest_mean(view.ordered, 100),
                "slowest_01pct_ms": slowest_mean(view.ordered, 1000),
                "worst_ms": float(view.ordered[-1]),
                "best_ms": float(view.ordered[0]),
                "jitter_ms": view.jitter_ms,
                "slowest_second_fps": view.slowest_second_fps,
                **work_figures(view.work_ordered, self.step_ms),
            }
            for name, value in row.items():
                per_run.setdefault(name, []).append(value)
        raw = [self._raw_times(0), self._raw_times(1)]
        return {
            name: self._time(FIGURES[name], np.array(values, dtype=np.float64), (raw[0][name], raw[1][name]))
            for name, values in per_run.items()
            if len(values) == len(self.views) and all(v is not None and v > 0 for v in values)
        }

    def _time(self, kind: FigureKind, values: FloatArray, raw: tuple[float, float]) -> ArmValues:
        y = LOG.y(values)
        level = np.array([np.exp(part.mean()) for part in self.split(y)])
        if kind.unit == "fps":
            level = 1000.0 / level
        floors = np.array([LOG.floor(float(ms), self.step_ms) for ms in level])
        return ArmValues(kind, y, np.zeros(y.size), floors, raw)

    def _raw_times(self, arm: int) -> dict[str, float]:
        views, ordered = self.arms[arm], self.pooled[arm]
        total, n = sum(v.total_ms for v in views), ordered.size
        raw = dict(zip(QUANTILES, map(float, quantiles_of(ordered, _AT, self.step_ms)), strict=True))
        raw |= {
            "mean_ms": total / n,
            "rate_fps": 1000.0 * n / total,
            "slowest_1pct_ms": slowest_mean(ordered, 100),
            "slowest_01pct_ms": slowest_mean(ordered, 1000),
            "worst_ms": float(ordered[-1]),
            "best_ms": float(ordered[0]),
            "jitter_ms": float(np.median([v.jitter_ms or 0.0 for v in views])),
            "slowest_second_fps": min((v.slowest_second_fps or np.inf) for v in views),
        }
        work = [v.work_ordered for v in views]
        if all(w is not None for w in work):
            raw |= work_figures(merge_sorted([w for w in work if w is not None]), self.step_ms)
        return raw

    # -- shares and counts

    def _lean(self, exposure: FloatArray, expected: Callable[[float], float]) -> FloatArray:
        """Expectation of each run's y if all runs had one rate, less its mean; 0 for equal lengths."""
        if float(np.ptp(exposure)) <= 1e-9 * float(exposure.max()):
            return np.zeros(exposure.size)
        lean = np.array([expected(float(e)) for e in exposure])
        centred: FloatArray = lean - lean.mean()
        return centred

    def _late(self) -> dict[str, ArmValues]:
        if self.policy.budget_ms is None:
            return {}
        found = self.late_values(np.array([float(v.late_frames(self.step_ms) or 0) for v in self.views]))
        return {found.kind.name: found}

    def late_values(self, late: FloatArray) -> ArmValues:
        """Each run's share of ``late`` frames (runs,) on the scale of late frames."""
        n = self.frames
        share = float(late.sum() / n.sum())
        floors = [LATE.floor(share, float(frames.mean())) for frames in self.split(n)]
        lean = self._lean(n, lambda e: LATE.expected(share, e))
        c_b, c_a = self.split(late)
        n_b, n_a = self.split(n)
        raw = (float(c_b.sum() / n_b.sum()), float(c_a.sum() / n_a.sum()))
        kind = FIGURES["late_share"]
        return ArmValues(kind, LATE.y(late, n), lean, np.array(floors), raw, bool(late.any()))

    def _overrun(self) -> dict[str, ArmValues]:
        if self.policy.budget_ms is None:
            return {}
        return self._share("overrun_share", [v.overruns_ms for v in self.views])

    def _share(self, name: str, events_ms: Sequence[FloatArray]) -> dict[str, ArmValues]:
        """A share made of events."""
        kind = FIGURES[name]
        sums = np.array([float(e.sum()) for e in events_ms])
        total_ms = np.array([v.total_ms for v in self.views])
        whole = float(sums.sum())
        y = SHARE.y(sums / total_ms)
        floor, lean = 0.0, np.zeros(y.size)
        if whole > 0:
            w = effective_event(events_ms)
            seconds = total_ms / 1000.0
            floor = SHARE.floor(w, whole, float(seconds.mean()), len(self.views))
            rate = whole / w / float(seconds.sum())
            lean = self._lean(seconds, lambda s: SHARE.expected(rate, w, s))
        s_b, s_a = self.split(sums)
        t_b, t_a = self.split(total_ms)
        raw = (float(s_b.sum() / t_b.sum()), float(s_a.sum() / t_a.sum()))
        return {name: ArmValues(kind, y, lean, np.array([floor, floor]), raw, whole > 0)}

    def _count(self, name: str, counts: FloatArray) -> dict[str, ArmValues]:
        """Events a minute."""
        rate = float(counts.sum() / self.minutes.sum())
        runs = len(self.views)
        floors = [COUNT.floor(rate, minutes, runs) for minutes in self.split(self.minutes)]
        lean = self._lean(self.minutes, lambda t: COUNT.expected(rate, t, self.mean_minutes))
        y = COUNT.y(counts / self.minutes, self.mean_minutes)
        c_b, c_a = self.split(counts)
        t_b, t_a = self.split(self.minutes)
        raw = (float(c_b.sum() / t_b.sum()), float(c_a.sum() / t_a.sum()))
        return {name: ArmValues(FIGURES[name], y, lean, np.array(floors), raw, bool(counts.any()))}

    @cached_property
    def allowances(self) -> list[tuple[float, float]]:
        """Of each run (ratio, spread in ms) of its stutter allowance. Both arms get the before arm's, so that being slower
        neither hides nor makes stutters."""
        medians = [float(quantiles(p, np.array([0.5]))[0]) for p in self.pooled]
        spread = max(float(np.median([v.spread_ms for v in arm])) for arm in self.arms)
        ratios = [medians[0] / own if own > 0 else 1.0 for own in medians]
        return [(ratio, spread) for ratio, arm in zip(ratios, self.arms, strict=True) for _ in arm]

    @cached_property
    def stutters(self) -> list[StutterEvents]:
        """Of each run."""
        return [view.stutter(*allowance) for view, allowance in zip(self.views, self.allowances, strict=True)]

    def _stutter(self) -> dict[str, ArmValues]:
        events = self.stutters
        return {
            **self._count("stutters_per_min", np.array([float(len(e)) for e in events])),
            **self._share("stutter_share", [e.size_ms for e in events]),
            **self._count(
                "freezes_per_min",
                np.array([float(v.freezes(e)) for v, e in zip(self.views, events, strict=True)]),
            ),
        }
