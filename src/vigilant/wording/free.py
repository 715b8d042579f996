"""What parts could give at most, in words: always *at most, if nothing else changes*."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from vigilant.core.work import Bound, Gain, Key, Overlap, RunLanes
from vigilant.core.work.bounds import MOST_JITTER, jitter

from .change import decimals_for, number

REFUSED = {
    "held-by-cap": "A cap held the frames and no lane reports what they waited: what a part could give cannot be told.",
    "pacing-not-understood": "The frames are paced, but rounding their work up to whole refreshes does not give them back: what a part could give cannot be told.",
    "no-lane": "The parts lie in no lane that the runs report: what they could give cannot be told.",
}
#: What gives a smaller share of the mean frame at most is nothing.
LEAST_GAIN = 0.0005


def key_name(key: Key) -> str:
    return " / ".join((*([key[0]] if key[0] else []), *key[1]))


def ranks(gains: Sequence[Gain | None]) -> list[int]:
    """A rank each, of gains the largest first: as the one before where their half widths do not tell them apart."""
    found: list[int] = []
    lead: Gain | None = None
    for i, gain in enumerate(gains):
        tied = (
            lead is not None and gain is not None and lead.value - gain.value <= max(lead.half or 0.0, gain.half or 0.0)
        )
        if tied:
            found.append(found[-1])
        else:
            found.append(i + 1)
            lead = gain
    return found


def _gain(gain: Gain | None, scale: float = 1.0, most: int = 3) -> str:
    if gain is None:
        return ""
    half = None if gain.half is None else scale * gain.half
    digits = decimals_for(half, most) if half else 2
    said = number(scale * gain.value, digits)
    return said if half is None else f"{said} (± {number(half, digits)})"


def gains(found: Bound) -> dict[str, Any]:
    """Each gain with its half width, in the figure's own unit."""
    return {
        name: None if gain is None else {"value": gain.value, "half": gain.half}
        for name, gain in (("mean_ms", found.mean_ms), ("p99_ms", found.p99_ms), ("late", found.late))
    }


def gain_words(found: Bound, ms: float) -> dict[str, str]:
    return {
        "ms": number(ms, 2),
        "mean_ms": _gain(found.mean_ms),
        "p99_ms": _gain(found.p99_ms),
        "late": _gain(found.late, 100.0),
    }


def nothing(found: Bound, ms: float) -> bool:
    """Whether there is nothing to gain: the most that it may give is below what could be measured."""
    gain = found.mean_ms
    return gain is not None and gain.value + (gain.half or 0.0) < LEAST_GAIN * found.now[0]


def free_sentence(rows: Sequence[tuple[Key, Bound]], by: str, refused: str) -> str:
    if refused:
        return REFUSED[refused]
    if not rows:
        return "The runs report no parts in their lanes."
    key, found = rows[0]
    if nothing(found, 0.0):
        return "No part alone would make frames shorter: the lanes balance, or something else limits them. Two together may."
    return f"If {key_name(key)} were free it would give {most(gains(found), by)} at most, if nothing else changes."


def free_notes(
    lanes: Sequence[RunLanes], overlap: Overlap | None, found: Bound | None, coarse: Sequence[Key] = ()
) -> list[str]:
    notes = []
    if coarse:
        named = ", ".join(key_name(key) for key in coarse[:5]) + (" and more" if len(coarse) > 5 else "")
        notes.append(
            f"Below the clock's resolution in single frames, so that nothing is said of what they could give: {named}."
        )
    if overlap is not None and overlap.call == "cannot be told":
        notes.append(
            "Whether the lanes overlap cannot be told; it is taken that they do, which is the least a part gives."
        )
    if jitter(lanes) > MOST_JITTER:
        notes.append(
            "The lanes jitter by more than 3 % from frame to frame. If that is how they are read, and not how they are, lanes that balance look as if up to 8 % more could be had."
        )
    if found is not None and found.paced:
        notes.append(
            "The frames are paced: each is rounded up to whole refreshes again, and the 99th percentile has two values and no interval."
        )
    return notes


def now(found: Bound) -> dict[str, float | None]:
    mean, p99, late = found.now
    return {"mean_ms": mean, "p99_ms": p99, "late": late}


def then(found: Bound) -> dict[str, float | None]:
    mean, p99, late = found.now
    return {
        "mean_ms": mean - (found.mean_ms.value if found.mean_ms else 0.0),
        "p99_ms": p99 - (found.p99_ms.value if found.p99_ms else 0.0),
        "late": None if late is None or found.late is None else late - found.late.value,
    }


def together_sentence(found: Bound) -> str:
    if found.refused:
        return REFUSED[found.refused]
    after = then(found)
    said = f"At most: the mean frame {number(found.now[0], 2)} to {number(after['mean_ms'] or 0.0, 2)} ms, {_gain(found.mean_ms)} ms less"
    if found.late is not None and found.now[2] is not None:
        said += f"; late frames {number(100 * found.now[2], 2)} to {number(100 * (after['late'] or 0.0), 2)} %"
    return f"{said}; if nothing else changes."


_UNITS = {
    "mean_ms": ("ms of the mean frame", 1.0),
    "p99_ms": ("ms of the 99th percentile", 1.0),
    "late": ("points of late frames", 100.0),
}


def most(found: Mapping[str, Any] | None, by: str) -> str:
    """ "0.97 (± 0.03) ms of the mean frame" of a kept bound; "" where there is none."""
    gain = (found or {}).get(by)
    if not gain:
        return ""
    unit, scale = _UNITS[by]
    return f"{_gain(Gain(gain['value'], gain['half']), scale)} {unit}"
