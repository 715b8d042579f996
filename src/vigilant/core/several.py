"""More than two arms: against a reference or all pairs, ranks, net of an empty arm, and chains."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import combinations
from typing import Literal

import numpy as np
from scipy.special import stdtrit

from .compare import Estimates, comparison_from, estimate
from .errors import InvalidComparison
from .finding import Finding
from .levels import AlphaLevels, even, holm
from .policy import Policy
from .result import ComparisonResult, FigureResult
from .scales import LOG
from .series import FrameSeries
from .summary import RunFrames

Pair = tuple[str, str]
#: All pairs of more arms are compared only when they are asked for.
MOST_RANKED = 8


@dataclass(frozen=True)
class Net:
    """The mean frame of an arm less the empty arm's: what the work itself takes, in ms, with its 95 %
    interval; and its ratio to the reference's net time."""

    arm: str
    ms: float
    low: float | None
    high: float | None
    ratio: float | None
    ratio_low: float | None
    ratio_high: float | None


@dataclass(frozen=True)
class Several:
    """``pairs`` hold each comparison, (before, after); Holm over all primaries of all of them.

    ``ranks`` of three to eight arms, from all pairs: figure to arm to (best, worst) place that its
    significant differences leave it, 1 the best. ``net`` where there is an empty arm.
    """

    names: tuple[str, ...]
    reference: str
    pairs: Mapping[Pair, ComparisonResult]
    ranks: Mapping[str, Mapping[str, tuple[int, int]]] = field(default_factory=dict)
    net: tuple[Net, ...] = ()


def compare_several(
    arms: Mapping[str, Sequence[FrameSeries]],
    policy: Policy | None = None,
    order: Sequence[str | None] | None = None,
    against: Literal["reference", "all"] = "reference",
    empty: str | None = None,
    findings: Mapping[Pair, Iterable[Finding]] | None = None,
    levels: AlphaLevels | None = None,
    sessions: Sequence[int] | None = None,
) -> Several:
    """Compare arms with the first of them, or all pairs; the arm ``empty`` is compared with none.

    ``order`` names the arm of each slot, None where a run failed; a pair keeps the places of the other
    arms' slots. ``findings`` are added to their pair's own, the pair named as in ``arms``; ``levels``
    are those of a look; ``sessions`` numbers each slot's session. Deterministic. Raises
    :class:`InvalidComparison`.
    """
    policy = policy or Policy()
    levels = levels or even(policy.alpha)
    names = tuple(name for name in arms if name != empty)
    if len(names) < 2:
        raise InvalidComparison(f"several arms are two or more besides an empty one, got {len(names)}")
    if empty is not None and empty not in arms:
        raise InvalidComparison(f"the empty arm {empty!r} has no runs")
    bare = [name for name, runs in arms.items() if not runs]
    if bare:
        raise InvalidComparison(f"arm {bare[0]!r} has no run")
    views = {name: [RunFrames(s, policy) for s in runs] for name, runs in arms.items()}
    every = list(combinations(names, 2))
    wanted = every if against == "all" else [(names[0], n) for n in names[1:]]
    ranked = against == "all" or 2 < len(names) <= MOST_RANKED

    def prepared(pair: Pair) -> Estimates:
        a, b = pair
        more = (findings or {}).get(pair, ())
        return estimate(views[a], views[b], policy, _of_pair(order, a, b), more, sessions, levels)

    made = {pair: prepared(pair) for pair in wanted}
    family = {(pair, figure): p for pair, m in made.items() for figure, p in m.family().items()}
    rejected = dict(zip(family, holm(list(family.values()), levels.of), strict=True))
    pairs = {
        pair: comparison_from(m, {figure: found for (of, figure), found in rejected.items() if of == pair})
        for pair, m in made.items()
    }
    others = {pair: comparison_from(prepared(pair)) for pair in every if pair not in pairs} if ranked else {}
    return Several(
        names=names,
        reference=names[0],
        pairs=pairs,
        ranks=_ranks(names, {**pairs, **others}, policy.alpha) if ranked else {},
        net=() if empty is None else tuple(_net(n, views, names[0], empty, policy.alpha) for n in names),
    )


def _of_pair(order: Sequence[str | None] | None, a: str, b: str) -> list[str | None] | None:
    return None if order is None else ["before" if o == a else "after" if o == b else None for o in order]


