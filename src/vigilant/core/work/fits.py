"""Values of runs as they are shown: a mean with its half width, a difference of arms with its interval and p."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from scipy.special import stdtrit

from ..design import Design, fit_design, p_values
from ..levels import half_of_mean
from ..scales import LOG_SD, LOG_VARIANCE
from ..series import FloatArray

CONFIDENCE = 0.975


def mean_over_runs(values: Sequence[float], least_sd: float) -> tuple[float, float | None]:
    """Mean of one value a run, and its half width at 95 % by Student's t; None of a single run."""
    x = np.asarray(values, dtype=np.float64)
    return float(x.mean()), half_of_mean(x, least_sd**2)


def fitted_ms(design: Design, y: FloatArray) -> list[tuple[float, float | None, float | None, float | None]]:
    """Of every column of ``y`` (N, F), ms of each run: the difference, its interval and p; None where nothing is tested."""
    floors = np.maximum((LOG_SD * np.abs(y).mean(axis=0)) ** 2, 1e-18)
    fit = fit_design(design, y, np.tile(floors, (2, 1)))
    if fit.se is None or fit.df is None:
        return [(float(d), None, None, None) for d in fit.d]
    half = stdtrit(fit.df, CONFIDENCE) * fit.se
    p = p_values(fit.d, fit.se, fit.df)
    return [(float(d), float(d - h), float(d + h), float(one)) for d, h, one in zip(fit.d, half, p, strict=True)]


def fitted_log(design: Design, y: FloatArray) -> tuple[float | None, float | None, float | None]:
    """Of ``y`` (N,), ms above 0: the interval by the logarithm, as a share of the level before, and p."""
    fit = fit_design(design, np.log(y)[:, None], np.full((2, 1), LOG_VARIANCE))
    if fit.se is None or fit.df is None:
        return None, None, None
    level = float(y[: design.k_before].mean())
    d, half = float(fit.d[0]), float(stdtrit(fit.df[0], CONFIDENCE) * fit.se[0])
    low, high = (level * math.expm1(end) for end in (d - half, d + half))
    return low, high, float(p_values(fit.d, fit.se, fit.df)[0])


def half_of_difference(design: Design, y: FloatArray) -> float | None:
    """Half of the 95 % interval of the difference of ``y`` (N,) between arms; None where nothing is tested."""
    fit = fit_design(design, y[:, None], np.full((2, 1), 1e-18))
    if fit.se is None or fit.df is None:
        return None
    return float(stdtrit(fit.df[0], CONFIDENCE) * fit.se[0])
