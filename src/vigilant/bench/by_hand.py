"""Runs that a person plays: marks set by key or over the server, and an end for a stream that has none."""

from __future__ import annotations

import json
import os
from collections.abc import Sequence
from pathlib import Path

import numpy as np

from vigilant.formats import FormatError, read_stream


def finish_by_hand(stream: Path, marks: Sequence[tuple[float, str]], ended_s: float, end: bool = True) -> None:
    """Write the marks into a stream and, unless it is not wanted, end it; whole or not at all.

    ``marks`` are seconds of any clock, such as since the subject was started, ``ended_s`` when it was ended. The last
    frame is taken to end then, since how long a subject takes to its first frame is not known. A
    stream that cannot be read is left as it is, to be judged so.
    """
    try:
        run = read_stream(stream)
    except FormatError:
        return
    ends_ms = np.cumsum(run.series.frame_ms)
    began_s = ended_s - float(ends_ms[-1]) / 1000.0
    at = [int(np.searchsorted(ends_ms, 1000.0 * (seconds - began_s))) for seconds, _ in marks]
    waiting = sorted(zip(at, range(len(marks)), strict=True))
    stamps = run.head["columns"][0] == "at"
    temporary = stream.with_suffix(".part")
    with stream.open("rb") as source, temporary.open("wb") as target:
        frame = -1 if stamps else 0
        for line in source:
            if not line.endswith(b"\n"):
                break
            if line.startswith(b"[") or b'"end"' in line:
                while waiting and waiting[0][0] <= frame:
                    target.write(_mark(marks[waiting.pop(0)[1]][1]))
                frame += line.startswith(b"[")
            target.write(line)
        if not run.complete and not run.lost:
            for _, i in waiting:
                target.write(_mark(marks[i][1]))
        if not run.complete and not run.lost and end:  # what lost frames stays broken
            target.write(json.dumps({"end": {"frames": int(ends_ms.size)}}).encode() + b"\n")
        target.flush()
        os.fsync(target.fileno())
    os.replace(temporary, stream)


def _mark(name: str) -> bytes:
    return json.dumps({"mark": name, "play": True}, ensure_ascii=False).encode() + b"\n"
