"""One column of a file, however the file is made: its numbers with their lines, and the run that they mean."""

from __future__ import annotations

import math
from array import array
from collections.abc import Iterator, Mapping
from contextlib import contextmanager

import numpy as np

from vigilant.core import CoreError, FrameSeries

from .errors import FormatError
from .reading import Kind, Proposal, propose
from .run import UNIT_MS, Dropped, ReadRun

DEFAULT_COLUMN = "frame_ms"
_LARGEST = 2**63


def _known(names: list[str], width: int) -> str:
    """The columns there are, the first few of many, none at length: what is no table must not fill a screen."""
    if not names:
        return f"1 to {width}"
    shown = [n if len(n) <= 30 else f"{n[:29]}\u2026" for n in names[:12]]
    return ", ".join(shown) + (f" and {len(names) - len(shown)} more" if len(names) > len(shown) else "")


def pick(header: list[str] | None, width: int, column: str | None, source: str) -> int:
    """0-based place of the column: by header name, by 1-based number, or the only one."""
    names = header or []
    if column is None:
        if width == 1:
            return 0
        if names.count(DEFAULT_COLUMN) == 1:
            return names.index(DEFAULT_COLUMN)
        raise FormatError("column-missing", f"name the frame time column; there are: {_known(names, width)}", source)
    if names.count(column) == 1:
        return names.index(column)
    if names.count(column) > 1:
        raise FormatError("column-unknown", f"column {column!r} is there {names.count(column)} times", source)
    if column.isdigit() and 1 <= int(column) <= width:
        return int(column) - 1
    raise FormatError("column-unknown", f"there is no column {column!r}; there are: {_known(names, width)}", source)


class Column:
    """Takes numbers as they come. With ``keep_valid`` what is none is left out, where that leaves a frame out too."""

    def __init__(self, source: str, name: str, keep_valid: bool) -> None:
        self.source, self.name, self.keep_valid = source, name, keep_valid
        self.values, self.whole, self.lines = array("d"), array("q"), array("q")
        self.dropped: list[Dropped] = []

    @contextmanager
    def leaving_out(self, line: int) -> Iterator[None]:
        """What is raised inside is noted as left out, where that is wished."""
        try:
            yield
        except FormatError as error:
            if not self.keep_valid:
                raise
            self.dropped.append(Dropped(line, error.message))

    def add(self, value: float, whole: int | None, line: int) -> None:
        """``whole`` is the number where it is written without a fraction."""
        if not math.isfinite(value):
            raise FormatError("not-finite", f"a frame time must be finite, got {str(value)!r}", self.source, line)
        self.values.append(value)
        self.lines.append(line)
        # Stamps since an epoch have more digits than a double: their steps are taken of whole numbers.
        if whole is not None and len(self.whole) == len(self.values) - 1 and abs(whole) < _LARGEST:
            self.whole.append(whole)

    def run(self, kind: Kind | None, unit: str | None, skipped: Mapping[str, int]) -> ReadRun:
        """The run, by the reading that is proposed or said. Raises :class:`FormatError` where it is in doubt."""
        if unit is not None and unit not in UNIT_MS:
            raise FormatError("unit-unknown", f"unit {unit!r} is not known; use {', '.join(UNIT_MS)}", self.source)
        if not self.values:
            raise self._nothing()
        values = np.frombuffer(self.values, dtype=np.float64)
        try:
            proposal = propose(self.name, values, kind, unit)
        except FormatError as error:
            raise FormatError(error.code, error.message, self.source) from None
        if proposal.doubt:
            raise FormatError(
                "reading-doubtful",
                f"{proposal.said}; but {proposal.doubt}. Say which: --reading times, stamps or rate, and --unit",
                self.source,
            )
        exact = np.frombuffer(self.whole, dtype=np.int64) if len(self.whole) == len(values) else None
        frame_ms = self._steps(proposal, values if exact is None else exact) if proposal.kind == Kind.STAMPS else None
        try:
            series = FrameSeries(self._each(proposal, values) if frame_ms is None else frame_ms, source=self.source)
        except CoreError as error:
            raise FormatError(error.code, str(error), self.source) from error
        usual = proposal.kind == Kind.TIMES and proposal.unit == "ms"
        return ReadRun(
            source=self.source,
            series=series,
            dropped=tuple(self.dropped),
            skipped=skipped,
            reading="" if usual else proposal.said,
        )

    def _nothing(self) -> FormatError:
        """Nothing could count: why the first of it could not."""
        because = f": line {self.dropped[0].line}: {self.dropped[0].reason}" if self.dropped else ""
        return FormatError("empty", f"no frame was found{because}", self.source)

    def _steps(self, proposal: Proposal, stamps: np.ndarray) -> np.ndarray:
        """The steps of stamps (n,) in ms (n - 1,)."""
        if self.dropped:
            # Between the stamps on both sides of it lie two frames that cannot be told apart.
            first = self.dropped[0]
            raise FormatError("stamp-unreadable", first.reason, self.source, first.line)
        steps = np.diff(stamps)
        if not len(steps):
            raise FormatError("empty", "one stamp is no frame yet", self.source)
        bad = np.flatnonzero(steps <= 0)
        if len(bad):
            line = self.lines[bad[0] + 1]
            raise FormatError("not-rising", "a stamp must be later than the one before", self.source, line)
        return steps.astype(np.float64) * UNIT_MS[proposal.unit]

    def _each(self, proposal: Proposal, values: np.ndarray) -> np.ndarray:
        """Frame times in ms of times or rates; what is not positive is refused, or left out where that is wished."""
        bad = np.flatnonzero(values <= 0)
        if len(bad) and not self.keep_valid:
            met = f"{values[bad[0]]:g}"
            raise FormatError(
                "not-positive", f"a frame time must be positive, got {met!r}", self.source, self.lines[bad[0]]
            )
        self.dropped += [Dropped(self.lines[i], "a frame time must be positive") for i in bad]
        self.dropped.sort(key=lambda one: one.line)
        good = values[values > 0]
        if not len(good):
            raise self._nothing()
        return 1000.0 / good if proposal.kind == Kind.RATE else good * UNIT_MS[proposal.unit]
