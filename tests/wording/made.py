"""Results made by hand, to write sentences of."""

from dataclasses import replace
from types import SimpleNamespace

import numpy as np
from core.generators import PAIRS, POLICY, arm

from vigilant.core import compare
from vigilant.core.vary import Contrast

_RNG = np.random.default_rng(1)
MADE = compare(arm(_RNG, 5), arm(_RNG, 5), POLICY, PAIRS)


def result(name="mean_ms", before=12.96, after=11.12, low=-2.02, high=-1.63, **changes):
    numbers = {"before": before, "after": after, "difference": after - before, "ci_low": low, "ci_high": high}
    numbers |= {"ratio": after / before, "smallest_visible": 0.31}
    return replace(MADE.figures[name], **{**numbers, **changes})


def some(**values):
    """Something with these attributes, for words that read no more of it."""
    return SimpleNamespace(**values)


def contrast(value, half=None):
    return Contrast(value) if half is None else Contrast(value, low=value - half, high=value + half)
