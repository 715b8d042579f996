"""From figures to calls and from calls to one verdict (docs/statistics.md, *Verdict*)."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from .finding import Finding
from .result import Call, FigureResult, Verdict

#: Verdicts that say something changed.
CHANGED: tuple[Verdict, ...] = ("gain", "regression", "trade-off")


def call_figure(better: bool, significant: bool, inside: bool) -> Call:
    """The call of a figure that could be tested."""
    if significant:
        if inside:
            return "better, within margin" if better else "worse, within margin"
        return "better" if better else "worse"
    return "equivalent" if inside else "unclear"


@dataclass(frozen=True)
class Ruling:
    verdict: Verdict
    reasons: tuple[str, ...]


def ruling(
    primaries: Sequence[FigureResult],
    findings: Sequence[Finding],
    equivalence_allowed: bool,
    guards: Sequence[FigureResult] = (),
) -> Ruling:
    """Void, then equivalence of every primary, then Holm's calls, as the specification orders them.

    ``equivalence_allowed`` is False where a cap holds the mean and no waiting lane shows the work.
    A guard that got worse turns Gain into Trade-off and No material change into Regression.
    """
    decision = _without_guards(primaries, findings, equivalence_allowed)
    broken = tuple(g.name for g in guards if g.call.startswith("worse"))
    if broken and decision.verdict == "gain":
        return Ruling("trade-off", decision.reasons + broken)
    if broken and decision.verdict == "no material change":
        return Ruling("regression", broken)
    return decision


def _without_guards(
    primaries: Sequence[FigureResult], findings: Sequence[Finding], equivalence_allowed: bool
) -> Ruling:
    void = tuple(f.code for f in findings if f.severity == "void")
    if void:
        return Ruling("void", void)
    if primaries and all(r.inside for r in primaries) and equivalence_allowed:
        return Ruling("no material change", ())
    better = tuple(r.name for r in primaries if r.call.startswith("better"))
    worse = tuple(r.name for r in primaries if r.call.startswith("worse"))
    if better and worse:
        return Ruling("trade-off", tuple(r.name for r in primaries if r.name in better + worse))
    if better:
        return Ruling("gain", better)
    if worse:
        return Ruling("regression", worse)
    blocking = {f.code for f in findings}
    for code in ("order-confounded", "spread-unknown"):
        if code in blocking:
            return Ruling("undecided", (code,))
    if not equivalence_allowed:
        return Ruling("undecided", ("held-by-cap",))
    return Ruling("undecided", tuple(r.name for r in primaries if not r.inside))


def material(decision: Ruling, figures: Mapping[str, FigureResult], t95: Mapping[str, float]) -> bool | None:
    """Does the whole interval of a reason clear its margin? None where the verdict is neither gain nor regression.

    ``t95`` is the half width of the interval on each figure's scale.
    """
    if decision.verdict not in ("gain", "regression"):
        return None
    return any(abs(figures[n].d) - t95[n] > figures[n].margin for n in decision.reasons if n in t95)
