"""What a column of numbers is: frame times, stamps or a rate, and in which unit.

It is proposed from its name and its shape, with the reason. Where something else is as plausible the proposal is in
doubt, and nobody goes on before it is said which. Two things are never taken, whoever says so: what only rises as frame
times, and what is named a rate as times.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from enum import StrEnum
from typing import NamedTuple

import numpy as np

from .errors import FormatError
from .run import UNIT_MS


class Kind(StrEnum):
    TIMES = "times"
    STAMPS = "stamps"
    RATE = "rate"
    LANE = "lane"
    COUNTER = "counter"
    LEG = "leg"
    RUN = "run"
    ARM = "arm"
    # Of work inside the frames (work.py):
    PART = "part"
    END = "end"
    LANE_NAME = "lane name"
    ID = "id"
    INSIDE = "inside"
    CALLS = "calls"
    FRAME_NUMBER = "frame number"
    SAMPLES = "samples"
    LEFT_OUT = "left out"


class Holds(StrEnum):
    """What a file holds: runs, readings at a rate of their own, or work inside the frames of runs."""

    RUNS = "runs"
    READINGS = "readings"
    WORK = "work"


#: What frames come from.
OF_FRAMES = (Kind.TIMES, Kind.STAMPS, Kind.RATE)

#: So many values that only rise are no accident: of durations one file in 40,320 would (1 / 8!).
SURE = 8
#: What a median frame takes where nothing is said, in ms: outside it another unit is looked for.
USUAL_MS = (0.5, 1000.0)
#: Steps of stamps in ms, less than a factor of 1,000 apart so that one unit fits at most.
STEP_MS = (0.5, 400.0)
#: Medians that frames a second have too.
LIKE_A_RATE = (24.0, 260.0)
#: From this share of whole numbers on a rate was made to be looked at.
DISPLAYED = 0.9

_UNITS = {
    word: unit
    for unit, words in {
        "s": "s sec secs second seconds",
        "ms": "ms msec millis millisecond milliseconds",
        "us": "us \u00b5s \u03bcs usec micro micros microsecond microseconds",
        "ns": "ns nsec nano nanos nanosecond nanoseconds",
    }.items()
    for word in words.split()
}
_RATE = {"fps", "hz", "rate", "framerate"}
_STAMP = {"timestamp", "stamp", "ts", "clock", "at", "elapsed", "start", "started", "begin", "end", "since", "epoch", "now", "t"}  # fmt: skip
_TIMES = {"duration", "dt", "delta", "took", "frametime", "length", "interval", "cost"}
_WORD = re.compile(r"[A-Z]?[a-z\u00b5\u03bc]+|[A-Z]+(?![a-z])|\d+")


@dataclass(frozen=True)
class Proposal:
    """``unit`` is of times and stamps. ``doubt`` says what else it may be; "" where nothing else is plausible."""

    kind: Kind
    unit: str
    why: str
    doubt: str = ""

    @property
    def said(self) -> str:
        of = "" if self.kind == Kind.RATE else f" in {self.unit}"
        return f"read as {self.kind}{of}: {self.why}"


class Named(NamedTuple):
    kind: Kind | None
    unit: str | None


def words_of(name: str) -> list[str]:
    """The words of a column's name, in small letters."""
    return [word.lower() for word in _WORD.findall(name)]


def named(name: str) -> Named:
    """What a column's name says of it."""
    words = words_of(name)
    if _RATE & set(words) or {"frames", "per"} <= set(words):
        return Named(Kind.RATE, None)
    units = [_UNITS[word] for word in words if word in _UNITS]
    unit = units[-1] if units else None
    if _TIMES & set(words) or ("frame" in words and ("time" in words or unit)):
        return Named(Kind.TIMES, unit)
    return Named(Kind.STAMPS if _STAMP & set(words) else None, unit)


