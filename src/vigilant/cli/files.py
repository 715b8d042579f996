"""Runs from files, as the commands that compare them take them."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import click
from rich.console import Console

from vigilant.core import ComparisonResult, CoreError, Policy, compare, refuse_repeats
from vigilant.formats import Asked, FormatError, Kind, ReadRun, file_reading, read_runs
from vigilant.formats.file_reading import FileReading
from vigilant.formats.reading import OF_FRAMES

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


class ReadingType(click.ParamType["Kind | FileReading"]):
    """What the frame column holds, or a file that says it of every column."""

    name = "times|stamps|rate|FILE.toml"

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> Kind | FileReading:
        if value in (kind.value for kind in OF_FRAMES):
            return Kind(value)
        try:
            return file_reading.parsed(Path(value).read_text(encoding="utf-8"), Path(value).name)
        except (OSError, UnicodeDecodeError, FormatError) as error:
            self.fail(f"neither times, stamps nor rate, nor a file that says what each column is: {error}", param, ctx)


def _columns(several: bool) -> tuple[Callable[..., Any], ...]:
    """The options that say how files are read; ``several`` readings where there are files of several kinds."""
    more = " Several times for files of several kinds." if several else ""
    return (
        click.option("--column", help="The column of the frames: its name, or its number from 1."),
        click.option(
            "--reading",
            type=ReadingType(),
            multiple=several,
            help="What it holds: frame times, stamps, or frames a second of each frame; or a TOML file that says what"
            f" each column is. Needed where that cannot be told.{more}",
        ),
        click.option("--unit", type=click.Choice(["s", "ms", "us", "ns"]), help="Its unit, where its name says none."),
        click.option(
            "--keep-valid", is_flag=True, help="Leave lines out that cannot count, instead of refusing the file."
        ),
    )


_READING = (
    click.option("--target-fps", type=float, help="The rate to hold; lateness needs it."),
    *_columns(several=False),
    click.option("--trim", "trim_s", type=float, default=0.0, help="Seconds of warm-up to leave out of every run."),
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


def asked_by(given: Mapping[str, Any]) -> Asked:
    """What the options say of every file."""
    said = given["reading"]
    kind, reading = (said, None) if isinstance(said, Kind) else (None, said)
    return Asked(given["column"], given["unit"], kind, reading, given["keep_valid"])


def matching(base: Path, patterns: Sequence[str]) -> tuple[Path, ...]:
    """Files in the order of the patterns, and of their names within one. Raises a usage error."""
    found: list[Path] = []
    for pattern in patterns:
        there = sorted(p for p in base.glob(pattern) if p.is_file())
        if not there:
            raise click.UsageError(f"no file fits {pattern!r} in {base}")
        found += there
    return tuple(dict.fromkeys(found))


def reading_of(base: Path, reading: str | None) -> Kind | FileReading | None:
    """What a policy says that files hold: a kind, or a file beside it that says what each column is. Raises a usage error."""
    if reading is None:
        return None
    made: Kind | FileReading = ReadingType().convert(
        str(base / reading) if reading.endswith(".toml") else reading, None, None
    )
    return made


@dataclass(frozen=True)
class Reading:
    """How files are read and what is judged."""

    target_fps: float | None
    column: str | None
    reading: Kind | FileReading | None
    unit: str | None
    trim_s: float
    keep_valid: bool

    @property
    def policy(self) -> Policy:
        return Policy(target_fps=self.target_fps, trim_s=self.trim_s)

    def runs(self, paths: Iterable[Path]) -> list[ReadRun]:
        """The runs, all of them whole. Raises :class:`FormatError`."""
        asked = replace(asked_by(vars(self)), verdict=True)
        made = [run for path in paths for run in read_runs(path, asked)]
        if arms := sorted({r.arm for r in made if r.arm}):
            of = " and ".join(map(repr, arms))
            raise FormatError(
                "arms-in-file", f"it names the arm of its rows itself ({of}): bring it in instead", made[0].source
            )
        for one in made:
            if one.broken:
                raise FormatError("no-end", f"{one.broken}: the run is broken and enters no arm", one.source)
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


def takes_columns(several: bool) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
    return _taking(_columns(several))


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
