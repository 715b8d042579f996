"""Changes untangled, in words: what each brought, what they did together, and that it adds up."""

from __future__ import annotations

import math
from collections.abc import Sequence

from vigilant.core.vary import Contrast, Effect, Untangled, passes_needed
from vigilant.core.vary.cells import LEAST_DF

from .change import decimals_for, number, percent
from .lanes import row_words_of
from .switched import figure_name

#: The change of the frame for which the passes are told that would show it.
LOOKED_FOR = 0.02


def words_of(found: Contrast, off_ms: float) -> dict[str, str]:
    """A row of the account: the frame without any of the changes, and with what this one does."""
    return row_words_of(off_ms, off_ms + found.value, found.value, found.low, found.high, 3)


def _ms(found: Contrast) -> str:
    half = None if found.low is None or found.high is None else (found.high - found.low) / 2
    digits = decimals_for(half, 3)
    side = "saved" if found.value < 0 else "spent"
    if half is None or found.low is None or found.high is None:
        return f"{number(abs(found.value), digits)} ms {side}"
    if found.low < 0 < found.high:
        return f"{number(abs(found.value), digits)} ms {side} ({number(-found.low, digits)} saved to {number(found.high, digits)} spent)"
    low, high = sorted((abs(found.low), abs(found.high)))
    return f"{number(abs(found.value), digits)} ms {side} ({number(low, digits)} to {number(high, digits)})"


def sentence(found: Untangled, names: Sequence[str]) -> str:
    of = figure_name(found.figure)
    if not found.fit.tested:
        return f"Too few runs to test anything: {found.fit.df} degrees of freedom, {LEAST_DF} are the least. Record more passes."
    shown = [(names[e.changes[0]], c) for e, c in zip(found.effects, found.credit, strict=True) if e.shown]
    if not shown:
        return f"None of them is shown to change {of}."
    name, credit = max(shown, key=lambda row: abs(row[1].value))
    others = [other for other, _ in shown if other != name]
    rest = f"; also shown: {', '.join(others)}" if others else "; of the others nothing is shown"
    together = "" if found.total is None else f" Together they make {_ms(found.total)}."
    return f"Most of the change of {of} is {name}: {_ms(credit)}{rest}.{together}"


def pair_name(pair: tuple[int, int], names: Sequence[str]) -> str:
    return f"{names[pair[0]]} with {names[pair[1]]}"


def effect_name(effect: Effect, names: Sequence[str]) -> str:
    """ "A with B, or C with E": interactions that these configurations cannot tell apart are one."""
    first = effect.changes
    pairs = [(first[0], first[1]), *effect.also]
    return ", or ".join(pair_name(pair, names) for pair in pairs)


def interaction_sentence(effect: Effect) -> str:
    if not effect.shown:
        return "not shown"
    return "together they save more than alone" if effect.ms.value < 0 else "together they save less than alone"


def share_words(effect: Effect) -> str:
    return percent(effect.share)


def gap_sentence(found: Untangled) -> str:
    """ "" where the credit adds up by construction."""
    if found.gap is None:
        return ""
    head = f"The credits leave {_ms(found.gap)} of the total."
    if found.gap.low is not None and found.gap.high is not None and (found.gap.low > 0 or found.gap.high < 0):
        return f"{head} Three of them interact: record all combinations of the two to four that were shown, the others left on."
    return f"{head} That may be nothing."


def notes(found: Untangled, few: int) -> list[str]:
    said = []
    if not found.whole:
        said.append("Every credit holds if no three of them interact: not all combinations were recorded.")
    if few < 2:
        said.append("One pass: the values are shown and nothing is tested.")
    if found.fit.tested and not any(effect.shown for effect in found.effects):
        needed = passes_needed(len(found.effects), math.sqrt(found.fit.s2), math.log1p(LOOKED_FOR))
        runs = f"{needed} passes" if needed else "more than twelve passes"
        said.append(f"At this spread {runs} would show a change of {100 * LOOKED_FOR:.0f} %.")
    if found.total is None:
        said.append(
            "All of them on together is no configuration of this design: what they make in all was not recorded."
        )
    said.append(
        "A change that could not be switched gets no credit here; what was not switched is in all configurations."
    )
    return said
