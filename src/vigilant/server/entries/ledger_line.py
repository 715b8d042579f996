"""What the ledger keeps of a comparison's result: a small object of numbers beside the whole."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

LEVELS = ("mean_ms", "slowest_1pct_ms", "late_share", "stutters_per_min")


def ledger_line(result: Mapping[str, Any]) -> dict[str, Any]:
    """Runs, the mean frame's numbers, both levels, why it is void and whether runs failed, from a result document."""
    figures = result["figures"]
    void = result["verdict"] == "void"
    return {
        "runs": result["runs"],
        "mean": None if void else figures["mean_ms"],
        "levels": {
            side: {name: figures[name][side] if name in figures else None for name in LEVELS}
            for side in ("before", "after")
        },
        "void": next((f["code"] for f in result["findings"] if f["severity"] == "void"), "") if void else "",
        "failed": any(f["code"] == "runs-failed" for f in result["findings"]),
        "runs_needed": result["runs_needed"],
    }
