"""Features switched off one at a time, in words: a ranked account, and never credit."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

from vigilant.core.vary import Contrast, Cure, Screening, Switched
from vigilant.core.vary.cells import LEAST_DF

from .change import decimals_for, number, percent
from .lanes import row_words_of

FIGURES = {"mean_ms": "the mean frame", "slowest_1pct_ms": "the slowest 1 %"}


def figure_name(figure: str) -> str:
    return FIGURES[figure]


def words_of(found: Contrast, on_ms: float) -> dict[str, str]:
    """A row of the account: the frame with everything on and without it, what is saved or spent, and its interval."""
    low, high = (None, None) if found.low is None or found.high is None else (-found.high, -found.low)
    return row_words_of(on_ms, on_ms - found.value, -found.value, low, high, 3)


def _ms(found: Contrast) -> str:
    """ "2.31 ms (2.20 to 2.42)"."""
    half = None if found.low is None or found.high is None else (found.high - found.low) / 2
    digits = decimals_for(half, 3)
    said = f"{number(found.value, digits)} ms"
    return (
        said
        if found.low is None or found.high is None
        else f"{said} ({number(found.low, digits)} to {number(found.high, digits)})"
    )


def ratio_words(row: Switched) -> str:
    """The change of the frame while it is off, in per cent."""
    return percent(math.expm1(-row.saved_ln.value))


def cure_words(row: Cure) -> str:
    """What a cure leaves of what its feature costs: its own price."""
    if row.price_ms is None:
        return f"What {row.of} costs in all was not recorded, so that the cure's own price is not known."
    price = row.price_ms
    if price.low is not None and price.high is not None and price.low < 0 < price.high:
        return f"Its own price, against {row.of} off, cannot be told from nothing: {_ms(price)}."
    return f"Its own price: {_ms(price)} more than with {row.of} off."


def sentence(found: Screening) -> str:
    """What stands above the account."""
    of = figure_name(found.figure)
    if not found.fit.tested:
        return f"Too few runs to test anything: {found.fit.df} degrees of freedom, {LEAST_DF} are the least. Record more passes."
    shown = [row for row in found.switches if row.shown and row.saved_ms.value > 0]
    if not found.switches:
        return f"Cures alone: each stands net, with its own price in it, of {of}."
    if not shown:
        return f"No switch is shown to save anything of {of} by itself. Two together may."
    first = max(shown, key=lambda row: row.saved_ms.value)
    tied = [row.name for row in shown if row.rank == first.rank and row is not first]
    beside = f", not told apart from {' and '.join(tied)}" if tied else ""
    return f"Switching {first.name} off saves most of {of}: {_ms(first.saved_ms)}{beside}."


def gap_sentence(found: Screening) -> str:
    """Do the parts add up to the whole? "" without an empty arm."""
    if found.gap_ms is None or found.total_ms is None or not found.switches:
        return ""
    head = (
        f"Switched off one by one they save {_ms(found.sum_ms)} together; everything off saves {_ms(found.total_ms)}."
    )
    gap = found.gap_ms
    if gap.low is None or gap.high is None:
        return head
    if gap.low > 0:
        return f"{head} The parts make {_ms(gap)} more than the whole: some of it is saved by any one of several."
    if gap.high < 0:
        less = Contrast(-gap.value, low=-gap.high, high=-gap.low)
        return f"{head} {_ms(less)} go only when several are off, or belong to no switch."
    return f"{head} No gap is shown between them ({_ms(gap)})."


def notes(found: Screening, missing: Sequence[str], held: Sequence[str]) -> list[str]:
    said = [
        "This is a screening: what each saves last, while all others are on. It is no credit: that takes them in all their combinations."
    ]
    said += [f"{name} has no complete run and stands in no row." for name in missing]
    said += [f"{name}: a refresh cap holds most of its runs, so that it stands in no row." for name in held]
    if found.total_ms is None:
        said.append("Without an empty arm nothing tells what all of them cost together.")
    few = min(found.fit.runs)
    if few < 3:
        said.append(f"{few} passes: 3 are the recommended least.")
    if found.fit.terms == 0:
        said.append("The place in the session is not taken out: too few runs, or their order is not known.")
    return said


def refused(conditions: dict[str, Any]) -> str:
    listed = "; ".join(f"{key}: {', '.join(map(str, values))}" for key, values in conditions.items())
    return f"The runs cannot be set against each other: conditions that must match differ ({listed})."
