"""Delimited text of every everyday making: one column of frame times, stamps or a rate; errors carry line numbers."""

from __future__ import annotations

import codecs
import csv
import io
import itertools
import re
from collections import Counter
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import BinaryIO, cast

from .column import Column, pick
from .errors import FormatError
from .reading import Kind
from .run import ReadRun

DELIMITERS = (",", ";", "\t", "|")
#: Parts nothing: of a file with one column, whatever stands in its header.
NONE = "\x1f"
#: Lines that show how a file is made: its delimiter, its preamble, its decimal sign.
SAMPLE = 60
FEW = 4
_DECIMAL_COMMA = re.compile(r"-?\d+,\d+(e[-+]?\d+)?", re.IGNORECASE)


@dataclass(frozen=True)
class _Making:
    """How a file is made: ``skipped`` lines of a preamble, the header's cells, the sign of decimals."""

    delimiter: str
    skipped: int
    header: list[str] | None
    comma: bool

    def number(self, cell: str) -> float:
        """Raises ValueError."""
        # Python takes 1_000 for a number, files do not.
        if "_" in cell:
            raise ValueError(cell)
        return float(cell.replace(",", ".") if self.comma else cell)


def _is_number(text: str) -> bool:
    try:
        float(text.replace(",", ".", 1) if _DECIMAL_COMMA.fullmatch(text) else text)
    except ValueError:
        return False
    return "_" not in text


def _encoding(stream: BinaryIO) -> str:
    """By the byte-order mark; UTF-8 without one."""
    head = cast(io.BufferedReader, stream).peek(2)[:2]
    return "utf-16" if head in (codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE) else "utf-8-sig"


def read(
    stream: BinaryIO,
    source: str,
    column: str | None = None,
    unit: str | None = None,
    keep_valid: bool = False,
    kind: Kind | None = None,
) -> ReadRun:
    """Read frames from one column: its frame times, the steps between its stamps, or what its rates take.

    What it holds is proposed by its name and shape (:mod:`.reading`); where that is in doubt :class:`FormatError`
    says so until ``kind`` and ``unit`` say which. Blank lines and lines that begin with # are passed over.
    """
    text = io.TextIOWrapper(stream, encoding=_encoding(stream), newline="")
    try:
        return _read(text, source, column, unit, keep_valid, kind)
    except UnicodeError as error:
        reason = getattr(error, "reason", str(error))
        raise FormatError("not-text", f"not UTF-8 or UTF-16 text: {reason}", source) from None
    except csv.Error as error:
        raise FormatError("line-unreadable", str(error), source) from None
    finally:
        text.detach()


def _numbered(text: Iterable[str]) -> Iterator[tuple[int, str]]:
    """Lines with their numbers, without blank ones and comments."""
    return ((i, line) for i, line in enumerate(text, 1) if line.strip() and not line.startswith("#"))


def _cells(line: str, delimiter: str) -> list[str]:
    return [cell.strip() for cell in next(csv.reader([line], delimiter=delimiter))]


def _width(delimiter: str, sample: list[str]) -> int:
    """In how many cells most lines are parted; of a few lines the widest counts."""
    if len(sample) <= FEW:
        return max(len(_cells(line, delimiter)) for line in sample)
    tail = sample[len(sample) // 2 :]
    return Counter(len(_cells(line, delimiter)) for line in tail).most_common(1)[0][0]


def _making(sample: list[str]) -> _Making:
    """How the first lines are made."""
    widths = {d: _width(d, sample) for d in DELIMITERS}
    # Decimal commas are no delimiters where something else parts the columns.
    if any(widths[d] > 1 for d in DELIMITERS[1:]):
        widths[","] = 1
    delimiter = max(DELIMITERS, key=lambda d: widths[d])
    width = widths[delimiter]
    if width == 1:
        delimiter = NONE
    rows = [_cells(line, delimiter) for line in sample]
    numbers = [i for i, row in enumerate(rows) if len(row) >= width and _row_of_numbers(row)]
    first = numbers[0] if numbers else 1
    header = first - 1 if first > 0 and len(rows[first - 1]) >= width else None
    skipped = first if header is None else header
    comma = delimiter != "," and any(_DECIMAL_COMMA.fullmatch(cell) for row in rows[first:] for cell in row)
    return _Making(delimiter, skipped, None if header is None else rows[header], comma)


def _row_of_numbers(row: list[str]) -> bool:
    """A row of the table: it holds a number, and a header does not."""
    return any(_is_number(cell) for cell in row)


def _read(
    text: io.TextIOWrapper, source: str, column: str | None, unit: str | None, keep_valid: bool, kind: Kind | None
) -> ReadRun:
    lines = _numbered(text)
    sample = list(itertools.islice(lines, SAMPLE))
    if not sample:
        raise FormatError("empty", "the file holds no line", source)
    making = _making([line for _, line in sample])
    table = itertools.chain(sample[making.skipped + (making.header is not None) :], lines)
    begins = sample[min(making.skipped, len(sample) - 1)][1]
    width = len(making.header) if making.header else len(_cells(begins, making.delimiter))
    place = pick(making.header, width, column, source)
    found = Column(source, making.header[place] if making.header else "", keep_valid)

    def take(cells: list[str], number: int) -> None:
        if place >= len(cells):
            raise FormatError("columns-unlike", f"{len(cells)} columns, it is column {place + 1}", source, number)
        cell = cells[place].strip()
        try:
            value = making.number(cell)
        except ValueError:
            raise FormatError("not-a-number", f"{cell!r} is not a number", source, number) from None
        found.add(value, int(cell) if cell.isdecimal() else None, number)

    at = [0]

    def rows() -> Iterator[str]:
        for number, line in table:
            at[0] = number
            yield line

    for cells in csv.reader(rows(), delimiter=making.delimiter):
        with found.leaving_out(at[0]):
            take(cells, at[0])
    return found.run(kind, unit, {"preamble": making.skipped} if making.skipped else {})
