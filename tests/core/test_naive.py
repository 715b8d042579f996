"""Naive readings: each is what it says, held against plain twins and SciPy."""

import numpy as np
import pytest
from scipy import stats

from core.generators import ordinary
from vigilant.core import FrameSeries, Policy
from vigilant.core.evidence import naive_readings
from vigilant.core.summary import RunFrames


def views(runs):
    return [RunFrames(FrameSeries(np.asarray(x, float)), Policy()) for x in runs]


@pytest.fixture(scope="module")
def runs():
    rng = np.random.default_rng(1)
    return [[ordinary(rng, n, level, 0.004) for n in (400, 700, 500)] for level in (14.0, 12.5)]


@pytest.fixture(scope="module")
def read(runs):
    return {r.name: r for r in naive_readings(views(runs[0]), views(runs[1]))}


TWINS = {
    "momentary rates": lambda arm: np.mean([np.mean(1000 / x) for x in arm]),
    "difference of rates": lambda arm: np.mean([1000 * x.size / x.sum() for x in arm]),
    "first run": lambda arm: arm[0].mean(),
    "worst frame": lambda arm: max(x.max() for x in arm),
    "last frame": lambda arm: arm[-1][-1],
    "best try": lambda arm: min(x.mean() for x in arm),
    "pooled frames": lambda arm: np.concatenate(arm).mean(),
}


@pytest.mark.parametrize("name", TWINS)
def test_a_reading_is_what_it_says(name, runs, read):
    found = read[name]
    assert (found.before, found.after) == pytest.approx(tuple(TWINS[name](arm) for arm in runs))
    assert found.claims_better == ((found.after > found.before) == (found.unit == "fps"))
    assert list(read) == list(TWINS)


def test_pooled_frames_have_welchs_p(runs, read):
    p = stats.ttest_ind(*(np.concatenate(arm) for arm in runs), equal_var=False).pvalue
    assert read["pooled frames"].p_value == pytest.approx(p, rel=1e-6, abs=1e-300)


def test_pooled_frames_call_changes_where_there_is_none():
    """The reason that the table is there: runs that differ by themselves, no change between the arms."""
    rng = np.random.default_rng(5)
    called = 0
    for _ in range(40):
        arms = [[ordinary(rng, 600, 14.0 * np.exp(rng.normal(0, 0.01)), 0.004) for _ in range(5)] for _ in range(2)]
        readings = naive_readings(views(arms[0]), views(arms[1]))
        called += next(r for r in readings if r.name == "pooled frames").p_value < 0.05
    assert called >= 12


def test_frames_that_are_all_the_same_have_no_p():
    same = views([[10.0, 10.0, 10.0]] * 2)
    assert naive_readings(same, same)[-1].p_value is None
