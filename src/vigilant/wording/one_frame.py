"""One frame in a sentence: how long it was, against the frames around it, and what took most of that."""

from __future__ import annotations

from collections.abc import Sequence

from vigilant.core.work import PartOfFrame

from .change import number

#: A part that took less over what it usually takes is not named.
LEAST_SHARE = 0.2


def frame_sentence(
    frame: int, ms: float, typical: float | None, counted: bool, parts: Sequence[PartOfFrame], late: bool
) -> str:
    said = f"Frame {frame:,} took {number(ms, 2)} ms{' and was late' if late else ''}"
    if typical is None:
        return f"{said}."
    over = ms - typical
    said += f"; the frames around it take {number(typical, 2)} ms"
    if not counted:
        return f"{said}. It does not count: it is in the warm-up, or in a leg that is no play."
    top = [part for part in parts if len(part.key[1]) == 1]
    most = max(top, key=lambda part: part.ms - part.usual_ms, default=None)
    if over > 0 and most is not None and most.ms - most.usual_ms > LEAST_SHARE * over:
        return f"{said}. {most.key[1][0]} alone took {number(most.ms - most.usual_ms, 2)} ms more than it usually does."
    return f"{said}."
