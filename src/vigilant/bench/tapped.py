"""Programs recorded as they are: a small library of ours (``tap/``), loaded before them, notes each presented frame."""

from __future__ import annotations

import contextlib
import fcntl
import json
import os
import shutil
import sys
import tempfile
import time
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import IO

from vigilant.formats import FormatError, read_stream
from vigilant.formats.run import ReadRun
from vigilant.plan import Arm

from .by_hand import finish_by_hand
from .errors import BenchError

LIBRARY = "libvigilant_tap.so"
#: How the loader of Vulkan finds the same library, which lies beside it.
MANIFEST, LAYER = "vigilant_tap.json", "VK_LAYER_VIGILANT_tap"
#: What the loader takes for the end of a name.
_PARTS_NAMES = (" ", ":")


def tap_library() -> Path:
    """The library as set-up built it. Raises :class:`BenchError` where there is none."""
    named = os.environ.get("VIGILANT_TAP_LIBRARY")
    found = Path(named) if named else Path(__file__).resolve().parents[3] / "var" / "tap" / LIBRARY
    if sys.platform != "linux":
        raise BenchError("a program is recorded as it is on Linux alone")
    missing = next((file for file in (found, found.with_name(MANIFEST)) if not file.is_file()), None)
    if missing:
        raise BenchError(f"the tap is not built ({missing} is missing): script/setup --recorder builds it with gcc")
    return found


def _before(value: str, arm: Arm, name: str) -> str:
    """Ours, and behind it what the program is given already."""
    others = arm.env.get(name) or os.environ.get(name, "")
    return f"{value}:{others}" if others else value


def tap_variables(arm: Arm, library: Path, folder: Path) -> dict[str, str]:
    """With these the program is loaded behind the tap, and its frames go into ``folder``."""
    return {
        "LD_PRELOAD": _before(str(library), arm, "LD_PRELOAD"),
        "VK_ADD_LAYER_PATH": _before(str(library.parent), arm, "VK_ADD_LAYER_PATH"),
        "VK_INSTANCE_LAYERS": _before(LAYER, arm, "VK_INSTANCE_LAYERS"),
        "VIGILANT_TAP_FOLDER": str(folder),
    }


@dataclass
class Tapped:
    """One run of a tapped program. ``folder`` takes a stream of each window that presents, ``stream`` becomes the run's;
    times are seconds since the subject was started."""

    folder: Path
    stream: Path
    first_s: float | None = None
    _preload: Path | None = field(default=None, repr=False)

    def __post_init__(self) -> None:
        self.folder.mkdir(parents=True, exist_ok=True)

    def arm(self, arm: Arm) -> Arm:
        """The arm with the tap before its program."""
        library = tap_library()
        if any(part in str(library) for part in _PARTS_NAMES):
            self._preload = Path(tempfile.mkdtemp(prefix="vigilant-tap-"))
            for file in (library, library.with_name(MANIFEST)):
                shutil.copy2(file, self._preload)
            library = self._preload / LIBRARY
        return replace(arm, env={**arm.env, **tap_variables(arm, library, self.folder)})

    def presented_s(self, seconds: float) -> float:
        """How long it has presented frames; 0 before the first."""
        if self.first_s is None:
            begun = next((file for file in self.folder.glob("*.jsonl") if file.stat().st_size), None)
            if begun is None:
                return 0.0
            self.first_s = seconds
            # For whoever watches, where the disk can; the run's stream is chosen at the end.
            with contextlib.suppress(OSError):
                os.link(begun, self.stream)
        return seconds - self.first_s

    def gather(self, marks: list[tuple[float, str]], whole: bool) -> str:
        """Choose the run's stream: of the window with the most frames. ``marks`` are (s of the monotonic clock, name); a
        ``whole`` run is given its end where it was ended from outside. How many windows presented where it was not one."""
        if self._preload is not None:
            shutil.rmtree(self._preload, ignore_errors=True)
        self.stream.unlink(missing_ok=True)
        windows: list[tuple[Path, ReadRun]] = []
        for file in sorted(self.folder.glob("*.jsonl")):
            try:
                windows.append((file, read_stream(file)))
            except FormatError:  # a window that was presented once has no frame
                continue
        if not windows:
            return ""
        windows.sort(key=lambda one: -one[1].series.frame_ms.size)
        chosen, run = windows[0]
        os.replace(chosen, self.stream)
        for folder in (self.folder, self.folder.parent):
            with contextlib.suppress(OSError):  # other windows' frames stay there
                folder.rmdir()
        if whole or marks:
            ended_s = run.head["began_ns"] / 1e9 + float(run.series.frame_ms.sum()) / 1000.0
            finish_by_hand(self.stream, marks, ended_s, end=whole)
        processes = {file.name.partition("-")[0] for file, _ in windows}
        return (
            "" if len(windows) == 1 else f"{len(windows)}, of {len(processes)} processes; this one had the most frames"
        )


class MarksHeard:
    """Marks that another process sets while a run that hears them is in progress (``vigilant mark``)."""

    def __init__(self, recording: Path) -> None:
        self.path = recording / "marks.jsonl"
        self._file: IO[str] | None = None

    def __enter__(self) -> MarksHeard:
        self._file = self.path.open("w+", encoding="utf-8")
        fcntl.flock(self._file, fcntl.LOCK_EX)  # held as long as somebody listens
        return self

    def __exit__(self, *exc: object) -> None:
        assert self._file is not None
        self.path.unlink(missing_ok=True)
        self._file.close()

    def heard(self) -> list[tuple[float, str]]:
        """All of them: (s of the monotonic clock, name)."""
        assert self._file is not None
        self._file.seek(0)
        return [(float(at), str(name)) for at, name in map(json.loads, self._file)]


def set_mark(spool: Path, name: str) -> Path:
    """Set a mark now in the run that is in progress under this spool; the folder of its recording. Raises
    :class:`BenchError` where none hears it."""
    at = time.monotonic()
    for path in sorted(spool.glob("*/marks.jsonl"), key=lambda p: -p.stat().st_mtime):
        with path.open("a", encoding="utf-8") as file:
            try:
                fcntl.flock(file, fcntl.LOCK_SH | fcntl.LOCK_NB)
            except BlockingIOError:
                file.write(json.dumps([at, name]) + "\n")
                return path.parent
    raise BenchError(
        f"no run that hears marks is in progress in {spool}: those of tapped arms and those played by hand do"
    )
