"""What more runs would see, held against SciPy's noncentral t, against integrals, and against its own definition."""

import math
from types import SimpleNamespace

import numpy as np
import pytest
from scipy import integrate, stats

from vigilant.core.planning import (
    MOST_RUNS,
    POWER,
    chance_inside,
    outlook,
    outlooks,
    pooled,
    power,
    runs_needed,
    smallest_visible_y,
    spread_of,
)


def free(runs, position=True):
    """Degrees of freedom: runs of both arms less the arms, and less the trend over positions, of which three runs bear a part."""
    return 2 * runs - (4 if position and runs >= 4 else 3 if position else 2)


def shown(effect, sd, runs, alpha, position):
    df = free(runs, position)
    return stats.nct.sf(stats.t.ppf(1 - alpha / 2, df), df, effect / (sd * math.sqrt(2 / runs)))


@pytest.mark.parametrize("runs", [2, 3, 4, 5, 8, 20])
@pytest.mark.parametrize("position", [True, False])
@pytest.mark.parametrize(("effect", "alpha"), [(0.02, 0.05), (0.05, 0.05), (-0.03, 0.01), (0.0, 0.05)])
def test_power_is_that_of_the_noncentral_t(runs, position, effect, alpha):
    expected = shown(abs(effect), 0.02, runs, alpha, position)
    assert power(effect, 0.02, runs, alpha, position) == pytest.approx(expected, abs=1e-9)


@pytest.mark.parametrize(
    ("sd", "runs", "position", "chance"),
    [
        (0.02, 1, False, 0.0),  # no run is left to tell a spread by
        (0.02, 1, True, 0.0),
        (0.0, 2, True, 1.0),  # what does not spread is seen at once
        (0.0, 1, True, 0.0),
        (1e-4, 8, True, 1.0),
    ],
)
def test_power_at_its_ends(sd, runs, position, chance):
    assert power(0.5, sd, runs, 0.05, position) == chance
    if not 0 < sd < 0.01:
        assert chance_inside(0.5, sd, runs, 0.05, position) == chance


@pytest.mark.parametrize("position", [True, False])
@pytest.mark.parametrize(("effect", "sd"), [(0.02, 0.01), (0.02, 0.03), (0.05, 0.2), (0.3, 0.1), (0.02, 0.1)])
def test_the_runs_needed_are_the_fewest_that_show_it(effect, sd, position):
    found = runs_needed(effect, sd, 0.05, position)
    enough = [n for n in range(2, MOST_RUNS + 1) if power(effect, sd, n, 0.05, position) >= POWER]
    assert found == (enough[0] if enough else None)


def test_beyond_so_many_runs_none_are_said():
    assert runs_needed(0.001, 0.1) is None
    assert runs_needed(10.0, 0.01) == 2


@pytest.mark.parametrize("df", [1, 2, 3.7, 12, 60])
@pytest.mark.parametrize("alpha", [0.05, 0.01])
def test_the_smallest_visible_difference_is_seen_in_four_of_five_cases(df, alpha):
    shift = smallest_visible_y(0.3, df, alpha) / 0.3
    assert stats.nct.sf(stats.t.ppf(1 - alpha / 2, round(df, 3)), round(df, 3), shift) == pytest.approx(0.8, abs=1e-6)


@pytest.mark.parametrize("runs", [3, 5, 8, 12])
@pytest.mark.parametrize("margin", [0.01, 0.03, 0.08])
def test_the_chance_of_being_inside_is_the_integral_over_what_the_spread_may_turn_out_to_be(runs, margin):
    sd, df = 0.02, free(runs)
    se = sd * math.sqrt(2 / runs)
    critical = stats.t.ppf(0.95, df)

    def inside(x):
        room = margin - critical * se * math.sqrt(x / df)
        return stats.chi2.pdf(x, df) * (2 * stats.norm.cdf(room / se) - 1) if room > 0 else 0.0

    expected = integrate.quad(inside, 0, stats.chi2.ppf(1 - 1e-9, df), limit=400)[0]
    assert chance_inside(margin, sd, runs) == pytest.approx(expected, abs=2e-3)


def test_an_outlook_holds_the_interval_of_its_spread():
    found = outlook("mean_ms", 0.02, 9.0, 0.03, (3, 8))
    assert found.sd_low == pytest.approx(0.02 * math.sqrt(9 / stats.chi2.ppf(0.975, 9)))
    assert found.sd_high == pytest.approx(0.02 * math.sqrt(9 / stats.chi2.ppf(0.025, 9)))
    assert found.sd_low < found.sd < found.sd_high
    assert found.needed == runs_needed(0.03, 0.02)
    assert found.chance == (chance_inside(0.03, 0.02, 3), chance_inside(0.03, 0.02, 8))
    for runs, visible in zip((3, 8), found.visible, strict=True):
        assert power(visible, 0.02, runs) == pytest.approx(0.8, abs=1e-5)


def test_spreads_are_pooled_by_their_degrees_of_freedom():
    sd, df = pooled([(0.1, 2.0), (0.3, 6.0)])
    assert df == 8.0
    assert sd == pytest.approx(math.sqrt((2 * 0.1**2 + 6 * 0.3**2) / 8))


def compared(runs, se=0.02, df=9.0, primaries=("mean_ms",)):
    result = SimpleNamespace(name="mean_ms", se=se, df=df, margin=0.03)
    return SimpleNamespace(runs=runs, figures={"mean_ms": result}, primaries=primaries)


@pytest.mark.parametrize(
    ("runs", "counts"),
    [
        ((8, 8), (3, 5, 8, 12)),
        ((6, 7), (3, 6, 8, 12)),  # those there are take the place of the nearest
        ((7, 9), (3, 5, 7, 12)),
        ((2, 9), (3, 5, 8, 12)),
        ((12, 12), (3, 5, 8, 12)),
        ((20, 30), (3, 5, 8, 12, 20)),
    ],
)
def test_an_outlook_is_of_the_runs_there_are_and_of_fewer_and_more(runs, counts):
    (found,) = outlooks(compared(runs))
    assert found.runs == counts
    assert found.sd == pytest.approx(0.02 / math.sqrt(1 / runs[0] + 1 / runs[1]))


@pytest.mark.parametrize(("runs", "se", "df"), [((0, 4), 0.1, 3.0), ((4, 4), None, 3.0), ((4, 4), 0.1, None)])
def test_what_was_not_tested_has_no_outlook(runs, se, df):
    made = compared(runs, se, df)
    assert spread_of(made.figures["mean_ms"], runs) is None
    assert outlooks(made) == ()
    assert outlooks(compared((4, 4), primaries=("p99_ms",))) == ()


def test_the_power_that_is_told_is_the_share_of_experiments_that_show_it():
    rng = np.random.default_rng(4)
    runs, effect, trials = 6, 0.03, 4000
    noise = rng.normal(0, 0.02, (trials, 2, runs))
    noise[:, 1] += effect
    # Two arms compared as they are, without a trend over positions.
    p = stats.ttest_ind(noise[:, 1], noise[:, 0], axis=1).pvalue
    expected = power(effect, 0.02, runs, 0.05, position=False)
    assert (p < 0.05).mean() == pytest.approx(expected, abs=3 * math.sqrt(expected * (1 - expected) / trials))
