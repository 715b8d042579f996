"""A sequence of stills: short motion, held against each other picture by picture, and as a whole.

Its pictures are of one leg, so their noise floor is one: the largest within an arm over all of them. What differs too
little in any one picture can still differ in all of them: over the sequence the noise of single pictures evens out.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from ..errors import CoreError
from .stills import LEAST_SHARE, Difference, State, StillsJudged, state_of

MotionState = Literal["same", "changed", "changed in motion", "to be looked at", "not compared"]
#: How far over the floor the mean of a sequence counts, and by how many standard errors over its pictures: of pairs
#: that differ by noise alone, the median of those between the arms is often over the largest of those within one.
OVER_MOTION, ERRORS = 1.25, 3.0
#: Under so many pictures there is no mean to speak of.
LEAST_PICTURES = 4


@dataclass(frozen=True)
class SequenceJudged:
    """``pictures`` is what each is under the floor of all; ``share`` of the pixels that differ, the mean over the
    pictures, of the median pair of runs; ``floor`` the largest such mean of two runs of one arm, None without repeats."""

    state: MotionState
    pictures: tuple[State, ...]
    share: float | None = None
    floor: float | None = None


def judge_sequence(pictures: Sequence[StillsJudged], pixels: int) -> SequenceJudged:
    """What a sequence says, of its pictures in order as :func:`judge_stills` judged them, of ``pixels`` each.

    *changed* where a picture changed; *changed in motion* where none did and the mean over four pictures or more is over
    1.25 times the floor, by three standard errors, and over 0.01 % of the picture; *same* where every picture is the
    same. Raises :class:`CoreError` ``sequence-uneven`` where pictures are of unlike numbers of runs.
    """
    compared = [one for one in pictures if one.difference is not None]
    if not compared:
        return SequenceJudged("not compared", tuple(one.state for one in pictures))
    if len({(len(one.between), len(one.within)) for one in compared}) > 1:
        raise CoreError("sequence-uneven", "pictures of a sequence are of the same runs")
    noise = None
    floors = [one.floor for one in compared if one.floor is not None]
    if floors:
        noise = Difference(max(one.share for one in floors), max(one.region for one in floors), (0, 0, 0, 0))
    states = tuple(
        one.state if one.difference is None else state_of(one.difference.share, one.difference.region, noise, pixels)
        for one in pictures
    )
    between = np.array([np.median(one.between) for one in compared])
    within = np.array([one.within for one in compared])
    if noise is None:
        return SequenceJudged(_worst(states), states, float(between.mean()))
    largest = within[:, int(within.mean(axis=0).argmax())]
    share, floor = float(between.mean()), float(largest.mean())
    found = SequenceJudged(_worst(states), states, share, floor)
    if found.state == "changed" or len(compared) < LEAST_PICTURES or share <= max(OVER_MOTION * floor, LEAST_SHARE):
        return found
    over = between - largest
    if over.mean() > ERRORS * over.std(ddof=1) / np.sqrt(over.size):
        return SequenceJudged("changed in motion", states, share, floor)
    return found


def _worst(states: Sequence[State]) -> MotionState:
    counts = Counter(states)
    order: tuple[State, ...] = ("changed", "to be looked at", "not compared")
    return next((state for state in order if counts[state]), "same")
