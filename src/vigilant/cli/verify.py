"""``vigilant verify``: the evidence of a verdict, checked by whoever was handed it."""

from __future__ import annotations

import json
import sys
from pathlib import Path

import click
from rich.console import Console

from vigilant.core import CORE_VERSION
from vigilant.formats import FormatError

#: Faults that are printed one by one.
MOST_SAID = 20


@click.command("verify")
@click.argument("bundles", metavar="BUNDLE...", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option("--key", help="The public key that must have signed, or its fingerprint; from the server's owner.")
@click.option("--json", "json_", is_flag=True, help="Print one JSON object a bundle.")
def verify_command(bundles: tuple[Path, ...], key: str | None, json_: bool) -> None:
    """Check the evidence of verdicts: signature, every file, and every number anew from the frames.

    Exit code: 0 all as stated, 1 something is not, 2 wrong use or no bundle, 3 judged by another core that makes
    numbers otherwise.
    """
    from vigilant.formats.bundle import (  # what it needs is not there before it is asked for
        Checked,
        checked,
        fingerprint,
    )

    console = Console()
    asked = "".join((key or "").lower().split())
    if asked and (len(asked) not in (32, 64) or set(asked) - set("0123456789abcdef")):
        raise click.UsageError("--key takes 64 hexadecimal digits, or the 32 of a fingerprint.")

    def said_of(found: Checked) -> list[str]:
        faults = list(found.faults)
        own = fingerprint(found.signer) if found.signer else ""
        if asked and found.signer and asked not in (found.signer, own.replace(" ", "")):
            faults.insert(0, f"It was signed by another key: {own}.")
        return faults

    def say(found: Checked, faults: list[str]) -> None:
        about, made = found.manifest, found.comparison
        console.print(f"No. {about.get('entry')}: {about.get('title')}", highlight=False, markup=False)
        console.print(f"{made['result'].get('verdict')}: {found.sentence}", highlight=False, markup=False)
        if found.signer:
            mine = asked in (found.signer, "".join(fingerprint(found.signer).split()))
            known = "the key you named" if mine else "whose it is, ask the server's owner"
            console.print(f"Signed by {fingerprint(found.signer)} ({known}).", highlight=False, markup=False)
        runs = ", ".join(f"{len(rows)} {arm}" for arm, rows in made["arms"].items())
        if found.recomputed:
            how = "to the bit" if found.exact else "to nine digits; this machine rounds otherwise"
            done = f"{found.numbers:,} numbers computed anew from the frames of {runs} runs"
            agree = "" if faults or found.otherwise else f": all agree {how}"
            console.print(f"{done}{agree}.", highlight=False, markup=False)
        if found.otherwise:
            cores = f"It was judged by core {made.get('core_version')}; this is core {CORE_VERSION}, which makes numbers otherwise:"
            console.print(cores, highlight=False, markup=False)
        told = [*faults, *found.otherwise]
        for fault in told[:MOST_SAID]:
            console.print(f"! {fault}", highlight=False, markup=False)
        if len(told) > MOST_SAID:
            console.print(f"! {len(told) - MOST_SAID} more.", highlight=False, markup=False)
        end = "Not as stated." if faults else "Cannot be told here." if found.otherwise else "All as stated."
        console.print(end, highlight=False, markup=False)

    worst = 0
    for i, path in enumerate(bundles):
        try:
            found = checked(path)
        except FormatError as error:
            raise click.UsageError(str(error)) from error
        faults = said_of(found)
        worst = max(worst, (0, 3, 1).index(1 if faults else 3 if found.otherwise else 0))
        if json_:
            document = {
                "bundle": str(path),
                "entry": found.manifest.get("entry"),
                "as_stated": not faults and not found.otherwise,
                "faults": faults,
                "otherwise": list(found.otherwise),
                "signer": found.signer,
                "exact": found.exact,
                "numbers": found.numbers,
                "core_version": found.comparison.get("core_version"),
            }
            print(json.dumps(document, ensure_ascii=False))
            continue
        if i:
            console.print()
        say(found, faults)
    sys.exit((0, 3, 1)[worst])
