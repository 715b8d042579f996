"""Entry point of ``vigilant``."""

from __future__ import annotations

import click

from vigilant import __version__

from .compare import compare_command
from .push import push_command
from .record import record_command


@click.group(context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(__version__, prog_name="vigilant")
def main() -> None:
    """Prove that a change made frames faster, or catch that it made them slower."""


main.add_command(record_command)
main.add_command(compare_command)
main.add_command(push_command)
