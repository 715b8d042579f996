"""A gate against the line over builds: of folders here, or of a build recorded now and the line on the server."""

from __future__ import annotations

import sys
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import click
import numpy as np
from rich.console import Console

from vigilant.bench.errors import BenchError, DeliveryError
from vigilant.bench.record import prepare
from vigilant.core import FIGURES, CoreError, FrameSeries, Policy
from vigilant.core.audit.conditions import keys_to_match
from vigilant.core.summary import Summary, summarize
from vigilant.core.trend import FOLLOWED, Followed, Point, RunValues, judged, scaled
from vigilant.formats import FormatError
from vigilant.formats.errors import PlanError
from vigilant.plan import load_plan
from vigilant.plan.gating import GatePolicy, LineGateTable
from vigilant.wording import trend as wording

from . import exits
from .arms import files_of
from .builds import refuse_in_two_builds
from .files import Reading, matching, reading_of
from .gate_reports import Judged, of_line
from .push import delivery_to
from .record import default_spool, find_programs, kept_and_delivered, listening

#: Measurements by build: its name, and each run's frames and figures.
Runs = Sequence[tuple[FrameSeries, Summary]]


# -- of files


def of_files(policy: GatePolicy, line: LineGateTable, build: str) -> Judged:
    """The new runs against the folders of builds. Raises a usage error."""
    reading = Reading(line.target_fps, line.column, reading_of(policy.base, line.reading), None, 0.0, False)
    folders = _folders(policy.base, line.builds)
    named = [folder.resolve().name for folder in folders]
    if len({*named, build}) < len(named) + 1:
        raise click.UsageError(f"a build stands twice among {', '.join([*named, build])[:200]}")
    try:
        series = {name: [r.series for r in reading.runs(files_of(f))] for name, f in zip(named, folders, strict=True)}
        series[build] = [r.series for r in reading.runs(matching(policy.base, line.runs))]
        refuse_in_two_builds(series)
        runs = [[(one, summarize(one, reading.policy)) for one in own] for own in series.values()]
        found = _gated(build, runs, reading.policy, line.alpha)
    except (FormatError, CoreError) as error:
        raise click.UsageError(str(error)) from error
    return of_line(found, policy.passes(found["verdict"]))


def _folders(base: Path, patterns: Sequence[str]) -> list[Path]:
    found: list[Path] = []
    for pattern in patterns:
        there = sorted(p for p in base.glob(pattern) if p.is_dir())
        if not there:
            raise click.UsageError(f"no folder fits {pattern!r} in {base}")
        found += there
    return list(dict.fromkeys(found))


def _gated(build: str, runs: Sequence[Runs], policy: Policy, alpha: float) -> dict[str, Any]:
    """The last of the builds against those before it."""
    setups = [_setup(own, policy) for own in runs]
    numbers = {setup: i for i, setup in enumerate(dict.fromkeys(setups))}
    wanted = [name for name in policy.primaries if policy.target_fps is not None or not FIGURES[name].needs_target]
    lines = []
    for figure in (name for name in wanted if name in FOLLOWED):
        of = scaled(figure, _values([one for own in runs for _, one in own], figure), [len(own) for own in runs])
        told = enumerate(zip(setups, of.runs, of.seen, strict=True))
        points = [Point(i, numbers[setup], y, seen=seen) for i, (setup, y, seen) in told]
        lines.append(Followed(figure, of, points, points[-1]))
    return wording.gate_document(build, judged(lines, policy.margins, alpha), alpha)


def _setup(runs: Runs, policy: Policy) -> tuple[tuple[str, str], ...]:
    """The conditions of a build's runs that must match. Raises a usage error where they differ among them."""
    sheets = [one.conditions for one, _ in runs]
    keys = keys_to_match(sheets, policy)
    found = {tuple((key, sheet[key]) for key in keys if key in sheet) for sheet in sheets}
    if len(found) > 1:
        raise click.UsageError(f"runs of one build were recorded under unlike conditions: {runs[0][0].source}")
    return found.pop()


def _values(of: Sequence[Summary], figure: str) -> RunValues:
    columns = [(getattr(one, figure), one.frames, one.seconds, one.late_frames or 0, one.timer_step_ms) for one in of]
    return RunValues(*np.array(columns, dtype=np.float64).T)


# -- of a build that is recorded now


def recorded_now(
    notes: Console, policy: GatePolicy, line: LineGateTable, build: str, spool: Path | None, server: str | None,
    token: str | None,
) -> Judged:  # fmt: skip
    """Record the build, deliver it, and ask the server for its verdict. Ends the command where that cannot be had."""
    assert policy.plan is not None
    try:
        plan = load_plan(policy.plan, build=build)
        url = server or plan.server_url
        delivery = delivery_to(url, token)  # the line is there
        find_programs(plan)
        listener = listening(plan)
        recording = prepare(plan, spool or default_spool(), None)
    except (BenchError, PlanError) as error:
        raise click.UsageError(str(error)) from error
    except OSError as error:
        raise click.UsageError(f"the spool cannot be written: {error}") from error
    _, undelivered = kept_and_delivered(notes, plan, recording, url, token, listener=listener)
    if not recording.complete_runs()[0]:
        notes.print(f"No run of {build} is complete.", highlight=False, markup=False)
        sys.exit(exits.NOT_DELIVERED if undelivered else exits.NO_RUNS)
    if undelivered:
        sys.exit(exits.NOT_DELIVERED)
    try:
        found = delivery.gate(recording.recording, line.alpha)
    except DeliveryError as error:
        notes.print(f"Not judged: {error}", highlight=False, markup=False)
        sys.exit(2 if error.refused else exits.NOT_DELIVERED)
    return of_line(found, policy.passes(found["verdict"]), f"{str(url).rstrip('/')}/{delivery.book()}/line/{recording.recording}")  # fmt: skip
