"""Two arms of runs to figures with intervals to a verdict."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from scipy.special import stdtr, stdtrit

from . import planning
from .arms import Arms, ArmValues
from .audit import audit
from .audit.evidence import Evidence
from .design import Design, fit_design, plan_design
from .errors import InvalidComparison
from .figures import FIGURES
from .finding import Finding
from .policy import Policy
from .result import Comparison, FigureResult
from .series import FrameSeries
from .summary import RunView
from .timer import COARSE_STEP_MS
from .verdict import call_figure, decide, holm, material

CAPPED_PRIMARIES = ("late_share", "overrun_share", "stutters_per_min", "work_mean_ms", "work_slowest_1pct_ms")


@dataclass(frozen=True)
class _Estimate:
    """One figure's fit on its scale; se, df and p are None where nothing can be tested."""

    mean_before: float
    d: float
    se: float | None = None
    df: float | None = None
    p_value: float | None = None
    half_width: float | None = None
    widen_unit: float = 0.0
    inside: bool = False
    margin: float = 0.0


def compare(
    before: Sequence[FrameSeries],
    after: Sequence[FrameSeries],
    policy: Policy | None = None,
    order: Sequence[str | None] | None = None,
    findings: Iterable[Finding] = (),
    sessions: Sequence[int] | None = None,
) -> Comparison:
    """Compare two arms of runs.

    ``order`` holds "before", "after" or None (a slot whose run failed) as recorded; the i-th
    "before" is ``before[i]``. Without it the arms are compared as if drawn at random (Welch).
    ``findings`` are added to the audit's own; ``sessions`` numbers each slot's session.
    Deterministic; O(frames log frames). Raises
    :class:`~vigilant.core.errors.InvalidComparison` and
    :class:`~vigilant.core.errors.InvalidSeries`.
    """
    policy = policy or Policy()
    if not before or not after:
        raise InvalidComparison(f"both arms need a run, got {len(before)} before and {len(after)} after")
    design = plan_design(len(before), len(after), order, sessions)
    arms = Arms([RunView(s, policy) for s in before], [RunView(s, policy) for s in after], policy)
    found = (*audit(Evidence(arms, design, policy, order is not None)), *findings)
    values = arms.values()
    primaries = _primaries(policy, arms, values)
    missing = [name for name in primaries if name not in values]
    if missing:
        found = (*found, Finding("figure-missing", "warn", {"figures": missing}))
    estimates = _estimate(arms, values, design, policy)
    figures = _call(arms, values, estimates, primaries, policy)
    judged = [figures[name] for name in primaries if name in figures]
    work_seen = "work_mean_ms" in values
    held = any(f.code == "held-by-cap" for f in found)
    decision = decide(judged, found, not missing and (not held or work_seen))
    half = {n: e.half_width for n, e in estimates.items() if e.half_width is not None}
    return Comparison(
        verdict=decision.verdict,
        reasons=decision.reasons,
        design=design.kind,
        findings=found,
        figures=figures,
        primaries=primaries,
        caps=arms.caps,
        runs=arms.k,
        frames=(sum(v.n for v in arms.arms[0]), sum(v.n for v in arms.arms[1])),
        timer_step_ms=arms.step_ms,
        target_fps=policy.target_fps,
        alpha=policy.alpha,
        material=material(decision, figures, half),
        runs_needed=_runs_needed(judged, design, policy) if decision.verdict == "undecided" else None,
    )


def _primaries(policy: Policy, arms: Arms, values: dict[str, ArmValues]) -> tuple[str, ...]:
    """The figures that carry the verdict: the policy's, or those that a cap leaves meaningful."""
    chosen = policy.primaries
    if all(cap is not None for cap in arms.caps):
        chosen = tuple(n for n in CAPPED_PRIMARIES if not FIGURES[n].work or n in values)
    return tuple(n for n in chosen if policy.target_fps is not None or not FIGURES[n].needs_target)


