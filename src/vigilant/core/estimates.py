"""Every figure of two arms estimated by their design: d on its scale, se, p, interval, equivalence; and as it is shown."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from scipy.special import stdtr, stdtrit

from . import planning
from .arms import Arms, ArmValues
from .design import Design, fit_design
from .levels import AlphaLevels
from .result import FigureResult
from .scales import COUNT
from .timer import COARSE_STEP_MS
from .verdict import call_figure


@dataclass(frozen=True)
class Estimate:
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


def estimate_figures(
    arms: Arms,
    values: dict[str, ArmValues],
    design: Design,
    margins: Mapping[str, float],
    levels: AlphaLevels,
    unstable: Sequence[str],
) -> dict[str, Estimate]:
    """One least squares for all figures. A quantile at an edge, and jitter on a coarse clock, is not tested."""
    names = list(values)
    if not names:
        return {}
    y = np.column_stack([values[n].y - values[n].lean for n in names])
    fit = fit_design(design, y, np.column_stack([values[n].floors for n in names]))
    estimates = {}
    for i, name in enumerate(names):
        v = values[name]
        mean_before = float(arms.split(v.y)[0].mean())
        margin = v.kind.margin_y(mean_before, margins.get(name))
        blank = Estimate(mean_before, float(fit.d[i]), margin=margin)
        untested = name in unstable or (name == "jitter_ms" and arms.step_ms >= COARSE_STEP_MS)
        if not v.observed:
            size = margins.get(name, v.kind.margin)
            estimates[name] = replace(blank, d=0.0, p_value=1.0, inside=_none_seen_inside(v, arms, size))
        elif fit.se is None or fit.df is None or untested:
            estimates[name] = blank
        else:
            estimates[name] = _test(blank, v, float(fit.se[i]), float(fit.df[i]), arms, levels)
    return estimates


def _test(blank: Estimate, v: ArmValues, se: float, df: float, arms: Arms, levels: AlphaLevels) -> Estimate:
    """p, half width and equivalence; a quantile on a timer coarser than the frames' own spread is widened."""
    widen = 0.0
    if v.kind.quantile is not None and arms.own_sd_ms < arms.step_ms:
        widen = arms.step_ms / (4.0 if v.kind.quantile == 0.5 else 2.0)
    widen_y = widen / float(np.exp(blank.mean_before)) if widen else 0.0
    t = max(0.0, abs(blank.d) - widen_y) / se
    p_value = min(1.0, 2.0 * float(stdtr(df, -t)))
    reach = abs(blank.d) + widen_y + float(stdtrit(df, 1.0 - levels.inside)) * se
    return replace(
        blank,
        se=se,
        df=df,
        p_value=p_value,
        half_width=float(stdtrit(df, 1.0 - levels.interval / 2.0)) * se,
        widen_unit=widen,
        inside=bool(reach < blank.margin),
    )


def _none_seen_inside(v: ArmValues, arms: Arms, size: float) -> bool:
    """Nothing seen counts as inside where an arm long enough would have shown the margin."""
    if v.kind.scale is COUNT:
        return all(3.0 / float(m.sum()) < size for m in arms.split(arms.minutes))
    return all(6.0 / float(n.sum()) < size for n in arms.split(arms.frames))


def called_figure(shown: FigureResult, observed: bool, significant: bool) -> FigureResult:
    if not observed:
        return replace(shown, call="none seen")
    if shown.p_value is None:
        return shown
    better = (shown.d > 0) == shown.higher_is_better
    return replace(shown, call=call_figure(better, significant, shown.inside))


def shown_figure(arms: Arms, v: ArmValues, e: Estimate, primary: bool, levels: AlphaLevels) -> FigureResult:
    """From the scale back to the figure's unit."""

    def back(y: float) -> float:
        return v.kind.scale.back(y, arms.mean_minutes)

    before = back(e.mean_before) if v.observed else 0.0
    after = back(e.mean_before + e.d) if v.observed else 0.0
    low = high = visible = None
    if e.half_width is not None and e.se is not None and e.df is not None:
        low = back(e.mean_before + e.d - e.half_width) - before - e.widen_unit
        high = back(e.mean_before + e.d + e.half_width) - before + e.widen_unit
        visible = back(e.mean_before + planning.smallest_visible_y(e.se, e.df, levels.interval)) - before
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
