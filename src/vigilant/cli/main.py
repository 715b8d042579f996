"""Entry point of ``vigilant``."""

from __future__ import annotations

import signal
import sys
import traceback
from types import FrameType
from typing import NoReturn

import click

from vigilant import __version__

from . import exits
from .arms import arms_command
from .blank import blank_command
from .bring import bring_command
from .compare import claim_command, compare_command
from .field_check import field_check_command
from .gate import gate_command
from .hunt import hunt_command
from .laps import laps_command
from .line import line_command
from .mark import mark_command
from .order import order_command
from .page import page_command
from .push import push_command
from .record import record_command
from .standby import standby_command
from .statement import statement_command
from .verify import verify_command


@click.group(context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(__version__, prog_name="vigilant")
def main() -> None:
    """Prove that a change made frames faster, or catch that it made them slower."""


main.add_command(record_command)
main.add_command(compare_command)
main.add_command(arms_command)
main.add_command(claim_command)
main.add_command(blank_command)
main.add_command(gate_command)
main.add_command(mark_command)
main.add_command(page_command)
main.add_command(push_command)
main.add_command(bring_command)
main.add_command(laps_command)
main.add_command(hunt_command)
main.add_command(line_command)
main.add_command(order_command)
main.add_command(statement_command)
main.add_command(verify_command)
main.add_command(standby_command)
main.add_command(field_check_command)


def _interrupt(signum: int, frame: FrameType | None) -> NoReturn:
    """Asked to end: as Ctrl-C, so that a subject that runs is ended too."""
    raise KeyboardInterrupt


def run() -> None:
    """The console command: as :func:`main`, with exit codes that never say more than is known."""
    signal.signal(signal.SIGTERM, _interrupt)
    try:
        main(standalone_mode=False)
    except click.ClickException as error:
        error.show()
        sys.exit(error.exit_code)
    except (click.Abort, KeyboardInterrupt):
        print("vigilant: stopped; what was recorded is kept", file=sys.stderr)
        sys.exit(exits.INTERRUPTED)
    except Exception:
        traceback.print_exc()
        print("vigilant: this is a fault of ours; what was recorded is kept", file=sys.stderr)
        sys.exit(exits.FAULT)


if __name__ == "__main__":
    run()
