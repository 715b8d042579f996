"""What each part carries of the frame: its ms in the frames that its lane limits, so that rows close to the frame.

The savings of parts overlap where lanes run beside each other; what they carry does not: the rows of a run sum to its
mean frame, and so their differences sum to what the frame saved.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from ..design import Design
from ..series import FloatArray
from .lanes import Overlap, RunLanes
from .parts import Key
from .rows import REST, WAITING, RowChange, RowKey, Rows, lane_rows, ordered_keys, row_changes, top


def carried(run: RunLanes, overlap: Overlap, parts: Mapping[Key, FloatArray]) -> dict[RowKey, float]:
    """Mean ms a frame that each row of a run carries. Frames whose lanes are not all told are in the rest of the frame."""
    told = run.told
    busiest = np.where(told, np.nan_to_num(run.busy, nan=-1.0).argmax(axis=0), -1)
    rows: Rows = {}
    for number, name in enumerate(run.names):
        weight = np.where(busiest == number, 1.0, overlap.beside) * told
        lane_rows(rows, parts, name, run.busy[number], lambda column: column, weight)
    rows[WAITING] = run.waiting * told
    mean = {key: float(np.nan_to_num(values).mean()) for key, values in rows.items()}
    mean[REST] = float(run.frame_ms.mean()) - sum(ms for key, ms in mean.items() if top(key))
    return mean


def carried_changes(runs: Sequence[Mapping[RowKey, float]], design: Design) -> tuple[RowChange, ...]:
    """The rows of both arms, before runs first; those of one level sum to the mean frame and to what it saved."""
    size = {key: max(run.get(key, 0.0) for run in runs) for run in runs for key in run}
    keys = ordered_keys(size)
    return row_changes(keys, np.array([[run.get(key, 0.0) for key in keys] for run in runs]), design)
