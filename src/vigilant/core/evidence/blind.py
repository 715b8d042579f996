"""A blind trial: which of two looks smoother, sides drawn at random and hidden; what the guesses are worth."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from ..errors import CoreError

Side = Literal["left", "right"]
#: Of fewer answers nothing is said.
LEAST_ANSWERS = 5
MOST_PRESENTATIONS = 60


class InvalidTrial(CoreError):
    """A trial that cannot be one."""

    code = "invalid-trial"


@dataclass(frozen=True)
class BlindResult:
    """``hits`` of ``answers`` named the arm that was looked for; ``p_value`` is the chance of as many by guessing
    (one-sided, binomial with 1/2), None of fewer than five answers."""

    hits: int
    answers: int
    p_value: float | None


def drawn_sides(presentations: int, rng: np.random.Generator) -> tuple[Side, ...]:
    """The side on which *after* is shown, each time drawn by itself. Raises :class:`InvalidTrial`."""
    if not LEAST_ANSWERS <= presentations <= MOST_PRESENTATIONS:
        raise InvalidTrial(f"a trial has {LEAST_ANSWERS} to {MOST_PRESENTATIONS} presentations, got {presentations}")
    return tuple("left" if low else "right" for low in rng.random(presentations) < 0.5)


def blind_result(sides: tuple[Side, ...], answers: tuple[Side, ...], better: Literal["before", "after"]) -> BlindResult:
    """What the answers so far are worth: ``sides`` are those of *after*, ``better`` is the arm that was looked for."""
    from scipy.stats import binom  # here: it is half a second of every program's start

    hits = sum((answer == side) == (better == "after") for side, answer in zip(sides, answers, strict=False))
    n = len(answers)
    return BlindResult(hits, n, float(binom.sf(hits - 1, n, 0.5)) if n >= LEAST_ANSWERS else None)
