"""Late frames and stutters as a set, in words: what they have more of, and what they go with (never *because*)."""

from __future__ import annotations

from collections.abc import Sequence

from vigilant.core.work import Association, ExcessAccount, ExcessRow, Overlap, RowChange, RowKey

from .change import number
from .lanes import ALPHA, row_words_of, share_percent

#: A row of less of the excess that was the largest of no frame has no row on the page; in two arms, ms a frame.
LEAST_SHARE, LEAST_MS = 0.005, 0.0005
_SET = {"late": "late frames", "stutters": "frames of stutters"}
_FEW = {
    "late": "too few to share out what late frames have more of",
    "stutters": "too few to share out what stutters have more of",
}


def row_name(key: RowKey) -> str:
    kind, lane, path = key
    if kind == "rest":
        return "and the rest"
    return {
        "part": path[-1] if path else "",
        "lane": lane,
        "slack": f"slack of {lane}, filled first",
        "waiting": "waiting and rounding",
        "rest of the frame": "the rest of the frame",
    }[kind]


def depth(key: RowKey) -> int:
    """How far a row stands in: by what it lies in."""
    return max(0, len(key[2]) - 1) if key[0] == "part" else len(key[2])


def account_sentence(account: ExcessAccount, arm: str, of: str, total: int, legs: Sequence[tuple[str, int]]) -> str:
    """What a reader should know first: that a leg is slow, that they are too few, or what they have most of."""
    frames = f"{account.frames:,} of {total:,} frames" if of == "late" else f"{account.frames:,} frames of stutters"
    head = f"{frames} {'were late ' if of == 'late' else ''}{arm}"
    if account.refused == "by-level":
        where = f" ({legs[0][0]}: {legs[0][1]:,} of {account.frames:,})" if legs and legs[0][0] else ""
        share = share_percent(account.by_level / account.frames)
        return f"{head}. {share} % of them are no longer than the frames around them: these legs are slow{where}, and nothing is ranked."
    if account.refused == "too-few-late":
        seen = f" in {account.runs} run{'s' if account.runs != 1 else ''}" if account.frames else ""
        return (
            f"{head}{seen}: {_FEW[of]}."
            if account.frames
            else f"No frame {'was late' if of == 'late' else 'stuttered'} {arm}."
        )
    if account.refused:
        return f"{head}; in most of them a lane is not told, so that nothing is ranked."
    ranked = sorted((r for r in account.rows if _may_lead(r)), key=lambda r: -r.net)
    level = (
        f", {share_percent(account.by_level / account.frames)} % of them by the level of their leg"
        if account.by_level else ""
    )  # fmt: skip
    if not ranked:
        return f"{head}{level}."
    first, *others = ranked
    said = f"{head}{level}. Of what they have more than the frames around them {_share(first)} is {_of(first)}"
    tied = [
        r for r in others if r.half is not None and first.half is not None and r.net + r.half > first.net - first.half
    ]
    if tied:
        return f"{said}, {_share(tied[0])} {_of(tied[0])}: which of them is first cannot be told."
    return f"{said}."


def _may_lead(row: ExcessRow) -> bool:
    return row.kind in ("part", "lane", "rest") and len(row.path) <= (1 if row.kind == "part" else 0) and row.net > 0


def _of(row: ExcessRow) -> str:
    if row.kind == "rest":
        return f"what no part of {row.lane} names"
    return f"{row_name(row.key)}{f' ({row.lane})' if row.kind == 'part' and row.lane else ''}"


def _share(row: ExcessRow) -> str:
    half = "" if row.half is None else f" (± {number(100 * row.half, 0 if row.half >= 0.01 else 1)})"
    return f"{number(100 * row.net, 0)} %{half}"


def account_notes(account: ExcessAccount, overlap: Overlap | None) -> list[str]:
    notes = []
    if overlap is not None and overlap.call == "cannot be told":
        notes.append("Whether the lanes overlap cannot be told; the account takes it that they do.")
    if account.not_told:
        notes.append(f"In {account.not_told:,} of them a lane is not told: their excess is in the rest of the frame.")
    if account.frames and not account.refused and account.level_ms > 0:
        notes.append(
            f"Together they are {number(account.over_ms, 0)} ms over the budget: {number(account.level_ms, 0)} ms by the level of the frames around them, {number(account.over_ms - account.level_ms, 0)} ms of their own."
        )
    return notes


def row_words(row: ExcessRow, account: ExcessAccount) -> dict[str, str]:
    """Ms in the mean frame of the set, share, interval, share net of slack, frames it was the largest row of."""
    each = row.ms / account.frames
    low_high = ""
    if row.half is not None:
        low_high = f"{number(100 * (row.share - row.half), 0)} to {number(100 * (row.share + row.half), 0)}"
    net = "" if abs(row.net - row.share) < LEAST_SHARE else f"{number(100 * row.net, 0)} %"
    return {
        "ms": number(each, 2),
        "share": f"{number(100 * row.share, 0)} %",
        "interval": low_high,
        "net": net,
        "main": f"{row.main:,}" if row.main else "",
    }


def change_words(row: RowChange) -> dict[str, str]:
    return row_words_of(row.before_ms, row.after_ms, row.d_ms, row.low_ms, row.high_ms, 4)


def change_sentence(row: RowChange) -> str:
    if row.untested or row.p_value is None:
        return "too few of them" if row.untested == "too-few-events" else "not tested"
    return "not shown" if row.p_value > ALPHA else "less" if row.d_ms < 0 else "more"


_WHEN = {0: "in the same frame", 1: "the frame before", -1: "the frame after"}


def goes_sentence(rows: Sequence[Association], arm: str, of: str) -> str:
    if not rows:
        return f"{arm.capitalize()}: too few {_SET[of]}, or in one run only; nothing is told."
    first = next((row for row in rows if row.call == "goes with late frames" and row.lag >= 0), None)
    if first is None:
        return f"{arm.capitalize()}: nothing that was recorded is shown to go with {_SET[of]}."
    name = first.name.partition(":")[2]
    return (
        f"{arm.capitalize()}: {name} explains at most {number(100 * first.held, 0)} % of the {_SET[of]} (the others do not hold it); "
        f"{_beyond(first)} beyond chance; seen in {first.runs} of {first.of} runs."
    )


def _beyond(row: Association) -> str:
    if row.half is None:
        return f"{number(100 * row.beyond, 0)} %"
    low, high = (min(100.0, 100.0 * (row.beyond + sign * row.half)) for sign in (-1.0, 1.0))
    return f"{number(100 * row.beyond, 0)} % ({number(low, 0)} to {number(high, 0)})"


def goes_words(row: Association, of: str) -> dict[str, str]:
    call = row.call if of == "late" else row.call.replace("late frames", "stutters")
    if row.least is not None:
        call += f"; {number(100 * row.least, 0)} % beyond chance would have been"
    return {
        "when": _WHEN[row.lag],
        "held": f"{number(100 * row.held, 0)} %",
        "others": f"{number(100 * row.others, 1)} %",
        "beyond": _beyond(row),
        "adds": "" if row.adds is None else f"{number(100 * row.adds, 0)} %",
        "runs": f"{row.runs} of {row.of}",
        "call": call,
    }
