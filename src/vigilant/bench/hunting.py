"""What a hunt has recorded so far, and which build it records next."""

from __future__ import annotations

import math
import subprocess
from pathlib import Path

import numpy as np

from vigilant.core.summary import summarize
from vigilant.core.trend import Where
from vigilant.core.trend import hunted as where_of
from vigilant.core.trend.hunt import MOST_RUNS
from vigilant.plan import Arm, ArmRef, Plan
from vigilant.plan.tables import SPREAD_PCT

from .errors import BenchError
from .spool import PLANNED, RecordingSpool, with_sheet

#: A build may take so long, s; of what it said when it failed so much is kept.
BUILD_S, TAIL = 3_600, 200


def make(plan: Plan, arm: Arm, folder: Path) -> None:
    """Make the build that an arm is, by the plan's own command. Raises :class:`BenchError`."""
    command = (plan.raw.get("hunt") or {}).get("command")
    if not command:
        return
    try:
        done = subprocess.run(
            [part.replace("{build}", arm.name) for part in command],
            cwd=folder, capture_output=True, text=True, errors="replace", timeout=BUILD_S, check=False,
            stdin=subprocess.DEVNULL,
        )  # fmt: skip
    except (OSError, subprocess.SubprocessError) as error:
        raise BenchError(f"{arm.name} could not be built: {error}") from error
    if done.returncode:
        said = (done.stderr or done.stdout).strip()[-TAIL:]
        raise BenchError(f"building {arm.name} ended with exit code {done.returncode}: {said}")


def values_of(plan: Plan, spool: RecordingSpool) -> dict[int, list[float]]:
    """ln of the figure of every complete run, by the place of its build."""
    figure = str((plan.raw["hunt"]).get("figure", "mean_ms"))
    place = _places(spool)
    found: dict[int, list[float]] = {}
    for slot in spool.counting():
        if slot.outcome == "complete":
            series = with_sheet(spool.read(slot).series, {**spool.conditions, **slot.conditions}, slot.measured)
            value = float(getattr(summarize(series, plan.policy), figure))
            found.setdefault(place[slot.arm], []).append(math.log(value))
    return found


def _places(spool: RecordingSpool) -> dict[str, int]:
    """The place of each arm's build, by its label."""
    return {ArmRef.at(i).label: int(arm["value"]) for i, arm in enumerate(spool.plan["arm"])}


def cannot(spool: RecordingSpool) -> list[int]:
    """Places of builds that were tried, and have no complete run."""
    tried = {s.arm for s in spool.slots if s.outcome not in (PLANNED, "skipped")}
    whole = {s.arm for s in spool.slots if s.outcome == "complete"}
    place = _places(spool)
    return sorted(place[label] for label in tried - whole)


def hunted(plan: Plan, spool: RecordingSpool) -> Where:
    """Where the step may lie, and what to record next."""
    hunt = plan.raw["hunt"]
    spread = float(hunt.get("build_spread_pct", SPREAD_PCT)) / 100.0
    return where_of(
        len(hunt["builds"]), values_of(plan, spool), spread, bool(hunt.get("neighbours")),
        int(hunt.get("most_runs") or MOST_RUNS), cannot(spool),
    )  # fmt: skip


def change_of(plan: Plan, spool: RecordingSpool) -> float | None:
    """What the bad end takes more than the good one, as a share; None without runs of both."""
    runs, last = values_of(plan, spool), len(plan.raw["hunt"]["builds"]) - 1
    if 0 not in runs or last not in runs:
        return None
    return math.expm1(float(np.mean(runs[last]) - np.mean(runs[0])))
