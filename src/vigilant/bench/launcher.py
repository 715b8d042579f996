"""Start a subject, wait for it, and say how it ended. A bad end is an outcome, not an error."""

from __future__ import annotations

import contextlib
import ctypes
import os
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from vigilant.plan import Arm

from .machine import OtherWork

Asked = Literal["", "skip", "end"]
TAIL_BYTES = 4096
POLL_S = 0.05
OTHER_LOOK_S = 1.0
GRACE_S = 2.0


@dataclass(frozen=True)
class Ended:
    """``outcome`` is complete, crashed (by a signal or not startable), hung, wrong exit or skipped;
    ``other_work`` the mean share of one core that everything else took, None for a short run."""

    outcome: str
    detail: str
    seconds: float
    output_tail: str
    other_work: float | None = None


def _end_group(process: subprocess.Popen[bytes]) -> None:
    """End the subject and everything it started."""
    for sign, grace in ((signal.SIGTERM, GRACE_S), (signal.SIGKILL, GRACE_S)):
        try:
            os.killpg(process.pid, sign)
        except ProcessLookupError:
            break
        try:
            process.wait(grace)
        except subprocess.TimeoutExpired:
            continue
    process.wait()


def run_subject(
    arm: Arm,
    frames: Path | str | None,
    variables: Mapping[str, str],
    timeout_s: float,
    tick: Callable[[float], Asked] = lambda seconds: "",
    other: OtherWork | None = None,
) -> Ended:
    """Run the arm's command once, told to write to ``frames`` (a file, or an address to connect to) unless it is None;
    ``{seconds}``, ``{seed}``, ``{load}``, ``{values}``, ``{build}`` and ``{frames}`` in it are filled in from it and from ``variables``
    (VIGILANT_SECONDS ...). ``tick`` is told the seconds passed and ends the run by "skip", or by "end" where that is how a run ends; ``other`` watches the other work on the machine meanwhile."""
    told = {**variables, "VIGILANT_BUILD": arm.env.get("VIGILANT_BUILD", ""), "VIGILANT_FRAMES": str(frames or "")}
    fill = {
        f"{{{name}}}": told.get(f"VIGILANT_{name.upper()}", "")
        for name in ("seconds", "seed", "load", "frames", "values", "build")
    }
    command = [_filled(part, fill) for part in arm.command]
    env = {**os.environ, **variables, **arm.env, "VIGILANT_FRAMES": str(frames or "")}
    env.pop("VIGILANT_TOKEN", None)  # the recorder's key is no business of the subject
    started = time.monotonic()
    with tempfile.TemporaryFile() as output:
        try:
            with _on_cores(arm.cores):
                process = subprocess.Popen(
                    command, env=env, cwd=arm.cwd, stdin=subprocess.DEVNULL, stdout=output,
                    stderr=subprocess.STDOUT, start_new_session=True, preexec_fn=_die_with_us,
                )  # fmt: skip
        except OSError as error:
            return Ended("crashed", f"could not be started: {error.strerror}: {error.filename}", 0.0, "")
        except ValueError as error:  # a NUL or half a surrogate pair in its command or environment
            return Ended("crashed", f"could not be started: {error}", 0.0, "")
        shares: list[float] = []
        looked = started
        hung = False
        asked: Asked = ""
        try:
            if other is not None:
                other.follow(process.pid)
            while True:
                passed = time.monotonic() - started
                try:
                    process.wait(POLL_S)
                    break
                except subprocess.TimeoutExpired:
                    asked = tick(passed)
                    if other is not None and time.monotonic() - looked >= OTHER_LOOK_S:
                        looked = time.monotonic()
                        shares += [s for s in (other.share(),) if s is not None]
                if asked:
                    break
                if passed > timeout_s:
                    hung = True
                    break
        finally:
            _end_group(process)
        seconds = time.monotonic() - started
        output.seek(max(0, output.seek(0, os.SEEK_END) - TAIL_BYTES))
        tail = output.read().decode(errors="replace")
    outcome, detail = _outcome(process.returncode, hung, asked, seconds, timeout_s)
    return Ended(outcome, detail, seconds, tail, sum(shares) / len(shares) if shares else None)


def _outcome(code: int, hung: bool, asked: Asked, seconds: float, timeout_s: float) -> tuple[str, str]:
    if asked:
        return "skipped" if asked == "skip" else "complete", f"ended by hand after {seconds:.1f} s"
    if hung:
        return "hung", f"still running after {timeout_s:g} s, ended"
    if code < 0:
        return "crashed", f"ended by {signal.Signals(-code).name}"
    if code > 0:
        return "wrong exit", f"exit code {code}"
    return "complete", ""


_PR_SET_PDEATHSIG = 1
_libc = ctypes.CDLL(None, use_errno=True) if sys.platform == "linux" else None


def _die_with_us() -> None:
    """In the subject, before it starts: a recorder that is killed leaves none behind to disturb the next run."""
    if _libc is not None:
        _libc.prctl(_PR_SET_PDEATHSIG, signal.SIGKILL)


@contextlib.contextmanager
def _on_cores(cores: tuple[int, ...]) -> Iterator[None]:
    """What is started inside inherits the limit to these cores; the recorder itself gets its own back."""
    own = os.sched_getaffinity(0)
    if cores:
        os.sched_setaffinity(0, cores)
    try:
        yield
    finally:
        os.sched_setaffinity(0, own)


def _filled(part: str, fill: Mapping[str, str]) -> str:
    for key, value in fill.items():
        part = part.replace(key, value)
    return part
