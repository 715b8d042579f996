"""One run on both sides, and stretches of one run found in another.

A run that stands on both sides is held against itself: no verdict follows. (The same run twice in
one arm is refused before anything is audited.) Stretches that two runs share frame by frame, to a
millionth of a millisecond, come from copying, trimming or joining what was one recording.
"""

from collections.abc import Iterator

from ..finding import Finding
from ..repeats import run_name, same_frames, shared_stretches
from .evidence import Evidence

#: From this share of a run on, stretches found in another are said.
SHARE = 0.1


def check(evidence: Evidence) -> Iterator[Finding]:
    before, after = ([v.series for v in arm] for arm in evidence.arms.arms)
    names = [*(run_name(s, i) for i, s in enumerate(before)), *(run_name(s, i) for i, s in enumerate(after))]
    both = [
        {"before": run_name(a, i), "after": run_name(b, j)}
        for i, a in enumerate(before)
        for j, b in enumerate(after)
        if same_frames(a, b)
    ]
    if both:
        yield Finding("same-run-both-sides", "void", {"both": both})
        return
    shared = [(share, names[i], names[j]) for i, j, share in shared_stretches([*before, *after]) if share >= SHARE]
    if shared:
        share, one, other = max(shared)
        yield Finding("stretches-shared", "warn", {"one": one, "other": other, "pairs": len(shared), "percent": 100.0 * share})  # fmt: skip
