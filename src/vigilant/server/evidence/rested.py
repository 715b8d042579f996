"""The runs that a comparison rests on, as the core looks at them."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from vigilant.core import Policy
from vigilant.core.arms import Arms
from vigilant.core.design import Design, plan_design
from vigilant.core.evidence import Placing, place
from vigilant.core.summary import RunFrames
from vigilant.formats import limits
from vigilant.server.entries.models import Comparison, ComparisonRun
from vigilant.server.problems import unprocessable
from vigilant.server.runs.models import Run, RunColumn
from vigilant.server.runs.plans import policy_of
from vigilant.server.runs.store import read_every


@dataclass(frozen=True, eq=False)
class Rested:
    """Both arms of a comparison, before runs first, in the order they were compared in."""

    comparison: Comparison
    runs: Sequence[Run]
    views: Sequence[RunFrames]
    design: Design
    policy: Policy
    order: Sequence[str | None] | None
    sessions: Sequence[int] | None

    @property
    def before(self) -> Sequence[RunFrames]:
        return self.views[: self.design.k_before]

    @property
    def after(self) -> Sequence[RunFrames]:
        return self.views[self.design.k_before :]

    @property
    def counts(self) -> tuple[int, int]:
        return self.design.k_before, self.design.k_after

    @property
    def judged(self) -> bool:
        """Whether anything can be said of the change: not of runs that are not comparable, or apart in time."""
        void = self.comparison.verdict == Comparison.Verdict.VOID
        return not void and self.design.kind in ("position", "order-unknown")

    @cached_property
    def arms(self) -> Arms:
        return Arms(self.before, self.after, self.policy)

    @cached_property
    def placing(self) -> Placing:
        return place(self.views)


def rested(comparison: Comparison, columns: Collection[str] = ()) -> Rested:
    """The runs of a comparison with the named lanes and counters. Raises a problem where they hold too much."""
    used = ComparisonRun.objects.filter(arm__comparison=comparison).order_by("position")
    by_arm: dict[str, list[Run]] = {"before": [], "after": []}
    for one in used.select_related("run__conditions", "arm"):
        by_arm[one.arm.label].append(one.run)
    runs = [*by_arm["before"], *by_arm["after"]]
    frames = sum(run.frames for run in runs)
    if frames > limits.FRAMES_AT_ONCE:
        raise unprocessable(
            "too-many-frames", f"These runs hold {frames:,} frames; {limits.FRAMES_AT_ONCE:,} are read for one answer."
        )
    policy = policy_of(comparison.scenario_version.definition)
    views = [RunFrames(series, policy) for series in read_every(runs, columns)]
    order: Any = comparison.order
    sessions = comparison.result.get("sessions_of_slots")
    design = plan_design(len(by_arm["before"]), len(by_arm["after"]), order, sessions)
    return Rested(comparison, runs, views, design, policy, order, sessions)


def waiting_of(comparison: Comparison) -> list[str]:
    """The lanes with the role *waiting* of any run: work figures need them."""
    runs = ComparisonRun.objects.filter(arm__comparison=comparison).values("run")
    found = RunColumn.objects.filter(run__in=runs, kind=RunColumn.Kind.LANE, role="waiting")
    return sorted({column.key for column in found})


def columns_of(comparison: Comparison) -> list[str]:
    """Lanes and counters that every run of a comparison has ("lane:gpu", "counter:boats")."""
    runs = list(ComparisonRun.objects.filter(arm__comparison=comparison).values_list("run_id", flat=True))
    found: dict[str, int] = {}
    for column in RunColumn.objects.filter(run__in=runs).exclude(kind=RunColumn.Kind.FRAME).order_by("kind", "path"):
        found[column.key] = found.get(column.key, 0) + 1
    return [key for key, count in found.items() if count == len(runs)]
