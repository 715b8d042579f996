"""Figures of one run against slow plain implementations and closed forms."""

import math
import subprocess
import sys

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from core.generators import capped, ordinary
from vigilant.core import FrameSeries, InvalidPolicy, InvalidSeries, Mark, Policy, summarize
from vigilant.core.series import played
from vigilant.core.stutter import stutter_events

frame_arrays = arrays(np.float64, st.integers(1, 120), elements=st.floats(0.5, 80.0, allow_subnormal=False))
POLICY = Policy(target_fps=60)


def plain_stutters(x, r=1.0, s=0.0):
    """The definition, word for word."""
    events, n = [], len(x)
    for j in range(n):
        start = 0 if n < 31 else min(max(j - 15, 0), n - 31)
        m = np.median(x[start : start + 31] if n >= 31 else x)
        if x[j] - m > max(0.75 * r * m, 4.0, 6 * s):
            if events and j - events[-1][-1][0] < 4:
                events[-1].append((j, x[j] - m))
            else:
                events.append([(j, x[j] - m)])
    return [sum(e for _, e in event) for event in events]


def plain_slowest_second(x):
    fewest = None
    for i in range(len(x)):
        left, count = 1000.0, 0.0
        for j in range(i, len(x)):
            part = min(1.0, left / x[j])
            count, left = count + part, left - part * x[j]
            if left <= 1e-9:
                break
        if left <= 1e-9:
            fewest = count if fewest is None else min(fewest, count)
    return fewest


@given(frame_arrays)
def test_quantiles_and_means_agree_with_numpy(x):
    got = summarize(FrameSeries(x), POLICY)
    for name, p in (("p50_ms", 50), ("p75_ms", 75), ("p95_ms", 95), ("p99_ms", 99), ("p999_ms", 99.9)):
        assert math.isclose(getattr(got, name), np.percentile(x, p), rel_tol=1e-9)
    assert math.isclose(got.mean_ms * got.rate_fps, 1000.0, rel_tol=1e-9)
    assert math.isclose(got.slowest_1pct_ms, np.sort(x)[-math.ceil(x.size / 100) :].mean(), rel_tol=1e-9)
    assert got.best_ms <= got.p50_ms <= got.p99_ms <= got.slowest_01pct_ms + 1e-9 <= got.worst_ms + 2e-9
    budget = 1000 / 60
    assert math.isclose(got.overrun_share, np.maximum(x - budget, 0).sum() / x.sum(), rel_tol=1e-9, abs_tol=1e-15)


@given(frame_arrays, st.floats(0.5, 2.0), st.floats(0.0, 2.0))
def test_stutters_agree_with_the_definition(x, ratio, spread):
    got = stutter_events([x], ratio, spread)
    assert np.allclose(got.size_ms, plain_stutters(x, ratio, spread))


@pytest.mark.parametrize("kind", ["few tall", "empty frames", "anything", "rising"])
def test_stutters_of_longer_runs_agree_with_the_definition(kind):
    """Few candidates and many go different ways to one answer."""
    rng = np.random.default_rng(3)
    for n in rng.integers(31, 400, 60):
        x = {
            "few tall": ordinary(rng, n, pauses_per_1000=50),
            "empty frames": np.where(rng.random(n) < 0.3, 0.0, rng.uniform(0.1, 40, n)),
            "anything": rng.uniform(1, 40, n),
            "rising": np.cumsum(rng.uniform(0, 1, n)) + 1,
        }[kind]
        assert np.allclose(stutter_events([x], 1.5, 0.5).size_ms, plain_stutters(x, 1.5, 0.5))


@given(arrays(np.float64, st.integers(1, 60), elements=st.floats(5, 400)))
def test_slowest_second_agrees_with_the_definition(x):
    got, expected = summarize(FrameSeries(x)).slowest_second_fps, plain_slowest_second(x)
    assert (got is None) == (expected is None) or abs(x.sum() - 1000) < 1e-6
    if got is not None and expected is not None:
        assert math.isclose(got, expected, rel_tol=1e-6)


@given(frame_arrays, st.data())
def test_legs_that_are_not_play_change_nothing_else(x, data):
    cut = data.draw(st.integers(0, x.size - 1))
    loading = np.full(7, 250.0)
    joined = FrameSeries(
        np.concatenate([x[:cut], loading, x[cut:]]), marks=[Mark(cut, "load", False), Mark(cut + 7, "walk")]
    )
    with_loading, without = summarize(joined, POLICY), summarize(FrameSeries(x), POLICY)
    assert with_loading.frames == without.frames
    assert math.isclose(with_loading.mean_ms, without.mean_ms, rel_tol=1e-9)
    assert with_loading.late_share == without.late_share or with_loading.timer_step_ms != without.timer_step_ms


def test_nothing_crosses_a_join():
    x = np.concatenate([np.full(50, 10.0), np.full(20, 500.0), np.full(50, 30.0)])
    series = FrameSeries(x, marks=[Mark(0, "walk"), Mark(50, "load", False), Mark(70, "boss")])
    assert [s.size for s in played(series).stretches()] == [50, 50]
    assert summarize(series).jitter_ms == 0.0  # the step from 10 to 30 ms lies across the join
    assert summarize(series).stutters == 0


