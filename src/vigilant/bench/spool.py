"""What a recorder has recorded, on disk before anything is sent: nothing is lost by a cut."""

from __future__ import annotations

import json
import os
import tempfile
from collections.abc import Mapping
from dataclasses import asdict, dataclass, field, replace
from pathlib import Path
from typing import Any

from vigilant.core import FrameSeries
from vigilant.core.sheet import LOAD_AVERAGE
from vigilant.formats import FormatError, ReadRun, read_stream, strict_json
from vigilant.plan.armref import held

from .errors import BenchError

RECORDING_FILE = "recording.json"
PLANNED = "planned"


@dataclass
class SlotRecord:
    """One attempt at one place of the schedule. ``frames`` whole frames read; ``run`` is the run's uuid.

    ``conditions`` are the sheet captured for this run; ``measured`` numbers that vary from run to
    run and need not match: other work before and during (shares of one core), temperature, clock,
    and what a live view cost.
    """

    position: int
    arm: str
    run: str
    attempt: int = 1
    outcome: str = PLANNED
    detail: str = ""
    seconds: float = 0.0
    frames: int = 0
    started: str = ""
    conditions: dict[str, str] = field(default_factory=dict)
    measured: dict[str, float] = field(default_factory=dict)
    revision: dict[str, str] = field(default_factory=dict)
    output_tail: str = ""
    delivered: bool = False
    #: Stills that could not be sent, and why; they stay in the spool.
    left: list[str] = field(default_factory=list)


def _slot(values: dict[str, Any]) -> SlotRecord:
    """A slot as kept; spools of version 0.1.0 before there were attempts had a load of their own."""
    load = values.pop("background_load", None)
    slot = SlotRecord(**values)
    if load is not None:
        slot.measured[LOAD_AVERAGE] = load
    return slot


@dataclass
class RecordingSpool:
    """One recording on disk: ``recording.json`` and a stream per attempt under ``runs/``."""

    directory: Path
    recording: str
    created: str
    plan: dict[str, Any]
    order_seed: int
    rig: dict[str, Any]
    conditions: dict[str, str]
    slots: list[SlotRecord] = field(default_factory=list)
    stopped: bool = False
    delivered: bool = False
    #: Why it was stopped before its end, where that was not by hand.
    remark: str = ""
    #: What each look of a recording that goes on until decided was tested at, and what it said.
    looks: list[dict[str, Any]] = field(default_factory=list)

    @property
    def decided(self) -> bool:
        return bool(self.looks) and self.looks[-1]["verdict"] != "undecided"

    def stream_path(self, slot: SlotRecord) -> Path:
        return self.directory / "runs" / f"{slot.run}.jsonl"

    def stills_path(self, slot: SlotRecord) -> Path:
        """Where the subject puts its pictures."""
        return self.directory / "stills" / slot.run

    def tap_path(self, slot: SlotRecord) -> Path:
        """Where the windows of a program that is recorded as it is leave their frames."""
        return self.directory / "tap" / slot.run

    def save(self) -> None:
        """Write ``recording.json`` whole or not at all."""
        self.directory.mkdir(mode=0o700, parents=True, exist_ok=True)
        (self.directory / "runs").mkdir(exist_ok=True)
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
            values = strict_json.loads((directory / RECORDING_FILE).read_bytes())
            slots = [_slot(s) for s in values.pop("slots")]
            return cls(directory=directory, slots=slots, **values)
        except OSError as error:
            raise BenchError(f"{directory} holds no recording: {error.strerror}") from error
        except (ValueError, TypeError, KeyError, AttributeError) as error:
            raise BenchError(f"{directory / RECORDING_FILE} cannot be read: {error}") from error

    def read(self, slot: SlotRecord) -> ReadRun:
        """The slot's run as it was written. Raises FormatError."""
        return read_stream(self.stream_path(slot))

    def counting(self) -> list[SlotRecord]:
        """The last attempt at every place that was recorded, in order."""
        last = {slot.position: slot for slot in self.slots if slot.outcome != PLANNED}
        return [last[position] for position in sorted(last)]

    def arm_labels(self) -> list[str]:
        """The arms that were compared with the first one; the empty arm is none of them."""
        return held(s.arm for s in self.slots)

    def complete_runs(self) -> tuple[dict[str, list[FrameSeries]], list[str | None]]:
        """Complete runs by arm, in their order, and the arm of each place: None where the run failed."""
        runs: dict[str, list[FrameSeries]] = {}
        order: list[str | None] = []
        for slot in self.counting():
            if slot.outcome != "complete":
                order.append(None)
                continue
            series = with_sheet(self.read(slot).series, {**self.conditions, **slot.conditions}, slot.measured)
            runs.setdefault(slot.arm, []).append(series)
            order.append(slot.arm)
        return runs, order

    def arms(self, label: str = "after") -> tuple[list[FrameSeries], list[FrameSeries], list[str | None]]:
        """Complete runs of the first arm and of ``label``, and the order: None for a slot of another
        arm, or one whose run failed."""
        runs, order = self.complete_runs()
        named = {"before": "before", label: "after"}
        return runs.get("before", []), runs.get(label, []), [named.get(o or "") for o in order]


def with_sheet(series: FrameSeries, sheet: Mapping[str, str], measured: Mapping[str, float]) -> FrameSeries:
    """The series with a sheet's conditions (what the run itself reports wins) and what was measured meanwhile."""
    return replace(series, conditions={**sheet, **series.conditions}, measured=measured)


def judge_stream(path: Path) -> tuple[str, str, ReadRun | None]:
    """Outcome, detail and the run of a stream that a subject left behind."""
    try:
        run = read_stream(path)
    except FormatError as error:
        return "broken", str(error), None
    frames = int(run.series.frame_ms.size)
    if run.broken:
        return "broken", f"{run.broken}; {frames} whole frames are kept", run
    return "complete", "", run
