"""``vigilant blank``: one build as both arms, to learn what the bench can see."""

from __future__ import annotations

import json
import sys
from pathlib import Path

import click
from rich.console import Console
from rich.table import Table

from vigilant.bench.errors import BenchError, NoRuns
from vigilant.bench.record import prepare, verdict
from vigilant.core import ComparisonResult, CoreError
from vigilant.core.verdict import CHANGED
from vigilant.formats import FormatError
from vigilant.formats.errors import PlanError
from vigilant.plan import as_blank, load_plan, load_subjects, with_subjects
from vigilant.wording import comparison_document, finding_remedy, finding_sentence
from vigilant.wording.outlook import blank_sentence

from . import exits
from .record import carry_out, default_spool, find_programs, listening


@click.command("blank")
@click.argument("plan_path", metavar="PLAN.toml", type=click.Path(path_type=Path))
@click.option("--runs", type=click.IntRange(2, 1000), help="Runs an arm; the plan's by default.")
@click.option("--subjects", type=click.Path(path_type=Path), help="The programs this machine may start, by name.")
@click.option("--spool", type=click.Path(path_type=Path), help="Where runs are kept (VIGILANT_SPOOL).")
@click.option("--json", "json_", is_flag=True, help="Print one JSON object.")
def blank_command(plan_path: Path, runs: int | None, subjects: Path | None, spool: Path | None, json_: bool) -> None:
    """Record the first arm of PLAN.toml as both arms: how far runs spread, and which change they would show.

    Exit code: 0 nothing was called different, 1 a difference was seen where there is none (a noisy bench),
    2 wrong use or input, 6 no complete run.
    """
    notes = Console(stderr=True)
    try:
        known = load_subjects(subjects) if subjects else {}
        plan = as_blank(with_subjects(load_plan(plan_path, {"runs": runs} if runs else None), known))
        find_programs(plan)
        listener = listening(plan)
        recording = prepare(plan, spool or default_spool())
        carry_out(notes, plan, recording, None, None, listener=listener)
        comparison = verdict(plan, recording)
    except NoRuns as error:
        notes.print(f"No verdict: {error}.", highlight=False, markup=False)
        sys.exit(exits.NO_RUNS)
    except (BenchError, PlanError, FormatError, CoreError) as error:
        raise click.UsageError(str(error)) from error
    alarm = comparison.verdict in CHANGED
    if json_:
        document = comparison_document(comparison)
        answer = {"false_alarm": alarm, "spool": str(recording.directory), **document}
        print(json.dumps(answer, indent=1, ensure_ascii=False, allow_nan=False))
    else:
        notes.print(f"Kept in {recording.directory}", highlight=False, soft_wrap=True)
        _print(Console(), comparison, alarm)
    sys.exit(1 if alarm else 0)


def _print(console: Console, comparison: ComparisonResult, alarm: bool) -> None:
    console.print(f"\n{blank_sentence(comparison.runs, alarm)}", highlight=False)
    rows = comparison_document(comparison)["outlook"]
    if rows:
        table = Table(box=None, pad_edge=False, header_style="bold", padding=(0, 2, 0, 0))
        table.add_column("Smallest visible change", no_wrap=True)
        table.add_column("spread", justify="right", no_wrap=True)
        for k in rows[0]["runs"]:
            table.add_column(f"{k} runs", justify="right", no_wrap=True)
        table.add_column("margin", justify="right", no_wrap=True)
        for row in rows:
            unit = next((u for u in (" points", " a minute") if row["margin"].endswith(u)), "")
            label = row["label"].removesuffix(unit) + ("," if unit and not row["label"].endswith(unit) else "") + unit
            sizes = (size.removesuffix(unit) for size in (*row["visible"], row["margin"]))
            table.add_row(label, row["spread"].partition(" (")[0], *sizes)
        console.print(table)
        for row in rows:
            console.print(row["sentence"], highlight=False)
    for finding in comparison.findings:
        console.print(f"! {finding_sentence(finding)} {finding_remedy(finding)}", highlight=False)
