"""``vigilant line``: the line over builds, from folders of runs, with no server."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

import click
import numpy as np
from rich.console import Console
from rich.table import Table

from vigilant.core import CoreError
from vigilant.core.figures import FIGURES
from vigilant.core.scales import LOG
from vigilant.core.summary import summarize
from vigilant.core.trend import Alert, Line, alert, line
from vigilant.core.trend.alert import BEFORE, LEAST_RATE, MOST_RATE, RATE
from vigilant.formats import FormatError
from vigilant.wording import trend as wording

from .arms import files_of
from .builds import refuse_in_two_builds
from .files import Reading, takes_reading

#: Figures that have a line here: times, of which less is better.
NAMES = [name for name, kind in FIGURES.items() if kind.scale is LOG and kind.unit == "ms" and not kind.work]
Lines = dict[str, tuple[Line, Alert | None]]


@click.command("line")
@click.argument("folders", nargs=-1, required=True, type=click.Path(path_type=Path, exists=True, file_okay=False))
@click.option("--figure", "figures", type=click.Choice(NAMES), multiple=True, help="Mean and slowest 1 % by default.")
@click.option(
    "--false-alarm-in",
    type=click.IntRange(round(1 / MOST_RATE), round(1 / LEAST_RATE)),
    default=round(1 / RATE),
    show_default=True,
    help="Builds in which one false alarm may be.",
)
@takes_reading
@click.option("--json", "json_", is_flag=True, help="Print one JSON object.")
def line_command(
    folders: tuple[Path, ...], figures: tuple[str, ...], false_alarm_in: int, json_: bool, **given: Any
) -> None:
    """The line over builds: every FOLDER holds the runs of one build and names it, the oldest first. Steps with where and how
    large they are, drifts, odd builds; and whether the newest build is worse than its line, at a stated rate of false alarms.

    Exit code: 0 no alarm, or one for the better, 1 the newest build is worse, 2 wrong use or input.
    """
    reading = Reading(**given)
    builds = [folder.resolve().name for folder in folders]
    if len(set(builds)) < len(builds):
        raise click.UsageError(f"two folders have one name: {', '.join(builds)}")
    names = list(dict.fromkeys(figures)) or ["mean_ms", "slowest_1pct_ms"]
    rate = 1.0 / false_alarm_in
    try:
        series = {name: [r.series for r in reading.runs(files_of(f))] for name, f in zip(builds, folders, strict=True)}
        refuse_in_two_builds(series)
        summaries = [[summarize(one, reading.policy) for one in own] for own in series.values()]
        found: Lines = {}
        for name in names:
            runs = [[float(np.log(getattr(summary, name))) for summary in own] for own in summaries]
            newest = alert(runs[:-1], runs[-1], len(names), rate) if len(runs) > BEFORE else None
            found[name] = line(runs, len(names)), newest
    except (FormatError, CoreError) as error:
        raise click.UsageError(str(error)) from error
    if json_:
        print(json.dumps(_document(found, builds, rate), indent=1, allow_nan=False))
    else:
        _print(Console(), found, builds, rate)
    worse = any(newest is not None and newest.call and newest.d > 0 for _, newest in found.values())
    sys.exit(1 if worse else 0)


def _print(console: Console, found: Lines, builds: list[str], rate: float) -> None:
    for name, (own, newest) in found.items():
        console.print(f"\n{wording.line_sentence(name, own, builds)}", highlight=False, style="bold")
        table = Table(box=None, pad_edge=False, header_style="bold", padding=(0, 2, 0, 0))
        table.add_column("Build", no_wrap=True)
        for head in ("runs", "ms", "95 % interval"):
            table.add_column(head, justify="right", no_wrap=True)
        table.add_column("")
        begins = {step.at: "a step begins" for step in own.steps}
        for i, build in enumerate(builds):
            low, ms, high = np.exp([own.low[i], own.noise.m[i], own.high[i]])
            interval = "" if own.short else f"{low:.2f} to {high:.2f}"
            table.add_row(
                build, str(own.noise.k[i]), f"{ms:.2f}", interval, "odd" if i in own.odd else begins.get(i, "")
            )
        console.print(table)
        for said in wording.notes(own, builds):
            console.print(said, highlight=False, style="dim")
        if newest is not None:
            console.print(wording.alert_sentence(name, newest, builds[-1]), highlight=False)
    if any(newest is not None for _, newest in found.values()):
        console.print(f"\n{wording.rate_sentence(rate, len(found))}", highlight=False, style="dim")


def _document(found: Lines, builds: list[str], rate: float) -> dict[str, Any]:
    return {
        "builds": builds,
        "rate": rate,
        "figures": {
            name: {
                "levels": [
                    {"build": build, "runs": int(k), "ln": float(m), "low": float(low), "high": float(high)}
                    for build, k, m, low, high in zip(
                        builds, own.noise.k, own.noise.m, own.low, own.high, strict=True
                    )
                ],
                "run_variance": own.noise.s2,
                "session_variance": own.tau2,
                "nu": own.nu,
                "slope": own.slope,
                "steps": [
                    {"build": builds[s.at], "first": builds[s.first], "last": builds[s.last], "size": s.size, "low": s.low, "high": s.high}
                    for s in own.steps
                ],
                "drifts": [{"first": builds[d.first], "last": builds[d.last], "size": d.size} for d in own.drifts],
                "odd": [builds[i] for i in own.odd],
                "newest": None
                if newest is None
                else {"call": newest.call, "d": newest.d, "p": newest.sudden.p, "limit": newest.limit},
            }
            for name, (own, newest) in found.items()
        },
    }  # fmt: skip
