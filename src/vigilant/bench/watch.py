"""A recording watched from the server: state goes up, control comes down, ended runs are delivered."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any, cast

from vigilant.core.sheet import LIVE_VIEW_MS
from vigilant.core.vary import Step

from .deliver import Delivery
from .errors import DeliveryError
from .live import LiveTrace
from .record import Control, Watcher
from .spool import PLANNED, RecordingSpool, SlotRecord

REPORT_S = 1.0
#: After a report that failed: 2 s, then twice as long each time, so that one slow answer costs little.
BACK_OFF_S, MOST_BACK_OFF_S = 2.0, 30.0


class ServerWatcher:
    """Reports to a server once a second and passes everything on to ``inner``.

    The server may be away at any time: recording goes on, reports are tried again later, and what
    could not be delivered waits in the spool. Frames are sent between runs, never during one.
    """

    def __init__(
        self,
        delivery: Delivery,
        spool: RecordingSpool,
        inner: Watcher,
        note: Callable[[str], None],
        now: Callable[[], float] = time.monotonic,
    ) -> None:
        self.delivery, self.spool, self.inner, self.note, self.now = delivery, spool, inner, note, now
        self.trace: LiveTrace | None = None
        self.next_report = self.away_until = 0.0
        self.back_off_s = BACK_OFF_S
        self.said: Control = "run"
        self.cost_s = 0.0
        self.asked: list[tuple[str, float, float]] = []
        self.looks: list[dict[str, Any]] = list(spool.looks)
        self.registered = 0

    def begin(self) -> None:
        """Register the recording. Raises :class:`DeliveryError`: without it nothing could be watched."""
        self._register()

    def _register(self) -> None:
        self.delivery.register(self.spool)
        self.registered = len(self.spool.slots)

    def slot_started(self, slot: SlotRecord, total: int) -> None:
        self.trace = LiveTrace(self.spool.stream_path(slot))
        self.inner.slot_started(slot, total)
        if len(self.spool.slots) > self.registered:  # a ramp has chosen its next levels
            try:
                self._register()
            except DeliveryError as error:
                self.note(f"the levels chosen next are told later: {error}")
        self._report(slot, "running", force=True)

    def slot_running(self, slot: SlotRecord, seconds: float) -> None:
        self.inner.slot_running(slot, seconds)
        self._report(slot, "running", seconds=round(seconds, 1))

    def slot_ended(self, slot: SlotRecord) -> None:
        self.inner.slot_ended(slot)
        if self.trace is not None:
            self.trace.follow()
        if (cost := self._cost()) is not None:
            slot.measured[LIVE_VIEW_MS] = cost
        if self.said in ("skip", "end"):
            self.said = "run"
        try:
            self._register()
            for waiting in self.spool.slots:  # those of earlier runs too, where the server was away
                if waiting is slot or (waiting.outcome != PLANNED and not waiting.delivered):
                    self.delivery.slot(self.spool, waiting)
        except DeliveryError as error:
            self.note(f"run {slot.position + 1} waits in the spool, recording goes on: {error}")
        self._report(slot, "between", force=True)
        self.trace = None
        self.cost_s = 0.0

    def looked(self, looks: list[dict[str, Any]]) -> None:
        self.inner.looked(looks)
        self.looks = looks

    def chosen(self, spool: RecordingSpool, step: Step) -> None:
        self.inner.chosen(spool, step)

    def waiting(self, slot: SlotRecord, why: str) -> None:
        self.inner.waiting(slot, why)
        self._report(slot, "paused" if why == "paused" else "waiting", force=why == "paused", why=why)

    def control(self) -> Control:
        return self.said if self.said != "run" else self.inner.control()

    def marks(self) -> list[tuple[str, float]]:
        now, asked = self.now(), self.asked
        self.asked = []
        return [(name, ago + now - at) for name, ago, at in asked] + self.inner.marks()

    def finished(self) -> None:
        self._report(None, "finished", force=True)

    def _cost(self) -> float | None:
        """Processor ms a frame that following and reporting took, beside the subject."""
        if self.trace is None or not self.trace.taken:
            return None
        return round(1000.0 * (self.cost_s + self.trace.cost_s) / self.trace.taken, 4)

    def _report(self, slot: SlotRecord | None, phase: str, force: bool = False, **more: Any) -> None:
        now = self.now()
        if now < self.away_until or (not force and now < self.next_report):
            return
        self.next_report = now + REPORT_S
        state: dict[str, Any] = {"phase": phase, "looks": self.looks, **more}
        if slot is not None:
            state |= {
                "position": slot.position,
                "attempt": slot.attempt,
                "arm": slot.arm,
                "slots": len(self.spool.slots),
            }
        if self.trace is not None:
            self.trace.follow()
        began = time.thread_time()
        if self.trace is not None:
            state |= {"live": {**self.trace.state(), "cost_ms_a_frame": self._cost()}}
        try:
            answer = self.delivery.live(self.spool.recording, state)
            self.back_off_s = BACK_OFF_S
            self.said = cast(Control, answer.get("control", "run"))
            self.asked += [(str(m["name"]), float(m["ago_s"]), now) for m in answer.get("marks", [])]
        except DeliveryError:
            self.away_until = self.now() + self.back_off_s
            self.back_off_s = min(MOST_BACK_OFF_S, 2.0 * self.back_off_s)
        self.cost_s += time.thread_time() - began
