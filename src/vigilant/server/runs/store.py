"""Frames in and out of the database, in columns; parts in rows of their frames."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import replace
from itertools import groupby
from typing import Any
from uuid import UUID

import numpy as np

from vigilant.core import FrameSeries, Mark, Part
from vigilant.core.gaps import gap_counts
from vigilant.core.series import PartRows
from vigilant.server.problems import conflict

from .codec import (
    CHUNK,
    GROUPED_WINDOW,
    MOST_POINTS,
    STEPS,
    FloatArray,
    decode,
    decode_parts,
    encode,
    encode_parts,
    level,
)
from .models import FrameChunk, PartChunk, Run, RunColumn, RunPart, TraceLevel

FRAME = "frame"
#: Chunks of so many bytes go to the database together: a run is one journey or two, however many columns it has.
TOGETHER = 1 << 22


def _columns(series: FrameSeries) -> list[tuple[RunColumn, FloatArray]]:
    """Every column of a series with its values, the frame's first."""
    kinds = RunColumn.Kind
    named = [
        (RunColumn(kind=kinds.FRAME, unit="ms"), series.frame_ms),
        *(
            (RunColumn(kind=kinds.LANE, path=n, role=series.lane_roles.get(n, ""), unit="ms"), v)
            for n, v in series.lanes.items()
        ),
        *((RunColumn(kind=kinds.COUNTER, path=n), v) for n, v in series.counters.items()),
    ]
    for place, (column, values) in enumerate(named):
        column.place, column.gaps = place, gap_counts(values)
    return named


def forget_series(run: Run) -> None:
    """Take out what :func:`write_series` stored."""
    for model in (FrameChunk, TraceLevel, RunColumn, RunPart, PartChunk):
        model.objects.filter(run=run).delete()


def write_series(run: Run, series: FrameSeries) -> None:
    """Store a run's columns, trace levels and parts in place of any that are there."""
    if RunColumn.objects.filter(run=run).exists():  # whatever has frames has columns
        forget_series(run)
    starts: FloatArray | None = np.cumsum(series.frame_ms)
    assert starts is not None
    starts -= series.frame_ms
    chunk_starts = starts[::CHUNK].copy()
    columns = _columns(series)
    for column, _ in columns:
        column.run = run
    RunColumn.objects.bulk_create(column for column, _ in columns)
    chunks: list[FrameChunk] = []
    for column, values in columns:
        for number, a in enumerate(range(0, values.size, CHUNK)):
            part = values[a : a + CHUNK]
            made = encode(part)
            chunk = FrameChunk(
                run=run, column=column.key, number=number, count=part.size, start_ms=float(chunk_starts[number]),
                codec=made.codec, checksum=made.checksum, body=made.body,
            )  # fmt: skip
            chunks.append(chunk)
            if sum(len(chunk.body) for chunk in chunks) > TOGETHER:
                FrameChunk.objects.bulk_create(chunks)
                chunks.clear()
        if values.size > GROUPED_WINDOW:
            for step in STEPS:
                if step * 256 > values.size and step != STEPS[0]:
                    break
                rows = level(values, step, starts if column.key == FRAME else None)
                body = rows.astype("<f8").tobytes()
                TraceLevel.objects.create(run=run, column=column.key, step=step, count=rows.shape[1], body=body)
        starts = None  # of long runs as much as a column; the frame's own comes first and alone needs it
    FrameChunk.objects.bulk_create(chunks)
    _write_parts(run, series)


def _write_parts(run: Run, series: FrameSeries) -> None:
    rows = series.part_rows
    # The rows number the parts: theirs come first, in their order.
    parts = list(dict.fromkeys([*((p.lane, p.path) for p in rows.parts)] if rows else []))
    totals = {(p.lane, p.path): p for p in series.parts}
    named = [*(totals[key] for key in parts if key in totals), *(p for k, p in totals.items() if k not in set(parts))]
    RunPart.objects.bulk_create(
        (
            RunPart(
                run=run,
                number=i,
                path=list(p.path),
                lane=p.lane,
                ms=p.ms,
                calls=p.calls,
                error_ms=p.error_ms,
                kind=p.kind,
            )
            for i, p in enumerate(named)
        ),
        batch_size=500,
    )
    for number, a in enumerate(range(0, rows.frame.size if rows else 0, CHUNK)):
        assert rows is not None
        piece = _some(rows, slice(a, a + CHUNK))
        checksum, body = encode_parts(piece)
        PartChunk.objects.create(
            run=run, number=number, first_frame=int(piece.frame[0]), last_frame=int(piece.frame[-1]),
            count=piece.frame.size, checksum=checksum, body=body,
        )  # fmt: skip


