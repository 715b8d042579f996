"""Series to test with: one place for the kinds of run that the properties and simulations draw."""

import numpy as np

from vigilant.core import FrameSeries, Policy

POLICY = Policy(target_fps=60)
PAIRS = ["before", "after", "after", "before", "after", "before", "before", "after", "before", "after"]


def ordinary(rng, frames=600, level_ms=12.0, run_spread=0.01, pauses_per_1000=3.0, pause_ms=20.0):
    """Frames around a level that varies from run to run, with some pauses."""
    x = level_ms * np.exp(rng.normal(0, run_spread)) * np.exp(rng.normal(0, 0.05, frames))
    x[rng.random(frames) < pauses_per_1000 / 1000] += pause_ms
    return x


def arm(rng, runs, **kwargs):
    return [FrameSeries(ordinary(rng, **kwargs)) for _ in range(runs)]


def capped(rng, frames=400, hz=60.0, jitter=0.01, late=0.02):
    """Frames held to whole refreshes, stamps jittering by a share of the period."""
    period = 1000.0 / hz
    periods = 1.0 + (rng.random(frames) < late)
    stamps = np.cumsum(np.concatenate(([0.0], periods * period))) + rng.normal(0, jitter * period, frames + 1)
    return np.diff(stamps)


def bursty(rng, per_run, frames=600):
    """Late frames in bursts of 3 to 11, a Poisson number of them a run."""
    x = rng.normal(12.0, 0.2, frames)
    for _ in range(rng.poisson(per_run)):
        at = rng.integers(0, frames - 12)
        x[at : at + rng.integers(3, 12)] = 20.0
    return FrameSeries(x)
