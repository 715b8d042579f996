"""Delimited text of every everyday making; rows are counted without blank lines and comments, errors name lines."""

from __future__ import annotations

import codecs
import csv
import io
import itertools
import re
from collections import Counter
from collections.abc import Collection, Iterable, Iterator, Sequence
from contextlib import AbstractContextManager, contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO, cast

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.csv as arrow_csv

from vigilant.core.series import IntArray

from .. import limits
from ..errors import FormatError
from ..opening import open_bytes
from .columnar import ArrowCells
from .table import Block, Cells, Numbers, Table, own_reading, state_of

#: Begins the line by which a file that was written here says what it is.
OWN = "#vigilant "
DELIMITERS = (",", ";", "\t", "|")
_NAMES = {",": "commas", ";": "semicolons", "\t": "tabs", "|": "bars"}
#: Parts nothing: of a file with one column, whatever stands in its header.
NONE = "\x1f"
#: Lines that show how a file is made: its delimiter, its preamble, its decimal sign.
SAMPLE = 60
FEW = 4
BLOCK_BYTES = 1 << 20
_DECIMAL_COMMA = re.compile(r"-?\d+,\d+(e[-+]?\d+)?", re.IGNORECASE)
_PLAIN = re.compile(r"-?\d{1,9}([.,]\d{1,12})?")
#: Thousands parted by a space, or by points where the comma is the decimal sign.
_BY_SPACE = re.compile(r"-?\d{1,3}([ \u00a0\u202f]\d{3})+(?!\d)")
_BY_POINT = re.compile(r"-?\d{1,3}(\.\d{3})+,\d+")


@dataclass(frozen=True)
class Making:
    """How a file is made: ``skipped`` lines of a preamble, the header's cells, the sign of decimals."""

    delimiter: str
    skipped: int
    header: list[str] | None
    width: int
    comma: bool

    def number(self, cell: str) -> float:
        """Raises ValueError."""
        cell = cell.strip()
        if _BY_SPACE.match(cell):
            cell = re.sub(r"[ \u00a0\u202f]", "", cell)
        if self.comma:
            cell = (cell.replace(".", "") if _BY_POINT.fullmatch(cell) else cell).replace(",", ".")
        # Python takes 1_000 for a number, files do not.
        if "_" in cell:
            raise ValueError(cell)
        return float(cell)


class _NotPlain(Exception):
    """A column of plain numbers holds something else after all."""


class TextCells(Cells):
    def __init__(self, cells: pa.StringArray, making: Making) -> None:
        self._cells, self._making = cells, making

    def numbers(self) -> Numbers:
        plain = pc.replace_substring(self._cells, ",", ".") if self._making.comma else self._cells
        try:
            return Numbers(pc.cast(plain, pa.float64()).to_numpy(zero_copy_only=False))
        except pa.ArrowInvalid:
            pass
        values, unread = np.empty(len(self._cells)), {}
        for i, cell in enumerate(self._cells.to_pylist()):
            try:
                values[i] = self._making.number(cell)
            except ValueError:
                values[i], unread[i] = state_of(cell), cell.strip()
        return Numbers(values, unread)

    def whole(self) -> IntArray | None:
        try:
            return cast(IntArray, pc.cast(self._cells, pa.int64()).to_numpy(zero_copy_only=False))
        except pa.ArrowInvalid:
            return None

    def since(self, row: int) -> Cells:
        return TextCells(self._cells.slice(row), self._making)

    def texts(self) -> npt.NDArray[np.object_]:
        return cast("npt.NDArray[np.object_]", pc.utf8_trim_whitespace(self._cells).to_numpy(zero_copy_only=False))


@contextmanager
def open_text(path: Path) -> Iterator[io.TextIOWrapper]:
    """The decompressed text of a file, UTF-8, or UTF-16 by its byte-order mark. Raises :class:`FormatError`."""
    with open_bytes(path) as stream:
        text = io.TextIOWrapper(stream, encoding=_encoding(stream), newline="")
        try:
            yield text
        except UnicodeError as error:
            reason = getattr(error, "reason", str(error))
            raise FormatError("not-text", f"not UTF-8 or UTF-16 text: {reason}", path.name) from None
        finally:
            text.detach()


