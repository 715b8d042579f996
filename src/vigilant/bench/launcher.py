"""Start a subject, wait for it, and say how it ended. A bad end is an outcome, not an error."""

from __future__ import annotations

import os
import signal
import subprocess
import tempfile
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path

from .plan import Arm

TAIL_BYTES = 4096
POLL_S = 0.05
GRACE_S = 2.0


@dataclass(frozen=True)
class Ended:
    """``outcome`` is complete, crashed (by a signal or not startable), hung or wrong exit."""

    outcome: str
    detail: str
    seconds: float
    output_tail: str


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
    frames_path: Path,
    variables: Mapping[str, str],
    timeout_s: float,
    tick: Callable[[float], None] = lambda seconds: None,
) -> Ended:
    """Run the arm's command once; ``{seconds}`` and ``{seed}`` in it are filled in from
    ``variables`` (VIGILANT_SECONDS, VIGILANT_SEED). ``tick`` is told the seconds passed."""
    fill = {"{seconds}": variables.get("VIGILANT_SECONDS", ""), "{seed}": variables.get("VIGILANT_SEED", "")}
    command = [_filled(part, fill) for part in arm.command]
    env = {**os.environ, **variables, **arm.env, "VIGILANT_FRAMES": str(frames_path)}
    env.pop("VIGILANT_TOKEN", None)  # the recorder's key is no business of the subject
    started = time.monotonic()
    with tempfile.TemporaryFile() as output:
        try:
            process = subprocess.Popen(
                command, env=env, cwd=arm.cwd, stdin=subprocess.DEVNULL, stdout=output,
                stderr=subprocess.STDOUT, start_new_session=True,
            )  # fmt: skip
        except OSError as error:
            return Ended("crashed", f"could not be started: {error.strerror}: {error.filename}", 0.0, "")
        hung = False
        try:
            while True:
                passed = time.monotonic() - started
                try:
                    process.wait(POLL_S)
                    break
                except subprocess.TimeoutExpired:
                    tick(passed)
                if passed > timeout_s:
                    hung = True
                    break
        finally:
            _end_group(process)
        seconds = time.monotonic() - started
        output.seek(max(0, output.seek(0, os.SEEK_END) - TAIL_BYTES))
        tail = output.read().decode(errors="replace")
    if hung:
        return Ended("hung", f"still running after {timeout_s:g} s, ended", seconds, tail)
    if process.returncode < 0:
        return Ended("crashed", f"ended by {signal.Signals(-process.returncode).name}", seconds, tail)
    if process.returncode > 0:
        return Ended("wrong exit", f"exit code {process.returncode}", seconds, tail)
    return Ended("complete", "", seconds, tail)


def _filled(part: str, fill: Mapping[str, str]) -> str:
    for key, value in fill.items():
        part = part.replace(key, value)
    return part
