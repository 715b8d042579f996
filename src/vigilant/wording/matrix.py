"""A matrix in words: where a change gains, the worst change anywhere, and whether all cells say one thing."""

from __future__ import annotations

import math
from collections.abc import Sequence

from vigilant.core.vary import Matrix

from .change import number, percent
from .ramp import FIGURES as _FIGURES

FIGURES = _FIGURES
STATES = {"planned": "not recorded yet", "recording": "being recorded", "refused": "not recorded"}


def missing(state: str | None, remark: str) -> str:
    """Why a cell has no comparison."""
    if state is None:
        return "its recording is gone"
    said = STATES.get(state, "no verdict")
    return f"{said}: {remark}" if remark else said


def _ends(low: float, high: float) -> str:
    return f"{percent(math.expm1(low))} to {percent(math.expm1(high))}"


def sentence(found: Matrix | None, names: Sequence[str], cells: int) -> str:
    """Where it gains; *everywhere* is said only of what was measured."""
    if found is None:
        return "Under two cells can be tested: nothing is said of them together."
    whole = "everywhere" if len(names) == cells else "everywhere it was measured"
    losses = [names[i] for i, c in enumerate(found.calls) if c.called and c.low > 0]
    gains = [names[i] for i, c in enumerate(found.calls) if c.called and c.high < 0]
    if found.spread == "everywhere":
        return f"It gains {whole}."
    if found.spread == "here and there":
        return f"It gains in {_listed(gains)} and loses in {_listed(losses)}."
    if found.spread == "somewhere":
        rest = len(names) - len(gains)
        return f"It gains in {_listed(gains)}; in {'the other' if rest == 1 else f'the other {rest}'} nothing is shown."
    if losses:
        return f"It loses in {_listed(losses)} and is shown to gain nowhere."
    return "Nowhere is a gain shown, nor a loss."


def _listed(names: Sequence[str]) -> str:
    if len(names) > 3:
        return f"{len(names)} cells"
    return "; ".join(names)


def worst_sentence(found: Matrix | None, names: Sequence[str]) -> str:
    """The headline: nowhere more than so much dearer."""
    if found is None:
        return ""
    low, high = found.worst_anywhere
    dearest = f"The worst change anywhere lies from {_ends(low, high)}"
    nowhere = (
        f"{dearest}: nowhere is it more than {number(100 * math.expm1(high), 1)} % dearer."
        if high > 0
        else f"{dearest}: it is cheaper everywhere it was measured."
    )
    own = f" The dearest is {names[found.worst]}, {_ends(found.worst_low, found.worst_high)}, allowing for its being picked out."
    others = [names[i] for i, tied in enumerate(found.tied) if tied and i != found.worst]
    tied = (
        f" {len(others)} {'other cell' if len(others) == 1 else 'other cells'} cannot be told from it."
        if others
        else ""
    )
    return nowhere + own + tied


def notes(found: Matrix | None, tested: int, cells: int) -> list[str]:
    said = []
    if tested < cells:
        said.append(
            f"{cells - tested} of {cells} cells are missing, void or held, and enter nothing that is said of all."
        )
    if found is None:
        return said
    if found.consistent < 0.05:
        said.append("The cells do not say one thing: there is no common figure, each stands for itself.")
    else:
        mean, se = found.common
        said.append(
            f"No difference between cells was seen; over those recorded the change is {percent(math.expm1(mean))} (standard error {number(100 * se, 1)} %)."
            " It says nothing of a rig that was not measured."
        )
    return said