@pytest.mark.parametrize(
    ("hz", "jitter", "late", "found"),
    [(60, 0.01, 0.02, True), (144, 0.03, 0.05, True), (30, 0.0, 0.0, True), (60, 0.12, 0.02, False)],
)
def test_cap_is_found_from_the_frames(hz, jitter, late, found):
    rng = np.random.default_rng(5)
    got = summarize(FrameSeries(capped(rng, 2000, hz, jitter, late))).cap_ms
    assert (got is not None) == found
    if found:
        assert math.isclose(got, 1000.0 / hz, rel_tol=0.002)


@pytest.mark.parametrize(
    ("ms", "held"), [(0.176, False), (3.1, False), (11.0, False), (1000 / 60, True), (1000 / 144, True)]
)
def test_work_that_is_the_same_in_every_frame_is_no_cap(ms, held):
    """Frames that spread by half a thousandth, each on its own: of a screen's rate they may be rounded durations."""
    rng = np.random.default_rng(9)
    frames = ms * (1 + 0.0005 * np.abs(rng.standard_normal((40, 400))) + 0.1 * (rng.random((40, 400)) < 0.03))
    found = sum(summarize(FrameSeries(run)).cap_ms is not None for run in frames)
    assert found > 30 if held else found == 0
    # What is alike to the digit is held by a clock, but for what no screen shows.
    assert (summarize(FrameSeries(ms * (1 + 1e-6 * rng.random(400)))).cap_ms is not None) == (ms > 1)


@pytest.mark.parametrize("frames", [160, 300, 800])
def test_short_runs_too_are_told_capped_or_not(frames):
    """99 % hits, 1 % false (1.6 % measured of the shortest), each within its Monte Carlo error."""
    rng = np.random.default_rng(6)

    def share(make):
        return np.mean([summarize(FrameSeries(make())).cap_ms is not None for _ in range(250)])

    false = 0.02 if frames == 160 else 0.01
    bound = false + 3 * math.sqrt(false * (1 - false) / 250)
    assert share(lambda: ordinary(rng, frames)) <= bound
    assert share(lambda: 12.0 * rng.uniform(0.9, 1.1, frames)) <= bound
    assert share(lambda: capped(rng, frames, jitter=0.03, late=0.05)) >= 0.99 - 3 * math.sqrt(0.01 * 0.99 / 250)


@pytest.mark.parametrize("step", [0.0, 0.01, 0.1, 1.0, 15.625 / 4])
def test_timer_step_is_found(step):
    stamps = np.cumsum(ordinary(np.random.default_rng(7), 2000, pauses_per_1000=20))
    if step:
        stamps = np.floor(stamps / step) * step
    x = np.diff(stamps)
    assert math.isclose(summarize(FrameSeries(x)).timer_step_ms, step, abs_tol=1e-9)


@pytest.mark.parametrize(("level", "pause"), [(10, 10), (10, 5), (5, 5), (20, 10)])
def test_a_steady_load_with_equal_pauses_is_no_coarse_clock(level, pause):
    rng = np.random.default_rng(1)
    x = level * rng.uniform(0.99, 1.01, 3000) + pause * (rng.random(3000) < 0.015)
    assert summarize(FrameSeries(x)).timer_step_ms == 0.0


def test_a_coarse_clock_with_jittering_stamps_is_found():
    rng = np.random.default_rng(2)
    stamps = np.floor(np.cumsum(rng.normal(12.3, 0.4, 3000))) + rng.normal(0, 0.008, 3000)
    assert summarize(FrameSeries(np.diff(stamps))).timer_step_ms == 1.0


@pytest.mark.parametrize(
    ("values", "message"),
    [
        ([], "at least one frame"),
        ([1.0, float("nan")], "frame 1 is"),
        ([1.0, float("inf")], "finite"),
        ([1.0, -2.0], "not negative"),
        ([0.0, 0.0], "all 2 frames are 0 ms"),
        ([[1.0], [2.0]], "one-dimensional"),
    ],
)
def test_what_cannot_be_a_series_is_refused(values, message):
    with pytest.raises(InvalidSeries, match=message):
        FrameSeries(values)


@pytest.mark.parametrize(
    ("arguments", "message"),
    [
        ({"target_fps": 0}, "target_fps"),
        ({"primaries": ("mean_msec",)}, "unknown figure 'mean_msec'"),
        ({"primaries": ()}, "at least one"),
        ({"primaries": "mean_ms"}, "list of names"),
        ({"margins": {"mean_ms": -1}}, "must be a positive number"),
        ({"alpha": 0.7}, "alpha"),
    ],
)
def test_what_cannot_be_a_policy_is_refused(arguments, message):
    with pytest.raises(InvalidPolicy, match=message):
        Policy(**arguments)


def test_frames_are_never_altered():
    x = np.array([1.0, 2.0])
    series = FrameSeries(x)
    x[0] = 9.0
    assert series.frame_ms[0] == 1.0
    with pytest.raises(ValueError, match="read-only"):
        series.frame_ms[0] = 3.0


def test_the_core_does_not_import_scipy_stats():
    code = "import sys, vigilant.core; sys.exit('scipy.stats' in sys.modules)"
    assert subprocess.run([sys.executable, "-c", code], check=False).returncode == 0
