"""What a live view needs of a run in progress: lowest and highest frames, held peaks, a stated window."""

from __future__ import annotations

import json
import time
from pathlib import Path
from typing import Any

from vigilant.formats import FormatError
from vigilant.formats.frames import FramesParser
from vigilant.formats.head import parse_head
from vigilant.formats.limits import LINE_BYTES

MOST_GROUPS = 480
FIRST_GROUP_S = 0.1
WINDOW_S = 1.0
#: Of the frames since the last state the newest are told one by one, so many at most.
MOST_NEWEST = 1_000


class LiveTrace:
    """Follows a stream while the subject writes it, in groups of lowest and highest frame.

    When there are too many groups, neighbours are joined: a peak is never lost. What the view
    costs is measured as processor time of the following thread.
    """

    def __init__(self, path: Path) -> None:
        self.path = path
        self.parser: FramesParser | None = None
        self.rest = b""
        self.offset = 0
        self.lost = False
        self.group_s = FIRST_GROUP_S
        self.groups: list[list[float]] = []
        self.peak_ms = 0.0
        self.total_s = 0.0
        self.taken = 0
        self.cost_s = 0.0
        self.told = 0

    def follow(self) -> None:
        """Take what was written since the last look. A stream that cannot be read ends the view, not the run."""
        started = time.thread_time()
        try:
            if not self.lost:
                self._read()
        except (FormatError, OSError):
            self.lost = True
        self.cost_s += time.thread_time() - started

    def _read(self) -> None:
        if not self.path.exists():
            return
        with self.path.open("rb") as stream:
            stream.seek(self.offset)
            piece = stream.read()
        self.offset += len(piece)
        *lines, self.rest = (self.rest + piece).split(b"\n")
        if len(self.rest) > LINE_BYTES:
            self.lost = True
            return
        if self.parser is None and lines:
            self.parser = FramesParser(parse_head(lines.pop(0)), keep_valid=True)
        if self.parser is not None:
            self.parser.feed_lines(lines)
        self._group()

    def _group(self) -> None:
        if self.parser is None:
            return
        frames = self.parser.frame_ms
        for frame_ms in frames[self.taken :]:
            at = self.total_s // self.group_s
            if self.groups and self.groups[-1][0] == at:
                group = self.groups[-1]
                group[1], group[2] = min(group[1], frame_ms), max(group[2], frame_ms)
            else:
                self.groups.append([at, frame_ms, frame_ms])
            self.peak_ms = max(self.peak_ms, frame_ms)
            self.total_s += frame_ms / 1000.0
        self.taken = len(frames)
        while len(self.groups) > MOST_GROUPS:
            self._join()

    def _join(self) -> None:
        self.group_s *= 2
        joined: list[list[float]] = []
        for at, low, high in self.groups:
            half = at // 2
            if joined and joined[-1][0] == half:
                joined[-1][1], joined[-1][2] = min(joined[-1][1], low), max(joined[-1][2], high)
            else:
                joined.append([half, low, high])
        self.groups = joined

    def state(self) -> dict[str, Any]:
        """Everything a live view draws; the mean's window is stated with its seconds and frames. ``newest`` are the
        frames since the last state, for the ear."""
        frames = self.parser.frame_ms if self.parser else []
        window_ms, count = 0.0, 0
        while count < len(frames) and window_ms < WINDOW_S * 1000.0:
            count += 1
            window_ms += frames[-count]
        marks = self.parser.marks if self.parser else []
        first = max(self.told, len(frames) - MOST_NEWEST)
        self.told = len(frames)
        return {
            "frames": len(frames),
            "played_s": round(self.total_s, 3),
            "peak_ms": round(self.peak_ms, 3),
            "leg": marks[-1].name if marks else "",
            "window": {
                "s": round(window_ms / 1000.0, 3),
                "frames": count,
                "mean_ms": round(window_ms / count, 4) if count else None,
            },
            "newest": {"first": first, "frame_ms": [round(frame_ms, 3) for frame_ms in frames[first:]]},
            "group_s": self.group_s,
            "trace": [[round(at * self.group_s, 3), round(low, 3), round(high, 3)] for at, low, high in self.groups],
        }


def head_of(path: Path) -> dict[str, Any] | None:
    """The head line of a stream as written, or None."""
    try:
        with path.open("rb") as stream:
            head = json.loads(stream.readline())
    except (OSError, ValueError):
        return None
    return head if isinstance(head, dict) else None