def propose(name: str, values: np.ndarray, kind: Kind | None = None, unit: str | None = None) -> Proposal:
    """What ``values`` (n,) of a column named ``name`` are; ``kind`` and ``unit`` are what somebody said.

    Raises :class:`FormatError` for a reading that is never right.
    """
    own = named(name)
    steps = np.diff(values)
    rises = len(values) >= SURE and bool(np.all(steps > 0))
    never_falls = len(values) >= SURE and bool(np.all(steps >= 0)) and values[-1] > values[0]
    if own.kind == Kind.RATE or kind == Kind.RATE:
        return _rate(name, values, own, kind)
    if rises and kind == Kind.TIMES:
        raise FormatError("only-rises", f"{_of(name)} only rises: these are stamps, never frame times")
    if kind == Kind.STAMPS or (kind is None and (rises or never_falls or own.kind == Kind.STAMPS)):
        return _stamps(name, steps, own, kind, unit, rises or never_falls)
    return _times(name, values, own, kind, unit)


def _of(name: str) -> str:
    return f"column {name!r}" if name else "the column"


def _rate(name: str, values: np.ndarray, own: Named, kind: Kind | None) -> Proposal:
    if kind not in (None, Kind.RATE):
        raise FormatError("named-a-rate", f"{_of(name)} is named as a rate; it is never read as {kind}")
    whole = float(np.mean(values == np.round(values))) if len(values) else 0.0
    if len(values) >= SURE and whole >= DISPLAYED:
        raise FormatError(
            "rate-displayed",
            f"{_of(name)} holds whole numbers: a rate made to be looked at, sampled now and then; it knows no frames",
        )
    why = "it is named as a rate" if own.kind == Kind.RATE else "it is said to be one"
    doubt = "" if kind == Kind.RATE else "whether each row is one frame, or a sample of a rate, cannot be seen"
    return Proposal(Kind.RATE, "", why, doubt)


def _stamps(name: str, steps: np.ndarray, own: Named, kind: Kind | None, unit: str | None, rising: bool) -> Proposal:
    fits = _fitting(float(np.median(steps)) if len(steps) else 0.0, STEP_MS)
    found = unit or own.unit or (fits[0] if fits else None)
    why = "it only rises" if rising else "it is named as a stamp" if own.kind == Kind.STAMPS else "it is said to be"
    if found is None:
        return Proposal(Kind.STAMPS, "ms", why, "its unit can be told neither by its name nor by its steps")
    if unit is None and own.unit is None:
        why += ", and its steps are frames only in this unit"
    doubt = ""
    if kind is None and own.kind == Kind.TIMES:
        doubt = "it is named as a time a frame takes"
    elif kind is None and not np.all(steps > 0) and not rising:
        doubt = "it is named as a stamp, and falls"
    elif unit is None and own.unit is not None and fits and fits[0] != own.unit:
        doubt = f"its steps are frames only if it is in {fits[0]}"
    return Proposal(Kind.STAMPS, found, why, doubt)


def _times(name: str, values: np.ndarray, own: Named, kind: Kind | None, unit: str | None) -> Proposal:
    middle = float(np.median(values)) if len(values) else 0.0
    fits = _fitting(middle, USUAL_MS)
    found = unit or own.unit
    if found is not None:
        why = "it is named so" if unit is None else "its unit is said"
        usual = USUAL_MS[0] / 10 <= middle * UNIT_MS[found] <= USUAL_MS[1] * 60
        doubt = "" if unit or usual or not fits else f"{middle:g} {found} is no frame; in {fits[0]} it would be one"
        return Proposal(Kind.TIMES, found, why, doubt)
    if "ms" not in fits and fits:
        return Proposal(
            Kind.TIMES,
            fits[0],
            f"{middle:g} is a frame in {fits[0]}",
            "its unit is not named; ms is usual, and no frame",
        )
    if kind is None and own.kind is None and LIKE_A_RATE[0] <= middle <= LIKE_A_RATE[1]:
        return Proposal(
            Kind.TIMES, "ms", "its values are frames in ms", f"{middle:.4g} could be frames a second as well"
        )
    return Proposal(Kind.TIMES, "ms", "ms is usual")


def _fitting(value: float, bounds: tuple[float, float]) -> list[str]:
    """Units in which a value lies within bounds of ms; ms first."""
    order = ("ms", "s", "us", "ns")
    return [unit for unit in order if bounds[0] <= value * UNIT_MS[unit] <= bounds[1]]
