"""Runs from files, as the commands that compare them take them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import click

from vigilant.core import Comparison, CoreError, Policy, compare
from vigilant.formats import FormatError, ReadRun, read_run

_LETTERS = {"b": "before", "a": "after", "-": None}


class FilesCommand(click.Command):
    """Lets an option take all files up to the next option: ``--before B*.csv --after A*.csv``."""

    MANY = ("--before", "--after")

    def parse_args(self, ctx: click.Context, args: list[str]) -> list[str]:
        spread: list[str] = []
        current: str | None = None
        for arg in args:
            if arg.startswith("-") and arg != "-":
                current = arg if arg in self.MANY else None
                spread.append(arg)
            elif current is not None:
                if spread[-1] != current:
                    spread.append(current)
                spread.append(arg)
            else:
                spread.append(arg)
        return super().parse_args(ctx, spread)


def _read(paths: tuple[Path, ...], column: str | None, unit: str | None, keep_valid: bool) -> list[ReadRun]:
    return [read_run(path, column, unit, keep_valid) for path in paths]


def _recorded_order(
    before: list[ReadRun], after: list[ReadRun]
) -> tuple[list[ReadRun], list[ReadRun], list[str | None]]:
    """Runs sorted by the stamp in their heads, and the order that follows."""
    stamped = []
    for arm, runs in (("before", before), ("after", after)):
        for run in runs:
            if "started" not in run.head:
                raise click.UsageError(f'--order recorded needs a "started" stamp in every head; {run.source} has none')
            stamped.append((str(run.head["started"]), arm, run))
    stamped.sort(key=lambda item: item[0])
    return (
        [r for _, arm, r in stamped if arm == "before"],
        [r for _, arm, r in stamped if arm == "after"],
        [arm for _, arm, _ in stamped],
    )


_OPTIONS = (
    click.option(
        "--before", multiple=True, required=True, type=click.Path(path_type=Path), help="Runs before the change."
    ),
    click.option(
        "--after", multiple=True, required=True, type=click.Path(path_type=Path), help="Runs after the change."
    ),
    click.option("--target-fps", type=float, help="The rate to hold; lateness needs it."),
    click.option("--column", help="Frame time column of delimited text: its name, or its number from 1."),
    click.option(
        "--unit", type=click.Choice(["s", "ms", "us", "ns"]), help="Unit of that column (default: its suffix, else ms)."
    ),
    click.option("--trim", "trim_s", type=float, default=0.0, help="Seconds of warm-up to leave out of every run."),
    click.option(
        "--order",
        help="How the runs were recorded: letters b and a in order, - for a failed one (baab-ab), or 'recorded' to go by"
        " the stamps in the heads. Runs of an arm are taken in the order given.",
    ),
    click.option("--keep-valid", is_flag=True, help="Leave lines out that cannot count, instead of refusing the file."),
)


@dataclass(frozen=True)
class Files:
    """What a command was given to compare."""

    before: tuple[Path, ...]
    after: tuple[Path, ...]
    target_fps: float | None
    column: str | None
    unit: str | None
    trim_s: float
    order: str | None
    keep_valid: bool


def takes_files(command: Callable[..., Any]) -> Callable[..., Any]:
    """The options that name two arms of files."""
    for option in reversed(_OPTIONS):
        command = option(command)
    return command


def compared(files: Files) -> tuple[Comparison, dict[str, int]]:
    """The comparison, and how many lines were left out of each file. Raises a usage error."""
    try:
        before = _read(files.before, files.column, files.unit, files.keep_valid)
        after = _read(files.after, files.column, files.unit, files.keep_valid)
        broken = [r.source for r in (*before, *after) if not r.complete]
        if broken:
            raise FormatError("no-end", "the stream has no end: the run is broken and enters no arm", broken[0])
        slots: list[str | None] | None = None
        if files.order == "recorded":
            before, after, slots = _recorded_order(before, after)
        elif files.order is not None:
            if set(files.order) - set(_LETTERS):
                raise click.UsageError(f"--order takes the letters b, a and -, got {files.order!r}")
            slots = [_LETTERS[letter] for letter in files.order]
        policy = Policy(target_fps=files.target_fps, trim_s=files.trim_s)
        comparison = compare([r.series for r in before], [r.series for r in after], policy, slots)
    except (FormatError, CoreError) as error:
        raise click.UsageError(str(error)) from error
    return comparison, {r.source: len(r.dropped) for r in (*before, *after) if r.dropped}