def _some(rows: PartRows, at: slice) -> PartRows:
    return replace(
        rows,
        **{name: getattr(rows, name)[at] for name in ("frame", "part", "ms", "at_ms", "calls")},
        counts={name: values[at] for name, values in rows.counts.items()},
    )


def require_frames(runs: Iterable[Run]) -> None:
    """Raises a problem for a run whose frames went by a rule of its book."""
    for run in runs:
        if run.thinned_at is not None:
            said = f"The frames of run {str(run.pk)[:8]} went on {run.thinned_at:%Y-%m-%d}, by a rule of the book; its figures are kept."
            raise conflict("frames-thinned", said)


def read_windows(run: Run, columns: Sequence[str], start: int, stop: int) -> tuple[dict[str, FloatArray], float]:
    """Frames start..stop of some columns, and the time in ms at which the first of them starts. Reads only
    the chunks that hold them; a column that is not there is left out. Raises a problem where its frames are gone."""
    require_frames([run])
    first, last = start // CHUNK, max(start, stop - 1) // CHUNK
    found = FrameChunk.objects.filter(run=run, column__in={FRAME, *columns}, number__gte=first, number__lte=last)
    pieces: dict[str, list[FloatArray]] = {}
    begins = 0.0
    for c in found.order_by("column", "number").iterator(chunk_size=4):
        pieces.setdefault(c.column, []).append(decode(c.codec, c.checksum, bytes(c.body)))
        begins = c.start_ms if c.number == first else begins
    whole = {name: np.concatenate(parts) for name, parts in pieces.items()}
    offset = start - first * CHUNK
    if FRAME in whole:
        begins += float(whole[FRAME][:offset].sum())
    return {name: values[offset : stop - first * CHUNK] for name, values in whole.items()}, begins


def read_many(runs: Sequence[Run], counters: Collection[str] = ()) -> Iterator[tuple[Run, FrameSeries]]:
    """Frames, marks and some counters of several runs by one query, one run at a time; not their sheets, lanes or parts. A run
    without frames is left out."""
    require_frames(runs)
    by_key = {run.pk: run for run in runs}
    keys = {f"counter:{name}": name for name in counters}
    found = FrameChunk.objects.filter(run__in=by_key, column__in={FRAME, *keys}).order_by("run", "column", "number")
    for key, chunks in groupby(found.iterator(chunk_size=16), lambda chunk: chunk.run_id):
        pieces: dict[str, list[FloatArray]] = {}
        for c in chunks:
            pieces.setdefault(c.column, []).append(decode(c.codec, c.checksum, bytes(c.body)))
        whole = {name: np.concatenate(parts) for name, parts in pieces.items()}
        run = by_key[key]
        marks = [Mark(m["index"], m["name"], m["play"]) for m in run.marks]
        counted = {name: whole[column] for column, name in keys.items() if column in whole}
        yield run, FrameSeries(whole[FRAME], counters=counted, marks=marks, source=f"run {str(key)[:8]}")


def frames_between(run: Run, from_s: float, to_s: float) -> tuple[int, int]:
    """The frames that begin from ``from_s`` up to ``to_s`` seconds of the run: the first, and the one after the last.
    Reads the two chunks in which they lie."""
    require_frames([run])
    return _frame_at(run, from_s * 1000.0), _frame_at(run, to_s * 1000.0)


def _frame_at(run: Run, at_ms: float) -> int:
    """The first frame that begins at ``at_ms`` or later."""
    chunks = FrameChunk.objects.filter(run=run, column=FRAME, start_ms__lt=at_ms).order_by("-number")
    chunk = chunks.first()
    if chunk is None:
        return 0
    x = decode(chunk.codec, chunk.checksum, bytes(chunk.body))
    starts = chunk.start_ms + np.cumsum(x) - x
    return chunk.number * CHUNK + int(np.searchsorted(starts, at_ms, "left"))


def read_parts(
    run: Run, start: int = 0, stop: int | None = None, parts: Sequence[Part] | None = None
) -> PartRows | None:
    """The rows of parts of frames start..stop; None where the run has none at all. ``parts`` where its totals were read before."""
    require_frames([run])
    parts = read_totals(run) if parts is None else parts
    chunks = PartChunk.objects.filter(run=run, last_frame__gte=start)
    if stop is not None:
        chunks = chunks.filter(first_frame__lt=stop)
    pieces = [decode_parts(c.checksum, bytes(c.body), parts) for c in chunks.iterator(chunk_size=4)]
    if not pieces and not PartChunk.objects.filter(run=run).exists():
        return None

    def joined(name: str) -> np.ndarray:
        return np.concatenate([getattr(p, name) for p in pieces]) if pieces else np.empty(0)

    frame = joined("frame")
    keep = (frame >= start) & (frame < (np.inf if stop is None else stop))
    names = dict.fromkeys(name for p in pieces for name in p.counts)
    counts = {
        name: np.concatenate([p.counts.get(name, np.full(p.frame.size, np.nan)) for p in pieces])[keep]
        for name in names
    }
    columns = {name: joined(name)[keep] for name in ("part", "ms", "at_ms", "calls")}
    return PartRows(parts, frame[keep], counts=counts, **columns)