class TextTable(Table):
    """A file of delimited text; UTF-8, or UTF-16 by its byte-order mark."""

    def __init__(self, path: Path) -> None:
        super().__init__(path)
        with self._text() as text:
            raw = list(itertools.islice(text, SAMPLE * 4))
        sample = list(itertools.islice(_numbered(raw), SAMPLE))
        if not sample:
            raise FormatError("empty", "the file holds no line", self.source)
        try:
            if raw[0].startswith(OWN):
                self.own = own_reading(raw[0].removeprefix(OWN), self.source)
                header = _cells(sample[0][1], ",")
                self.making = Making(",", 0, header, len(header), comma=False)
            else:
                self.making = making_of([line for _, line in sample])
        except csv.Error as error:
            raise FormatError("line-unreadable", str(error), self.source) from None
        begins = self.making.skipped + (self.making.header is not None)
        #: Physical lines before the first row, and the rest of a sample that begins with it.
        self._before = sample[begins][0] - 1 if begins < len(sample) else sample[-1][0]
        self._shown = raw
        self.named = self.making.header is not None
        self.names = _told_apart(self.making)
        self.skipped = {"preamble": self.making.skipped} if self.making.skipped else {}
        self.made = _in_words(self.making)
        #: Columns that seem to hold plain numbers alone, of no more digits than a double.
        self._plain = self._plain_columns([line for _, line in sample[begins:]])

    def _plain_columns(self, sample: list[str]) -> set[str]:
        rows = [row for line in sample if len(row := _cells(line, self.making.delimiter)) == self.making.width]
        return {n for i, n in enumerate(self.names) if rows and all(_PLAIN.fullmatch(row[i]) for row in rows)}

    def shown(self, most: int) -> list[str]:
        return [line.rstrip("\r\n") for line in self._shown[:most]]

    def _text(self) -> AbstractContextManager[io.TextIOWrapper]:
        return open_text(self.path)

    def blocks(
        self, names: Collection[str], keep_valid: bool = False, numeric: Collection[str] = ()
    ) -> Iterator[Block]:
        wanted = [n for n in self.names if n in names] or self.names[:1]
        numbers = [n for n in wanted if n in numeric and n in self._plain and n != self.names[0]]
        done = 0
        if numbers:
            try:
                for block in self._parsed(wanted, keep_valid, numbers):
                    done = block.first + block.rows
                    yield block
                return
            except _NotPlain:
                pass  # a cell that is no plain number: from here on each is looked at as it is written
        for block in self._parsed(wanted, keep_valid, ()):
            if block.first >= done:
                yield block
            elif block.first + block.rows > done:
                yield block.since(done)

    def _parsed(self, wanted: Sequence[str], keep_valid: bool, numbers: Collection[str]) -> Iterator[Block]:
        making, self.left = self.making, []
        unlike: list[str] = []

        def invalid(row: arrow_csv.InvalidRow) -> str:
            text = row.text
            if not text.strip() or text.startswith("#"):
                return "skip"
            unlike.append(text)
            return "skip" if keep_valid else "error"

        # The first column tells comments and blank lines, wanted or not.
        taken = [self.names[0], *(n for n in wanted if n != self.names[0])]
        types = {n: pa.float64() if n in numbers else pa.string() for n in self.names}
        with self._text() as text:
            for _ in range(self._before):
                text.readline()
            try:
                reader = arrow_csv.open_csv(
                    pa.PythonFile(_Utf8(text), mode="r"),
                    read_options=arrow_csv.ReadOptions(
                        column_names=self.names, use_threads=False, block_size=BLOCK_BYTES
                    ),
                    parse_options=arrow_csv.ParseOptions(delimiter=making.delimiter, invalid_row_handler=invalid),
                    convert_options=arrow_csv.ConvertOptions(
                        column_types=types, include_columns=taken, null_values=[], strings_can_be_null=False,
                        decimal_point="," if making.comma else ".",
                    ),
                )  # fmt: skip
                first = 0
                for batch in reader:
                    rows = self._without_remarks(batch, making.width)
                    if rows.num_rows:
                        cells = {n: self._cells_of(rows.column(taken.index(n))) for n in wanted}
                        yield Block(cells, first, rows.num_rows)
                    first += rows.num_rows
            except pa.ArrowInvalid as error:
                if numbers and not unlike and "conversion error" in str(error):
                    raise _NotPlain from None
                raise self._refused(error, unlike) from None
        if unlike:
            self.left = self._unlike_lines()

    def _cells_of(self, column: pa.Array) -> Cells:
        return ArrowCells(column) if pa.types.is_floating(column.type) else TextCells(column, self.making)

    def _without_remarks(self, batch: pa.RecordBatch, width: int) -> pa.RecordBatch:
        """A comment may have as many cells as a row, and of one column a blank line is a row."""
        first = batch.column(0)
        keep = pc.invert(pc.starts_with(first, "#"))
        if width == 1:
            keep = pc.and_(keep, pc.not_equal(pc.utf8_trim_whitespace(first), ""))
        return batch if pc.all(keep).as_py() in (True, None) else batch.filter(keep)

    def _refused(self, error: pa.ArrowInvalid, unlike: Sequence[str]) -> FormatError:
        if unlike:
            line, reason = self._unlike_lines(1)[0]
            return FormatError("columns-unlike", reason, self.source, line)
        said = str(error)
        if "straddling" in said:
            return FormatError("line-too-long", f"a line is over {BLOCK_BYTES} bytes", self.source)
        if "UTF8" in said or "utf8" in said.lower():
            return FormatError("not-text", "not UTF-8 or UTF-16 text", self.source)
        if "Empty CSV" in said:
            return FormatError("empty", "the file holds a header and no row", self.source)
        return FormatError("line-unreadable", said[:200], self.source)

    def _rows(self) -> Iterator[tuple[int, list[str]]]:
        """Rows as the standard reader parts them, with their lines: slow, to say where something stands."""
        with self._text() as text:
            for number, line in _numbered(text):
                if number > self._before:
                    yield number, next(csv.reader([line], delimiter=self.making.delimiter))

    def _unlike_lines(self, most: int = limits.MARKS) -> list[tuple[int, str]]:
        width = self.making.width
        found = (
            (line, f"it has {len(cells)} columns, the table {width}")
            for line, cells in self._rows()
            if len(cells) != width
        )
        return list(itertools.islice(found, most))

    def lines_of(self, rows: Sequence[int]) -> list[int]:
        wanted, width = set(rows), self.making.width
        whole = (line for line, cells in self._rows() if len(cells) == width)
        at = {row: line for row, line in enumerate(whole) if row in wanted}
        return [at[row] for row in rows]