def _estimate(arms: Arms, values: dict[str, ArmValues], design: Design, policy: Policy) -> dict[str, _Estimate]:
    """One least squares for all figures."""
    names = list(values)
    y = np.column_stack([values[n].y - values[n].lean for n in names])
    fit = fit_design(design, y, np.column_stack([values[n].floors for n in names]))
    estimates = {}
    for i, name in enumerate(names):
        v = values[name]
        mean_before = float(arms.split(v.y)[0].mean())
        margin = v.kind.margin_y(mean_before, policy.margins.get(name))
        blank = _Estimate(mean_before, float(fit.d[i]), margin=margin)
        if not v.seen:
            estimates[name] = replace(blank, d=0.0, p_value=1.0, inside=_none_seen_inside(v, arms, policy))
        elif fit.se is None or fit.df is None or (name == "jitter_ms" and arms.step_ms >= COARSE_STEP_MS):
            estimates[name] = blank
        else:
            estimates[name] = _test(blank, v, float(fit.se[i]), float(fit.df[i]), arms, policy)
    return estimates


def _test(blank: _Estimate, v: ArmValues, se: float, df: float, arms: Arms, policy: Policy) -> _Estimate:
    """p, half width and equivalence; a quantile on a timer coarser than the frames' own spread is widened."""
    widen = 0.0
    if v.kind.quantile is not None and arms.own_sd_ms < arms.step_ms:
        widen = arms.step_ms / (4.0 if v.kind.quantile == 0.5 else 2.0)
    widen_y = widen / float(np.exp(blank.mean_before)) if widen else 0.0
    t = max(0.0, abs(blank.d) - widen_y) / se
    p_value = min(1.0, 2.0 * float(stdtr(df, -t)))
    reach = abs(blank.d) + widen_y + float(stdtrit(df, 1.0 - policy.alpha)) * se
    return replace(
        blank,
        se=se,
        df=df,
        p_value=p_value,
        half_width=float(stdtrit(df, 1.0 - policy.alpha / 2.0)) * se,
        widen_unit=widen,
        inside=bool(reach < blank.margin),
    )


def _none_seen_inside(v: ArmValues, arms: Arms, policy: Policy) -> bool:
    """Nothing seen counts as inside where an arm long enough would have shown the margin."""
    size = policy.margins.get(v.kind.name, v.kind.margin)
    if v.kind.scale == "count":
        return all(3.0 / float(m.sum()) < size for m in arms.split(arms.minutes))
    return all(6.0 / float(n.sum()) < size for n in arms.split(arms.frames))


def _call(
    arms: Arms,
    values: dict[str, ArmValues],
    estimates: dict[str, _Estimate],
    primaries: tuple[str, ...],
    policy: Policy,
) -> dict[str, FigureResult]:
    family = [n for n in primaries if n in estimates]
    p_values = [p if (p := estimates[n].p_value) is not None else 1.0 for n in family]
    rejected = dict(zip(family, holm(p_values, policy.alpha), strict=True))
    figures = {}
    for name, e in estimates.items():
        result = _shown(arms, values[name], e, name in primaries, policy)
        if not values[name].seen:
            figures[name] = replace(result, call="none seen")
        elif e.p_value is not None:
            significant = rejected.get(name, e.p_value < policy.alpha)
            better = (e.d > 0) == result.higher_is_better
            figures[name] = replace(result, call=call_figure(better, significant, e.inside))
        else:
            figures[name] = result
    return figures


def _shown(arms: Arms, v: ArmValues, e: _Estimate, primary: bool, policy: Policy) -> FigureResult:
    """From the scale back to the figure's unit."""

    def back(y: float) -> float:
        return v.kind.back(y, arms.mean_minutes)

    before = back(e.mean_before) if v.seen else 0.0
    after = back(e.mean_before + e.d) if v.seen else 0.0
    low = high = visible = None
    if e.half_width is not None and e.se is not None and e.df is not None:
        low = back(e.mean_before + e.d - e.half_width) - before - e.widen_unit
        high = back(e.mean_before + e.d + e.half_width) - before + e.widen_unit
        visible = back(e.mean_before + planning.smallest_visible_y(e.se, e.df, policy.alpha)) - before
    return FigureResult(
        name=v.kind.name,
        unit=v.kind.unit,
        higher_is_better=v.kind.higher_is_better,
        before=before,
        after=after,
        difference=after - before,
        ci_low=low,
        ci_high=high,
        raw_before=v.raw[0],
        raw_after=v.raw[1],
        ratio=after / before if before > 0 else None,
        d=e.d,
        se=e.se,
        df=e.df,
        p_value=e.p_value,
        margin=e.margin,
        margin_low=back(e.mean_before - e.margin) - before,
        margin_high=back(e.mean_before + e.margin) - before,
        smallest_visible=visible,
        inside=e.inside,
        call="not certifiable",
        primary=primary,
    )


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
