"""``vigilant page``: a page as a subject of a recording."""

from __future__ import annotations

import os
import re
import sys
from pathlib import Path

import click

from vigilant.bench.errors import BenchError
from vigilant.bench.page import PageAsked, play, read_course
from vigilant.formats.errors import PlanError

_SIZE = re.compile(r"(\d{1,5})x(\d{1,5})\Z")
SAID = {
    "went on": "the page went on to another one: what is recorded is one page",
    "no frame": "the page drew no frame",
}


def _size(context: click.Context, parameter: click.Parameter, value: str) -> tuple[int, int]:
    found = _SIZE.match(value)
    if found is None or min(map(int, found.groups())) < 1:
        raise click.BadParameter(f"WIDTHxHEIGHT is wanted, not {value!r}")
    return int(found[1]), int(found[2])


@click.command("page")
@click.argument("address")
@click.option(
    "--seconds", type=click.FloatRange(0.1, 1e6), default=10.0, show_default=True, help="From its first frame on."
)
@click.option("--seed", type=int, help="Of the page's Math.random; put it on the sheet.")
@click.option("--viewport", default="1280x720", show_default=True, callback=_size, help="In CSS pixels.")
@click.option("--pixel-ratio", type=click.FloatRange(0.25, 8), default=1.0, show_default=True)
@click.option("--steps", type=click.Path(path_type=Path, dir_okay=False), help="The course to play, a TOML file.")
@click.option("--network", is_flag=True, help="Let the page reach what is not its own origin.")
@click.option("--paced", is_flag=True, help="Leave frames held to the screen's rate.")
def page_command(
    address: str, seconds: float, seed: int | None, viewport: tuple[int, int], pixel_ratio: float, steps: Path | None,
    network: bool, paced: bool,
) -> None:  # fmt: skip
    """Show the page at ADDRESS, or a file, in Chromium, and report its animation frames to VIGILANT_FRAMES: a subject for a
    plan, `command = ["vigilant", "page", "festival.html", "--seconds", "{seconds}"]`."""
    frames = os.environ.get("VIGILANT_FRAMES")
    if not frames:
        raise click.UsageError("VIGILANT_FRAMES names no file: this is a subject, started by `vigilant record`")
    try:
        course = read_course(steps) if steps else []
        asked = PageAsked(address, seconds, seed, viewport, pixel_ratio, network, paced, course)
        with open(frames, "w", encoding="utf-8", newline="\n") as out:
            ended = play(asked, out)
    except (BenchError, PlanError) as error:
        raise click.ClickException(str(error)) from error
    except OSError as error:
        raise click.ClickException(f"{frames} cannot be written: {error.strerror}") from error
    if ended != "complete":
        click.echo(SAID[ended], err=True)
        sys.exit(1)
