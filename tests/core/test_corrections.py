"""Corrections for looking often: each of these fails when its rule is taken out."""

from types import SimpleNamespace

import numpy as np
import pytest

from core.generators import ordinary
from vigilant.core import FrameSeries, Policy, compare
from vigilant.core.edges import REACH, _gap_near
from vigilant.core.several import _ranks


def pair(p, d):
    return SimpleNamespace(figures={"mean_ms": SimpleNamespace(p_value=p, d=d, higher_is_better=False)})


def test_places_among_arms_stand_on_holm_over_their_pairs():
    """p = 0.03 in one of three pairs is 0.09 among three: no place is given away for it."""
    alone = {("a", "b"): pair(0.03, -0.1), ("a", "c"): pair(0.5, -0.01), ("b", "c"): pair(0.6, 0.01)}
    assert _ranks(["a", "b", "c"], alone, 0.05)["mean_ms"] == {"a": (1, 3), "b": (1, 3), "c": (1, 3)}
    found = {**alone, ("a", "b"): pair(0.016, -0.1)}
    assert _ranks(["a", "b", "c"], found, 0.05)["mean_ms"] == {"a": (2, 3), "b": (1, 2), "c": (1, 3)}


def test_an_odd_run_is_odd_among_all_runs():
    """One of ten in a thousand runs that are alike is called odd at 1 % of sets, not at 1 % of runs."""
    rng = np.random.default_rng(8)
    called = 0
    for _ in range(150):
        arms = [[FrameSeries(np.full(8, m)) for m in 10.0 * np.exp(rng.normal(0, 0.01, 5))] for _ in range(2)]
        called += any(f.code == "odd-run" for f in compare(*arms, Policy()).findings)
    assert called <= 0.01 * 150 + 3 * np.sqrt(0.01 * 150)


@pytest.mark.parametrize(("off", "near"), [(0.9, True), (1.6, False), (2.5, False)])
def test_a_quantile_is_at_an_edge_within_the_reach_of_the_runs_own_shares(off, near):
    """Shares of pauses of 1.0 % -+ 0.2 %: the quantile ``off`` standard deviations away is at the edge or not."""
    shares = 0.01 + 0.002 * np.array([-1.2, -0.6, 0.0, 0.6, 1.2])
    frames, rng = 20_000, np.random.default_rng(3)
    views = []
    for share in shares:
        x = ordinary(rng, frames, 10.0, pauses_per_1000=0)
        x[: round(share * frames)] = 40.0 + rng.random(round(share * frames))
        views.append(np.sort(x))
    ordered = np.sort(np.concatenate(views))
    sd = float(np.std(shares, ddof=1))
    assert REACH == 1.5
    assert _gap_near(views, ordered, 1.0 - (0.01 + off * sd), 0.1) is near