def _ranks(
    names: Sequence[str], pairs: Mapping[Pair, ComparisonResult], alpha: float
) -> dict[str, dict[str, tuple[int, int]]]:
    """Places that the significant differences of a figure leave each arm; Holm over its pairs."""
    shared = set.intersection(*(set(c.figures) for c in pairs.values()))
    ranks = {}
    for figure in (f for f in next(iter(pairs.values())).figures if f in shared):
        results = {pair: c.figures[figure] for pair, c in pairs.items()}
        p = [1.0 if r.p_value is None else r.p_value for r in results.values()]
        better = dict.fromkeys(names, 0)
        worse = dict.fromkeys(names, 0)
        for ((a, b), r), found in zip(results.items(), holm(p, even(alpha).of), strict=True):
            if found:
                first, second = (b, a) if (r.d > 0) == r.higher_is_better else (a, b)
                better[second] += 1
                worse[first] += 1
        ranks[figure] = {n: (1 + better[n], len(names) - worse[n]) for n in names}
    return ranks


def _net(name: str, views: Mapping[str, Sequence[RunFrames]], reference: str, empty: str, alpha: float) -> Net:
    """Difference of mean frames by Welch; the ratio's error by the delta method over the three arms."""
    means, errors, df = {}, {}, {}
    step = float(np.median([v.timer_step for v in views[name]]))
    for n in (name, reference, empty):
        x = np.array([v.total_ms / v.n for v in views[n]])
        floor = LOG.floor(float(x.mean()), step) * float(x.mean()) ** 2
        means[n], df[n] = float(x.mean()), x.size - 1
        errors[n] = math.sqrt(max(float(x.var(ddof=1)), floor) / x.size) if x.size > 1 else math.nan
    ms, whole = means[name] - means[empty], means[reference] - means[empty]
    own = [(errors[name], df[name]), (errors[empty], df[empty])]
    half = _half(own, alpha)
    ratio = ms / whole if whole > 0 else None
    ratio_half = None
    if ratio is not None and name != reference:
        slopes = {name: 1.0 / whole, reference: -ms / whole**2, empty: (ms - whole) / whole**2}
        ratio_half = _half([(abs(slope) * errors[n], df[n]) for n, slope in slopes.items()], alpha)
    return Net(
        arm=name,
        ms=ms,
        low=None if half is None else ms - half,
        high=None if half is None else ms + half,
        ratio=ratio,
        ratio_low=None if ratio is None or ratio_half is None else ratio - ratio_half,
        ratio_high=None if ratio is None or ratio_half is None else ratio + ratio_half,
    )


def _half(parts: Sequence[tuple[float, int]], alpha: float) -> float | None:
    """Half width of an interval from standard errors and their degrees of freedom (Satterthwaite)."""
    if any(df < 1 for _, df in parts):
        return None
    total = sum(e**2 for e, _ in parts)
    free = total**2 / sum(e**4 / df for e, df in parts) if total > 0 else 1.0
    return float(stdtrit(free, 1.0 - alpha / 2.0)) * math.sqrt(total)


@dataclass(frozen=True)
class Remainder:
    """A chain of steps against its total: the product of the steps' ratios, and how far it misses.

    ``remainder`` is product / total - 1, with its 95 % interval where steps and total were tested and
    recorded apart; an interval without zero says that something else changed between the steps.
    """

    figure: str
    product: float
    total: float
    remainder: float
    low: float | None
    high: float | None


def chain_remainder(
    steps: Sequence[FigureResult], total: FigureResult, apart: bool = True, alpha: float = 0.05
) -> Remainder:
    """Does a chain of steps close? Without an interval unless no run is in two of them (``apart``).
    Raises :class:`InvalidComparison` for another figure or no ratio."""
    if {r.name for r in steps} - {total.name}:
        raise InvalidComparison(f"a chain of {total.name} has steps of another figure")
    if total.unit not in ("ms", "fps"):
        raise InvalidComparison(f"{total.name} is no time or rate; its steps do not multiply")
    if not steps or any(r.ratio is None for r in (*steps, total)):
        raise InvalidComparison("a chain needs steps and a total that have ratios")
    product = math.exp(sum(r.d for r in steps))
    gap = sum(r.d for r in steps) - total.d
    low = high = None
    parts = [(r.se, r.df) for r in (*steps, total)]
    if apart and all(se is not None and df is not None for se, df in parts):
        known = [(float(se), int(max(1.0, df))) for se, df in parts if se is not None and df is not None]
        half = _half(known, alpha)
        if half is not None:
            low, high = math.expm1(gap - half), math.expm1(gap + half)
    return Remainder(total.name, product, math.exp(total.d), math.expm1(gap), low, high)
