"""``vigilant compare`` and ``vigilant claim``: answers from files, with no server."""

from __future__ import annotations

import json
import sys
from typing import Any

import click
from rich.console import Console

from vigilant.wording.claim import check_claim

from . import exits
from .files import Files, FilesCommand, compared, left_out, read_as, say_of_files, takes_files
from .output import print_comparison, print_json


@click.command("compare", cls=FilesCommand)
@takes_files
@click.option("--json", "json_", is_flag=True, help="Print one JSON object.")
def compare_command(json_: bool, **given: Any) -> None:
    """Compare runs from files and say what the difference is worth.

    Exit code: 0 gain or no material change, 1 regression or trade-off, 2 wrong use or input,
    3 undecided, 4 void.
    """
    comparison, runs = compared(Files(**given))
    if json_:
        print_json(comparison, {"dropped_lines": left_out(runs), "readings": read_as(runs)})
    else:
        console = Console()
        print_comparison(console, comparison)
        say_of_files(console, runs)
    sys.exit(exits.OF_VERDICT[comparison.verdict])


@click.command("claim", cls=FilesCommand)
@click.argument("sentence")
@takes_files
@click.option("--json", "json_", is_flag=True, help="Print one JSON object.")
def claim_command(sentence: str, json_: bool, **given: Any) -> None:
    """Hold SENTENCE ("a fifth faster", "2.2x", "40 % fewer stutters") against the runs.

    Exit code: 0 it holds, 1 it does not, 2 wrong use or input, 3 it cannot be told.
    """
    comparison, _ = compared(Files(**given))
    answer = check_claim(sentence, comparison.verdict, comparison.figures)
    if answer.state == "not understood":
        raise click.UsageError(answer.sentence)
    if json_:
        print(json.dumps({"claim": sentence, "answer": answer.state, "sentence": answer.sentence}, ensure_ascii=False))
    else:
        Console().print(f'"{sentence}" {answer.state}. {answer.sentence}', highlight=False)
    sys.exit(exits.OF_CLAIM[answer.state])
