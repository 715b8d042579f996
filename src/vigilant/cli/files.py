"""Runs from files, as the commands that compare them take them."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import click
from rich.console import Console

from vigilant.core import ComparisonResult, CoreError, Policy, compare, refuse_repeats
from vigilant.formats import Asked, FormatError, Kind, ReadRun, read_run

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


def recorded_order(arms: Mapping[str, list[ReadRun]]) -> tuple[dict[str, list[ReadRun]], list[str | None]]:
    """Each arm's runs sorted by the stamps in their heads, and the order that follows. Raises a usage error."""
    stamped = []
    for arm, runs in arms.items():
        for run in runs:
            if "started" not in run.head:
                raise click.UsageError(f'--order recorded needs a "started" stamp in every head; {run.source} has none')
            stamped.append((str(run.head["started"]), arm, run))
    stamped.sort(key=lambda item: item[0])
    return {name: [r for _, arm, r in stamped if arm == name] for name in arms}, [arm for _, arm, _ in stamped]


_READING = (
    click.option("--target-fps", type=float, help="The rate to hold; lateness needs it."),
    click.option("--column", help="The column of delimited text: its name, or its number from 1."),
    click.option(
        "--reading",
        type=click.Choice([kind.value for kind in Kind]),
        help="What it holds: frame times, stamps, or frames a second of each frame. Needed where that cannot be told.",
    ),
    click.option("--unit", type=click.Choice(["s", "ms", "us", "ns"]), help="Its unit, where its name says none."),
    click.option("--trim", "trim_s", type=float, default=0.0, help="Seconds of warm-up to leave out of every run."),
    click.option("--keep-valid", is_flag=True, help="Leave lines out that cannot count, instead of refusing the file."),
)
_TWO_ARMS = (
    click.option(
        "--before", multiple=True, required=True, type=click.Path(path_type=Path), help="Runs before the change."
    ),
    click.option(
        "--after", multiple=True, required=True, type=click.Path(path_type=Path), help="Runs after the change."
    ),
    *_READING,
    click.option(
        "--order",
        help="How the runs were recorded: letters b and a in order, - for a failed one (baab-ab), or 'recorded' to go by"
        " the stamps in the heads. Runs of an arm are taken in the order given.",
    ),
)


@dataclass(frozen=True)
class Reading:
    """How files are read and what is judged."""

    target_fps: float | None
    column: str | None
    reading: str | None
    unit: str | None
    trim_s: float
    keep_valid: bool

    @property
    def policy(self) -> Policy:
        return Policy(target_fps=self.target_fps, trim_s=self.trim_s)

    def runs(self, paths: Iterable[Path]) -> list[ReadRun]:
        """The runs, all of them whole. Raises :class:`FormatError`."""
        kind = Kind(self.reading) if self.reading else None
        asked = Asked(self.column, self.unit, kind, keep_valid=self.keep_valid, verdict=True)
        made = [read_run(path, asked) for path in paths]
        broken = [r.source for r in made if not r.complete]
        if broken:
            raise FormatError("no-end", "the stream has no end: the run is broken and enters no arm", broken[0])
        return made


@dataclass(frozen=True)
class Files(Reading):
    """What a command was given to compare."""

    before: tuple[Path, ...]
    after: tuple[Path, ...]
    order: str | None


def _taking(options: Sequence[Callable[..., Any]]) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
    def decorated(command: Callable[..., Any]) -> Callable[..., Any]:
        for option in reversed(options):
            command = option(command)
        return command

    return decorated


#: The options that name two arms of files, and those that say how any files are read.
takes_files = _taking(_TWO_ARMS)
takes_reading = _taking(_READING)


def compared(files: Files) -> tuple[ComparisonResult, list[ReadRun]]:
    """The comparison, and the runs it is of. Raises a usage error."""
    try:
        before, after = files.runs(files.before), files.runs(files.after)
        slots: list[str | None] | None = None
        if files.order == "recorded":
            runs, slots = recorded_order({"before": before, "after": after})
            before, after = runs["before"], runs["after"]
        elif files.order is not None:
            if set(files.order) - set(_LETTERS):
                raise click.UsageError(f"--order takes the letters b, a and -, got {files.order!r}")
            slots = [_LETTERS[letter] for letter in files.order]
        arms = [r.series for r in before], [r.series for r in after]
        refuse_repeats({"before": arms[0], "after": arms[1]})
        comparison = compare(*arms, files.policy, slots)
    except (FormatError, CoreError) as error:
        raise click.UsageError(str(error)) from error
    return comparison, [*before, *after]


def say_of_files(console: Console, runs: Sequence[ReadRun]) -> None:
    """What was left out of files, and how those were read that are not plain frame times."""
    for source, count in left_out(runs).items():
        console.print(f"! {source}: {count} lines were left out at your wish.", highlight=False)
    for source, said in read_as(runs).items():
        console.print(f"! {source}: {said}.", highlight=False, markup=False)


def read_as(runs: Iterable[ReadRun]) -> dict[str, str]:
    """What was taken for frames, where it is not plain."""
    return {r.source: r.reading for r in runs if r.reading}


def left_out(runs: Iterable[ReadRun]) -> dict[str, int]:
    """How many lines of a file could not count."""
    return {r.source: len(r.dropped) for r in runs if r.dropped}
