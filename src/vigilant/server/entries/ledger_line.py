"""What the ledger keeps of a comparison's result: a small object beside the whole."""

from __future__ import annotations

from typing import Any

from vigilant.core.verdict import CHANGED
from vigilant.wording.change import number

from .models import Comparison

LEVELS = ("mean_ms", "slowest_1pct_ms", "late_share", "stutters_per_min")
_STRIP = ("difference", "ci_low", "ci_high", "margin_low", "margin_high")
_MOST_DECIMALS = 2


def ledger_line(result: dict[str, Any]) -> dict[str, Any]:
    """Stamp, runs, interval strip, saved and spent, both levels and a remark, from a result document."""
    figures = result["figures"]
    mean = figures["mean_ms"]
    words = mean["words"]
    void = result["verdict"] == "void"
    size = number(abs(mean["difference"]), min(_MOST_DECIMALS, words["decimals"]))
    return {
        "stamp": result["stamp"],
        "runs": f"{result['runs']['before']}+{result['runs']['after']}",
        "mean": None if void else {key: mean[key] for key in _STRIP},
        "saved": size if words["column"] == "saved" and not void else "",
        "spent": size if words["column"] == "spent" and not void else "",
        "levels": {
            side: {name: figures[name][side] if name in figures else None for name in LEVELS}
            for side in ("before", "after")
        },
        "remark": _remark(result),
        "runs_needed": result["runs_needed"],
        "blank": bool(result.get("blank")),
    }


def is_blank(comparison: Comparison) -> bool:
    """Was one build recorded as both arms?"""
    return bool(comparison.ledger_line.get("blank"))


def _remark(result: dict[str, Any]) -> str:
    """A few words behind the title: why it is void, or that a run did not complete."""
    if result["verdict"] == "void":
        code = next(f["code"] for f in result["findings"] if f["severity"] == "void")
        return {"cap-one-side": "one arm was capped", "caps-differ": "two different caps"}.get(code, "not comparable")
    if result.get("blank"):
        return "blank test: a false alarm" if result["verdict"] in CHANGED else "blank test"
    return "a run did not complete" if any(f["code"] == "runs-failed" for f in result["findings"]) else ""
