"""``vigilant mark``: a leg of the run in progress begins now."""

from __future__ import annotations

from pathlib import Path

import click

from vigilant.bench.errors import BenchError
from vigilant.bench.tapped import set_mark
from vigilant.formats.head import unfit_name

from .record import default_spool


@click.command("mark")
@click.argument("name")
@click.option("--spool", type=click.Path(path_type=Path), help="Where the recording is kept (VIGILANT_SPOOL).")
def mark_command(name: str, spool: Path | None) -> None:
    """Begin a leg, NAME, now, in the run that is being recorded on this machine: of an arm with `tap = true`, or one that
    is played by hand. From a script, a key of the desktop, or the program's own hooks."""
    if why := unfit_name(name):
        raise click.UsageError(f"a mark's name {why}")
    try:
        where = set_mark(spool or default_spool(), name)
    except BenchError as error:
        raise click.UsageError(str(error)) from error
    except OSError as error:
        raise click.UsageError(f"the mark cannot be set: {error}") from error
    click.echo(f"{name} begins, in {where}.")
