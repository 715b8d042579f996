"""The distribution of both arms: an axis that shows the tail, the curves of the arms, shares over the budget."""

from __future__ import annotations

import numpy as np

from ..series import FloatArray

#: No axis reaches further into the tail than this share of the frames.
LEAST_SHARE = 1e-4


def share_axis(shares: FloatArray, least: float = LEAST_SHARE) -> FloatArray:
    """Where shares of the frames (0..1) lie on an axis 0..1 whose tail is stretched.

    As they are up to one half; above, 0.5 + 0.5 ln(0.5 / (1 - s)) / ln(0.5 / least), so that each further tenth of what
    is left takes the same width. ``least`` is the smallest share told apart, at least :data:`LEAST_SHARE`.
    """
    least = max(least, LEAST_SHARE)
    rest = np.clip(1.0 - np.asarray(shares, float), least, 1.0)
    return np.where(rest >= 0.5, 1.0 - rest, 0.5 + 0.5 * np.log(0.5 / rest) / np.log(0.5 / least))
