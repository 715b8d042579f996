"""What a recorder has recorded, on disk before anything is sent: nothing is lost by a cut."""

from __future__ import annotations

import json
import os
import tempfile
from collections.abc import Mapping
from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import Any

from vigilant.core import FrameSeries
from vigilant.formats import FormatError, ReadRun, read_stream

from .errors import BenchError

RECORDING_FILE = "recording.json"


@dataclass
class SlotRecord:
    """One place of the schedule. ``frames`` whole frames read; ``run`` is the run's uuid."""

    position: int
    arm: str
    run: str
    outcome: str = "planned"
    detail: str = ""
    seconds: float = 0.0
    frames: int = 0
    started: str = ""
    background_load: float | None = None
    output_tail: str = ""
    delivered: bool = False


@dataclass
class RecordingSpool:
    """One recording on disk: ``recording.json`` and a stream per run under ``runs/``."""

    directory: Path
    recording: str
    created: str
    plan: dict[str, Any]
    order_seed: int
    rig: dict[str, Any]
    conditions: dict[str, str]
    slots: list[SlotRecord] = field(default_factory=list)
    delivered: bool = False

    def stream_path(self, slot: SlotRecord) -> Path:
        return self.directory / "runs" / f"{slot.run}.jsonl"

    def save(self) -> None:
        """Write ``recording.json`` whole or not at all."""
        (self.directory / "runs").mkdir(parents=True, exist_ok=True)
        values = {k: v for k, v in self.__dict__.items() if k not in ("directory", "slots")}
        text = json.dumps({**values, "slots": [asdict(s) for s in self.slots]}, indent=1, ensure_ascii=False)
        handle, temporary = tempfile.mkstemp(dir=self.directory, prefix=".recording-")
        with os.fdopen(handle, "w", encoding="utf-8") as file:
            file.write(text)
            file.flush()
            os.fsync(file.fileno())
        os.replace(temporary, self.directory / RECORDING_FILE)

    @classmethod
    def load(cls, directory: Path) -> RecordingSpool:
        """Raises :class:`BenchError` when the directory holds no recording."""
        try:
            values = json.loads((directory / RECORDING_FILE).read_text(encoding="utf-8"))
            slots = [SlotRecord(**s) for s in values.pop("slots")]
            return cls(directory=directory, slots=slots, **values)
        except OSError as error:
            raise BenchError(f"{directory} holds no recording: {error.strerror}") from error
        except (ValueError, TypeError, KeyError) as error:
            raise BenchError(f"{directory / RECORDING_FILE} cannot be read: {error}") from error

    def read(self, slot: SlotRecord) -> ReadRun:
        """The slot's run with the plan's conditions beside its own. Raises FormatError."""
        return read_stream(self.stream_path(slot))

    def arms(self) -> tuple[list[FrameSeries], list[FrameSeries], list[str | None]]:
        """Complete runs per arm, and the order with None where a slot's run failed."""
        before: list[FrameSeries] = []
        after: list[FrameSeries] = []
        order: list[str | None] = []
        for slot in self.slots:
            if slot.outcome != "complete":
                order.append(None)
                continue
            series = with_conditions(self.read(slot).series, self.conditions)
            (before if slot.arm == "before" else after).append(series)
            order.append(slot.arm)
        return before, after, order


def with_conditions(series: FrameSeries, sheet: Mapping[str, str]) -> FrameSeries:
    """The series with a sheet's conditions added; what the run itself reports wins."""
    return FrameSeries(
        series.frame_ms,
        series.lanes,
        series.lane_roles,
        series.counters,
        series.marks,
        {**sheet, **series.conditions},
        series.stated_s,
    )


def judge_stream(path: Path) -> tuple[str, str, int]:
    """Outcome, detail and whole frames of a stream that a subject left behind."""
    try:
        run = read_stream(path)
    except FormatError as error:
        return "broken", str(error), 0
    frames = int(run.series.frame_ms.size)
    if not run.complete:
        return "broken", f"the stream has no end; {frames} whole frames are kept", frames
    return "complete", "", frames
