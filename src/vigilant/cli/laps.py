"""``vigilant laps``: two versions of a routine, timed by itself, from files or by starting them."""

from __future__ import annotations

import json
import os
import random
import shlex
import subprocess
import sys
import tempfile
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import click
from rich.console import Console
from rich.table import Table

from vigilant.bench.deliver import Delivery
from vigilant.bench.errors import BenchError, DeliveryError
from vigilant.core import CoreError
from vigilant.core.vary import Laps, Process, laps
from vigilant.formats import FormatError
from vigilant.formats.laps import read_laps
from vigilant.wording import laps as wording

from . import exits
from .push import delivery_to

#: A process that was started has so long.
PATIENCE_S = 600.0


@dataclass(frozen=True)
class Given:
    """One version: its name, its processes, and the texts they were read from."""

    name: str
    processes: tuple[Process, ...]
    texts: tuple[tuple[str, str], ...]


@click.command("laps")
@click.argument("before", metavar="BEFORE")
@click.argument("after", metavar="AFTER")
@click.option("--start", is_flag=True, help="BEFORE and AFTER are command lines: start each anew for every process.")
@click.option(
    "--processes", type=click.IntRange(1, 100), default=5, show_default=True, help="So many of each, with --start."
)
@click.option(
    "--keep", type=click.Path(file_okay=False, path_type=Path), help="Where the laps of started processes are kept."
)
@click.option("--name", default="", help="What the routine is called.")
@click.option("--push", is_flag=True, help="Keep them in the book of the token.")
@click.option("--server", envvar="VIGILANT_SERVER", help="Address of the server (VIGILANT_SERVER).")
@click.option("--token", envvar="VIGILANT_TOKEN", help="Recorder token (VIGILANT_TOKEN).")
@click.option("--json", "json_", is_flag=True, help="Print one JSON object.")
def laps_command(
    before: str, after: str, start: bool, processes: int, keep: Path | None, name: str, push: bool, server: str | None,
    token: str | None, json_: bool,
) -> None:  # fmt: skip
    """Compare the laps of two versions of a routine: what a call takes at each size, fixed and for each item.

    BEFORE and AFTER are files, or directories of files, one process each (or a table of several). A process is the unit of
    evidence: start the program anew for each, five times.

    Exit code: 0 account, 2 wrong use or input, 4 void (the versions give different results), 5 not delivered.
    """
    notes = Console(stderr=True)
    try:
        delivery = delivery_to(server, token) if push else None
        if start:
            given = _started((before, after), processes, keep, notes)
        else:
            given = [_given(Path(before)), _given(Path(after))]
        found = laps(given[0].processes, given[1].processes)
    except (FormatError, CoreError, BenchError) as error:
        raise click.UsageError(str(error)) from error
    title = name or next((n for n in (_stated(given[1]), _stated(given[0])) if n), "a routine")
    if json_:
        print(json.dumps(document(found, given), indent=1, allow_nan=False))
    else:
        print_laps(Console(), found, given, title)
    if delivery is not None:
        _push(notes, given, title, delivery)
    sys.exit(exits.OF_VERDICT["void"] if found.void else 0)


def _stated(given: Given) -> str:
    return read_laps(*reversed(given.texts[0])).name if given.texts else ""


def _given(path: Path) -> Given:
    """The processes of a file, or of a directory's files. Raises :class:`FormatError`, and a usage error for what is not there."""
    try:
        files = sorted(p for p in path.iterdir() if p.is_file()) if path.is_dir() else [path]
        texts = [(p.name, p.read_bytes().decode("utf-8")) for p in files]
    except OSError as error:
        raise click.UsageError(f"{path} cannot be read: {error.strerror}") from error
    except UnicodeDecodeError as error:
        raise click.UsageError(f"{path} is no text in UTF-8: {error.reason} at byte {error.start}") from error
    if not texts:
        raise click.UsageError(f"{path} holds no file")
    return _of_texts(texts, path.stem)


def _of_texts(texts: Sequence[tuple[str, str]], fallback: str) -> Given:
    read = [read_laps(text, name) for name, text in texts]
    version = next((one.version for one in read if one.version), fallback)
    return Given(version, tuple(p for one in read for p in one.processes), tuple(texts))


