"""Report the frames of a program to Vigilant Ledger: copy this one file into the program.

    from vigilant_emitter import Emitter

    emitter = Emitter(lanes={"river": "processor"}, counters=["boats"])
    emitter.mark("landing stage")
    while playing:
        ...                                   # one frame of work
        emitter.frame(river=river_ms, boats=40)
    emitter.close()

Frames go to the file that the environment variable VIGILANT_FRAMES names; without it nothing is
written and every call is cheap. Only the standard library is used. Licence: Apache-2.0.
"""

import json
import os
import time


class Emitter:
    """One run. ``lanes`` maps a lane to its role (processor, graphics, waiting); times in ms."""

    def __init__(self, lanes=None, counters=(), frame_is="start to start", path=None, **head):
        self._lanes = dict(lanes or {})
        self._counters = list(counters)
        self._frames = 0
        self._total_ms = 0.0
        self._pending = []
        self._last_ns = None
        path = path or os.environ.get("VIGILANT_FRAMES")
        self._file = open(path, "w", encoding="utf-8", newline="\n") if path else None  # noqa: SIM115
        first = {
            "vigilant_frames": 1,
            "columns": ["frame", *self._lanes],
            "unit": "ms",
            "clock": "monotonic",
            "frame_is": frame_is,
            "lanes": self._lanes,
            "counters": self._counters,
            "started": time.strftime("%Y-%m-%dT%H:%M:%SZ", time.gmtime()),
            **head,
        }
        self._line(first)

    def _line(self, value):
        if self._file:
            self._pending.append(json.dumps(value, separators=(",", ":")))

    def start(self):
        """Start the clock; the first frame() without a start only does this."""
        self._last_ns = time.perf_counter_ns()

    def frame(self, frame_ms=None, **values):
        """End a frame; its time is measured since the last call unless ``frame_ms`` is given.

        Lanes and counters are given by name; one left out is written as missing.
        """
        if frame_ms is None:
            now = time.perf_counter_ns()
            last, self._last_ns = self._last_ns, now
            if last is None:
                return
            frame_ms = (now - last) / 1e6
        self._frames += 1
        self._total_ms += frame_ms
        self._line([frame_ms, *(values.get(n) for n in self._lanes), *(values.get(n) for n in self._counters)])
        if len(self._pending) >= 512:
            self.flush()

    def mark(self, name, play=True):
        """Begin a leg of the course at the next frame; ``play=False`` keeps it out of the figures."""
        self._line({"mark": name, "play": play})

    def figure(self, name, value):
        """Report one number for the whole run, such as a load time."""
        self._line({"figure": name, "value": value})

    def flush(self):
        if self._file and self._pending:
            self._file.write("\n".join(self._pending) + "\n")
            self._file.flush()
            self._pending.clear()

    def close(self):
        """Write the end; a stream without one counts as broken."""
        self._line({"end": {"frames": self._frames, "ms": self._total_ms}})
        self.flush()
        if self._file:
            self._file.close()
            self._file = None
