"""How many runs would see a difference, and which difference these runs would have seen."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from scipy.special import nctdtr, stdtrit

POWER = 0.8
MOST_RUNS = 500
_POSITION_TERMS = 3


def power(effect_y: float, run_sd_y: float, runs: int, alpha: float = 0.05, position: bool = True) -> float:
    """Chance that ``runs`` an arm show ``effect_y`` (two-sided, noncentral t)."""
    terms = (_POSITION_TERMS if runs >= 4 else 2) if position else 1
    df = 2 * runs - terms - 1
    if df < 1 or run_sd_y <= 0:
        return 0.0 if df < 1 else 1.0
    shift = abs(effect_y) / (run_sd_y * np.sqrt(2.0 / runs))
    if shift > 30:
        return 1.0
    return float(1.0 - nctdtr(df, shift, stdtrit(df, 1.0 - alpha / 2.0)))


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
