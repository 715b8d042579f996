"""Frames in and out of the database, in columns."""

from __future__ import annotations

import numpy as np

from vigilant.core import FrameSeries, Mark, Part

from .codec import CHUNK, RAW_WINDOW, STEPS, FloatArray, decode, encode, level
from .models import FrameChunk, Run, TraceLevel

FRAME = "frame"


def _columns(series: FrameSeries) -> dict[str, FloatArray]:
    return {
        FRAME: series.frame_ms,
        **{f"lane:{k}": v for k, v in series.lanes.items()},
        **{f"counter:{k}": v for k, v in series.counters.items()},
    }


def write_series(run: Run, series: FrameSeries) -> None:
    """Store a run's columns and trace levels; called once, in the completing transaction."""
    starts = np.cumsum(series.frame_ms) - series.frame_ms
    for column, values in _columns(series).items():
        chunks = []
        for number, a in enumerate(range(0, values.size, CHUNK)):
            part = values[a : a + CHUNK]
            made = encode(part)
            chunks.append(
                FrameChunk(
                    run=run, column=column, number=number, count=part.size, start_ms=float(starts[a]),
                    codec=made.codec, checksum=made.checksum, body=made.body,
                )
            )  # fmt: skip
        FrameChunk.objects.bulk_create(chunks, batch_size=4)
        if values.size > RAW_WINDOW and not column.startswith("counter:"):
            levels = []
            for step in STEPS:
                if step * 256 > values.size and step != STEPS[0]:
                    break
                rows = level(values, step, starts if column == FRAME else None)
                body = rows.astype("<f8").tobytes()
                levels.append(TraceLevel(run=run, column=column, step=step, count=rows.shape[1], body=body))
            TraceLevel.objects.bulk_create(levels, batch_size=1)


def read_window(run: Run, column: str, start: int, stop: int) -> tuple[FloatArray, float]:
    """Frames start..stop of a column, and the time in ms at which the first of them starts
    (for the frame column). Reads only the chunks that hold them."""
    first, last = start // CHUNK, max(start, stop - 1) // CHUNK
    chunks = list(
        FrameChunk.objects.filter(run=run, column=column, number__gte=first, number__lte=last).order_by("number")
    )
    if not chunks:
        return np.empty(0), 0.0
    values = np.concatenate([decode(c.codec, c.checksum, bytes(c.body)) for c in chunks])
    offset = start - first * CHUNK
    window = values[offset : stop - first * CHUNK]
    return window, chunks[0].start_ms + float(values[:offset].sum())


def read_series(run: Run) -> FrameSeries:
    """The whole run as recorded, with its sheet of conditions."""
    chunks: dict[str, list[FloatArray]] = {}
    for c in FrameChunk.objects.filter(run=run).order_by("column", "number"):
        chunks.setdefault(c.column, []).append(decode(c.codec, c.checksum, bytes(c.body)))
    columns = {name: np.concatenate(parts) for name, parts in chunks.items()}

    def named(prefix: str) -> dict[str, FloatArray]:
        return {n: columns[f"{prefix}:{n}"] for n in run.columns[f"{prefix}s"]}

    return FrameSeries(
        columns[FRAME],
        lanes=named("lane"),
        lane_roles=run.columns["lane_roles"],
        counters=named("counter"),
        marks=[Mark(m["index"], m["name"], m["play"]) for m in run.marks],
        conditions=run.conditions.facts,
        stated_s=run.columns.get("stated_s"),
        figures=run.columns.get("figures", {}),
        measured=run.measured,
        source=f"run {str(run.pk)[:8]}",
        parts=[Part(**{**part, "path": tuple(part["path"])}) for part in run.columns.get("parts", [])],
    )


def read_level(run: Run, column: str, start: int, stop: int, most: int = 4000) -> tuple[int, int, FloatArray] | None:
    """The finest stored level with at most ``most`` groups in start..stop: step, first group, rows."""
    levels = TraceLevel.objects.filter(run=run, column=column).order_by("step").values_list("step", "count")
    for step, count in levels:
        first, last = start // step, min(count, -(-stop // step))
        if last - first <= most:
            body = TraceLevel.objects.get(run=run, column=column, step=step).body
            rows = np.frombuffer(bytes(body), "<f8").reshape(-1, count)
            return step, first, rows[:, first:last]
    return None
