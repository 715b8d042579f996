"""The order of the runs: balanced, seeded, never plain alternation."""

from __future__ import annotations

import random
from collections.abc import Sequence
from itertools import pairwise


def draw_order(runs: int, seed: int, kind: str = "pairs", arms: Sequence[str] = ("before", "after")) -> list[str]:
    """The arm of each of ``len(arms) * runs`` slots.

    *pairs*: blocks of one run an arm, in random order within each block; *mirrored*: random
    blocks, each followed by its mirror (B A A B). An order that repeats one block strictly
    (A B A B ...) is drawn again, from two blocks on.
    """
    rng = random.Random(seed)
    while True:
        blocks: list[list[str]] = []
        while len(blocks) < runs:
            block = list(arms)
            rng.shuffle(block)
            blocks.append(block)
            if kind == "mirrored" and len(blocks) < runs:
                blocks.append(block[::-1])
        if runs < 2 or len(arms) < 2 or any(a != b for a, b in pairwise(blocks)):
            return [arm for block in blocks for arm in block]
