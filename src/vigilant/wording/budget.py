"""Parts held against what they are allowed, in words."""

from __future__ import annotations

from vigilant.core import FigureResult
from vigilant.core.work.budget import PartBudget

from .change import number
from .lanes import share_percent


def set_sentence(reason: str, by: str) -> str:
    return f"{by}: {reason}"


def change_words(found: FigureResult | None) -> dict[str, str]:
    """Frames over before and after; "" all through where both are not held against one allowance."""
    if found is None:
        return {"before": "", "after": "", "call": ""}
    return {
        "before": f"{share_percent(found.raw_before)} %",
        "after": f"{share_percent(found.raw_after)} %",
        "call": found.call,
    }


def row_words(found: PartBudget | None) -> dict[str, str]:
    """ "" all through where nothing is allowed yet."""
    if found is None:
        return dict.fromkeys(("over", "interval", "overrun", "where", "headroom", "late"), "")
    interval = (
        "" if found.low is None or found.high is None else f"{share_percent(found.low)} to {share_percent(found.high)}"
    )
    late = ""
    if found.late_over is not None and found.others_over is not None:
        late = f"{share_percent(found.late_over)} % of late, {share_percent(found.others_over)} % of other frames"
    room = found.headroom_ms
    return {
        "over": f"{share_percent(found.over)} %",
        "interval": interval,
        "overrun": number(found.overrun_ms, 3),
        "where": number(found.overrun_where_ms, 2) if found.over else "",
        "headroom": f"{number(abs(room), 2)} {'left' if room >= 0 else 'over'}",
        "late": late,
    }
