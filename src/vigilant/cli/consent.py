"""What comes from a server is shown before it is started here, and asked about once."""

from __future__ import annotations

import hashlib
import json
import os
import shlex
import sys
from pathlib import Path

import click
from rich.console import Console

from vigilant.plan import Plan


def agreed_file() -> Path:
    """Where this user's agreements are kept: digests of what was agreed to, nothing else."""
    state = os.environ.get("XDG_STATE_HOME") or str(Path.home() / ".local" / "state")
    return Path(state) / "vigilant" / "agreed"


def starts(plan: Plan) -> list[str]:
    """Everything that a plan has this machine start or set, one line each."""
    lines = []
    if plan.bench.reset:
        lines.append(f"before each run: {shlex.join(plan.bench.reset)}")
    for arm in plan.arms:
        lines.append(f"{arm.name}: {shlex.join(arm.command)}")
        lines += [f"    with {key}={shlex.quote(value)}" for key, value in sorted(arm.env.items())]
        if arm.cwd is not None and arm.cwd != plan.base:
            lines.append(f"    in {arm.cwd}")
    return lines


def ask_once(console: Console, plan: Plan, of: str, server: str, yes: bool) -> None:
    """Show what a plan from ``server`` starts and ask; the answer is remembered for these very lines.

    Raises a usage error where the answer is no, and where nobody can be asked.
    """
    lines = starts(plan)
    digest = hashlib.sha256(json.dumps([server, *lines]).encode()).hexdigest()
    kept = agreed_file()
    if not yes and kept.exists() and digest in kept.read_text(encoding="utf-8").split():
        return
    console.print(f"The plan of {of} at {server} starts on this machine:", highlight=False)
    for line in lines:
        console.print(f"    {line}", highlight=False, markup=False, soft_wrap=True)
    if not yes:
        if not sys.stdin.isatty():
            raise click.UsageError("nobody can be asked whether to start this: look at it and give --yes")
        if not click.confirm("Start this here?", err=True):
            raise click.UsageError("not started")
    kept.parent.mkdir(parents=True, exist_ok=True)
    with os.fdopen(os.open(kept, os.O_WRONLY | os.O_CREAT | os.O_APPEND, 0o600), "a") as file:
        file.write(f"{digest}\n")
