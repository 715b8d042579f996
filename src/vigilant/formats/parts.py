"""``part`` lines of a stream: totals over the run, and a row for each frame that holds one."""

from __future__ import annotations

from array import array
from collections import Counter
from collections.abc import Mapping
from typing import Any

import numpy as np

from vigilant.core import Part
from vigilant.core.gaps import GAP
from vigilant.core.series import PartRows

from . import limits
from .head import finite, short, unfit_name


class PartsTaken:
    """Takes part lines one at a time, in bounded memory (40 bytes a row). Names past the limit, and rows
    past it, are counted in ``skipped``; a total holds all that was taken."""

    def __init__(self) -> None:
        self.skipped: Counter[str] = Counter()
        self._number: dict[tuple[str, tuple[str, ...]], int] = {}
        self._ms, self._calls = array("d"), array("q")
        self._frame, self._part = array("q"), array("q")
        self._row_ms, self._row_at, self._row_calls = array("d"), array("d"), array("q")
        self._counts: dict[str, dict[int, float]] = {}
        self._error_ms: dict[int, float] = {}
        self._kind: dict[int, str] = {}

    def take(self, value: Mapping[str, Any], frames: int) -> tuple[str, str] | None:
        """Take a line after ``frames`` frames; a code and what is wrong with it where it cannot be taken.

        ``frame`` is its frame (null: of none, the total alone); without it the frame whose line comes next.
        """
        path, calls = value["part"], value.get("calls", 1)
        names = [path] if isinstance(path, str) else path
        listed = isinstance(names, list) and 0 < len(names) <= limits.JSON_DEPTH
        if not listed or not all(isinstance(n, str) and not unfit_name(n) for n in names):
            said = f"up to {limits.JSON_DEPTH} names of {limits.NAME} characters each"
            return "part-unnamed", f"a part is a name or a list of {said}, got {short(path)}"
        ms = GAP["below"] if value.get("ms") == "below" else finite(value.get("ms"))
        if ms is None or not (ms != ms or 0 <= ms <= limits.FRAME_MS):
            said = f"{limits.FRAME_MS:g}, got {short(value.get('ms'))}"
            return "not-finite", f"part {names[-1]!r} needs ms from 0 to {said}"
        if isinstance(calls, bool) or not isinstance(calls, int) or not 0 <= calls < 2**53:
            return "not-finite", f"part {names[-1]!r} has the calls {short(calls)}; a whole number is wanted"
        key = (str(value.get("lane", ""))[: limits.NAME], tuple(names))
        number = self._number.get(key)
        if number is None:
            if len(self._number) >= limits.PARTS:
                self.skipped["part"] += 1
                return None
            number = self._number[key] = len(self._number)
            self._ms.append(0.0)
            self._calls.append(0)
        error_ms = finite(value.get("error_ms"))
        if error_ms is not None and 0 <= error_ms <= limits.FRAME_MS:
            self._error_ms[number] = error_ms
        kind = value.get("kind")
        if isinstance(kind, str) and not unfit_name(kind):
            self._kind[number] = kind
        self._ms[number] += 0.0 if ms != ms else ms
        self._calls[number] += calls
        self._row(value, number, ms, calls, frames)
        return None

    def _row(self, value: Mapping[str, Any], number: int, ms: float, calls: int, frames: int) -> None:
        frame = value.get("frame", frames)
        if frame is None:
            return
        if isinstance(frame, bool) or not isinstance(frame, int) or not 0 <= frame <= frames:
            self.skipped["part of no frame"] += 1
            return
        if len(self._frame) >= limits.PART_ROWS:
            self.skipped["part a frame"] += 1
            return
        at = finite(value.get("at"))
        counts = value.get("counts")
        for name, count in counts.items() if isinstance(counts, dict) else ():
            known = finite(count)
            fits = name in self._counts or (len(self._counts) < limits.COUNTERS and not unfit_name(name))
            if known is not None and abs(known) <= limits.COUNT and fits:
                self._counts.setdefault(name, {})[len(self._frame)] = known
        self._frame.append(frame)
        self._part.append(number)
        self._row_ms.append(ms)
        self._row_at.append(GAP["missing"] if at is None or abs(at) > limits.FRAME_MS else at)
        self._row_calls.append(calls)

    def totals(self) -> list[Part]:
        """What each part took over the run, in the order they were first met."""
        return [
            Part(
                path,
                self._ms[number],
                self._calls[number],
                lane,
                self._error_ms.get(number),
                self._kind.get(number, ""),
            )
            for (lane, path), number in self._number.items()
        ]

    def rows(self, frames: int) -> PartRows | None:
        """The rows in order of their frames; those past the last frame are of the last. None without any."""
        if not self._frame:
            return None
        frame = np.minimum(np.frombuffer(self._frame, np.int64), frames - 1)
        order = np.argsort(frame, kind="stable")
        counts = {}
        for name, sparse in self._counts.items():
            dense = np.full(frame.size, GAP["missing"])
            dense[list(sparse)] = list(sparse.values())
            counts[name] = dense[order]
        return PartRows(
            self.totals(),
            frame[order],
            np.frombuffer(self._part, np.int64)[order],
            np.frombuffer(self._row_ms, np.float64)[order],
            np.frombuffer(self._row_at, np.float64)[order],
            np.frombuffer(self._row_calls, np.int64)[order],
            counts,
        )
