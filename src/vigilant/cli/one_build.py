"""One build recorded for its line: its level here, and what the server says of it against the builds before."""

from __future__ import annotations

import json
import sys
from typing import Any

import numpy as np
from rich.console import Console

from vigilant.bench.errors import DeliveryError
from vigilant.bench.spool import RecordingSpool
from vigilant.core.summary import summarize
from vigilant.plan import Plan
from vigilant.wording.change import number
from vigilant.wording.trend import figure_name

from . import exits
from .push import delivery_to

#: Figures of the runs that are said where no server is asked.
SAID = ("mean_ms", "slowest_1pct_ms")


def say_line(
    plan: Plan, recording: RecordingSpool, url: str | None, token: str | None, newest: bool, undelivered: bool, json_: bool
) -> int:  # fmt: skip
    """Print what a build says against its line; the exit code."""
    build = plan.arms[0].name
    runs = recording.complete_runs()[0].get(plan.arms[0].label, [])
    if not runs:
        Console(stderr=True).print(f"No run of {build} is complete.", highlight=False, markup=False)
        return exits.NOT_DELIVERED if undelivered else exits.NO_RUNS
    summaries = [summarize(series, plan.policy) for series in runs]
    levels = {name: float(np.mean([getattr(s, name) for s in summaries])) for name in SAID}
    found: dict[str, Any] | None = None
    if url and not undelivered:
        try:
            found = delivery_to(url, token).line(recording.recording, newest)
        except DeliveryError as error:
            Console(stderr=True).print(f"Not held against its line: {error}", highlight=False, markup=False)
            undelivered = True
    if json_:
        document = {"build": build, "runs": len(runs), "levels": levels, "line": found}
        print(json.dumps({"spool": str(recording.directory), "line": document}, indent=1, allow_nan=False))
    else:
        _print(build, len(runs), levels, found, str(url or "").rstrip("/"))
    if undelivered:
        return exits.NOT_DELIVERED
    return 1 if found is not None and found["worse"] else 0


def _print(build: str, runs: int, levels: dict[str, float], found: dict[str, Any] | None, url: str) -> None:
    console = Console(file=sys.stdout)

    def say(text: str, style: str = "") -> None:
        console.print(text, highlight=False, markup=False, soft_wrap=True, style=style)

    named = ", ".join(f"{figure_name(name)} {number(ms, 2)} ms" for name, ms in levels.items())
    say(f"\n{build}: {named}, over {runs} run{'' if runs == 1 else 's'}.", "bold")
    if found is None:
        return
    if not found["placed"]:
        say(f"{build} has no place in the order of builds: vigilant order gives it one, or --newest here.")
        return
    for one in found["figures"]:
        say(one["now"])
    for alarm in found["alarms"]:
        say(f"Open: {alarm['sentence']} {alarm['stands']}")
    say(found["rate"], "dim")
    say(f"The line: {url}{found['path']}", "dim")
