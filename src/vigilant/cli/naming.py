"""Builds named by a reader's own command: a line each, the oldest first."""

from __future__ import annotations

import shlex
import subprocess
from pathlib import Path

from vigilant.formats.errors import PlanError

#: What names the builds may take so long, s.
NAMES_S = 120


def named_by(command: str, folder: Path | None = None) -> list[str]:
    """The lines that a command prints. Raises :class:`PlanError`."""
    try:
        done = subprocess.run(
            shlex.split(command), cwd=folder, capture_output=True, text=True, errors="replace", timeout=NAMES_S,
            check=False, stdin=subprocess.DEVNULL,
        )  # fmt: skip
    except (OSError, ValueError, subprocess.SubprocessError) as error:
        raise PlanError(f"the builds could not be named: {error}") from error
    if done.returncode:
        raise PlanError(f"naming the builds ended with exit code {done.returncode}: {done.stderr.strip()[-200:]}")
    return [line.strip() for line in done.stdout.splitlines() if line.strip()]