def read_totals(run: Run) -> list[Part]:
    """What each part took over the whole run, by its number."""
    return [_part(*told) for told in RunPart.objects.filter(run=run).values_list(*PART)]


#: Columns of a part, as the core takes them.
PART = ("path", "ms", "calls", "lane", "error_ms", "kind")


def _part(path: Sequence[str], *rest: Any) -> Part:
    return Part(tuple(path), *rest)


def read_series(run: Run, want: Collection[str] | None = None, part_rows: bool = False) -> FrameSeries:
    """The run as recorded, with its sheet of conditions. ``want`` names the lanes and counters to read ("lane:gpu",
    "counter:boats"; None: all); ``part_rows`` reads the parts a frame at a time too."""
    (series,) = read_every([run], want)
    return replace(series, part_rows=read_parts(run, parts=series.parts)) if part_rows else series


def read_every(runs: Sequence[Run], want: Collection[str] | None = None) -> list[FrameSeries]:
    """The same of several runs, by as many queries as of one."""
    require_frames(runs)
    columns: dict[UUID, list[RunColumn]] = {run.pk: [] for run in runs}
    for column in RunColumn.objects.filter(run__in=columns).exclude(kind=RunColumn.Kind.FRAME):
        if want is None or column.key in want:
            columns[column.run_id].append(column)
    parts: dict[UUID, list[Part]] = {run.pk: [] for run in runs}
    for of, *told in RunPart.objects.filter(run__in=parts).values_list("run", *PART):
        parts[of].append(_part(*told))
    keys = {FRAME, *(column.key for own in columns.values() for column in own)}
    pieces: dict[tuple[UUID, str], list[FloatArray]] = {}
    chunks = FrameChunk.objects.filter(run__in=columns, column__in=keys).order_by("run", "column", "number")
    for c in chunks.iterator(chunk_size=16):
        pieces.setdefault((c.run_id, c.column), []).append(decode(c.codec, c.checksum, bytes(c.body)))
    values = {key: np.concatenate(several) for key, several in pieces.items()}
    return [_series(run, columns[run.pk], parts[run.pk], values) for run in runs]


def _series(
    run: Run, columns: Sequence[RunColumn], parts: Sequence[Part], values: Mapping[tuple[UUID, str], FloatArray]
) -> FrameSeries:
    lanes = [c for c in columns if c.kind == RunColumn.Kind.LANE]
    counters = [c for c in columns if c.kind == RunColumn.Kind.COUNTER]
    return FrameSeries(
        values[run.pk, FRAME],
        lanes={c.path: values[run.pk, c.key] for c in lanes},
        lane_roles={c.path: c.role for c in lanes if c.role},
        counters={c.path: values[run.pk, c.key] for c in counters},
        marks=[Mark(m["index"], m["name"], m["play"]) for m in run.marks],
        conditions=run.conditions.facts,
        stated_s=run.noted.get("stated_s"),
        figures=run.noted.get("figures", {}),
        measured=run.measured,
        source=f"run {str(run.pk)[:8]}",
        parts=parts,
        waits=_waits(run, {c.path for c in lanes}),
    )


def _waits(run: Run, lanes: Collection[str]) -> dict[str, dict[str, str]]:
    """What the run's head says of lanes that wait for each other, as far as they were read."""
    stated = (run.head or {}).get("waits")
    if not isinstance(stated, dict):  # a head of old may hold anything under a key that meant nothing then
        return {}
    return {
        lane: known
        for lane, others in stated.items()
        if lane in lanes
        and isinstance(others, dict)
        and (known := {o: c for o, c in others.items() if o in lanes and c in lanes})
    }


def read_levels(
    run: Run, columns: Sequence[str], start: int, stop: int, most: int = MOST_POINTS
) -> tuple[int, int, dict[str, FloatArray]] | None:
    """The finest stored level with at most ``most`` groups in start..stop: step, first group, rows by column."""
    require_frames([run])
    levels = TraceLevel.objects.filter(run=run, column=FRAME).order_by("step").values_list("step", "count")
    for step, count in levels:
        first, last = start // step, min(count, -(-stop // step))
        if last - first <= most:
            found = TraceLevel.objects.filter(run=run, column__in={FRAME, *columns}, step=step)
            rows = {
                kept.column: np.frombuffer(bytes(kept.body), "<f8").reshape(-1, kept.count)[:, first:last]
                for kept in found
            }
            return step, first, rows
    return None
