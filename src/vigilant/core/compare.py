"""Two arms of runs to figures with intervals to a verdict."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from scipy.special import stdtrit

from . import planning
from .arms import Arms, ArmValues
from .audit import audit
from .audit.evidence import Evidence
from .band import quantile_band
from .design import Design, plan_design
from .edges import unstable_quantiles
from .errors import InvalidComparison
from .estimates import Estimate, called_figure, estimate_figures, shown_figure
from .figures import FIGURES, FigureKind
from .finding import Finding
from .guards import MARGIN as GUARD_MARGIN
from .guards import stated_value
from .levels import AlphaLevels, even, holm
from .policy import Policy
from .result import ComparisonResult, FigureResult
from .scales import LOG, LOG_VARIANCE
from .series import FrameSeries
from .summary import RunFrames
from .verdict import material, ruling
from .work import work_shares

CAPPED_PRIMARIES = ("late_share", "overrun_share", "stutters_per_min", "work_mean_ms", "work_slowest_1pct_ms")


@dataclass(frozen=True, eq=False)
class Estimates:
    """Two arms audited and estimated, before anything is called."""

    arms: Arms
    design: Design
    policy: Policy
    levels: AlphaLevels
    findings: tuple[Finding, ...]
    values: dict[str, ArmValues]
    primaries: tuple[str, ...]
    missing: tuple[str, ...]
    unstable: tuple[str, ...]
    estimates: dict[str, Estimate]
    guard_values: dict[str, ArmValues]
    guard_estimates: dict[str, Estimate]

    def family(self) -> dict[str, float]:
        """The p of each primary; 1 where it could not be tested."""
        found = {n: self.estimates[n].p_value for n in self.primaries if n in self.estimates}
        return {n: 1.0 if p is None else p for n, p in found.items()}


def compare(
    before: Sequence[FrameSeries],
    after: Sequence[FrameSeries],
    policy: Policy | None = None,
    order: Sequence[str | None] | None = None,
    findings: Iterable[Finding] = (),
    sessions: Sequence[int] | None = None,
    levels: AlphaLevels | None = None,
) -> ComparisonResult:
    """Compare two arms of runs.

    ``order`` holds "before", "after" or None (a slot whose run failed) as recorded; the i-th
    "before" is ``before[i]``. Without it the arms are compared as if drawn at random (Welch).
    ``findings`` are added to the audit's own; ``sessions`` numbers each slot's session;
    ``levels`` are those of a look (:func:`~vigilant.core.looks.look_levels`). Deterministic;
    O(frames log frames). Raises :class:`~vigilant.core.errors.InvalidComparison` and
    :class:`~vigilant.core.errors.InvalidSeries`.
    """
    policy = policy or Policy()
    if not before or not after:
        raise InvalidComparison(f"both arms need a run, got {len(before)} before and {len(after)} after")
    views = [RunFrames(s, policy) for s in before], [RunFrames(s, policy) for s in after]
    return comparison_from(estimate(*views, policy, order, findings, sessions, levels))


def estimate(
    before: Sequence[RunFrames],
    after: Sequence[RunFrames],
    policy: Policy,
    order: Sequence[str | None] | None = None,
    findings: Iterable[Finding] = (),
    sessions: Sequence[int] | None = None,
    levels: AlphaLevels | None = None,
) -> Estimates:
    """Audit and estimate. ``levels`` are those of a look (default: one look at the policy's alpha)."""
    levels = levels or even(policy.alpha)
    design = plan_design(len(before), len(after), order, sessions)
    arms = Arms(before, after, policy)
    found = [*audit(Evidence(arms, design, policy, order is not None)), *findings]
    values = arms.values()
    primaries = _primaries(policy, arms, values)
    missing = tuple(name for name in primaries if name not in values)
    if missing:
        found.append(Finding("figure-missing", "warn", {"figures": list(missing)}))
    unstable = unstable_quantiles(arms, {n: v.y for n, v in values.items()})
    if judged := [n for n in unstable if n in primaries]:
        found.append(Finding("quantile-at-edge", "warn", {"figures": judged}))
    guard_values, unsaid = _guard_values(arms, values, policy)
    if unsaid:
        found.append(Finding("guard-missing", "warn", {"guards": unsaid}))
    margins = {g.name: g.margin for g in policy.checked_guards if g.margin is not None}
    return Estimates(
        arms=arms,
        design=design,
        policy=policy,
        levels=levels,
        findings=tuple(found),
        values=values,
        primaries=primaries,
        missing=missing,
        unstable=unstable,
        estimates=estimate_figures(arms, values, design, policy.margins, levels, unstable),
        guard_values=guard_values,
        guard_estimates=estimate_figures(arms, guard_values, design, {**policy.margins, **margins}, levels, unstable),
    )


def comparison_from(made: Estimates, rejected: Mapping[str, bool] | None = None) -> ComparisonResult:
    """Call the figures and give the verdict. ``rejected`` says which primaries a wider family than
    this comparison's own rejects."""
    arms, policy, design, primaries = made.arms, made.policy, made.design, made.primaries
    family = made.family()
    if rejected is None:
        rejected = dict(zip(family, holm(list(family.values()), made.levels.of), strict=True))
    figures = {}
    for name, e in made.estimates.items():
        shown = shown_figure(arms, made.values[name], e, name in primaries, made.levels)
        significant = rejected.get(name, e.p_value is not None and e.p_value < made.levels.interval)
        figures[name] = called_figure(shown, made.values[name].observed, significant)
    guards = _call_guards(made)
    judged = [figures[name] for name in primaries if name in figures]
    held = any(f.code == "held-by-cap" for f in made.findings)
    decision = ruling(
        judged,
        made.findings,
        not made.missing and (not held or "work_mean_ms" in made.values),
        list(guards.values()),
    )
    found = made.findings
    unshown = [g.name for g in guards.values() if not g.inside and not g.call.startswith(("worse", "better"))]
    if unshown:
        found = (*found, Finding("guard-not-shown", "note", {"guards": unshown}))
    half = {n: e.half_width for n, e in made.estimates.items() if e.half_width is not None}
    return ComparisonResult(
        verdict=decision.verdict,
        reasons=decision.reasons,
        design=design.kind,
        findings=found,
        figures=figures,
        primaries=primaries,
        caps=arms.caps,
        runs=arms.k,
        frames=(sum(v.n for v in arms.arms[0]), sum(v.n for v in arms.arms[1])),
        minutes=float(arms.minutes.sum()),
        timer_step_ms=arms.step_ms,
        target_fps=policy.target_fps,
        alpha=made.levels.interval,
        material=material(decision, figures, half),
        runs_needed=_runs_needed(judged, design, policy) if decision.verdict == "undecided" else None,
        guards=guards,
        unstable=made.unstable,
        look=made.levels.look,
        band=quantile_band(arms, design.kind in ("position", "order-unknown"), policy.seed),
        sessions=design.sessions,
        work=work_shares(arms.views, arms.k[0], design, policy.witnesses, policy.alpha),
    )


def _primaries(policy: Policy, arms: Arms, values: dict[str, ArmValues]) -> tuple[str, ...]:
    """The figures that carry the verdict: the policy's, or those that a cap leaves meaningful."""
    chosen = policy.primaries
    if all(cap is not None for cap in arms.caps):
        chosen = tuple(n for n in CAPPED_PRIMARIES if not FIGURES[n].work or n in values)
    return tuple(n for n in chosen if policy.target_fps is not None or not FIGURES[n].needs_target)


def _guard_values(arms: Arms, values: dict[str, ArmValues], policy: Policy) -> tuple[dict[str, ArmValues], list[str]]:
    """Every guard's run values, and the guards that some run says nothing of (or nothing above zero)."""
    made, unsaid = {}, []
    for guard in policy.checked_guards:
        if guard.name in values:
            made[guard.name] = values[guard.name]
            continue
        stated = [stated_value(v.series, v.played.index, guard.name) for v in arms.views]
        if guard.name in FIGURES or any(x is None or x <= 0 for x in stated):
            unsaid.append(guard.name)
            continue
        x = np.array(stated, dtype=np.float64)
        kind = FigureKind(guard.name, "stated", LOG, GUARD_MARGIN, guard.higher_is_better)
        raw = tuple(float(part.mean()) for part in arms.split(x))
        made[guard.name] = ArmValues(kind, np.log(x), np.zeros(x.size), np.full(2, LOG_VARIANCE), (raw[0], raw[1]))
    return made, unsaid


def _call_guards(made: Estimates) -> dict[str, FigureResult]:
    """One-sided for worse, Holm over the guards; better at the level of a figure on its own.

    A guard is kept where it is shown not to be worse by its margin.
    """
    one_sided, kept = [], {}
    for name, e in made.guard_estimates.items():
        kind = made.guard_values[name].kind
        worse = -e.d if kind.higher_is_better else e.d
        p = 1.0
        if e.p_value is not None and made.guard_values[name].observed:
            p = e.p_value / 2.0 if worse > 0 else 1.0 - e.p_value / 2.0
        one_sided.append(p)
        if e.se is not None and e.df is not None:
            kept[name] = bool(worse + float(stdtrit(e.df, 1.0 - made.levels.inside)) * e.se < e.margin)
    worse_found = holm(one_sided, made.levels.of)
    guards = {}
    for (name, e), found in zip(made.guard_estimates.items(), worse_found, strict=True):
        v = made.guard_values[name]
        shown = replace(shown_figure(made.arms, v, e, False, made.levels), inside=kept.get(name, e.inside))
        better = (e.d > 0) == v.kind.higher_is_better
        significant = found or (better and e.p_value is not None and e.p_value < made.levels.interval)
        called = called_figure(shown, v.observed, significant)
        # Not worse by more than its margin, whatever it gained: a guard that is better is never "within".
        guards[name] = replace(called, call="better") if significant and better else called
    return guards


def _runs_needed(judged: Sequence[FigureResult], design: Design, policy: Policy) -> int | None:
    """Runs an arm that would show a change as large as the margin, for the primary that needs most."""
    needs = []
    share = np.sqrt(1.0 / design.k_before + 1.0 / design.k_after)
    for r in judged:
        if r.inside or r.se is None:
            continue
        needs.append(planning.runs_needed(r.margin, r.se / share, policy.alpha, design.kind == "position"))
    if not needs or any(n is None for n in needs):
        return None
    return max(n for n in needs if n is not None)
