"""Do the frames fill the run? The recorder's own wall clock is the second clock of a subject that states none.

It also runs while the subject loads and ends, so a little less than all of it proves nothing; frames
that fill less than half of it are parts of frames.
"""

from collections.abc import Iterator

import numpy as np

from ..finding import Finding
from ..sheet import WALL_S
from .evidence import Evidence

LEAST_SHARE = 0.5


def check(evidence: Evidence) -> Iterator[Finding]:
    shares = [
        float(view.series.frame_ms.sum()) / (1000.0 * wall)
        for view in evidence.arms.views
        if (wall := view.series.measured.get(WALL_S)) and not view.series.stated_s
    ]
    short = [share for share in shares if share < LEAST_SHARE]
    if short:
        facts = {"runs": len(short), "total": len(evidence.arms.views), "percent": 100.0 * float(np.median(short))}
        yield Finding("part-timed", "warn", facts)
