"""The order of the runs: never plain alternation."""

from __future__ import annotations

import random
from itertools import pairwise
from typing import Literal


def draw_order(runs: int, seed: int, kind: Literal["pairs", "mirrored"] | str = "pairs") -> list[str]:
    """The arm of each of 2 ``runs`` slots.

    *pairs*: random order within each pair; *mirrored*: random pairs, each followed by its
    mirror (B A A B). A strict alternation (A B A B ...) is drawn again, from four slots on.
    """
    rng = random.Random(seed)
    while True:
        order: list[str] = []
        while len(order) < 2 * runs:
            pair = ["before", "after"]
            rng.shuffle(pair)
            order += pair + (pair[::-1] if kind == "mirrored" and len(order) + 2 < 2 * runs else [])
        alternates = all(a != b for a, b in pairwise(order))
        if runs < 2 or not alternates:
            return order
