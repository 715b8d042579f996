"""Lines of a log by a pattern: each named group is a column; lines that do not fit are passed over and counted."""

from __future__ import annotations

import itertools
from collections.abc import Collection, Iterator, Sequence
from pathlib import Path
from typing import TextIO

import pyarrow as pa
import pyarrow.compute as pc

from .. import limits
from ..errors import FormatError
from .table import Block, Table
from .text import Making, TextCells, open_text

LINES_A_BLOCK = 65_536
_PLAIN = Making(",", 0, None, 1, comma=False)


class PatternTable(Table):
    """``pattern`` is searched in each line in time linear in its length (RE2's syntax, without look-around)."""

    def __init__(self, path: Path, pattern: str) -> None:
        super().__init__(path)
        self._pattern = pattern
        try:
            kind = pc.extract_regex(pa.array([""]), pattern).type
        except pa.ArrowInvalid as error:
            reason = str(error).removeprefix("Invalid regular expression: ").splitlines()[0][:200]
            raise FormatError("pattern-invalid", f"the pattern cannot be read: {reason}", self.source) from None
        self.names = [kind.field(i).name for i in range(kind.num_fields)]
        if not self.names:
            raise FormatError("pattern-invalid", "the pattern has no named group, as (?P<ms>...)", self.source)
        with open_text(path) as text:
            self._shown = [line.rstrip("\r\n")[:400] for line in itertools.islice(text, 12)]
        self.made = ["lines by a pattern"]

    def shown(self, most: int) -> list[str]:
        return self._shown[:most]

    def blocks(
        self, names: Collection[str], keep_valid: bool = False, numeric: Collection[str] = ()
    ) -> Iterator[Block]:
        first = passed = 0
        for _, found in self._found():
            fits = found.drop_null()
            passed += len(found) - len(fits)
            if len(fits):
                yield Block({n: TextCells(fits.field(n), _PLAIN) for n in self.names if n in names}, first, len(fits))
            first += len(fits)
        self.skipped = {"other lines": passed} if passed else {}

    def _found(self) -> Iterator[tuple[int, pa.StructArray]]:
        """Groups of every line, null where the pattern does not fit, with the number of its first line."""
        with open_text(self.path) as text:
            first = 1
            while lines := self._lines(text, first):
                yield first, pc.extract_regex(pa.array(lines, pa.string()), self._pattern)
                first += len(lines)

    def _lines(self, text: TextIO, first: int) -> list[str]:
        lines = []
        for number in range(first, first + LINES_A_BLOCK):
            line = text.readline(limits.LINE_BYTES + 1)
            if not line:
                break
            if len(line) > limits.LINE_BYTES:
                raise FormatError("line-too-long", f"over {limits.LINE_BYTES} characters", self.source, number)
            lines.append(line.rstrip("\r\n"))
        return lines

    def lines_of(self, rows: Sequence[int]) -> list[int]:
        wanted, at, row = set(rows), {}, 0
        for first, found in self._found():
            for i, fits in enumerate(found.is_valid().to_pylist()):
                if fits and row in wanted:
                    at[row] = first + i
                row += fits
        return [at[row] for row in rows]
