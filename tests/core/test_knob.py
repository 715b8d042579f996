"""A knob: its best set, what another value loses at most, and whether it matters."""

import numpy as np
import pytest
from scipy.stats import studentized_range
from scipy.stats import t as student

from core.test_cells import VARY
from vigilant.core.errors import InvalidComparison
from vigilant.core.vary.knob import knob, knob_figure, studentized

CASE = VARY["knob"]


def given(values, ms):
    settings = sorted(set(values))
    own = [[m for v, m in zip(values, ms, strict=True) if v == s] for s in settings]
    slots = [[i for i, v in enumerate(values) if v == s] for s in settings]
    return own, slots, len(values)


def test_the_worked_case_by_own_variances():
    found = knob_figure("mean_ms", *given(CASE["value_of_slot"], CASE["mean_ms"]))
    told = CASE["expect"]
    assert found.fit.level == pytest.approx(told["ln"], abs=1e-7)
    assert (found.fit.s2, found.fit.df) == (pytest.approx(told["s2"], rel=1e-6), told["df"])
    assert list(found.inside) == told["inside_own"]
    assert found.lost == pytest.approx(told["at_most_own_ln"], rel=1e-6)
    assert found.flat == pytest.approx(told["flatness_ln"], rel=1e-6)


@pytest.mark.parametrize(("k", "df"), [(3, 4), (4, 7), (6, 12), (12, 40), (12, 200)])
def test_the_studentized_range_is_the_librarys(k, df):
    assert studentized(k, df) == pytest.approx(studentized_range.ppf(0.95, k, df), rel=1e-6)


def test_the_range_of_two_means_is_students():
    assert studentized(2, 9) == pytest.approx(np.sqrt(2) * student.ppf(0.975, 9), rel=1e-7)


def session(rng, levels, passes=5, spread=0.005):
    order = [i for _ in range(passes) for i in rng.permutation(len(levels))]
    ms = [levels[i] * float(np.exp(spread * rng.standard_normal())) for i in order]
    return given(order, ms)


@pytest.mark.parametrize(("mean", "slow", "call", "chosen"), [
    ([10.0, 9.0, 10.0, 11.0], [20.0, 18.0, 20.0, 22.0], "best", (1,)),
    ([10.0, 10.0, 11.0, 12.0], [20.0, 20.0, 22.0, 24.0], "one of", (0, 1)),
    ([10.0, 9.0, 8.0, 7.0], [18.0, 20.0, 22.0, 24.0], "trade", ()),  # work that is skipped: the mean gains, the tail pays
])  # fmt: skip
def test_what_is_said_of_mean_and_tail_together(mean, slow, call, chosen):
    rng = np.random.default_rng(98)
    found = knob(
        (1, 2, 3, 4),
        [knob_figure(name, *session(rng, levels)) for name, levels in (("mean_ms", mean), ("slowest_1pct_ms", slow))],
    )
    assert (found.call, found.chosen, found.at_end) == (call, chosen, False)
    end = knob((1, 2, 3, 4), [knob_figure("mean_ms", *session(rng, [8.0, 9.0, 10.0, 11.0]))])
    assert (end.call, end.at_end) == ("best", True)


def test_the_true_best_is_kept_where_spreads_differ_and_flat_is_a_bound():
    rng = np.random.default_rng(99)
    kept = flat = 0
    for _ in range(150):
        order = [i for _ in range(5) for i in rng.permutation(4)]
        ms = [10.0 * float(np.exp((0.03 if i == 0 else 0.005) * rng.standard_normal())) for i in order]
        kept += knob_figure("mean_ms", *given(order, ms)).inside[0]
        found = knob_figure("mean_ms", *session(rng, [10.0, 10.1, 10.2, 10.0]))
        flat += found.flat >= np.log(1.02)
    assert kept / 150 > 0.92
    assert flat / 150 > 0.97
    assert not knob_figure("mean_ms", *session(rng, [10.0] * 4, passes=8, spread=0.001)).matters


@pytest.mark.parametrize(("values", "said"), [
    ([[1.0], [2.0]], "from 3 to 12"), ([[1.0]] * 13, "from 3 to 12"), ([[1.0], [], [2.0]], "needs a run"), ([[1.0], [0.0], [2.0]], "above 0"),
])  # fmt: skip
def test_what_is_no_knob_is_refused(values, said):
    with pytest.raises(InvalidComparison, match=said):
        knob_figure("mean_ms", values, None, 0)


def test_one_run_a_value_is_drawn_and_not_tested():
    found = knob_figure("mean_ms", [[10.0], [9.0], [11.0]], [[0], [1], [2]], 3)
    assert (found.flat, found.lost, found.inside) == (None, (None,) * 3, (True,) * 3)
    assert knob((1, 2, 3), [found]).call == "cannot be told"
