"""``vigilant order``: tell the server in which order builds were made."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Any

import click
from rich.console import Console

from vigilant.bench.errors import DeliveryError
from vigilant.formats import limits
from vigilant.formats.errors import PlanError

from . import exits
from .naming import named_by
from .push import delivery_to


@click.command("order")
@click.argument("listed", metavar="[FILE]", required=False, type=click.File(encoding="utf-8"))
@click.option(
    "--builds-from", metavar="COMMAND", help="A command that prints the builds, a line each, the oldest first."
)
@click.option(
    "--by-date",
    is_flag=True,
    help="A line is a build and the date it was made, as 2026-05-04T18:30:00Z: order by those.",
)
@click.option("--server", envvar="VIGILANT_SERVER", help="Address of the server (VIGILANT_SERVER).")
@click.option("--token", envvar="VIGILANT_TOKEN", help="Recorder token (VIGILANT_TOKEN).")
def order_command(listed: Any, builds_from: str | None, by_date: bool, server: str | None, token: str | None) -> None:
    """Give builds their place in the order of the token's book: from FILE (- for what is piped in), or from a COMMAND as git
    rev-list --reverse --abbrev-commit HEAD, the oldest first. Builds that have a place keep their order; each other goes right before the
    next listed one that has a place, or to the end.

    Exit code: 0 done, 2 wrong use, an order that the book contradicts, or a server that refuses, 5 not delivered.
    """
    if (listed is None) == (builds_from is None):
        raise click.UsageError("give FILE or --builds-from, one of them")
    try:
        lines = (
            named_by(builds_from, Path.cwd())
            if builds_from is not None
            else [line.strip() for line in listed if line.strip()]
        )
        builds = [_build(line, by_date) for line in lines]
        if not builds:
            raise PlanError("no build is named")
        if len(builds) > limits.BUILDS_AT_ONCE:
            raise PlanError(
                f"{len(builds)} builds are named; {limits.BUILDS_AT_ONCE} are taken at a time: name the newest"
            )
        delivery = delivery_to(server, token)
        kept = delivery.order({"builds": builds, "by": "date" if by_date else "list"})
    except DeliveryError as error:
        Console(stderr=True).print(f"Not ordered: {error}", highlight=False, markup=False)
        sys.exit(2 if error.refused else exits.NOT_DELIVERED)
    except (PlanError, UnicodeDecodeError) as error:
        raise click.UsageError(str(error)) from error
    new = kept["added"]
    Console().print(f"{new} new build{'' if new == 1 else 's'}, {kept['builds']} in order.", highlight=False)


def _build(line: str, by_date: bool) -> dict[str, str]:
    if not by_date:
        return {"name": line}
    name, _, date = line.rpartition(" ") if "\t" not in line else line.rpartition("\t")
    if not name.strip():
        raise PlanError(f"a line with a date is a build and a date, got {line[:80]!r}")
    return {"name": name.strip(), "made_at": date.strip()}
