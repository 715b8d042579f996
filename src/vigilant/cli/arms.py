"""``vigilant arms``: several arms of files side by side, with no server."""

from __future__ import annotations

import json
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import click
from rich.console import Console

from vigilant.core import CoreError, Several, compare_several, refuse_repeats
from vigilant.formats import FormatError, ReadRun
from vigilant.wording import comparison_document

from .files import Reading, left_out, read_as, recorded_order, say_of_files, takes_reading
from .output import print_several


@click.command("arms")
@click.argument("folders", nargs=-1, required=True, type=click.Path(path_type=Path, exists=True, file_okay=False))
@click.option("--all-pairs", is_flag=True, help="Compare every pair, not only each arm with the first.")
@click.option("--empty", type=click.Path(path_type=Path), help="The folder whose arm has its work switched off.")
@click.option("--order", type=click.Choice(["recorded"]), help="Go by the stamps in the heads of the runs.")
@takes_reading
@click.option("--json", "json_", is_flag=True, help="Print one JSON object.")
def arms_command(
    folders: tuple[Path, ...], all_pairs: bool, empty: Path | None, order: str | None, json_: bool, **given: Any
) -> None:
    """Set several arms side by side: every FOLDER holds the runs of one arm and names it, the first is what
    the others are held against.

    Exit code: 0 compared, 2 wrong use or input. The verdicts are no gate: use compare for one.
    """
    reading = Reading(**given)
    wanted = [*folders, *([empty] if empty else [])]
    names = [folder.resolve().name for folder in wanted]
    if len(set(names)) < len(names):
        raise click.UsageError(f"two folders have one name: {', '.join(names)}")
    try:
        arms = {name: reading.runs(files_of(folder)) for name, folder in zip(names, wanted, strict=True)}
        slots = None
        if order:
            arms, slots = recorded_order(arms)
        series = {name: [r.series for r in runs] for name, runs in arms.items()}
        refuse_repeats(series)
        several = compare_several(
            series,
            reading.policy,
            slots,
            "all" if all_pairs else "reference",
            names[-1] if empty else None,
        )
    except (FormatError, CoreError) as error:
        raise click.UsageError(str(error)) from error
    read = [r for runs in arms.values() for r in runs]
    if json_:
        print(json.dumps(_document(several, arms, read), indent=1, ensure_ascii=False, allow_nan=False))
        return
    console = Console()
    print_several(console, several)
    say_of_files(console, read)


def files_of(folder: Path) -> list[Path]:
    """The runs in a folder, by name. Raises a usage error when there is none."""
    files = sorted(p for p in folder.iterdir() if p.is_file() and not p.name.startswith("."))
    if not files:
        raise click.UsageError(f"{folder} holds no run")
    return files


def _document(several: Several, arms: dict[str, list[ReadRun]], read: Sequence[ReadRun]) -> dict[str, Any]:
    return {
        "arms": {name: len(runs) for name, runs in arms.items()},
        "pairs": [
            {"before": before, "after": after, **comparison_document(comparison)}
            for (before, after), comparison in several.pairs.items()
        ],
        "places": {
            figure: {name: {"best": best, "worst": worst} for name, (best, worst) in places.items()}
            for figure, places in several.ranks.items()
        },
        "net": [vars(n) for n in several.net],
        "dropped_lines": left_out(read),
        "readings": read_as(read),
    }
