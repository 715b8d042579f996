"""Was a slow start left in? Forty blocks a run, each by its winsorised mean.

With marks a block is held against the same place of the course in the other runs, so that a dear
leg is no warm-up; without marks against the run's own last 60 %. Leading blocks above
1 + max(3.5 sd, 3 %) are the warm-up.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from ..finding import Finding
from ..series import FloatArray
from ..summary import RunView
from .evidence import Evidence

BLOCKS, SETTLED = 40, 16
DEVIATIONS, LEAST_RISE = 3.5, 0.03
LEAST_A_BLOCK = 5


def block_means(frame_ms: FloatArray) -> FloatArray | None:
    """Means (40,) of consecutive blocks of frames, the outer tenth of each side pulled in; None if too short."""
    size = frame_ms.size // BLOCKS
    if size < LEAST_A_BLOCK:
        return None
    cut = max(1, size // 10)
    blocks = np.partition(frame_ms[: size * BLOCKS].reshape(BLOCKS, size), (cut, size - cut - 1), axis=1)
    kept = blocks[:, cut : size - cut]
    means: FloatArray = (kept.sum(axis=1) + cut * (kept[:, 0] + kept[:, -1])) / size
    return means


def leading(rise: FloatArray) -> int:
    """How many leading blocks lie above the limit, judged by the spread of the last 60 %."""
    settled = rise[SETTLED:]
    limit = 1.0 + max(DEVIATIONS * float(settled.std(ddof=1)), LEAST_RISE)
    above = rise > limit
    return int(above.size if above.all() else np.argmin(above))


def check(evidence: Evidence) -> Iterator[Finding]:
    marked = any(v.series.marks for v in evidence.arms.views)
    for arm in evidence.arms.arms:
        means = [block_means(v.x) for v in arm]
        if any(m is None for m in means):
            return
    rises = _against_others(evidence.arms.arms) if marked else _against_itself(evidence.arms.views)
    found = [(v, leading(r)) for v, r in zip(evidence.arms.views, rises, strict=True)]
    slow = [(v, n) for v, n in found if n]
    if slow:
        longest = max(float(v.x[: v.x.size // BLOCKS * n].sum()) / 1000.0 for v, n in slow)
        facts = {"runs": len(slow), "total": len(found), "longest_s": longest}
        yield Finding("warm-up-left-in", "warn" if marked else "note", facts)


def _against_itself(views: Sequence[RunView]) -> list[FloatArray]:
    return [m / m[SETTLED:].mean() for v in views if (m := block_means(v.x)) is not None]


def _against_others(arms: Sequence[Sequence[RunView]]) -> list[FloatArray]:
    """Each run's blocks, over its own settled level, against the median of the other runs of its arm."""
    rises = []
    for arm in arms:
        shapes = np.array([m / m[SETTLED:].mean() for m in (block_means(v.x) for v in arm) if m is not None])
        for i in range(len(arm)):
            others = np.delete(shapes, i, axis=0)
            rises.append(shapes[i] / np.median(others, axis=0) if len(others) else np.ones(BLOCKS))
    return rises
