"""A hunt in words: between which builds the step lies, and how sure that is."""

from __future__ import annotations

from collections.abc import Sequence

from vigilant.core.trend import Where

from .change import number, percent

#: A place's chance as a height, and how many places a strip has at most.
_HEIGHTS = " ▁▂▃▄▅▆▇█"
STRIP = 60


def sentence(found: Where, builds: Sequence[str], change: float | None, runs: int) -> str:
    """``change`` is what the bad end takes more, as a share."""
    if found.why == "not reproduced":
        return (
            f"Not reproduced: after {runs} runs {builds[-1]} cannot be told from {builds[0]}"
            f" ({percent(change or 0.0)}), so that there is no step to look for."
        )
    low, high = found.held()
    much = "" if change is None else f" ({percent(change)} between the ends)"
    if found.why == "certain" and low == high:
        chance = number(100 * min(0.999, float(found.posterior.max())), 1)
        return f"It begins with {builds[low]}{much}: {chance} % certain after {runs} runs."
    return f"It begins between {builds[low]} and {builds[high]}{much}: {high - low + 1} builds hold 95 % after {runs} runs."


def notes(found: Where, cannot: Sequence[str]) -> list[str]:
    said = []
    if not found.fits:
        said.append("One step fits the recorded builds badly: more than one change may lie between.")
    if cannot:
        said.append(f"Could not be recorded, and left out: {', '.join(cannot)}.")
    return said


def strip(found: Where) -> str:
    """The chance of each place as a row of heights, from the good end to the bad one."""
    chances = found.posterior
    width = -(-chances.size // STRIP)
    sums = [float(chances[i : i + width].sum()) for i in range(0, chances.size, width)]
    most = max(sums)
    return "".join(_HEIGHTS[max(1, round((len(_HEIGHTS) - 1) * one / most))] if one > 0.002 else "·" for one in sums)
