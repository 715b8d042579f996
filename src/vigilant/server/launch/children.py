"""Child processes that end with us, whatever happens to us.

Each child gets a session of its own (Ctrl-C reaches us alone, and we end them in order) and the
kernel's promise of a TERM when we die, so that even a SIGKILL of the launcher leaves none.
"""

from __future__ import annotations

import os
import subprocess
from collections.abc import Mapping, Sequence
from pathlib import Path


def start(
    command: Sequence[str], log: Path, env: Mapping[str, str] | None = None, owner: str = ""
) -> subprocess.Popen[bytes]:
    """Start a child with its output in ``log``, which its owner alone may read; root may start it as ``owner``.

    The change of user comes before the kernel's promise: a process that changes it later loses that.
    """
    as_owner = ["--reuid", owner, "--regid", owner, "--clear-groups"] if owner else []
    with open(os.open(log, os.O_WRONLY | os.O_CREAT | os.O_APPEND, 0o600), "ab") as out:
        return subprocess.Popen(
            ["setpriv", *as_owner, "--pdeathsig", "TERM", "--", *command],
            stdin=subprocess.DEVNULL,
            stdout=out,
            stderr=out,
            start_new_session=True,
            env=None if env is None else dict(env),
        )


def stop(child: subprocess.Popen[bytes], grace_s: float, kill: bool = True) -> None:
    """TERM, then KILL after the grace; a database is waited for instead."""
    if child.poll() is None:
        child.terminate()
        try:
            child.wait(grace_s)
        except subprocess.TimeoutExpired:
            if kill:
                child.kill()
            child.wait()


def tail(log: Path, lines: int = 12) -> str:
    try:
        return "\n".join(log.read_text(errors="replace").splitlines()[-lines:])
    except OSError:
        return ""
