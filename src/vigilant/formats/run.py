"""One run as read: its series, its head, and what was kept or dropped."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from vigilant.core import FrameSeries
from vigilant.core.series import FloatArray
from vigilant.core.work.inventory import Item

UNIT_MS = {"s": 1000.0, "ms": 1.0, "us": 1e-3, "ns": 1e-6}
#: Values of a lane or counter that are no number, and none of them is zero.
GAPS = (None, "stale", "below")
#: What a still shows: the view, or a picture of cost laid over it, which is never held for a changed view.
SHOWS = ("view", "cost")
#: A still's name: that of a file, in no folder.
_STILL = re.compile(r"[^\x00-\x1f/\\<>:\"|?*]{1,100}\Z")


def fit_name(name: str) -> bool:
    """Whether a still may be called so: a file's name, none that leads elsewhere."""
    return bool(_STILL.match(name)) and name not in (".", "..") and name == name.strip()


@dataclass(frozen=True)
class Dropped:
    """A line left out as the user allowed: 1-based line number and the reason."""

    line: int
    reason: str


@dataclass(frozen=True)
class StillLine:
    """A picture that the stream names: of which frame, in which leg, whether it shows the view or a cost over it, and of
    which sequence it is one ("" of none)."""

    name: str
    frame: int
    leg: str
    shows: str
    sequence: str = ""


@dataclass(frozen=True)
class ReadRun:
    """``complete`` is False for a stream without an end, or that lost frames (*broken*: every whole line counts).

    ``gaps`` counts missing, stale and below-resolution values
    per column; ``skipped`` counts lines of a kind that is not stored, by kind.
    """

    source: str
    series: FrameSeries
    complete: bool = True
    head: Mapping[str, Any] = field(default_factory=dict)
    dropped: tuple[Dropped, ...] = ()
    gaps: Mapping[str, Mapping[str, int]] = field(default_factory=dict)
    #: The inventory that the program stated, as far as it did.
    items: tuple[Item, ...] = ()
    skipped: Mapping[str, int] = field(default_factory=dict)
    zero_frames: int = 0
    #: Frames that the subject says never reached the stream.
    lost: int = 0
    #: Pictures that lie beside the stream.
    stills: tuple[StillLine, ...] = ()
    #: How a column was read where that is not plain, in words; empty for frame times in ms.
    reading: str = ""
    #: The arm and the run that the file itself names it of; "" where it names none.
    arm: str = ""
    name: str = ""
    #: When each frame ended by the file's own clock, in seconds (n,); only where it was asked for and there is one.
    ends_s: FloatArray | None = None

    @property
    def broken(self) -> str:
        """Why it is not a whole run; "" where it is one."""
        if self.lost:
            return f"{self.lost:,} frames were lost on their way to the disk"
        return "" if self.complete else "the stream has no end"
