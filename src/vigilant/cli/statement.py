"""``vigilant statement``: the page to hand out, drawn up by the server."""

from __future__ import annotations

import sys
import uuid
from pathlib import Path

import click
from rich.console import Console

from vigilant.bench.errors import DeliveryError

from . import exits
from .push import delivery_to

#: What the server sends for each form.
KINDS = {
    "html": "text/html",
    "pdf": "application/pdf",
    "markdown": "text/markdown",
    "csv": "text/csv",
    "json": "application/json",
}


@click.command("statement")
@click.argument("entries", nargs=-1)
@click.option("--goal", type=click.IntRange(1), help="Of a goal, by its number, in place of entries.")
@click.option("--hand-over", type=click.IntRange(1), help="Of what is handed over, by its number.")
@click.option("--account", type=click.UUID, help="Of the account of a recording, by its id.")
@click.option("--as", "form", type=click.Choice(list(KINDS)), default="markdown", show_default=True)
@click.option("--paper", type=click.Choice(["a4", "letter"]), default="a4", show_default=True, help="Of page and PDF.")
@click.option("-o", "--output", type=click.Path(dir_okay=False, path_type=Path), help="Written there, not printed.")
@click.option("--server", envvar="VIGILANT_SERVER", help="Address of the server (VIGILANT_SERVER).")
@click.option("--token", envvar="VIGILANT_TOKEN", help="Recorder token (VIGILANT_TOKEN).")
def statement_command(
    entries: tuple[str, ...],
    goal: int | None,
    hand_over: int | None,
    account: uuid.UUID | None,
    form: str,
    paper: str,
    output: Path | None,
    server: str | None,
    token: str | None,
) -> None:
    """The statement of ENTRIES (4, or 4-9, or 1,4-9), of a goal, of a hand-over or of an account, to be printed and handed out."""
    console = Console(stderr=True)
    of = {"entries": ",".join(entries), "goal": goal, "hand_over": hand_over, "account": account}
    asked = {key: str(value) for key, value in of.items() if value not in ("", None)}
    if len(asked) != 1:
        raise click.UsageError("Name entries, or a goal, or a hand-over, or an account: one of them.")
    if form == "pdf" and output is None and sys.stdout.isatty():
        raise click.UsageError("A PDF is not printed here: say where with --output.")
    try:
        page = delivery_to(server, token).statement({**asked, "as": form, "paper": paper}, KINDS[form])
    except DeliveryError as error:
        console.print(f"No statement: {error}", highlight=False, markup=False)
        sys.exit(2 if error.refused else exits.NOT_DELIVERED)
    if output is None:
        sys.stdout.buffer.write(page)
        return
    try:
        output.write_bytes(page)
    except OSError as error:
        raise click.UsageError(f"{output} cannot be written: {error.strerror}") from error
    console.print(f"Written to {output}, {len(page):,} bytes.", highlight=False, markup=False)
