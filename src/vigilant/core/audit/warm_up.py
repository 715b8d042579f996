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
    # Sorting is faster than partitioning at two places.
    blocks = np.sort(frame_ms[: size * BLOCKS].reshape(BLOCKS, size), axis=1)
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
    arms = evidence.arms.arms
    shapes: list[list[FloatArray]] = []
    for arm in arms:
        means = [block_means(v.x) for v in arm]
        shapes.append([m / m[SETTLED:].mean() for m in means if m is not None])
        if len(shapes[-1]) < len(arm):
            return
    marked = any(v.series.marks for v in evidence.arms.views)
    rises = [rise for arm in shapes for rise in (_against_others(arm) if marked else arm)]
    found = [(v, leading(r)) for v, r in zip(evidence.arms.views, rises, strict=True)]
    slow = [(v, n) for v, n in found if n]
    if slow:
        longest = max(float(v.x[: v.x.size // BLOCKS * n].sum()) / 1000.0 for v, n in slow)
        left_out = max(v.policy.trim_s for v, _ in slow)
        facts = {"runs": len(slow), "total": len(found), "longest_s": longest, "wanted_s": left_out + longest}
        yield Finding("warm-up-left-in", "warn" if marked else "note", facts)


def _against_others(shapes: Sequence[FloatArray]) -> list[FloatArray]:
    """Each run's blocks, over its own settled level, against the median of the other runs of its arm."""
    if len(shapes) == 1:
        return [np.ones(BLOCKS)]
    return [s / np.median([o for j, o in enumerate(shapes) if j != i], axis=0) for i, s in enumerate(shapes)]
