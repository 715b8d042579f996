"""What the witnesses say of the amount of work, in words."""

from __future__ import annotations

from collections.abc import Sequence

from vigilant.core.work import WorkShare

from .change import decimals_for, number, percent


def work_sentence(share: WorkShare) -> str:
    """One witness over one leg: "boats, market bank: 12.0 % less work (95 % interval -13.1 % to -10.8 %)"."""
    where = f"{share.witness}, {share.leg}" if share.leg else share.witness
    interval = (
        ""
        if share.low is None or share.high is None
        else f" (95 % interval {percent(share.low)} to {percent(share.high)})"
    )
    if share.amount == "same":
        return f"{where}: the same amount of work{interval}"
    if share.amount == "unknown":
        return f"{where}: {percent(share.change)}, not shown to be the same{interval}"
    return f"{where}: {percent(abs(share.change)).lstrip('+')} {share.amount} work{interval}"


def split_sentence(shares: Sequence[WorkShare]) -> str:
    """How the whole course's change splits, by the witness whose amount differs most; "" where none does."""
    whole = [s for s in shares if not s.leg and s.amount in ("less", "more")]
    if not whole:
        return ""
    share = max(whole, key=lambda s: abs(s.change))
    decimals = decimals_for(max(abs(share.amount_ms), abs(share.cost_ms)) / 20.0, 3)

    def part(ms: float, less: str, more: str) -> str:
        return f"{number(abs(ms), decimals)} ms {'less' if ms < 0 else 'more'} from {less if ms < 0 else more}"

    return (
        f" By {share.witness} ({percent(share.change)}): {part(share.amount_ms, 'less work', 'more work')},"
        f" {part(share.cost_ms, 'cheaper work', 'dearer work')}."
    )
