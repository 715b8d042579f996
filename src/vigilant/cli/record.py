"""``vigilant record``: follow a plan, keep everything, say the verdict."""

from __future__ import annotations

import os
import sys
from pathlib import Path

import click
from rich.console import Console
from rich.progress import BarColumn, Progress, TaskProgressColumn, TextColumn, TimeElapsedColumn

from vigilant.bench.errors import BenchError, DeliveryError
from vigilant.bench.plan import Plan, load_plan
from vigilant.bench.record import prepare, record, verdict
from vigilant.bench.spool import SlotRecord
from vigilant.core import CoreError
from vigilant.formats import FormatError

from . import exits
from .output import print_comparison, print_json
from .push import deliver


def default_spool() -> Path:
    """Where recordings are kept: VIGILANT_SPOOL, else the user's state directory."""
    named = os.environ.get("VIGILANT_SPOOL")
    if named:
        return Path(named)
    state = os.environ.get("XDG_STATE_HOME") or str(Path.home() / ".local" / "state")
    return Path(state) / "vigilant" / "spool"


class ProgressWatcher:
    """A progress bar over the whole recording, and a line for every run that did not complete."""

    def __init__(self, progress: Progress, plan: Plan) -> None:
        self.progress = progress
        self.run_s = plan.warm_up_s + plan.duration_s
        self.task = progress.add_task("preparing", total=2 * plan.runs * self.run_s)
        self.done_s = 0.0

    def slot_started(self, slot: SlotRecord, total: int) -> None:
        self.progress.update(self.task, description=f"run {slot.position + 1} of {total}, {slot.arm}")

    def slot_running(self, slot: SlotRecord, seconds: float) -> None:
        self.progress.update(self.task, completed=self.done_s + min(seconds, self.run_s))

    def slot_ended(self, slot: SlotRecord) -> None:
        self.done_s += self.run_s
        self.progress.update(self.task, completed=self.done_s)
        if slot.outcome != "complete":
            self.progress.console.print(
                f"! run {slot.position + 1} ({slot.arm}): {slot.outcome}: {slot.detail}", highlight=False, markup=False
            )
            for line in slot.output_tail.strip().splitlines()[-3:]:
                self.progress.console.print(f"    {line}", highlight=False, markup=False)


@click.command("record")
@click.argument("plan_path", metavar="PLAN.toml", type=click.Path(path_type=Path))
@click.option("--spool", type=click.Path(path_type=Path), help="Where runs are kept (VIGILANT_SPOOL).")
@click.option("--server", envvar="VIGILANT_SERVER", help="Deliver to this server (VIGILANT_SERVER, or the plan's).")
@click.option("--token", envvar="VIGILANT_TOKEN", help="Recorder token (VIGILANT_TOKEN).")
@click.option("--json", "json_", is_flag=True, help="Print one JSON object.")
def record_command(plan_path: Path, spool: Path | None, server: str | None, token: str | None, json_: bool) -> None:
    """Record both arms of PLAN.toml, interleaved, and say the verdict.

    Exit code: 0 gain or no material change, 1 regression or trade-off, 2 wrong use or input,
    3 undecided, 4 void, 5 recorded but not delivered.
    """
    notes = Console(stderr=True)
    try:
        plan = load_plan(plan_path)
        recording = prepare(plan, spool or default_spool())
    except BenchError as error:
        raise click.UsageError(str(error)) from error
    except OSError as error:
        raise click.UsageError(f"the spool cannot be written: {error}") from error
    notes.print(f"{plan.scenario}: {plan.runs} runs an arm, order seed {recording.order_seed}", highlight=False)
    columns = (TextColumn("{task.description}"), BarColumn(), TaskProgressColumn(), TimeElapsedColumn())
    with Progress(*columns, console=notes) as progress:
        record(plan, recording, ProgressWatcher(progress, plan))
    notes.print(f"Kept in {recording.directory}", highlight=False, soft_wrap=True)
    undelivered = False
    entry = None
    if server or plan.server_url:
        try:
            entry = deliver(notes, recording, server or plan.server_url, token)
        except DeliveryError as error:
            undelivered = True
            notes.print(f"Not delivered: {error}. Later: vigilant push {recording.directory}", highlight=False)
    try:
        comparison = verdict(plan, recording)
    except (BenchError, FormatError, CoreError) as error:
        raise click.UsageError(f"no verdict: {error}") from error
    if json_:
        print_json(comparison, {"spool": str(recording.directory), "entry": entry})
    else:
        print_comparison(Console(), comparison)
    sys.exit(exits.NOT_DELIVERED if undelivered else exits.OF_VERDICT[comparison.verdict])
