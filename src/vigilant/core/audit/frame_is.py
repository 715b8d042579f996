"""Do both arms mean the same thing by a frame: start to start, shown to shown, work alone?"""

from collections.abc import Iterator

from ..finding import Finding
from ..sheet import FRAME_IS
from .evidence import Evidence


def check(evidence: Evidence) -> Iterator[Finding]:
    before, after = evidence.values_of(FRAME_IS)
    if before and after and before != after:
        yield Finding("frames-measured-unlike", "void", {"before": before, "after": after})