def _started(commands: Sequence[str], processes: int, keep: Path | None, notes: Console) -> list[Given]:
    """Each version started so often, in pairs of random order. Raises a usage error for one that fails or writes no laps."""
    texts: list[list[tuple[str, str]]] = [[], []]
    with tempfile.TemporaryDirectory(prefix="vigilant-laps-") as scratch:
        folder = keep or Path(scratch)
        folder.mkdir(parents=True, exist_ok=True)
        for number in range(processes):
            for i in random.sample((0, 1), 2):
                path = folder / f"{('before', 'after')[i]}-{number + 1}.jsonl"
                notes.print(f"process {number + 1} of {processes}, {('before', 'after')[i]}", highlight=False)
                texts[i].append((path.name, _start(commands[i], path)))
    return [_of_texts(own, name) for own, name in zip(texts, ("before", "after"), strict=True)]


def _start(command: str, path: Path) -> str:
    try:
        got = subprocess.run(
            shlex.split(command), env={**os.environ, "VIGILANT_LAPS": str(path)}, capture_output=True, text=True,
            timeout=PATIENCE_S, check=False,
        )  # fmt: skip
        if got.returncode:
            raise click.UsageError(f"{command} ended with {got.returncode}: {got.stderr.strip()[-400:]}")
        return path.read_text(encoding="utf-8")
    except (ValueError, OSError) as error:
        raise click.UsageError(f"{command}: no laps in the file of VIGILANT_LAPS ({error})") from error
    except subprocess.TimeoutExpired as error:
        raise click.UsageError(f"{command} did not end within {PATIENCE_S:.0f} s") from error


def print_laps(console: Console, found: Laps, given: Sequence[Given], title: str) -> None:
    names = [one.name for one in given]
    console.print(f"\n{title}: {wording.sentence(found)}", highlight=False, style="bold")
    table = Table(box=None, pad_edge=False, header_style="bold", padding=(0, 2, 0, 0))
    for head in ("items", *names, "change"):
        table.add_column(head, justify="right", no_wrap=head == "items")
    for one in found.sizes:
        change = wording.change_words(one)
        table.add_row(
            wording.items_words(one.items), wording.time_words(one.before_s), wording.time_words(one.after_s),
            change if one.shown or not change else f"({change})",
        )  # fmt: skip
    console.print(table)
    for row in wording.line_rows(found):
        console.print(f"{row['name']}: {row['before']} before, {row['after']} after: {row['change']}", highlight=False)
    console.print(
        f"{found.processes[0]} and {found.processes[1]} processes. In brackets: not shown, over all sizes.",
        highlight=False,
        style="dim",
    )
    for note in wording.notes(found):
        console.print(note, highlight=False, style="dim")


def document(found: Laps, given: Sequence[Given]) -> dict[str, Any]:
    """The account as one JSON object; times in seconds."""
    return {
        "versions": [one.name for one in given],
        "processes": list(found.processes),
        "checked": found.checked,
        "sizes": [
            {
                "items": one.items,
                "before_s": one.before_s,
                "after_s": one.after_s,
                "change_ln": None if one.change is None else one.change.value,
                "low_ln": None if one.change is None else one.change.low,
                "high_ln": None if one.change is None else one.change.high,
                "shown": one.shown,
            }
            for one in found.sizes
        ],
        **{
            key: None if one is None else {"s": one.value, "low_s": one.low, "high_s": one.high}
            for key, one in (("fixed", found.fixed), ("per_item", found.per_item))
        },
        "notes": wording.notes(found),
    }


def _push(notes: Console, given: Sequence[Given], title: str, delivery: Delivery) -> None:
    body = {
        "name": title,
        **{
            side: {"name": one.name, "files": [{"name": name, "text": text} for name, text in one.texts]}
            for side, one in zip(("before", "after"), given, strict=True)
        },
    }
    try:
        kept = delivery.laps(body)
    except DeliveryError as error:
        notes.print(f"Not delivered: {error}", highlight=False, markup=False)
        sys.exit(2 if error.refused else exits.NOT_DELIVERED)
    notes.print(f"Kept in the book: {kept['path']}", highlight=False, soft_wrap=True)
