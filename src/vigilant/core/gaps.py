"""What stands where a reading is none: three states that stay apart from the file to the screen.

A column is float64; each state is a NaN of its own bits, so that every figure leaves it out and
nothing has to be carried beside the column. None of them is zero.
"""

from __future__ import annotations

import numpy as np

from .series import FloatArray

_BITS = {"missing": 0x7FF8000000000000, "stale": 0x7FF8000000000001, "below": 0x7FF8000000000002}
STATES = tuple(_BITS)
#: The float that stands for a state in a column.
GAP: dict[str, float] = {name: float(np.uint64(bits).view(np.float64)) for name, bits in _BITS.items()}
_MEANT = np.uint64(0x3)


def gap_states(values: FloatArray) -> dict[str, FloatArray]:
    """Where each state stands: its indices (k,) in ``values`` (n,). A NaN of any other bits is *missing*."""
    at = np.flatnonzero(np.isnan(values))
    bits = np.ascontiguousarray(values[at], dtype=np.float64).view(np.uint64) & _MEANT
    kinds = {"stale": bits == 1, "below": bits == 2}
    kinds["missing"] = ~(kinds["stale"] | kinds["below"])
    return {name: at[mask] for name, mask in kinds.items() if mask.any()}


def gap_counts(values: FloatArray) -> dict[str, int]:
    """How many values of a column are of each state; empty without gaps."""
    return {name: int(at.size) for name, at in gap_states(values).items()}
