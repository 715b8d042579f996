"""Untangled: which of several changes helped, from runs of their combinations, with credit that adds up.

A configuration says of each change whether it is on. Formulas: docs/statistics.md, *Untangled*.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import reduce
from itertools import combinations

import numpy as np
from scipy.special import nctdtr, stdtrit

from vigilant.core.errors import InvalidComparison
from vigilant.core.levels import even, holm
from vigilant.core.series import FloatArray

from .cells import Cells, Contrast, fit_cells

FEWEST, MOST_CHANGES = 2, 8
#: So many changes are recorded in all their combinations; further ones in a half, a quarter, ... of sixteen.
ALL_UP_TO = 4
#: What the further changes follow, by the first four: (numbers, sign). Box and Hunter (1961).
_FOLLOW: Mapping[int, Sequence[tuple[tuple[int, ...], int]]] = {
    5: (((0, 1, 2, 3), -1),),
    6: (((0, 1, 2), 1), ((1, 2, 3), 1)),
    7: (((0, 1, 2), 1), ((1, 2, 3), 1), ((0, 2, 3), 1)),
    8: (((1, 2, 3), 1), ((0, 2, 3), 1), ((0, 1, 2), 1), ((0, 1, 3), 1)),
}
FEWEST_PASSES, MOST_PASSES = 2, 12

Config = tuple[bool, ...]


def configurations(changes: int) -> list[Config]:
    """The configurations that so many changes are recorded in, all off first. Raises :class:`InvalidComparison`."""
    if not FEWEST <= changes <= MOST_CHANGES:
        raise InvalidComparison(f"from {FEWEST} to {MOST_CHANGES} changes are untangled, got {changes}")
    first = min(changes, ALL_UP_TO)
    found = []
    for number in range(2**first):
        on = [bool(number >> i & 1) for i in range(first)]
        sign = [1 if one else -1 for one in on]
        on += [reduce(lambda a, i: a * sign[i], numbers, by) > 0 for numbers, by in _FOLLOW.get(changes, ())]
        found.append(tuple(on))
    return found


def alike(configs: Sequence[Config]) -> list[list[tuple[int, int]]]:
    """Pairs of changes whose interactions these configurations cannot tell apart, as groups; pairs that stand alone are
    groups of one."""
    signs = np.where(np.array(configs), 1, -1)
    groups: dict[tuple[int, ...], list[tuple[int, int]]] = {}
    for a, b in combinations(range(signs.shape[1]), 2):
        column = signs[:, a] * signs[:, b]
        groups.setdefault(tuple((column * column[0]).tolist()), []).append((a, b))
    return list(groups.values())


@dataclass(frozen=True)
class Effect:
    """What one change does, or what two do together beyond both (``changes``; groups of pairs that cannot be told apart are
    listed in ``also``), in ms and as a ratio less 1 (``share``). Positive is dearer."""

    changes: tuple[int, ...]
    ms: Contrast
    share: float
    shown: bool
    also: tuple[tuple[int, int], ...] = ()


@dataclass(frozen=True)
class Untangled:
    """``credit`` adds up to ``total`` (all on less all off): by Shapley over all combinations up to four changes, else the main
    effects, which do if no three interact; ``gap`` is what they then leave, None where it is nothing by construction."""

    figure: str
    off_ms: float
    effects: tuple[Effect, ...]
    interactions: tuple[Effect, ...]
    credit: tuple[Contrast, ...]
    total: Contrast | None
    gap: Contrast | None
    fit: Cells

    @property
    def whole(self) -> bool:
        """Whether all combinations were recorded, so that the credit holds whatever interacts."""
        return len(self.credit) <= ALL_UP_TO


def untangled(
    figure: str, values_ms: Mapping[Config, Sequence[float]], slots_of: Mapping[Config, Sequence[int]] | None, slots: int,
    alpha: float = 0.05,
) -> Untangled:  # fmt: skip
    """Judge the configurations: one value a run of each, and the slots they were recorded in. Raises
    :class:`InvalidComparison` for configurations that are no design, one without a run, and values that are no times."""
    configs = configurations(len(next(iter(values_ms))))
    missing = [config for config in configs if not values_ms.get(config)]
    if missing:
        raise InvalidComparison(
            f"the configuration {_said(missing[0])} has no run; without it the design is not balanced"
        )
    y: FloatArray = np.array([v for config in configs for v in values_ms[config]], dtype=np.float64)
    if not bool((y > 0).all()):
        raise InvalidComparison(f"{figure} is a time above 0 in every run, got {float(y.min()):g}")
    cell = [i for i, config in enumerate(configs) for _ in values_ms[config]]
    places = None if slots_of is None else [s for config in configs for s in slots_of[config]]
    fit = fit_cells(np.log(y), cell, places, slots)
    k, n = len(configs[0]), len(configs)
    signs = np.where(np.array(configs), 1, -1)
    mains = [_effect(fit, (i,), signs[:, i] / (n / 2)) for i in range(k)]
    pairs = [
        _effect(fit, group[0], signs[:, group[0][0]] * signs[:, group[0][1]] / (n / 4), tuple(group[1:]))
        for group in alike(configs)
    ]
    effects, interactions = (_shown(found, alpha) for found in (mains, pairs))
    on = {config: i for i, config in enumerate(configs)}
    all_off, all_on = on[(False,) * k], on.get((True,) * k)
    total = None if all_on is None else fit.over({all_on: 1.0, all_off: -1.0}, ms=True)
    credit = _shapley(fit, on, k) if k <= ALL_UP_TO else tuple(effect.ms for effect in effects)
    gap = None
    if k > ALL_UP_TO and all_on is not None:
        w = -signs.sum(axis=1) / (n / 2)
        w[all_on] += 1.0
        w[all_off] -= 1.0
        if bool((np.abs(w) > 1e-9).any()):
            gap = _contrast(fit, w)
    return Untangled(figure, float(np.exp(fit.level[all_off])), effects, interactions, credit, total, gap, fit)


def _contrast(fit: Cells, weights: FloatArray, ms: bool = True) -> Contrast:
    return fit.over({i: float(w) for i, w in enumerate(weights) if w}, ms=ms)


def _effect(
    fit: Cells, changes: tuple[int, ...], weights: FloatArray, also: tuple[tuple[int, int], ...] = ()
) -> Effect:
    share = math.expm1(_contrast(fit, weights, ms=False).value)
    return Effect(changes, _contrast(fit, weights), share, False, also)


def _shown(found: Sequence[Effect], alpha: float) -> tuple[Effect, ...]:
    """Holm over effects of one order."""
    p_values = [1.0 if e.ms.p_value is None else e.ms.p_value for e in found]
    yes = holm(p_values, even(alpha).of)
    return tuple(Effect(e.changes, e.ms, e.share, shown, e.also) for e, shown in zip(found, yes, strict=True))


def _shapley(fit: Cells, on: Mapping[Config, int], changes: int) -> tuple[Contrast, ...]:
    """Each change's mean difference over all orders in which the changes could be made (Shapley, 1953)."""
    found = []
    for i in range(changes):
        w = np.zeros(len(on))
        for config, cell in on.items():
            size = sum(config) - config[i]
            weight = math.factorial(size) * math.factorial(changes - size - 1) / math.factorial(changes)
            w[cell] += weight if config[i] else -weight
        found.append(_contrast(fit, w))
    return tuple(found)


def _said(config: Config) -> str:
    return "".join("1" if one else "0" for one in config)


def passes_needed(changes: int, spread: float, effect: float, power: float = 0.8) -> int | None:
    """Passes that show a main effect of ``effect`` (ln) at a ``spread`` (sd of ln) with this power, the level shared by the
    changes; None where twelve do not."""
    cells = len(configurations(changes))
    for passes in range(FEWEST_PASSES, MOST_PASSES + 1):
        runs = cells * passes
        df = runs - cells - 2
        critical = float(stdtrit(df, 1.0 - 0.05 / changes / 2.0))
        if 1.0 - float(nctdtr(df, effect * math.sqrt(runs) / (2.0 * spread), critical)) >= power:
            return passes
    return None
