"""JSON of numbers: an array, or JSON Lines; each row a number, a list of them, or an object of them."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Sequence
from functools import cached_property
from itertools import islice
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt

from vigilant.core.series import IntArray

from .. import file_reading, limits, strict_json
from ..errors import FormatError
from ..opening import open_bytes
from .table import Block, Cells, Numbers, Table, state_of

#: An array is read whole.
ARRAY_BYTES = 256 * 1024 * 1024
ROWS_A_BLOCK = 65_536
_ABSENT = object()
#: Begins an object that was written here, with its rows and what they are.
OWN = b'{"vigilant":'


class ValueCells(Cells):
    """Values as JSON has them."""

    def __init__(self, values: Sequence[Any]) -> None:
        self._values = values

    def numbers(self) -> Numbers:
        unread = {i: _said(v) for i, v in enumerate(self._values) if type(v) not in (int, float)}
        if not unread:
            return Numbers(np.array(self._values, dtype=np.float64))
        plain = [state_of(unread[i]) if i in unread else v for i, v in enumerate(self._values)]
        return Numbers(np.array(plain, dtype=np.float64), unread)

    def whole(self) -> IntArray | None:
        if not all(type(v) is int for v in self._values):
            return None
        try:
            return np.array(self._values, dtype=np.int64)
        except OverflowError:
            return None

    def texts(self) -> npt.NDArray[np.object_]:
        found = np.empty(len(self._values), dtype=object)
        found[:] = ["" if v is None or v is _ABSENT else v if isinstance(v, str) else _said(v) for v in self._values]
        return found


def _opens(start: bytes) -> bool:
    """Whether the first line is the beginning of one object over many, or an object that holds a list."""
    if not start.rstrip().endswith(b"}"):
        return True
    try:
        row = strict_json.loads(start.removeprefix(b"\xef\xbb\xbf"))
    except strict_json.JsonRefused:
        return False
    return isinstance(row, dict) and any(isinstance(v, list) for v in row.values())


def _said(value: Any) -> str:
    if value is _ABSENT:
        return "nothing"
    return value[:40] if isinstance(value, str) else "null" if value is None else str(value)[:40]


class JsonTable(Table):
    """Rows of JSON: the columns are the keys of the first row, its places from 1, or "1" for bare numbers. ``under``
    are the keys, parted by points, that lead to them in an object; without it its only list."""

    line_bytes = limits.LINE_BYTES

    def __init__(self, path: Path, under: str = "", parse: bool = True) -> None:
        super().__init__(path)
        self._under = under
        with open_bytes(path) as stream:
            self._shown = [stream.readline(400).decode("utf-8", "replace").rstrip() for _ in range(12)]
        with open_bytes(path) as stream:
            start = stream.readline(self.line_bytes + 1)
        plain = start.lstrip(b"\xef\xbb\xbf \t\r\n")
        self._array = bool(under) or plain.startswith((b"[", OWN)) or _opens(start)
        # Lines that each hold a list are rows, as an array over many lines is not.
        whole_line = start.rstrip().endswith((b"]", b"}")) and not plain.startswith(OWN)
        if self._array and not under and whole_line and self._several():
            self._array = False
        self.made = ["a row a line"] if not self._array else [f"rows under {under}"] if under else []
        if parse:
            self._look_at_the_first()

    def _look_at_the_first(self) -> None:
        first = next(iter(self._rows()), None)
        if first is None:
            raise FormatError("empty", "the file holds no row", self.source)
        row = first[1]
        self.named = isinstance(row, dict)
        self.names = list(row) if self.named else [str(i + 1) for i in range(len(row) if isinstance(row, list) else 1)]
        if not self.names:
            raise FormatError("empty", "the first row holds nothing", self.source, first[0])
        self._bare = not isinstance(row, (dict, list))

    def _several(self) -> bool:
        with open_bytes(self.path) as stream:
            filled = (line for line in iter(lambda: stream.readline(self.line_bytes + 1), b"") if line.strip())
            return len(list(islice(filled, 2))) == 2

    def shown(self, most: int) -> list[str]:
        return [line for line in self._shown[:most] if line]

    def blocks(
        self, names: Collection[str], keep_valid: bool = False, numeric: Collection[str] = ()
    ) -> Iterator[Block]:
        wanted = [n for n in self.names if n in names]
        rows, first, self.left = iter(self._rows()), 0, []
        while some := list(islice(rows, ROWS_A_BLOCK)):
            for number, row in some:
                self._like_the_first(row, number, wanted)
            cells = {n: ValueCells([self._at(row, n) for _, row in some]) for n in wanted}
            yield Block(cells, first, len(some))
            first += len(some)

    def _like_the_first(self, row: Any, number: int, wanted: Sequence[str]) -> None:
        if self._bare:
            return
        if not isinstance(row, dict if self.named else list):
            raise FormatError("columns-unlike", "this row is made unlike the first", self.source, number)
        for name in wanted:
            if self._at(row, name) is _ABSENT:
                raise FormatError("columns-unlike", f"this row has no {name!r}", self.source, number)

    def _at(self, row: Any, name: str) -> Any:
        if self._bare:
            return row
        if self.named:
            return row.get(name, _ABSENT)
        place = int(name) - 1
        return row[place] if place < len(row) else _ABSENT

    def lines_of(self, rows: Sequence[int]) -> list[int]:
        wanted = set(rows)
        at = {row: number for row, (number, _) in enumerate(self._rows()) if row in wanted}
        return [at[row] for row in rows]

    def _rows(self) -> Iterable[tuple[int, Any]]:
        return enumerate(self._whole, 1) if self._array else self._of_lines()

    @cached_property
    def _whole(self) -> list[Any]:
        with open_bytes(self.path) as stream:
            body = stream.read(ARRAY_BYTES + 1)
        if len(body) > ARRAY_BYTES:
            raise FormatError("too-large", f"an array of over {ARRAY_BYTES} bytes: write one row a line", self.source)
        try:
            whole = strict_json.loads(body.removeprefix(b"\xef\xbb\xbf"))
        except strict_json.JsonRefused as error:
            raise FormatError("json-unreadable", str(error), self.source) from None
        return self._within(whole)

    def _within(self, whole: Any) -> list[Any]:
        """The rows of a document."""
        if isinstance(whole, dict) and "vigilant" in whole and not self._under:
            self.own = file_reading.checked(whole["vigilant"], self.source)
            whole = whole.get("rows")
        elif isinstance(whole, dict) and not self._under:
            lists = [k for k, v in whole.items() if isinstance(v, list)]
            if len(lists) != 1:
                raise FormatError("rows-unclear", f"say which of its keys holds the rows: {', '.join(map(repr, whole))}"[:300], self.source)  # fmt: skip
            self.made = [f"rows under {lists[0]}"]
            whole = whole[lists[0]]
        for key in filter(None, self._under.split(".")):
            if not isinstance(whole, dict) or key not in whole:
                raise FormatError("rows-unclear", f"there are no rows under {self._under!r}", self.source)
            whole = whole[key]
        if not isinstance(whole, list):
            raise FormatError("json-unreadable", "there are no rows", self.source)
        return whole

    def _of_lines(self) -> Iterator[tuple[int, Any]]:
        with open_bytes(self.path) as stream:
            line, number = stream.readline(self.line_bytes + 1).removeprefix(b"\xef\xbb\xbf"), 1
            while line:
                if len(line) > self.line_bytes:
                    raise FormatError("line-too-long", f"over {self.line_bytes} bytes", self.source, number)
                if line.strip():
                    try:
                        yield number, strict_json.loads(line)
                    except strict_json.JsonRefused as error:
                        raise FormatError("json-unreadable", str(error), self.source, number) from None
                line, number = stream.readline(self.line_bytes + 1), number + 1
