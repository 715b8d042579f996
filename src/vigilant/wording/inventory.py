"""The inventory in words: what makes up a total, what changed in it, and what the counters say beside it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from datetime import datetime

from vigilant.core.work.inventory import MOST_OF_IT, Change, Ranked, Row

from .change import number, percent

#: A counter and a total this close say the same.
ALIKE = 0.02
#: mean and largest value of a counter over so many runs.
Counted = tuple[int, float, float]


def amount(value: float) -> str:
    """Four digits of what is large, three of what is small, whole numbers as they are; thousands separated."""
    size = abs(value)
    if value == round(value):
        return number(value, 0)
    return number(value, max(0, (3 if size >= 1 else 2) - math.floor(math.log10(size))))


def ranked_sentence(found: Ranked, total: str) -> str:
    if not found.total:
        return f"Nothing here weighs anything in {total}."
    first = found.rows[0]
    kinds = len(found.rows)
    few = f"; {found.few} of {kinds} kinds make {100 * MOST_OF_IT:.0f} % of it" if kinds > found.few > 0 else ""
    return f"Most of {total} is {first.kind}: {amount(first.total or 0.0)} of {amount(found.total)} ({_share(first)}){few}."


def _share(row: Row) -> str:
    return "" if row.share is None else f"{number(100 * row.share, 0 if row.share >= 0.1 else 1)} %"


def row_words(row: Row) -> dict[str, str]:
    return {
        "count": amount(row.count),
        "a_piece": "not told" if row.a_piece is None else amount(row.a_piece),
        "total": "not told" if row.total is None else amount(row.total),
        "share": _share(row),
    }


def untold(found: Ranked) -> str:
    """ "" where every kind is told."""
    if not found.untold:
        return ""
    named = ", ".join(found.untold[:5]) + (" and more" if len(found.untold) > 5 else "")
    kinds = "1 kind" if len(found.untold) == 1 else f"{len(found.untold)} kinds"
    return f"What a piece weighs is not told of {kinds} ({named}): the total is at least {amount(found.total)}."


def limit(found: Ranked, most: float, reason: str, by: str) -> str:
    left = most - found.total
    side = f"{amount(left)} left" if left >= 0 else f"over by {amount(-left)}"
    if left >= 0 and found.untold:
        side += ", if what is not told weighs no more than that"
    return f"At most {amount(most)} ({by}: {reason.rstrip('. ')}): {side}."


def set_by(by: str, at: datetime, reason: str) -> str:
    return f"{by}, {at:%Y-%m-%d}: {reason}"


def change_words(change: Change) -> dict[str, str]:
    """An account of a kind: both sides, and what comes from counts and from the weight of a piece."""
    sides = [
        "" if row is None else "not told" if row.total is None else amount(row.total)
        for row in (change.before, change.after)
    ]
    d = change.d
    return {
        "before": sides[0],
        "after": sides[1],
        "less": amount(-d) if d is not None and d < 0 else "",
        "more": amount(d) if d is not None and d > 0 else "",
        "from_count": _signed(change.from_count),
        "from_weight": _signed(change.from_weight),
        "note": "only before" if change.after is None else "only after" if change.before is None else "",
    }


def _signed(value: float | None) -> str:
    return "" if not value else f"{'+' if value > 0 else '-'}{amount(abs(value))}"


def unchanged(found: Sequence[Change]) -> str:
    """ "" where every kind changed."""
    same = sum(c.d == 0.0 for c in found)
    return f"{same} {'kind' if same == 1 else 'kinds'} did not change." if same else ""


def change_sentence(before: Ranked, after: Ranked, found: Sequence[Change]) -> str:
    d = after.total - before.total
    told = [c for c in found if c.d]
    if not told:
        return f"Nothing changed: {amount(after.total)} on both sides."
    side = "more" if d > 0 else "less"
    head = f"{amount(before.total)} to {amount(after.total)}"
    head += f", {amount(abs(d))} {side} ({percent(d / before.total)})" if d and before.total else ""
    first = told[0]
    assert first.d is not None
    return f"{head}; most of it moved in {first.kind}, {amount(abs(first.d))} {'more' if first.d > 0 else 'less'}."


def counter_sentence(
    counter: str, found: Ranked, now: Counted | None, before: Ranked | None, then: Counted | None
) -> str:
    """Does the counter say what the inventory says? Both sides of a change where there are two builds."""
    if now is None:
        return f"No complete run of this build has the counter {counter}."
    runs, mean, most = now
    said = f"The counter {counter} says {amount(mean)} a frame on average and {amount(most)} at most, in {runs} {'run' if runs == 1 else 'runs'} of this build"
    if abs(found.total - most) <= ALIKE * most:
        said += ": all of the inventory is there at once."
    elif found.total > most:
        said += f": at most {number(100 * most / found.total, 0)} % of what the inventory holds is there at once."
    else:
        said += f": more than the inventory's {amount(found.total)}, so that something is counted more than once, or is in no kind."
    if before is not None and then is not None and before.total and then[1]:
        said += f" Between the two builds the inventory moved by {percent(found.total / before.total - 1.0)}, the counter by {percent(mean / then[1] - 1.0)}."
    return said
