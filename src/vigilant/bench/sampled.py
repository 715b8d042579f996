"""What the recorder itself saw of a subject while it ran, laid along its frames as counters."""

from __future__ import annotations

import json
import os
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from vigilant.core.series import FloatArray
from vigilant.core.work.cores import SAMPLED
from vigilant.formats import FormatError, ReadRun, limits, read_stream

MEMORY, CORES = "subject memory MiB", SAMPLED


@dataclass(frozen=True)
class Sample:
    """At ``at_s`` of the monotonic clock: the resident memory of the subject's processes, MiB (pages that several
    share count in each), and how many cores they kept busy since the sample before, or since they were started."""

    at_s: float
    memory_mib: float
    cores_busy: float


def began_s(run: ReadRun, ended_s: float) -> float:
    """When its first frame began, s of the monotonic clock: as it states, else so that the last one ends at ``ended_s``."""
    stated = run.head.get("began_ns")
    if isinstance(stated, int):
        return stated / 1e9
    return ended_s - float(run.series.frame_ms.sum()) / 1000.0


def add_samples(stream: Path, samples: Sequence[Sample], ended_s: float) -> None:
    """Write the samples into a stream as two counters more, whole or not at all.

    A frame has the newest memory that was read before its end, and the cores of the stretch it ended in; before the
    first sample there is none, nor cores after the last. A stream that cannot be read, has no room for them or says
    them itself is left as it is.
    """
    try:
        run = read_stream(stream)
    except FormatError:
        return
    counters = list(run.head.get("counters", []))
    named = {*run.head["columns"], *counters}
    if not samples or named & {MEMORY, CORES} or len(counters) + 2 > limits.COUNTERS:
        return
    ends_s = began_s(run, ended_s) + np.cumsum(run.series.frame_ms) / 1000.0
    added = iter(_cells(ends_s, samples))
    if run.head["columns"][0] == "at":
        added = iter([b",null,null", *added])
    temporary = stream.with_suffix(".part")
    with stream.open("rb") as source, temporary.open("wb") as target:
        head = json.loads(source.readline())
        target.write(json.dumps({**head, "counters": [*counters, MEMORY, CORES]}, ensure_ascii=False).encode() + b"\n")
        for line in source:
            if not line.endswith(b"\n"):
                break
            if line.startswith(b"["):
                more = next(added, None)
                if more is None:  # more lines than frames: not a stream that this knows how to add to
                    temporary.unlink()
                    return
                line = line.rstrip()[:-1] + more + b"]\n"
            target.write(line)
        target.flush()
        os.fsync(target.fileno())
    os.replace(temporary, stream)


def _cells(ends_s: FloatArray, samples: Sequence[Sample]) -> list[bytes]:
    at_s = np.array([s.at_s for s in samples])
    before, within = np.searchsorted(at_s, ends_s, "right") - 1, np.searchsorted(at_s, ends_s)
    memory = [b"%.1f" % s.memory_mib for s in samples]
    cores = [b"%.3f" % s.cores_busy for s in samples]
    return [
        b"," + (memory[i] if i >= 0 else b"null") + b"," + (cores[j] if j < len(samples) else b"null")
        for i, j in zip(before.tolist(), within.tolist(), strict=True)
    ]
