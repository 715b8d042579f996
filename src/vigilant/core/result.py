"""What a comparison returns: frozen, with units in the names."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal

from .band import QuantileBand
from .design import DesignKind
from .finding import Finding
from .work import WorkShare

Call = Literal[
    "better",
    "worse",
    "better, within margin",
    "worse, within margin",
    "equivalent",
    "unclear",
    "none seen",
    "not certifiable",
]
Verdict = Literal["gain", "regression", "trade-off", "no material change", "undecided", "void"]


@dataclass(frozen=True)
class FigureResult:
    """One figure over both arms.

    ``before``, ``after``, ``difference`` (= after - before) and the 95 % interval of the
    difference are in the figure's ``unit``; ``d``, ``se``, ``margin`` are on its scale.
    ``margin_low`` and ``margin_high`` are the margin as differences in the unit, and
    ``smallest_visible`` the size of difference these runs would have shown with 80 % power.
    None where there is none.
    """

    name: str
    unit: str
    higher_is_better: bool
    before: float
    after: float
    difference: float
    ci_low: float | None
    ci_high: float | None
    raw_before: float
    raw_after: float
    ratio: float | None
    d: float
    se: float | None
    df: float | None
    p_value: float | None
    margin: float
    margin_low: float
    margin_high: float
    smallest_visible: float | None
    inside: bool
    call: Call
    primary: bool


@dataclass(frozen=True)
class ComparisonResult:
    """The verdict and everything it rests on.

    ``reasons`` are figures or finding codes; ``material`` says whether a gain's or regression's
    whole interval clears the margin; ``minutes`` of play in all; ``caps`` the refresh period in ms per arm or None;
    ``runs_needed`` an arm, for the margin, where undecided (None: unknown or above 500); ``guards``
    the side figures, judged one-sided, ``inside`` where one is shown not to be worse by its margin;
    ``unstable`` the quantiles at an edge between body and pauses, which have no honest interval;
    ``look`` (pairs so far, most pairs) where the recording goes on until it is decided;
    ``sessions`` that the runs were recorded in, as far as is known;
    ``band`` the differences over all quantiles, ``work`` what the witnesses say of the amount of work.
    """

    verdict: Verdict
    reasons: tuple[str, ...]
    design: DesignKind
    findings: tuple[Finding, ...]
    figures: Mapping[str, FigureResult]
    primaries: tuple[str, ...]
    caps: tuple[float | None, float | None]
    runs: tuple[int, int]
    frames: tuple[int, int]
    minutes: float
    timer_step_ms: float
    target_fps: float | None
    alpha: float
    material: bool | None = None
    runs_needed: int | None = None
    guards: Mapping[str, FigureResult] = field(default_factory=dict)
    unstable: tuple[str, ...] = ()
    look: tuple[int, int] | None = None
    band: QuantileBand | None = None
    work: tuple[WorkShare, ...] = ()
    sessions: int = 1
