"""What every table offers: its columns by name, and its rows in blocks whose cells are asked for as numbers or texts."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
import numpy.typing as npt

from vigilant.core.gaps import GAP
from vigilant.core.series import FloatArray, IntArray

from .. import file_reading, strict_json
from ..errors import FormatError
from ..file_reading import FileReading

#: Words that stand for a value that is not there.
MISSING = ("", "na", "n/a", "nan", "null", "none", "-")
#: Words that stand for the other two states of a gap (docs/formats.md).
STATES = {"stale": GAP["stale"], "below": GAP["below"]}


@dataclass(frozen=True)
class Numbers:
    """``values`` (m,), NaN where a cell holds none: ``unread`` says what stands there, by row of the block."""

    values: FloatArray
    unread: Mapping[int, str] = field(default_factory=dict)


class Cells(ABC):
    """One column of a block."""

    #: The unit that its type states ("ns" of a duration or a time of day); "" where it states none.
    unit = ""

    @abstractmethod
    def numbers(self) -> Numbers:
        """As float64; what is no number is a gap by its word (``stale``, ``below``, else missing) and unread."""

    @abstractmethod
    def whole(self) -> IntArray | None:
        """As int64 (m,), where every cell is a whole number."""

    @abstractmethod
    def texts(self) -> npt.NDArray[np.object_]:
        """As str (m,), "" where nothing stands."""

    def since(self, row: int) -> Cells:
        """The cells from a row of the block on."""
        raise NotImplementedError


@dataclass(frozen=True)
class Block:
    """Rows of a table: one :class:`Cells` a column that was asked for, by name; ``first`` is its first row, from 0."""

    cells: Mapping[str, Cells]
    first: int
    rows: int

    def since(self, row: int) -> Block:
        """The block from a row of the table on."""
        skip = row - self.first
        return Block({n: cells.since(skip) for n, cells in self.cells.items()}, row, self.rows - skip)


class Table(ABC):
    """``names`` are those of the header, or the numbers of the columns from 1 where there is none (``named`` is False).

    ``made`` says in words how it is made where that is not plain; ``skipped`` counts lines passed over, by kind.
    """

    names: list[str]
    named = True
    #: What the file says itself of its columns and its run, where it was written here.
    own: FileReading | None = None
    made: Sequence[str] = ()
    skipped: Mapping[str, int] = {}

    def __init__(self, path: Path) -> None:
        self.path, self.source = path, path.name

    @abstractmethod
    def blocks(
        self, names: Collection[str], keep_valid: bool = False, numeric: Collection[str] = ()
    ) -> Iterator[Block]:
        """The rows, with the columns of ``names``, of which only numbers are asked of ``numeric``. What breaks the
        table raises :class:`FormatError`, or with ``keep_valid`` is noted in :attr:`left` as line and reason."""

    @abstractmethod
    def lines_of(self, rows: Sequence[int]) -> list[int]:
        """The 1-based lines at which rows stand (or their own numbers from 1, where the file has no lines)."""

    @abstractmethod
    def shown(self, most: int) -> list[str]:
        """The first lines as they are."""

    #: Lines that were left out: line and reason.
    left: list[tuple[int, str]] = []


def own_reading(text: str | bytes, source: str) -> FileReading:
    """What a file says of itself. Raises :class:`FormatError`."""
    try:
        return file_reading.checked(strict_json.loads(text), source)
    except strict_json.JsonRefused as error:
        raise FormatError("reading-invalid", f"what the file says of itself: {error}", source) from None


def state_of(word: str) -> float:
    return STATES.get(word.strip().lower(), GAP["missing"])


def is_gap(word: str) -> bool:
    """Whether a word says that nothing was measured; anything else that is no number was not meant to be there."""
    low = word.strip().lower()
    return low in MISSING or low in STATES
