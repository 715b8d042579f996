"""Writing a run as a table: CSV, JSON, Parquet and Arrow. Each says itself what its columns are and what else the run
holds, so that it reads back bit for bit; parts are in ``vigilant-frames`` alone."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from vigilant.core import FrameSeries
from vigilant.core.gaps import gap_states
from vigilant.core.series import FloatArray

from .file_reading import VERSION, OwnRun

ROWS_AT_A_TIME = 65_536
ROW_GROUP = 100_000
FRAME, LEG = "frame_ms", "leg"


def _columns(series: FrameSeries) -> dict[str, tuple[dict[str, str], FloatArray]]:
    """Every column by its header, with what a reading says of it; two of one name are told apart."""
    named = {FRAME: ({"is": "times", "unit": "ms"}, series.frame_ms)}
    for kind, columns in (("lane", series.lanes), ("counter", series.counters)):
        for name, values in columns.items():
            taken = name in named or name == LEG
            header = name
            while header in named or header == LEG:
                header += f" ({kind})"
            said = {"is": kind, **({"called": name} if taken else {})}
            if kind == "lane":
                said |= {"unit": "ms", "role": series.lane_roles.get(name, "none")}
            named[header] = (said, values)
    return named


def document(series: FrameSeries, started: str | None) -> dict[str, Any]:
    """What a table says of itself: a reading, and what of the run is no column."""
    columns = {header: said for header, (said, _) in _columns(series).items()}
    if series.marks:
        columns[LEG] = {"is": "left out"}
    return {"vigilant_reading": VERSION, "columns": columns, "run": OwnRun.of(series, started).document()}


def _legs(series: FrameSeries) -> list[str]:
    """The leg of each frame."""
    legs = [""] * series.frame_ms.size
    edges = [*(mark.index for mark in series.marks), series.frame_ms.size]
    for mark, stop in zip(series.marks, edges[1:], strict=True):
        legs[mark.index : stop] = [mark.name] * (stop - mark.index)
    return legs


def _cells(values: FloatArray, missing: Any, quoted: bool) -> list[Any]:
    """Values with the words of their gaps; numbers as the shortest text that is them."""
    cells: list[Any] = [repr(v) for v in values.tolist()]
    for state, at in gap_states(values).items():
        word = missing if state == "missing" else f'"{state}"' if quoted else state
        for i in at.tolist():
            cells[i] = word
    return cells


def _pieces(series: FrameSeries, missing: str, quoted: bool) -> Iterator[list[list[Any]]]:
    """Columns as texts, some rows at a time."""
    columns = [values for _, values in _columns(series).values()]
    legs = _legs(series) if series.marks else None
    for start in range(0, series.frame_ms.size, ROWS_AT_A_TIME):
        piece = [_cells(values[start : start + ROWS_AT_A_TIME], missing, quoted) for values in columns]
        if legs is not None:
            own = legs[start : start + ROWS_AT_A_TIME]
            piece.append([json.dumps(leg, ensure_ascii=False) for leg in own] if quoted else own)
        yield piece


def csv_lines(series: FrameSeries, started: str | None = None) -> Iterator[str]:
    """The run as RFC 4180 text after a line that says what it is."""
    told = document(series, started)
    yield f"#vigilant {json.dumps(told, ensure_ascii=False)}\n"
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(told["columns"])
    for piece in _pieces(series, "", quoted=False):
        writer.writerows(zip(*piece, strict=True))
        yield out.getvalue()
        out.seek(0)
        out.truncate()


def json_lines(series: FrameSeries, started: str | None = None) -> Iterator[str]:
    """The run as one JSON object: ``vigilant`` says what it is, ``rows`` are its frames."""
    told = document(series, started)
    keys = [json.dumps(name, ensure_ascii=False) for name in told["columns"]]
    yield f'{{"vigilant":{json.dumps(told, ensure_ascii=False)},\n"rows":[\n'
    first = True
    for piece in _pieces(series, "null", quoted=True):
        rows = [
            "{" + ",".join(f"{k}:{v}" for k, v in zip(keys, row, strict=True)) + "}" for row in zip(*piece, strict=True)
        ]
        yield ("" if first else ",\n") + ",\n".join(rows)
        first = False
    yield "\n]}\n"


def write_columnar(path: Path, series: FrameSeries, kind: str, started: str | None = None) -> None:
    """The run as ``parquet`` or ``arrow``. Gaps are NaN, each state with bits of its own."""
    import pyarrow as pa  # a quarter of a second, and 50 MB: only where it is asked for
    import pyarrow.parquet as pq

    arrays = {header: pa.array(values) for header, (_, values) in _columns(series).items()}
    if series.marks:
        arrays[LEG] = pa.array(_legs(series)).dictionary_encode()
    told = json.dumps(document(series, started), ensure_ascii=False).encode()
    table = pa.table(arrays).replace_schema_metadata({b"vigilant": told})
    if kind == "parquet":
        plain = [h for h in arrays if h != LEG]
        pq.write_table(
            table, path, row_group_size=ROW_GROUP, compression="zstd", use_dictionary=[LEG] if series.marks else False,
            use_byte_stream_split=plain, write_statistics=False,
        )  # fmt: skip
    else:
        with pa.ipc.new_file(str(path), table.schema) as out:
            out.write_table(table, max_chunksize=ROWS_AT_A_TIME)
