"""Between a good and a bad build: where the step may lie, and which build to record next.

Formulas: docs/statistics.md, *The hunt for a step*.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from scipy.special import chdtri

from vigilant.core.errors import InvalidComparison
from vigilant.core.series import FloatArray

from .noise import measured

#: Runs of both ends to begin with, the most of them, and standard errors between the two that show a step at all.
FIRST, MOST_ENDS, SHOWN = 3, 8, 3.0
#: What one place has to reach; runs in all; builds that are likely on neither side; and how many of them are weighed.
CERTAIN, MOST_RUNS, DOUBT, WEIGHED = 0.95, 40, 0.02, 24
_NODES, _WEIGHTS = np.polynomial.hermite_e.hermegauss(7)

Runs = Mapping[int, Sequence[float]]


@dataclass(frozen=True, eq=False)
class Where:
    """``posterior`` (N - 1,) of the step beginning with build 1, 2, ... N - 1; ``next`` is the build to record (None where the search is
    over), ``why`` it is over. ``fits`` is False where the recorded builds are no one step."""

    posterior: FloatArray
    next: int | None
    why: str
    fits: bool

    def held(self, share: float = CERTAIN) -> tuple[int, int]:
        """The builds, first and last, that the step begins with in so many of 100 cases."""
        order = np.argsort(-self.posterior, kind="stable")
        kept = order[: int(np.searchsorted(np.cumsum(self.posterior[order]), share - 1e-12)) + 1] + 1
        return int(kept.min()), int(kept.max())

    @property
    def after(self) -> FloatArray:
        """The chance of each build (N,) of lying after the step."""
        found: FloatArray = np.concatenate(([0.0], np.cumsum(self.posterior)))
        return found


def where(
    builds: int,
    runs: Runs,
    s2: float,
    b2: float,
    prior: Sequence[float] | None = None,
    neighbours: bool = False,
    most_runs: int = MOST_RUNS,
    cannot: Collection[int] = (),
) -> Where:
    """Run values of the builds recorded so far (0 is good, ``builds`` - 1 is bad), the variance of runs and that of builds beside it;
    ``prior`` (N - 1,) of the places. With ``neighbours`` two places beside each other are certain enough; builds that
    ``cannot`` be recorded are not asked for. Raises :class:`InvalidComparison`."""
    _check(builds, runs, s2, b2, prior)
    even = np.full(builds - 1, 1.0 / (builds - 1)) if prior is None else np.asarray(prior, float) / float(sum(prior))
    spent = sum(map(len, runs.values()))
    ends = _ends(builds, runs, s2, b2)
    if ends is not None:
        build, why = ends
        over = why or ("the runs are spent" if spent >= most_runs else "")
        return Where(even, None if over else build, over, True)
    posterior = _posterior(builds, runs, s2, b2, even)
    fits = _fits(runs, posterior, s2, b2)
    sure = float(posterior.max()) >= CERTAIN or (
        neighbours and posterior.size > 1 and float((posterior[1:] + posterior[:-1]).max()) >= CERTAIN
    )
    if sure:
        return Where(posterior, None, "certain", fits)
    if spent >= most_runs:
        return Where(posterior, None, "the runs are spent", fits)
    following = _next(builds, runs, s2, b2, even, posterior, cannot)
    return Where(posterior, following, "" if following is not None else "no other build can be recorded", fits)


def hunted(
    builds: int, runs: Runs, spread: float, neighbours: bool = False, most_runs: int = MOST_RUNS, cannot: Collection[int] = ()
) -> Where:  # fmt: skip
    """The same of logarithms of run values; ``spread`` is what builds differ by beside their runs, as a share, and runs spread as they do
    within the builds. Raises :class:`InvalidComparison`."""
    s2 = measured([runs[place] for place in sorted(runs)]).s2 if runs else 1.0
    return where(builds, runs, s2, spread**2, None, neighbours, most_runs, cannot)


def _check(builds: int, runs: Runs, s2: float, b2: float, prior: Sequence[float] | None) -> None:
    if builds < 2:
        raise InvalidComparison(f"a hunt goes from a good build to a bad one, got {builds}")
    if any(not 0 <= build < builds or not len(own) for build, own in runs.items()):
        raise InvalidComparison(f"runs of builds from 0 to {builds - 1}, got {sorted(runs)}")
    if not s2 > 0 or b2 < 0:
        raise InvalidComparison(f"runs have a variance above 0, builds one of 0 or more, got {s2:g} and {b2:g}")
    if prior is not None and (len(prior) != builds - 1 or min(prior) < 0 or not sum(prior) > 0):
        raise InvalidComparison(f"a prior is a weight of 0 or more for each of {builds - 1} places")


def _ends(builds: int, runs: Runs, s2: float, b2: float) -> tuple[int, str] | None:
    """Which end to record next, or why not: a step has to be seen between the ends before it is looked for. None once it is."""
    first, last = (len(runs.get(end, ())) for end in (0, builds - 1))
    if min(first, last) < FIRST:
        return (0 if first <= last else builds - 1), ""
    if any(0 < build < builds - 1 for build in runs):
        return None
    d = float(np.mean(runs[builds - 1]) - np.mean(runs[0]))
    se = math.sqrt(2.0 * b2 + s2 * (1.0 / first + 1.0 / last))
    if abs(d) > SHOWN * se:
        return None
    if min(first, last) >= MOST_ENDS:
        return 0, "not reproduced"
    return (0 if first <= last else builds - 1), ""


def _posterior(builds: int, runs: Runs, s2: float, b2: float, prior: FloatArray) -> FloatArray:
    """By the levels of both sides integrated out."""
    w, wm, wmm = (np.zeros(builds) for _ in range(3))
    for build, own in runs.items():
        weight, mean = 1.0 / (b2 + s2 / len(own)), float(np.mean(own))
        w[build], wm[build], wmm[build] = weight, weight * mean, weight * mean**2

    def side(w: FloatArray, wm: FloatArray, wmm: FloatArray) -> FloatArray:
        safe = np.maximum(w, 1e-300)
        found: FloatArray = np.where(w > 0, -0.5 * (wmm - wm**2 / safe) - 0.5 * np.log(safe), 0.0)
        return found

    until = [np.cumsum(x)[:-1] for x in (w, wm, wmm)]
    rest = [float(x.sum()) - own for x, own in zip((w, wm, wmm), until, strict=True)]
    with np.errstate(divide="ignore"):
        thought = np.log(prior)  # a place that is out of the question stays so, whatever is seen
    log = side(*until) + side(*rest) + thought
    weights = np.exp(log - log.max())
    found: FloatArray = weights / weights.sum()
    return found


def _entropy(posterior: FloatArray) -> float:
    known = posterior[posterior > 0]
    return float(-(known * np.log(known)).sum())


def _next(
    builds: int, runs: Runs, s2: float, b2: float, prior: FloatArray, posterior: FloatArray, cannot: Collection[int]
) -> int | None:
    """The build whose next run lowers the expected entropy most; None where none is left."""
    after = np.concatenate(([0.0], np.cumsum(posterior)))
    can = np.array([build not in cannot for build in range(builds)])
    open_ = np.flatnonzero((after > DOUBT) & (after < 1.0 - DOUBT) & can)
    if open_.size == 0:
        open_ = np.flatnonzero(can)[np.argsort(np.abs(after[can] - 0.5), kind="stable")[:1]]
    if open_.size == 0:
        return None
    if open_.size > WEIGHED:
        open_ = open_[np.unique(np.linspace(0, open_.size - 1, WEIGHED).round().astype(int))]
    levels = _levels(builds, runs, s2, b2, posterior)
    expected = []
    for build in map(int, open_):
        lost = 0.0
        for share, (level, variance) in zip((1.0 - after[build], after[build]), levels, strict=True):
            mean, spread = _predicted(runs.get(build, ()), level, variance, s2, b2)
            for node, weight in zip(_NODES, _WEIGHTS / _WEIGHTS.sum(), strict=True):
                tried = {**runs, build: [*runs.get(build, ()), mean + spread * float(node)]}
                lost += share * weight * _entropy(_posterior(builds, tried, s2, b2, prior))
        expected.append(lost)
    best = min(expected)
    return int(open_[next(i for i, one in enumerate(expected) if one <= best + 1e-12)])


def _levels(builds: int, runs: Runs, s2: float, b2: float, posterior: FloatArray) -> list[tuple[float, float]]:
    """The level of each side with its variance, every recorded build by its chance of lying there."""
    after = np.concatenate(([0.0], np.cumsum(posterior)))
    told = []
    for shares in (1.0 - after, after):
        w = {build: float(shares[build]) / (b2 + s2 / len(own)) for build, own in runs.items()}
        total = sum(w.values())
        told.append((sum(w[build] * float(np.mean(own)) for build, own in runs.items()) / total, 1.0 / total))
    return told


def _predicted(own: Sequence[float], level: float, variance: float, s2: float, b2: float) -> tuple[float, float]:
    """Mean and spread of a build's next run: what it shows of itself counts beside its side's level."""
    between = b2 + variance
    if not own:
        return level, math.sqrt(between + s2)
    if between == 0:
        return level, math.sqrt(s2)
    precision = 1.0 / between + len(own) / s2
    mean = (level / between + float(np.sum(own)) / s2) / precision
    return mean, math.sqrt(1.0 / precision + s2)


def _fits(runs: Runs, posterior: FloatArray, s2: float, b2: float) -> bool:
    """Whether one step at the likeliest place explains the recorded builds."""
    at = int(posterior.argmax()) + 1
    left = 0.0
    for side in ({b: o for b, o in runs.items() if b < at}, {b: o for b, o in runs.items() if b >= at}):
        if not side:
            continue
        w = np.array([1.0 / (b2 + s2 / len(own)) for own in side.values()])
        m = np.array([float(np.mean(own)) for own in side.values()])
        left += float((w * (m - (w * m).sum() / w.sum()) ** 2).sum())
    df = len(runs) - 2
    return df < 1 or left <= float(chdtri(df, 0.01))