class _Utf8(io.RawIOBase):
    """The rest of a text as UTF-8, whatever it is encoded in."""

    def __init__(self, text: io.TextIOWrapper) -> None:
        self._text = text

    def readable(self) -> bool:
        return True

    def read(self, size: int = -1) -> bytes:
        return self._text.read(-1 if size < 0 else max(1, size // 4)).encode()  # a character has four bytes at most


def _encoding(stream: BinaryIO) -> str:
    """By the byte-order mark; UTF-8 without one."""
    head = cast(io.BufferedReader, stream).peek(2)[:2]
    return "utf-16" if head in (codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE) else "utf-8-sig"


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


def _alike(delimiter: str, sample: list[str]) -> bool:
    """Whether every line is parted in as many cells, more than one."""
    found = {len(_cells(line, delimiter)) for line in sample}
    return len(sample) > 1 and len(found) == 1 and min(found) > 1


def making_of(sample: list[str]) -> Making:
    """How the first lines are made."""
    widths = {d: _width(d, sample) for d in DELIMITERS}
    # Decimal commas are no delimiters where something else parts the columns; where commas alone part every line alike,
    # the something else stands within cells.
    others = [d for d in DELIMITERS[1:] if widths[d] > 1]
    if others and _alike(",", sample) and not any(_alike(d, sample) for d in others):
        widths.update(dict.fromkeys(others, 1))
    elif others:
        widths[","] = 1
    delimiter = max(DELIMITERS, key=lambda d: widths[d])
    width = widths[delimiter]
    if width == 1:
        delimiter = NONE
    rows = [_cells(line, delimiter) for line in sample]
    table = [i for i, row in enumerate(rows) if len(row) >= width and _row_of_numbers(row)]
    first = table[0] if table else 1
    # A header may lack the cell after the delimiter at the end of each row.
    header = first - 1 if first > 0 and len(rows[first - 1]) >= width - (not _last(rows[first:])) else None
    skipped = first if header is None else header
    comma = delimiter != "," and any(_DECIMAL_COMMA.fullmatch(cell) for row in rows[first:] for cell in row)
    return Making(delimiter, skipped, None if header is None else rows[header], width, comma)


def _last(rows: list[list[str]]) -> bool:
    """Whether anything stands in the last cell of any row."""
    return any(row and row[-1] for row in rows)


def _told_apart(making: Making) -> list[str]:
    """A name for each column: several that are named alike get their places."""
    if making.header is None:
        return [str(i) for i in range(1, making.width + 1)]
    named = [*making.header, *[""] * making.width][: making.width]
    return [
        f"{name or 'column'} ({i})" if not name or named.count(name) > 1 else name for i, name in enumerate(named, 1)
    ]


def _in_words(making: Making) -> list[str]:
    said = []
    if making.skipped:
        said.append(f"{making.skipped} {'line' if making.skipped == 1 else 'lines'} before the head")
    if making.header is None:
        said.append("no header")
    if making.comma:
        said.append("decimal comma")
    if making.delimiter in _NAMES and making.delimiter != ",":
        said.append(_NAMES[making.delimiter])
    return said


def is_number(text: str) -> bool:
    try:
        float(text.replace(",", ".", 1) if _DECIMAL_COMMA.fullmatch(text) else text)
    except ValueError:
        return False
    return "_" not in text


def _row_of_numbers(row: list[str]) -> bool:
    """A row of the table: it holds a number, and a header does not."""
    return any(is_number(cell) for cell in row)
