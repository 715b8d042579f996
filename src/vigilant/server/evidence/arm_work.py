"""The lanes and parts of the runs of one arm, as the core's questions about the work need them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from vigilant.core.series import FloatArray, PartRows
from vigilant.core.summary import RunFrames
from vigilant.core.work import Key, Overlap, RowChange, RunLanes, earlier, laid, ms_by_frame, overlap
from vigilant.server.runs.models import Run
from vigilant.server.runs.store import read_parts
from vigilant.wording import late as wording

from .rested import Rested

ARMS = ("before", "after")


@dataclass(frozen=True, eq=False)
class ArmWork:
    """``lanes`` of each run told where they were done, None where the runs do not report the same ones; ``lags`` by how
    many frames the late ones were moved."""

    label: str
    runs: Sequence[Run]
    views: Sequence[RunFrames]
    lanes: Sequence[RunLanes] | None
    lags: Mapping[str, int]

    @cached_property
    def overlap(self) -> Overlap | None:
        """Whether its lanes run together; asked for by some alone."""
        return overlap(self.lanes) if self.lanes else None

    def parts(self, run: int) -> dict[Key, FloatArray]:
        """Ms of each part in every frame that counts, where its lane was done; empty where the run has none."""
        rows = read_parts(self.runs[run], parts=self.views[run].series.parts)
        return self.laid(run, rows) if rows is not None else {}

    def laid(self, run: int, rows: PartRows) -> dict[Key, FloatArray]:
        """The same of rows that were read."""
        bounds = self.views[run].played.bounds
        found = ms_by_frame(self.views[run], rows)
        return {key: earlier(ms, bounds, self.lags.get(key[0], 0)) for key, ms in found.items()}


def arm_work(stand: Rested, label: str) -> ArmWork:
    """One of :data:`ARMS`."""
    kb = stand.design.k_before
    at = slice(0, kb) if label == "before" else slice(kb, None)
    views = stand.views[at]
    arm = laid(views)
    lanes, lags = arm if arm is not None else (None, {})
    return ArmWork(label, stand.runs[at], views, lanes, lags)


def arms_work(stand: Rested) -> Iterator[ArmWork]:
    """Before, then after."""
    return (arm_work(stand, label) for label in ARMS)


def amounts(row: Any, before_ms: float, after_ms: float) -> dict[str, float | None]:
    """What every row of an account of both arms says in numbers."""
    return {
        "before_ms": before_ms,
        "after_ms": after_ms,
        "d_ms": row.d_ms,
        "low_ms": row.low_ms,
        "high_ms": row.high_ms,
        "p_value": row.p_value,
    }


def row_document(row: RowChange) -> dict[str, Any]:
    """A row of lanes, parts and rests of both arms."""
    return {
        "name": wording.row_name(row.key),
        "lane": row.lane,
        "kind": row.kind,
        "depth": wording.depth(row.key),
        **amounts(row, row.before_ms, row.after_ms),
        "words": wording.change_words(row),
    }
