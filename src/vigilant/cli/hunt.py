"""``vigilant hunt``: between a good and a bad build, which of them did it."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

import click
from rich.console import Console

from vigilant.bench.errors import BenchError
from vigilant.bench.hunting import cannot, change_of, hunted, values_of
from vigilant.bench.record import prepare
from vigilant.bench.spool import RecordingSpool
from vigilant.core import CoreError
from vigilant.core.trend import Where
from vigilant.formats import FormatError
from vigilant.formats.errors import PlanError
from vigilant.plan import Plan, load_subjects, parse_plan, with_subjects
from vigilant.plan.read import read_toml
from vigilant.wording import hunt as wording

from . import exits
from .naming import named_by
from .push import delivery_to
from .record import default_spool, kept_and_delivered


@click.command("hunt")
@click.argument("plan_path", metavar="PLAN.toml", required=False, type=click.Path(path_type=Path))
@click.option("--go-on", type=click.Path(exists=True, file_okay=False, path_type=Path), help="Go on with this spool.")
@click.option(
    "--builds-from", metavar="COMMAND", help="A command that prints the builds, a line each, the oldest first."
)
@click.option("--subjects", type=click.Path(path_type=Path), help="The programs this machine may start, by name.")
@click.option("--spool", type=click.Path(path_type=Path), help="Where runs are kept (VIGILANT_SPOOL).")
@click.option("--server", envvar="VIGILANT_SERVER", help="Deliver to this server (VIGILANT_SERVER, or the plan's).")
@click.option("--token", envvar="VIGILANT_TOKEN", help="Recorder token (VIGILANT_TOKEN).")
@click.option("--json", "json_", is_flag=True, help="Print one JSON object.")
def hunt_command(
    plan_path: Path | None,
    go_on: Path | None,
    builds_from: str | None,
    subjects: Path | None,
    spool: Path | None,
    server: str | None,
    token: str | None,
    json_: bool,
) -> None:
    """Find the build that a change of the frames begins with: PLAN.toml has one [[arm]] and a [hunt] with builds, of which
    the first is good and the last is bad, and the command that makes one ({build}). One build after the other is made and
    recorded, always the one whose run tells most, until it is certain or the runs are spent.

    Exit code: 0 the build is found, 2 wrong use or input, 3 not certain after all runs, or not reproduced, 5 recorded but not
    delivered, 6 an end has no complete run.
    """
    notes = Console(stderr=True)
    if (plan_path is None) == (go_on is None):
        raise click.UsageError("give PLAN.toml or --go-on, one of them")
    try:
        known = load_subjects(subjects) if subjects else {}
        kept = None if go_on is None else RecordingSpool.load(go_on)
        plan = _planned(plan_path, builds_from) if kept is None else parse_plan(kept.plan, Path.cwd(), str(go_on))
        if plan.account != "hunt":
            raise PlanError("a hunt needs a [hunt] table")
        plan = with_subjects(plan, known)
        recording = kept or prepare(plan, spool or default_spool())
        url = server or plan.server_url
        if url:
            delivery_to(url, token)
        _, undelivered = kept_and_delivered(notes, plan, recording, url, token)
        change = change_of(plan, recording)
        if change is None:
            notes.print("An end has no complete run: there is nothing between them to look for.", highlight=False)
            sys.exit(exits.NOT_DELIVERED if undelivered else exits.NO_RUNS)
        found, runs = hunted(plan, recording), values_of(plan, recording)
    except (BenchError, PlanError, FormatError, CoreError) as error:
        raise click.UsageError(str(error)) from error
    except OSError as error:
        raise click.UsageError(f"the spool cannot be written: {error}") from error
    _say(plan, recording, found, runs, change, json_)
    if undelivered:
        sys.exit(exits.NOT_DELIVERED)
    sys.exit(0 if found.why == "certain" else exits.OF_VERDICT["undecided"])


def _planned(path: Path | None, builds_from: str | None) -> Plan:
    assert path is not None
    raw = read_toml(path)
    if builds_from is not None:
        table = raw.get("hunt", {})
        if not isinstance(table, dict):
            raise PlanError(f"{path}: [hunt] is a table")
        raw = {**raw, "hunt": {**table, "builds": named_by(builds_from, path.parent)}}
    return parse_plan(raw, path.parent, str(path))


def _say(
    plan: Plan, spool: RecordingSpool, found: Where, runs: dict[int, list[float]], change: float, json_: bool
) -> None:
    builds = plan.raw["hunt"]["builds"]
    spent = sum(map(len, runs.values()))
    left_out = [builds[place] for place in cannot(spool)]
    low, high = found.held()
    if json_:
        document: dict[str, Any] = {
            "why": found.why,
            "builds": builds,
            "posterior": found.posterior.tolist(),
            "first": builds[low],
            "last": builds[high],
            "runs": {builds[place]: len(own) for place, own in sorted(runs.items())},
            "change": change,
            "fits": found.fits,
            "cannot": left_out,
        }
        print(json.dumps({"spool": str(spool.directory), "hunt": document}, indent=1, allow_nan=False))
        return
    console = Console()
    console.print(f"\n{wording.sentence(found, builds, change, spent)}", highlight=False, style="bold")
    console.print(f"{builds[0]} {wording.strip(found)} {builds[-1]}", highlight=False, soft_wrap=True)
    for line in wording.notes(found, left_out):
        console.print(line, highlight=False, style="dim")
