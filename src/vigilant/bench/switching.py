"""A subject that switches arms within one run: its stream is cut into one stream an arm."""

from __future__ import annotations

import json
import os
from collections.abc import Mapping
from pathlib import Path
from typing import Any, BinaryIO

from vigilant.formats.frames import FramesParser
from vigilant.formats.head import parse_head
from vigilant.formats.limits import LINE_BYTES

from .errors import BenchError

SWITCHED = "just switched"


class _ArmStream:
    """The stream of one arm, with every stretch's first ``discard_s`` marked as not play."""

    def __init__(self, target: BinaryIO, head: bytes, discard_s: float) -> None:
        self.target, self.discard_s = target, discard_s
        self.frames = 0
        self.left_ms = 0.0
        self.leg = b""
        self.fresh = False
        target.write(head)

    def switch(self, leg: bytes) -> None:
        """Frames of this arm begin again; at least one is left out, so that no two stretches ever join."""
        self.left_ms = 1000.0 * self.discard_s
        self.leg = leg
        self.target.write(json.dumps({"mark": SWITCHED, "play": False}).encode() + b"\n")
        self.fresh = True

    def frame(self, line: bytes, frame_ms: float) -> None:
        if not self.fresh and self.left_ms <= 0 and self.leg:
            self.target.write(self.leg)
            self.leg = b""
        self.fresh = False
        self.left_ms -= frame_ms
        self.frames += 1
        self.target.write(line)

    def mark(self, line: bytes) -> None:
        """A leg that begins while this arm plays; within the discard it begins after it."""
        if self.left_ms > 0 or self.fresh:
            self.leg = line
        else:
            self.target.write(line)
            self.leg = b""


def split_arms(stream: Path, targets: Mapping[str, Path], discard_s: float) -> dict[str, int]:
    """Cut a stream by its lines ``{"arm": name}`` into the ``targets``; whole frames of each arm.

    Frames before the first such line belong to no arm. A stream without an end gives streams
    without one. Raises :class:`BenchError` for stamps, and for an arm that is not in the plan;
    FormatError for a stream that cannot be read.
    """
    with stream.open("rb") as source:
        head_line = source.readline(LINE_BYTES + 1)
        head = parse_head(head_line, stream.name)
        if head["columns"][0] == "at":
            raise BenchError("a subject that switches arms reports frame times, not stamps")
        files = {name: path.with_suffix(".part").open("wb") for name, path in targets.items()}
        try:
            arms = {name: _ArmStream(file, head_line, discard_s) for name, file in files.items()}
            _cut(source, head, arms, stream.name)
        finally:
            for file in files.values():
                file.flush()
                os.fsync(file.fileno())
                file.close()
    for path in targets.values():
        os.replace(path.with_suffix(".part"), path)
    return {name: arm.frames for name, arm in arms.items()}


def _cut(source: BinaryIO, head: dict[str, Any], arms: Mapping[str, _ArmStream], name: str) -> None:
    parser = FramesParser(head, name)
    now: _ArmStream | None = None
    leg = json.dumps({"mark": "switched course", "play": True}).encode() + b"\n"
    for line in source:
        if not line.endswith(b"\n"):
            return
        before = len(parser.frame_ms)
        parser.feed(line.rstrip(b"\r\n"))
        if len(parser.frame_ms) > before:
            if now is not None:
                now.frame(line, parser.frame_ms[-1])
            continue
        value = json.loads(line) if line.strip() else {}
        if "arm" in value:
            arm = str(value["arm"])
            if arm not in arms:
                raise BenchError(
                    f"line {parser.lines}: the subject announces arm {arm[:60]!r}; known: {', '.join(arms)}"
                )
            now = arms[arm]
            now.switch(leg)
        elif "mark" in value:
            leg = line
            if now is not None:
                now.mark(line)
        elif "end" in value:
            for played in arms.values():
                played.target.write(json.dumps({"end": {"frames": played.frames}}).encode() + b"\n")
