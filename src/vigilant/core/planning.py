"""How many runs would see a difference, and which difference these runs would have seen."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np
from scipy.special import chdtri, nctdtr, ndtr, stdtrit

from .series import FloatArray

if TYPE_CHECKING:
    from .result import ComparisonResult, FigureResult

POWER = 0.8
#: Runs an arm that an outlook is given for; the runs there are take the place of the nearest.
OUTLOOK_RUNS = (3, 5, 8, 12)
MOST_RUNS = 500
_POSITION_TERMS = 3


def power(effect_y: float, run_sd_y: float, runs: int, alpha: float = 0.05, position: bool = True) -> float:
    """Chance that ``runs`` an arm show ``effect_y`` (two-sided, noncentral t)."""
    df = _free(runs, position)
    if df < 1 or run_sd_y <= 0:
        return 0.0 if df < 1 else 1.0
    shift = abs(effect_y) / (run_sd_y * np.sqrt(2.0 / runs))
    if shift > 30:
        return 1.0
    return float(1.0 - nctdtr(df, shift, stdtrit(df, 1.0 - alpha / 2.0)))


def _free(runs: int, position: bool) -> int:
    terms = (_POSITION_TERMS if runs >= 4 else 2) if position else 1
    return 2 * runs - terms - 1


def chance_inside(margin_y: float, run_sd_y: float, runs: int, alpha: float = 0.05, position: bool = True) -> float:
    """Chance that ``runs`` an arm show nothing beyond the margin where nothing changed: both one-sided
    tests, averaged over what the runs' own spread may turn out to be (chi-squared)."""
    df = _free(runs, position)
    if df < 1:
        return 0.0
    if run_sd_y <= 0:
        return 1.0
    se = run_sd_y * np.sqrt(2.0 / runs)
    room = margin_y - float(stdtrit(df, 1.0 - alpha)) * se * _spreads(df)
    return float(np.where(room > 0, 2.0 * ndtr(np.maximum(room, 0.0) / se) - 1.0, 0.0).mean())


@lru_cache(maxsize=2 * MOST_RUNS)
def _spreads(df: int) -> FloatArray:
    """By how much runs with so many degrees of freedom may misjudge their spread: 400 quantiles, a factor each."""
    u = (np.arange(400) + 0.5) / 400.0
    return np.asarray(np.sqrt(chdtri(df, u) / df))


@dataclass(frozen=True)
class Outlook:
    """What a bench can see of one figure, from the spread of runs on its scale.

    ``sd`` with its 95 % interval (chi-squared); per count of runs an arm the smallest visible
    difference at 80 % power and the chance of being inside the margin if nothing changed, both on the
    figure's scale; ``needed`` runs an arm for the margin, None above 500.
    """

    figure: str
    sd: float
    sd_low: float
    sd_high: float
    df: float
    margin: float
    runs: tuple[int, ...]
    visible: tuple[float, ...]
    chance: tuple[float, ...]
    needed: int | None


def outlook(
    figure: str, run_sd_y: float, df: float, margin_y: float, runs: Sequence[int], alpha: float = 0.05
) -> Outlook:
    """The outlook for a spread known with ``df`` degrees of freedom, for interleaved runs."""
    se = [run_sd_y * float(np.sqrt(2.0 / k)) for k in runs]
    return Outlook(
        figure=figure,
        sd=run_sd_y,
        sd_low=run_sd_y * float(np.sqrt(df / chdtri(df, 0.025))),
        sd_high=run_sd_y * float(np.sqrt(df / chdtri(df, 0.975))),
        df=df,
        margin=margin_y,
        runs=tuple(runs),
        visible=tuple(smallest_visible_y(s, _free(k, True), alpha) for s, k in zip(se, runs, strict=True)),
        chance=tuple(chance_inside(margin_y, run_sd_y, k, alpha) for k in runs),
        needed=runs_needed(margin_y, run_sd_y, alpha),
    )


def pooled(spreads: Sequence[tuple[float, float]]) -> tuple[float, float]:
    """(sd, degrees of freedom) of several spreads of one figure: variances weighted by their own
    degrees of freedom. At least one spread."""
    df = sum(free for _, free in spreads)
    return float(np.sqrt(sum(free * sd**2 for sd, free in spreads) / df)), df


def spread_of(result: FigureResult, runs: tuple[int, int]) -> tuple[float, float] | None:
    """(sd of a run's y, degrees of freedom) behind a tested difference of two arms; None if untested."""
    if result.se is None or result.df is None or not all(runs):
        return None
    return result.se / float(np.sqrt(1.0 / runs[0] + 1.0 / runs[1])), result.df


def outlooks(comparison: ComparisonResult) -> tuple[Outlook, ...]:
    """What further runs of a comparison's own spread would see of each primary that was tested.

    The spread is that of both arms, taken back from the standard error of the difference.
    """
    before, after = comparison.runs
    own = max(3, min(before, after))
    nearest = min(OUTLOOK_RUNS, key=lambda k: abs(k - own))
    counts = sorted({own, *OUTLOOK_RUNS} - ({nearest} if own <= OUTLOOK_RUNS[-1] and nearest != own else set()))
    results = [comparison.figures[n] for n in comparison.primaries if n in comparison.figures]
    spreads = [(r, spread_of(r, comparison.runs)) for r in results]
    return tuple(outlook(r.name, *spread, r.margin, counts) for r, spread in spreads if spread is not None)


def runs_needed(effect_y: float, run_sd_y: float, alpha: float = 0.05, position: bool = True) -> int | None:
    """Fewest runs an arm that show ``effect_y`` with 80 % power; None above 500."""
    low, high = 2, MOST_RUNS
    if power(effect_y, run_sd_y, high, alpha, position) < POWER:
        return None
    while low < high:
        middle = (low + high) // 2
        if power(effect_y, run_sd_y, middle, alpha, position) >= POWER:
            high = middle
        else:
            low = middle + 1
    return low


def smallest_visible_y(se: float, df: float, alpha: float = 0.05) -> float:
    """The difference these runs would have shown with 80 % power: the noncentral t solved for its shift."""
    return _visible_shift(round(df, 3), alpha) * se


@lru_cache(maxsize=4096)
def _visible_shift(df: float, alpha: float) -> float:
    critical = float(stdtrit(df, 1.0 - alpha / 2.0))
    low, high = 0.0, critical + 60.0
    for _ in range(60):
        middle = 0.5 * (low + high)
        chance = 1.0 if middle > critical + 30.0 else float(1.0 - nctdtr(df, middle, critical))
        low, high = (middle, high) if chance < POWER else (low, middle)
    return high
