"""A mix of loads against the sum of its parts, in words."""

from __future__ import annotations

from collections.abc import Sequence

from vigilant.core.vary import Mixture
from vigilant.core.vary.cells import LEAST_DF
from vigilant.core.vary.mixture import MARGIN

from .change import decimals_for, number, percent
from .switched import figure_name

_WHY = {
    "more than the sum": "they get in each other's way",
    "less than the sum": "they share some of their work",
}


def sentence(found: Mixture, parts: Sequence[str]) -> str:
    """What the mix takes beyond the sum of its parts."""
    within = f"{', '.join(parts[:-1])} and {parts[-1]}"
    named = within[:1].upper() + within[1:]
    of = figure_name(found.figure)
    beyond = found.beyond
    if beyond.low is None or beyond.high is None:
        return f"Too few runs to test anything: {LEAST_DF} degrees of freedom are the least. Record more passes."
    digits = decimals_for((beyond.high - beyond.low) / 2, 3)
    ends = f"{number(beyond.low, digits)} to {number(beyond.high, digits)}"
    if found.call == "adds up":
        return f"{named} add up: together they take what they take one by one, within {100 * MARGIN:g} % ({ends} ms beyond, {of})."
    if found.call == "cannot be told":
        return f"Whether {within} add up cannot be told: together they take {ends} ms beyond their sum ({of})."
    near, far = sorted((abs(beyond.low), abs(beyond.high)))
    word = found.call.split()[0]
    return (
        f"{named} take {number(abs(beyond.value), digits)} ms {word} together than one by one ({number(near, digits)} to"
        f" {number(far, digits)}, {percent(abs(found.share)).lstrip('+')} of the mix; {of}): {_WHY[found.call]}."
    )


def notes(found: Mixture) -> list[str]:
    said = ["Each part is net of the empty scene, so that what every frame takes anyway is counted once."]
    needed = found.runs_needed
    if found.call == "cannot be told" and needed is not None and needed > found.runs:
        said.append(
            f"About {needed} runs of all scenes together would tell it, half of the time; there are {found.runs}."
        )
    return said
