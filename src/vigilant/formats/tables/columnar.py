"""Parquet, and Arrow files and streams (Feather is one): typed columns, read in blocks."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import cast

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.parquet as pq

from vigilant.core.gaps import GAP
from vigilant.core.series import IntArray

from ..errors import FormatError
from .table import Block, Cells, Numbers, Table, own_reading, state_of

ROWS_A_BLOCK = 65_536


class ArrowCells(Cells):
    def __init__(self, cells: pa.Array) -> None:
        kind = cells.type
        if pa.types.is_dictionary(kind):
            cells = cells.dictionary_decode()
        elif pa.types.is_timestamp(kind) or pa.types.is_duration(kind):
            self.unit, cells = kind.unit, cells.cast(pa.int64())
        elif pa.types.is_boolean(kind):
            cells = cells.cast(pa.int64())
        self._cells = cells

    def numbers(self) -> Numbers:
        cells, kind = self._cells, self._cells.type
        if pa.types.is_string(kind) or pa.types.is_large_string(kind):
            return self._written(cells)
        if not (pa.types.is_floating(kind) or pa.types.is_integer(kind) or pa.types.is_decimal(kind)):
            return Numbers(np.full(len(cells), GAP["missing"]), {i: str(kind) for i in range(len(cells))})
        empty = np.flatnonzero(cells.is_null().to_numpy(zero_copy_only=False))
        filled = cells if not empty.size else pc.fill_null(cells, 0)
        values = np.array(filled.cast(pa.float64(), safe=False).to_numpy(zero_copy_only=False))
        values[empty] = GAP["missing"]
        return Numbers(values, dict.fromkeys(empty.tolist(), "null"))

    @staticmethod
    def _written(cells: pa.Array) -> Numbers:
        values, unread = np.empty(len(cells)), {}
        for i, cell in enumerate(cells.to_pylist()):
            try:
                values[i] = float(cell)
            except (TypeError, ValueError):
                unread[i] = "null" if cell is None else cell[:40]
                values[i] = state_of(unread[i])
        return Numbers(values, unread)

    def whole(self) -> IntArray | None:
        if pa.types.is_floating(self._cells.type) and not self._cells.null_count:
            values = self._cells.to_numpy(zero_copy_only=False)
            # Of no more digits than a double holds: then a whole number is exactly itself.
            return (
                values.astype(np.int64)
                if np.all(np.abs(values) < 2**53) and np.all(values == np.rint(values))
                else None
            )
        if not pa.types.is_integer(self._cells.type) or self._cells.null_count:
            return None
        try:
            return cast(IntArray, self._cells.cast(pa.int64()).to_numpy(zero_copy_only=False))
        except pa.ArrowInvalid:
            return None

    def texts(self) -> npt.NDArray[np.object_]:
        found = np.empty(len(self._cells), dtype=object)
        found[:] = ["" if v is None else str(v).strip() for v in self._cells.to_pylist()]
        return found


class _Columnar(Table):
    @contextmanager
    def _reported(self) -> Iterator[None]:
        try:
            yield
        except (pa.ArrowException, OSError) as error:
            raise FormatError("unreadable", f"cannot be read: {str(error)[:200]}", self.source) from None

    def _checked(self, schema: pa.Schema) -> None:
        self.names = list(schema.names)
        if not self.names:
            raise FormatError("empty", "the file holds no column", self.source)
        if len(set(self.names)) < len(self.names):
            raise FormatError("column-unknown", "a column is named twice", self.source)
        if told := (schema.metadata or {}).get(b"vigilant"):
            self.own = own_reading(told, self.source)

    def lines_of(self, rows: Sequence[int]) -> list[int]:
        return [row + 1 for row in rows]

    def shown(self, most: int) -> list[str]:
        with self._reported():
            for batch in self._batches(self.names):
                batch.validate(full=True)
                head = batch.slice(0, max(0, most - 1)).to_pylist()
                return [" ".join(self.names), *(" ".join(str(v) for v in row.values()) for row in head)]
        return [" ".join(self.names)]

    def blocks(
        self, names: Collection[str], keep_valid: bool = False, numeric: Collection[str] = ()
    ) -> Iterator[Block]:
        wanted, first, self.left = [n for n in self.names if n in names], 0, []
        with self._reported():
            for batch in self._batches(wanted):
                batch.validate(full=True)  # what is damaged may point outside itself, and reading it would end us
                yield Block({n: ArrowCells(batch.column(n)) for n in wanted}, first, batch.num_rows)
                first += batch.num_rows

    def _batches(self, names: Sequence[str]) -> Iterator[pa.RecordBatch]:
        raise NotImplementedError


class ParquetTable(_Columnar):
    made = ("Parquet",)

    def __init__(self, path: Path) -> None:
        super().__init__(path)
        with self._reported():
            self._checked(pq.read_schema(path))

    def _batches(self, names: Sequence[str]) -> Iterator[pa.RecordBatch]:
        # Read ahead, a row group and more would lie in memory at once.
        with pq.ParquetFile(self.path, pre_buffer=False) as file:
            yield from file.iter_batches(ROWS_A_BLOCK, columns=list(names), use_threads=False)


class ArrowTable(_Columnar):
    """A file by its first bytes, else a stream."""

    made = ("Arrow",)

    def __init__(self, path: Path, stream: bool) -> None:
        super().__init__(path)
        self._stream = stream
        with self._reported(), pa.memory_map(str(path)) as source:
            self._checked((pa.ipc.open_stream if stream else pa.ipc.open_file)(source).schema)

    def _batches(self, names: Sequence[str]) -> Iterator[pa.RecordBatch]:
        with pa.memory_map(str(self.path)) as source:
            if self._stream:
                batches = iter(pa.ipc.open_stream(source))
            else:
                file = pa.ipc.open_file(source)
                batches = (file.get_batch(number) for number in range(file.num_record_batches))
            for batch in batches:
                some = batch.select(list(names))
                for start in range(0, some.num_rows, ROWS_A_BLOCK):
                    yield some.slice(start, ROWS_A_BLOCK)
