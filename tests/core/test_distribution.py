"""Quantiles on coarse clocks and at edges, regular pauses, and the band over all quantiles."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from core.generators import ordinary
from vigilant.core import FrameSeries, Policy, compare, summarize
from vigilant.core.figures import grouped_quantiles, quantiles_of
from vigilant.core.schedule import draw_order
from vigilant.core.summary import RunFrames

PAIRS = draw_order(6, 3)


def plainly(values, p, q):
    """The grouped quantile as its formula reads: v - q/2 + q (p n - F) / c."""
    n = len(values)
    for v in sorted(set(values)):
        below, here = sum(x < v for x in values), sum(x == v for x in values)
        if below + here >= p * n - 1e-9:
            low = max(0.0, v - q / 2)
            return low + (v + q / 2 - low) * (p * n - below) / here
    raise AssertionError


@settings(max_examples=150, deadline=None)
@given(st.lists(st.integers(0, 12), min_size=1, max_size=60), st.sampled_from([0.1, 1.0, 15.625]))
def test_grouped_quantiles_are_their_formula(steps, q):
    values = np.sort(np.array(steps) * q)
    at = np.array([0.01, 0.25, 0.5, 0.9, 0.999])
    got = grouped_quantiles(values, at, q)
    exact = [round(v / q) * q for v in values]
    assert got == pytest.approx([plainly(exact, p, q) for p in at], abs=1e-9)
    assert (np.diff(got) >= -1e-12).all()


def test_a_fine_clock_has_plain_quantiles():
    x = np.sort(np.random.default_rng(1).normal(12, 1, 501))
    at = np.array([0.5, 0.99])
    assert quantiles_of(x, at, 0.05) == pytest.approx(np.quantile(x, at))
    assert quantiles_of(x, at, 0.5) != pytest.approx(np.quantile(x, at))


def ticked(rng, level, runs=6):
    return [FrameSeries(np.diff(np.floor(np.cumsum(rng.normal(level, 2.0, 900))), prepend=0.0)) for _ in range(runs)]


def test_a_coarse_clock_still_sees_a_change_of_the_median_below_one_step():
    rng = np.random.default_rng(7)
    got = compare(ticked(rng, 12.2), ticked(rng, 11.7), Policy(), PAIRS)
    median = got.figures["p50_ms"]
    assert got.timer_step_ms == 1.0
    assert (median.call, median.difference) == ("better", pytest.approx(-0.5, abs=0.15))
    assert got.figures["jitter_ms"].p_value is None


def paused(rng, share, frames=1500):
    x = 12.0 * np.exp(rng.normal(0, 0.03, frames))
    x[rng.random(frames) < share] += 20.0
    return FrameSeries(x)


@pytest.mark.parametrize(
    ("share", "unstable"),
    [(0.01, {"p99_ms"}), (0.1, {"p90_ms"}), (0.0, set()), (0.03, set())],
)
def test_a_quantile_between_body_and_pauses_is_not_tested(share, unstable):
    rng = np.random.default_rng(3)
    got = compare([paused(rng, share) for _ in range(6)], [paused(rng, share) for _ in range(6)], Policy(), PAIRS)
    assert set(got.unstable) - {"p999_ms"} == unstable
    for name in unstable:
        assert (got.figures[name].p_value, got.figures[name].call) == (None, "not certifiable")
    assert got.figures["slowest_1pct_ms"].p_value is not None
    judged = compare(
        [paused(rng, share) for _ in range(6)], [paused(rng, share) for _ in range(6)],
        Policy(primaries=["p99_ms", "mean_ms"]), PAIRS,
    )  # fmt: skip
    assert ("quantile-at-edge" in {f.code for f in judged.findings}) == ("p99_ms" in unstable)


def test_a_run_that_is_slower_as_a_whole_is_no_edge():
    rng = np.random.default_rng(5)
    levels = [12.0, 15.0] * 3
    arms = [[FrameSeries(ordinary(rng, 900, level, run_spread=0.003, pauses_per_1000=0)) for level in levels] for _ in range(2)]  # fmt: skip
    assert compare(*arms, Policy(), PAIRS).unstable == ()


def run_with_pauses(rng, kind, frames=3000):
    x = 12.0 * np.exp(rng.normal(0, 0.05, frames))
    if kind == "by chance":
        x[rng.random(frames) < 0.01] += 25.0
    elif kind == "every second":
        ends = np.cumsum(x)
        x[np.searchsorted(ends, np.arange(1000.0, ends[-1], 1000.0))] += 25.0
    elif kind != "none":
        at, jitter = 0, {"every 100": 0.0, "near 100": 0.05, "one in five missed": 0.0}[kind]
        while (at := at + max(4, round(100 * (1 + rng.normal(0, jitter))))) < frames:
            if kind != "one in five missed" or rng.random() > 0.2:
                x[at] += 25.0
    return FrameSeries(x)


@pytest.mark.parametrize(
    ("kind", "hits"),
    [("every 100", 20), ("near 100", 20), ("one in five missed", 19), ("every second", 20), ("by chance", 0), ("none", 0)],
)  # fmt: skip
def test_regular_pauses_are_told_from_pauses_by_chance(kind, hits):
    rng = np.random.default_rng(11)
    found = [summarize(run_with_pauses(rng, kind)).regular for _ in range(20)]
    assert abs(sum(f is not None for f in found) - hits) <= (1 if hits else 0)
    for f in found:
        if f is not None:
            period = f.period if f.unit == "frames" else 1000.0 * f.period / 12.25
            assert period == pytest.approx(82 if kind == "every second" else 100, rel=0.05)


def test_the_sliding_second_agrees_with_counting_every_window():
    rng = np.random.default_rng(2)
    for trial in range(100):
        x = rng.gamma(2, 10, int(rng.integers(1, 300)))
        x = np.round(x) if trial % 3 == 0 else x
        x[0] += 1.0
        ends, starts = np.cumsum(x), np.cumsum(x) - x
        windows = [s for s in starts if s + 1000.0 <= ends[-1] + 1e-9]
        plain = [
            np.sum((starts >= s - 1e-9) & (ends <= s + 1000.0))
            + next(((s + 1000.0 - a) / (b - a) for a, b in zip(starts, ends, strict=True) if a < s + 1000.0 < b), 0.0)
            for s in windows
        ]
        got = RunFrames(FrameSeries(x), Policy()).slowest_second_fps
        assert got == (pytest.approx(min(plain)) if plain else None)


def test_the_band_holds_over_all_quantiles_at_once():
    """No change: 92 to 98 % of bands hold zero everywhere; 100 repeats leave a Monte Carlo error of 2.2 %."""
    rng = np.random.default_rng(17)
    held = 0
    repeats = 100
    for i in range(repeats):
        arms = [[FrameSeries(ordinary(rng, 400, pauses_per_1000=0)) for _ in range(5)] for _ in range(2)]
        band = compare(*arms, Policy(), draw_order(5, i)).band
        held += bool(((band.low <= 0) & (band.high >= 0)).all())
    assert 0.88 <= held / repeats <= 1.0


def test_the_band_shows_where_the_change_is_and_three_runs_have_none():
    rng = np.random.default_rng(4)

    def tail_cut(n):
        return [FrameSeries(np.minimum(ordinary(rng, 1500, pauses_per_1000=60), 14.0)) for _ in range(n)]

    full = [FrameSeries(ordinary(rng, 1500, pauses_per_1000=60)) for _ in range(6)]
    band = compare(full, tail_cut(6), Policy(), PAIRS).band
    at = {round(100 * p, 1): i for i, p in enumerate(band.at)}
    assert band.low[at[50]] <= 0 <= band.high[at[50]]
    assert band.high[at[98]] < 0
    assert compare(full[:3], tail_cut(3), Policy(), draw_order(3, 1)).band.low is None


def test_every_relabelling_is_used_where_there_are_few():
    from vigilant.core.band import _relabellings

    labels = _relabellings(8, 4, 0)
    assert labels.shape == (70, 8)
    assert len({tuple(row) for row in labels}) == 70
    assert (labels.sum(axis=1) == 4).all()
    assert _relabellings(20, 10, 0).shape == (1000, 20)
