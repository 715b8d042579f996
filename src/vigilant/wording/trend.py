"""The line over builds in words: its steps, drifts and odd builds, and the newest build against it."""

from __future__ import annotations

import math
from collections.abc import Sequence

from vigilant.core.trend import Alert, Drift, Line, Step

from .change import percent
from .switched import figure_name


def _share(size: float) -> str:
    """A size on a scale of logarithms, as a share."""
    return percent(math.expm1(size))


def step_words(step: Step, builds: Sequence[str]) -> str:
    """ "+2.9 % (+2.1 % to +3.6 %) from b42 on, or from b41 to b43"."""
    said = f"{_share(step.size)} ({_share(step.low)} to {_share(step.high)}) from {builds[step.at]} on"
    if step.first == step.last:
        return said
    return f"{said}; it may begin with any from {builds[step.first]} to {builds[step.last]}"


def drift_words(drift: Drift, builds: Sequence[str]) -> str:
    return f"a drift of {_share(drift.size)} from {builds[drift.first]} to {builds[drift.last]}"


def line_sentence(figure: str, found: Line, builds: Sequence[str]) -> str:
    name = figure_name(figure)
    of = f"{name[:1].upper()}{name[1:]} over {len(builds)} builds"
    if found.short:
        return f"{of}: levels only, as eight builds are the least to tell a step from another session."
    parts = [step_words(step, builds) for step in found.steps] + [drift_words(drift, builds) for drift in found.drifts]
    if found.slope:
        parts.append(f"{_share(found.slope)} a build all along")
    return f"{of}: {'; '.join(parts) if parts else 'no step'}."


def notes(found: Line, builds: Sequence[str]) -> list[str]:
    said = []
    if found.odd:
        named = ", ".join(builds[i] for i in found.odd)
        said.append(f"Odd: {named}. Such a build stands alone and weighs little; record it again.")
    if not found.short:
        said.append(
            f"Sessions of one build differ by {percent(math.sqrt(found.tau2)).lstrip('+')}, runs of one session by"
            f" {percent(math.sqrt(found.noise.s2)).lstrip('+')}: the intervals are what a repeat in another session agrees with."
        )
    return said


def alert_sentence(figure: str, found: Alert, newest: str) -> str:
    """The newest build against the line before it; figures of which less is better."""
    name = figure_name(figure)
    if not found.call:
        return f"{newest} is what its line expects of {name}: {_share(found.sudden.d)}, which is no alarm."
    word = "worse" if found.d > 0 else "better"
    how = "" if found.call == "sudden" else ", by the newest four builds together"
    return f"{newest} is {word} than its line: {name} {_share(found.d)}{how}."


def rate_sentence(rate: float, figures: int) -> str:
    watched = "" if figures == 1 else f", {figures} figures watched"
    return (
        f"One false alarm in {round(1 / rate)} builds is expected{watched}; record the build again in another session"
        " before an alarm is believed."
    )
