"""Report the frames of a program to Vigilant Ledger: copy this one file into the program.

    from vigilant_emitter import Emitter

    emitter = Emitter(lanes={"river": "processor"}, counters=["boats"])
    emitter.mark("landing stage")
    while playing:
        ...                                   # one frame of work
        with emitter.part("steer boats"):
            for boat in boats:
                with emitter.part("avoid pillars", lane="river"):
                    ...
        emitter.frame(river=river_ms, boats=40)
    emitter.close()

Frames go to the file that the environment variable VIGILANT_FRAMES names; without it nothing is
written and every call is cheap. Only the standard library is used. Licence: Apache-2.0.
"""

import contextlib
import json
import os
import time


class _Part(contextlib.ContextDecorator):
    """One named piece of work: ``with emitter.part("name")`` or ``@emitter.part("name")``."""

    def __init__(self, emitter, name, lane, counts, kind):
        self._emitter, self._name, self._lane, self._counts, self._kind = emitter, name, lane, counts, kind

    def _recreate_cm(self):
        return _Part(self._emitter, self._name, self._lane, self._counts, self._kind)

    def __enter__(self):
        if self._emitter._file:
            self._emitter._open.append(self._name)
            self._began = time.perf_counter_ns()
        return self

    def __exit__(self, *exc):
        emitter = self._emitter
        if emitter._file:
            ended = time.perf_counter_ns()
            path = tuple(emitter._open)
            emitter._open.pop()
            at = None if emitter._last_ns is None else (self._began - emitter._last_ns) / 1e6
            emitter.add_part(
                path, (ended - self._began) / 1e6, lane=self._lane, at=at, counts=self._counts, kind=self._kind
            )
        return False


class Emitter:
    """One run. ``lanes`` maps a lane to its role (processor, graphics, waiting); times in ms."""

    def __init__(self, lanes=None, counters=(), frame_is="start to start", path=None, **head):
        self._lanes = dict(lanes or {})
        self._counters = list(counters)
        self._frames = 0
        self._total_ms = 0.0
        self._pending = []
        self._last_ns = None
        self._open = []
        self._parts = {}
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
                self._parts.clear()
                return
            frame_ms = (now - last) / 1e6
        self._frames += 1
        self._total_ms += frame_ms
        self._line([frame_ms, *(values.get(n) for n in self._lanes), *(values.get(n) for n in self._counters)])
        for (path, lane, kind), (ms, calls, at, counts) in self._parts.items():
            line = {"part": path, "frame": self._frames - 1, "ms": ms, "calls": calls}
            line.update(
                {
                    k: v
                    for k, v in (("lane", lane), ("kind", kind), ("at", at), ("counts", counts))
                    if v not in ("", None, {})
                }
            )
            self._line(line)
        self._parts.clear()
        if len(self._pending) >= 512:
            self.flush()

    def part(self, name, lane="", counts=None, kind=""):
        """Time a named piece of the frame that is being made, as a context manager or a decorator.

        Inside another part it is a piece of that one. ``lane`` is the lane whose time it is part of,
        ``counts`` what it handled, such as ``{"boats": 40}``, ``kind`` what it is about across lanes. Calls of one part in a frame are summed.
        """
        return _Part(self, name, lane, counts, kind)

    def add_part(self, path, ms, calls=1, lane="", at=None, counts=None, kind=""):
        """A piece of the present frame that was timed elsewhere; ``path`` is its name, or names from the
        outside in, ``at`` ms after the frame's start."""
        key = ((path,) if isinstance(path, str) else tuple(path), lane, kind)
        old = self._parts.get(key, (0.0, 0, at, {}))
        summed = dict(old[3])
        for name, count in (counts or {}).items():
            summed[name] = summed.get(name, 0) + count
        self._parts[key] = (old[0] + ms, old[1] + calls, old[2], summed)

    def mark(self, name, play=True):
        """Begin a leg of the course at the next frame; ``play=False`` keeps it out of the figures."""
        self._line({"mark": name, "play": play})

    def figure(self, name, value):
        """Report one number for the whole run, such as a load time."""
        self._line({"figure": name, "value": value})

    def item(self, kind, count, **weights):
        """State what there is: so many pieces of a kind, and what one piece weighs, such as ``triangles=1200``. Stated
        again it replaces what was stated before."""
        for weight, a_piece in weights.items() or ((None, None),):
            said = {} if weight is None else {"weight": weight, "a_piece": a_piece}
            self._line({"item": kind, "count": count, **said})

    def still(self, name, shows="view", sequence=None):
        """The path to write a picture of the present frame to, None where none is asked for.

        ``name`` ends in .png, .jpg or .webp and is the same in every run. ``shows="cost"`` is for pictures of
        cost over the view (overdraw, heat): they are never held for a changed view. Writing the file takes
        time: do it in a leg that is not play, or after the course. Pictures of one ``sequence`` are held against each
        other as short motion, in the order of their frames.
        """
        folder = os.environ.get("VIGILANT_STILLS")
        if not self._file or not folder:
            return None
        more = {**({"shows": shows} if shows != "view" else {}), **({"sequence": sequence} if sequence else {})}
        self._line({"still": name, "frame": self._frames, **more})
        return os.path.join(folder, name)

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
