"""``vigilant field-check``: is a build ready to be sent out, by what its test sessions sent?"""

from __future__ import annotations

import json
from pathlib import Path

import click
from rich.console import Console
from rich.table import Table

from vigilant.formats import FormatError
from vigilant.formats.field_ready import checked, read_uploads, ready
from vigilant.wording.field_ready import CHECKS, CONSENT, SAID

from . import exits


@click.command("field-check")
@click.argument("file", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@click.option(
    "--leg", "legs", multiple=True, help="A leg of the scenario that has to be seen as a place; may be given again."
)
@click.option("--json", "json_", is_flag=True, help="Print one JSON object.")
def field_check_command(file: Path, legs: tuple[str, ...], json_: bool) -> None:
    """Look through FILE: uploads of test sessions one a line, in the order in which they were sent.

    Exit code 0: ready; 1: something is wrong; 2: no such file; 3: something was not tried.
    """
    try:
        text = file.read_text(encoding="utf-8")
        uploads = read_uploads(text, str(file))
    except (FormatError, UnicodeDecodeError, OSError) as error:
        raise click.UsageError(str(error)) from None
    checks = checked(uploads, legs)
    state = ready(checks)
    if json_:
        rows = [
            {"check": one.name, "asks": CHECKS[one.name][0], "state": one.state, "seen": one.seen} for one in checks
        ]
        click.echo(json.dumps({"ready": state, "checks": rows}))
    else:
        table = Table(box=None, padding=(0, 2, 0, 0))
        for head in ("", "asked", "seen", "what to do"):
            table.add_column(head)
        for one in checks:
            asks, remedy = CHECKS[one.name]
            table.add_row(one.state, asks, one.seen, "" if one.state == "ok" else remedy)
        console = Console()
        console.print(table)
        console.print(f"\n{SAID[state]} {CONSENT}", highlight=False)
    raise SystemExit(exits.OF_CHECKS[state])
