"""Every account of a recording that fills no entry, by its kind."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from vigilant.server.problems import unprocessable
from vigilant.server.runs.models import Recording

from . import hunts, matrices, sweeps, switching, trades

ACCOUNTS: Mapping[str, Callable[[Recording], dict[str, Any]]] = {
    "switched": switching.switched_account,
    "untangled": switching.untangled_account,
    "mixture": switching.mixture_account,
    "ramp": sweeps.ramp_account,
    "trade": trades.trade_account,
    "knob": sweeps.knob_account,
    "cores": sweeps.cores_account,
    "matrix": matrices.matrix_account,
    "hunt": hunts.hunt_account,
}


def account_of(recording: Recording) -> dict[str, Any]:
    """The account that comes of a recording. Raises a problem for one that fills an entry, and where there is none yet."""
    if recording.account not in ACCOUNTS:
        raise unprocessable("no-account", "What comes of this recording is an entry, and no account.")
    return ACCOUNTS[recording.account](recording)
