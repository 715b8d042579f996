"""``vigilant push``: deliver what a recording left in its spool."""

from __future__ import annotations

import sys
from collections import Counter
from pathlib import Path
from typing import Any

import click
from rich.console import Console

from vigilant.bench.deliver import Delivery
from vigilant.bench.errors import BenchError, DeliveryError
from vigilant.bench.spool import RecordingSpool

from . import exits


def needs_server(url: str | None, token: str | None) -> tuple[str, str]:
    """Raises :class:`DeliveryError` where no server or no token is named."""
    if not url:
        raise DeliveryError("no server is named: set VIGILANT_SERVER or give --server")
    if not token:
        raise DeliveryError("no token is given: set VIGILANT_TOKEN")
    return url, token


def delivery_to(url: str | None, token: str | None) -> Delivery:
    """Raises :class:`DeliveryError`."""
    return Delivery(*needs_server(url, token))


def deliver(console: Console, spool: RecordingSpool, delivery: Delivery) -> dict[str, Any]:
    """Deliver and say where the entry is. Raises :class:`DeliveryError`."""
    entry = delivery.deliver(spool)
    for why, runs in Counter(why for slot in spool.slots for why in slot.left).items():
        of = "1 run" if runs == 1 else f"{runs} runs"
        console.print(f"A still of {of} was not sent, and is kept: {why}", highlight=False, markup=False)
    sent = sum(slot.delivered for slot in spool.slots)
    said = (
        f"No verdict: {entry['remark']}"
        if "remark" in entry
        else f"{'Entry ' + str(entry['number']) if 'number' in entry else 'Account'}: {delivery.url}{entry['path']}"
    )
    console.print(f"Delivered {sent} runs. {said}", highlight=False)
    return entry


@click.command("push")
@click.argument("spools", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option("--server", envvar="VIGILANT_SERVER", help="Address of the server (VIGILANT_SERVER).")
@click.option("--token", envvar="VIGILANT_TOKEN", help="Recorder token (VIGILANT_TOKEN).")
def push_command(spools: tuple[Path, ...], server: str | None, token: str | None) -> None:
    """Deliver recordings from their spool directories. What is there already is not sent twice."""
    console = Console(stderr=True)
    for directory in spools:
        try:
            deliver(console, RecordingSpool.load(directory), delivery_to(server, token))
        except DeliveryError as error:
            console.print(f"Not delivered: {error}. The recording is kept in {directory}", highlight=False)
            sys.exit(exits.NOT_DELIVERED)
        except BenchError as error:
            raise click.UsageError(str(error)) from error
