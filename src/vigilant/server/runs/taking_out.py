"""A run as a file: whole, bit for bit, some rows at a time."""

from __future__ import annotations

import io
import tempfile
from pathlib import Path

from django.http import FileResponse, HttpResponse, StreamingHttpResponse
from django.http.response import HttpResponseBase

from vigilant.formats import frames_out

from .models import Run
from .store import read_series

#: What a run is taken out as: its media type and the ending of its name.
KINDS = {
    "frames": ("application/x-ndjson", "jsonl"),
    "csv": ("text/csv; charset=utf-8", "csv"),
    "json": ("application/json", "json"),
    "parquet": ("application/vnd.apache.parquet", "parquet"),
    "arrow": ("application/vnd.apache.arrow.file", "arrow"),
}


def answer(run: Run, kind: str) -> HttpResponseBase:
    """The answer that holds the run."""
    media, ending = KINDS[kind]
    made = _frames(run) if kind == "frames" else _table(run, kind)
    made["Content-Type"] = media
    made["Content-Disposition"] = f'attachment; filename="{run.pk}.{ending}"'
    return made


def _frames(run: Run) -> HttpResponse:
    text = io.StringIO()
    head = {k: v for k, v in (run.head or {}).items() if k != "conditions"}
    frames_out.write(text, read_series(run, part_rows=True), head, complete=run.state == Run.State.COMPLETE)
    return HttpResponse(text.getvalue())


def _table(run: Run, kind: str) -> HttpResponseBase:
    from vigilant.formats import tables_out  # what it needs is not there before it is asked for

    series = read_series(run)
    started = run.started_at.isoformat() if run.started_at else None
    if kind in ("csv", "json"):
        lines = (tables_out.csv_lines if kind == "csv" else tables_out.json_lines)(series, started)
        return StreamingHttpResponse(line.encode() for line in lines)
    with tempfile.TemporaryDirectory(prefix="vigilant-out-") as folder:
        path = Path(folder) / "run"
        tables_out.write_columnar(path, series, kind, started)
        return FileResponse(path.open("rb"))  # open, it outlives its name
