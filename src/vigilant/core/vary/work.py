"""Did every setting do the same work? Witnesses are counters that must not change with what is varied."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from vigilant.core.audit.witness import LEAST_CHANGE, VOID_LEVEL
from vigilant.core.levels import even, holm

from .cells import fit_cells


@dataclass(frozen=True)
class Unlike:
    """A witness that differs in one cell from the first: as a ratio less 1."""

    witness: str
    cell: int
    share: float


def unlike_work(
    values: Mapping[str, Sequence[Sequence[float]]], slots_of: Sequence[Sequence[int]], slots: int
) -> list[Unlike]:
    """The cells whose witnesses (one mean a run, by cell) differ from those of the first: by over half a per cent, and surely (Holm at
    1 % over cells and witnesses, by the two cells' own variances). Where nothing can be tested a difference is taken for one."""
    found: list[tuple[Unlike, float]] = []
    cell = [i for i, own in enumerate(slots_of) for _ in own]
    places = [slot for own in slots_of for slot in own]
    for name, cells in values.items():
        y = np.log(np.maximum(np.array([v for own in cells for v in own], dtype=np.float64), 1e-9))
        fit = fit_cells(y, cell, places, slots)
        for i in range(1, len(cells)):
            pair = fit.pair(i, 0)
            found.append((Unlike(name, i, float(np.expm1(pair.value))), 0.0 if pair.p_value is None else pair.p_value))
    yes = holm([p for _, p in found], even(VOID_LEVEL).of)
    return [one for (one, _), sure in zip(found, yes, strict=True) if sure and abs(np.log1p(one.share)) > LEAST_CHANGE]
