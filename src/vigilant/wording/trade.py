"""Few rich against many simple, in words: what the budget carries at each richness, and what richness costs."""

from __future__ import annotations

from vigilant.core.vary import Trade

from .change import number
from .ramp import FIGURES, capacity_words, each_words


def sentence(found: Trade, figure: str, unit: str, richness: str) -> str:
    """What the budget carries, at the two ends of what was run."""
    told = [(rich, one) for rich, one in zip(found.richness, found.capacities, strict=True) if one.value is not None]
    if not told:
        return f"By {FIGURES[figure]} no {unit} that the budget carries can be told at any {richness}."
    ends = told if len(told) < 3 else [told[0], told[-1]]
    said = [f"{capacity_words(one, unit)} at {rich:g} {richness}" for rich, one in ends]
    return f"By {FIGURES[figure]} the budget carries {', or '.join(said)}."


def factor_sentence(found: Trade, unit: str, richness: str) -> str:
    """Whether what one costs grows in a straight line with its richness."""
    cost = found.per_richness
    if cost is None or found.lack_of_fit is None:
        return f"Whether the cost of {unit} grows in a straight line with {richness} is not tested: too few levels, or runs."
    if found.straight:
        return f"What one of the {unit} costs grows in a straight line with {richness}: {each_words(cost)} ms for each more."
    if found.lack_of_fit < 0.05:
        return (
            f"What one of the {unit} costs does not grow in a straight line with {richness} ({p_words(found.lack_of_fit)}):"
            " no single price holds."
        )
    return f"It is not shown that {richness} costs anything: its price cannot be told from nothing."


def p_words(p_value: float) -> str:
    return "p under 0.001" if p_value < 0.001 else f"p = {number(p_value, 3)}"


def note(found: Trade) -> str:
    return f"All {len(found.richness)} intervals hold together, at 95 %; nothing is said of what lies between."
