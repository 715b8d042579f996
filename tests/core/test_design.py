"""Designs of a comparison: what they take out of the runs, held against least squares and Welch's test done otherwise."""

import math

import numpy as np
import pytest
from scipy import linalg, stats

from vigilant.core import InvalidComparison
from vigilant.core.design import MOST_INFLATION, fit_design, p_values, plan_design, refitted

NONE = np.zeros((2, 2))
PAIRS = ["before", "after", "after", "before"]


def interleaved(pairs, seed=0):
    rng = np.random.default_rng(seed)
    return [arm for _ in range(pairs) for arm in (PAIRS[:2] if rng.random() < 0.5 else PAIRS[2:])]


def rows(order):
    """Places of the runs, before first."""
    return [i for arm in ("before", "after") for i, o in enumerate(order) if o == arm]


def drawn(order, seed=0, spreads=(1.0, 1.0)):
    """Two figures of runs that grow slower with time, the second of them twice as wide."""
    rng = np.random.default_rng(seed)
    at = np.array(rows(order)) / len(order)
    sd = np.array([spreads[0] if order[i] == "before" else spreads[1] for i in rows(order)])
    return (2.0 + 0.5 * at + 0.3 * at**2)[:, None] + sd[:, None] * rng.normal(0, 1, (at.size, 2)) * [0.1, 0.2]


@pytest.mark.parametrize(
    ("before", "after", "order", "sessions", "kind"),
    [
        (5, 5, None, None, "order-unknown"),
        (1, 5, None, None, "single"),
        (5, 1, None, None, "single"),
        (1, 1, PAIRS[:2], None, "single"),
        (4, 4, PAIRS * 2, None, "position"),
        (4, 4, ["before"] * 4 + ["after"] * 4, None, "order-confounded"),
        (2, 2, PAIRS, None, "position"),
        (4, 4, PAIRS * 2, [0] * 4 + [1] * 4, "position"),
        (2, 2, ["before", "before", "after", "after"], [0, 0, 1, 1], "order-confounded"),
    ],
)
def test_what_is_known_of_the_order_makes_the_design(before, after, order, sessions, kind):
    made = plan_design(before, after, order, sessions)
    assert made.kind == kind
    assert (made.matrix is not None) is (kind == "position")
    if kind != "position":
        fit = fit_design(made, np.arange(2.0 * (before + after)).reshape(-1, 2), NONE)
        assert fit.d == pytest.approx([2.0 * (before + after) / 2] * 2)
        assert (fit.se is None) is (kind in ("single", "order-confounded"))


@pytest.mark.parametrize(
    ("order", "sessions", "said"),
    [
        (["before", "between"], None, "got 'between'"),
        (["before", "before"], None, "names 2 before and 0 after, but 1 and 1"),
        (PAIRS[:2], [0], "1 sessions were given for 2 slots"),
    ],
)
def test_an_order_that_is_none_is_refused(order, sessions, said):
    with pytest.raises(InvalidComparison, match=said):
        plan_design(1, 1, order, sessions)


def test_arms_that_lean_too_far_to_one_side_are_told_from_those_that_do_not():
    orders = [["before"] * lead + PAIRS * 2 + ["after"] * lead for lead in (0, 1, 2, 4, 8, 16)]
    made = [plan_design(len(o) // 2, len(o) // 2, o) for o in orders]
    inflations = [one.inflation for one in made]
    assert inflations == sorted(inflations)
    assert [one.kind for one in made] == ["position" if i <= MOST_INFLATION else "order-confounded" for i in inflations]
    assert {one.kind for one in made} == {"position", "order-confounded"}
    # By definition: what the arm's variance is to that which the positions leave of it.
    order = orders[1]
    arm, at = np.repeat([0.0, 1.0], len(order) // 2), 2 * np.array(rows(order)) / (len(order) - 1) - 1
    terms = np.column_stack([np.ones(at.size), at, at**2])
    rest = arm - terms @ linalg.lstsq(terms, arm)[0]
    assert inflations[1] == pytest.approx(((arm - 0.5) ** 2).sum() / (rest**2).sum())


def by_least_squares(order, y, square):
    at = 2 * np.array(rows(order)) / (len(order) - 1) - 1
    arm = np.array([0.0 if order[i] == "before" else 1.0 for i in rows(order)])
    x = np.column_stack([np.ones(at.size), at, *([at**2] if square else []), arm])
    beta, free = linalg.lstsq(x, y)[0], x.shape[0] - x.shape[1]
    s2 = ((y - x @ beta) ** 2).sum(axis=0) / free
    return x, beta[-1], np.sqrt(s2 * linalg.inv(x.T @ x)[-1, -1]), free


@pytest.mark.parametrize("pairs", [3, 4, 5, 8])
def test_equal_arms_are_ordinary_least_squares(pairs):
    order = interleaved(pairs, seed=pairs)
    made = plan_design(pairs, pairs, order)
    assert made.kind == "position"
    y = drawn(order, pairs)
    _, d, se, free = by_least_squares(order, y, square=pairs >= 4)
    fit = fit_design(made, y, NONE)
    assert fit.d == pytest.approx(d)
    assert fit.se == pytest.approx(se)
    assert fit.df == pytest.approx([free] * 2)
    assert p_values(fit.d, fit.se, fit.df) == pytest.approx(2 * stats.t.sf(np.abs(d / se), free))


def test_a_slot_that_failed_keeps_its_place():
    order = interleaved(5, seed=2)
    holed = [*order[:3], None, *order[3:]]
    y = drawn(holed, 4)
    fit = fit_design(plan_design(5, 5, holed), y, NONE)
    assert fit.d == pytest.approx(by_least_squares(holed, y, square=True)[1])
    assert fit.d != pytest.approx(by_least_squares(order, y, square=True)[1])


@pytest.mark.parametrize("sizes", [(4, 8), (9, 5)])
def test_unequal_arms_have_variances_of_their_own(sizes):
    rng = np.random.default_rng(sum(sizes))
    order = list(rng.permutation(["before"] * sizes[0] + ["after"] * sizes[1]))
    made = plan_design(*sizes, order)
    assert made.kind == "position"
    y = drawn(order, 3, (1.0, 3.0))
    x, d, _, _ = by_least_squares(order, y, square=True)
    hat = linalg.inv(x.T @ x) @ x.T
    maker = np.eye(x.shape[0]) - x @ hat
    arms = [range(sizes[0]), range(sizes[0], sum(sizes))]
    # E r_i^2 = sum over j of M_ij^2 s_j^2, summed over each arm's runs.
    system = np.array([[sum(maker[i, j] ** 2 for i in g for j in h) for h in arms] for g in arms])
    residual = maker @ y
    s2 = linalg.solve(system, np.array([(residual[list(g)] ** 2).sum(axis=0) for g in arms]))
    weight = np.array([sum(hat[-1, i] ** 2 for i in g) for g in arms])
    own = np.array([sum(maker[i, i] for i in g) for g in arms])
    parts = weight[:, None] * s2
    fit = fit_design(made, y, NONE)
    assert (s2 > 0).all()
    assert fit.d == pytest.approx(d)
    assert fit.se == pytest.approx(np.sqrt(parts.sum(axis=0)))
    assert fit.df == pytest.approx(parts.sum(axis=0) ** 2 / (parts**2 / own[:, None]).sum(axis=0))


@pytest.mark.parametrize(("sizes", "scarce"), [((5, 7), False), ((3, 6), False), ((3, 7), True), ((2, 5), True), ((9, 3), True), ((4, 20), False)])  # fmt: skip
def test_without_an_order_it_is_welchs_test_with_no_more_freedom_than_few_runs_have(sizes, scarce):
    rng = np.random.default_rng(sum(sizes))
    y = rng.normal(0, 1, (sum(sizes), 2)) * np.repeat([[1.0]] * 1, 2, axis=1)
    before, after = y[: sizes[0]], y[sizes[0] :]
    fit = fit_design(plan_design(*sizes, None), y, NONE)
    told = stats.ttest_ind(after, before, equal_var=False)
    assert fit.d / fit.se == pytest.approx(told.statistic)
    assert fit.df == pytest.approx(np.minimum(told.df, min(sizes) - 1) if scarce else told.df)


@pytest.mark.parametrize("order", [None, interleaved(5, 1)])
def test_no_run_spreads_less_than_its_floor(order):
    y = np.repeat([[1.0, 2.0], [1.5, 2.5]], 5, axis=0)
    floors = np.array([[0.04, 0.09], [0.04, 0.09]])
    fit = fit_design(plan_design(5, 5, order), y, floors)
    least = np.sqrt(floors[0] * 2 / 5)
    assert (fit.se >= least * (1 - 1e-12)).all()
    if order is None:
        assert fit.se == pytest.approx(least)
    assert np.isfinite(p_values(fit.d, fit.se, fit.df)).all()


def test_a_figure_without_any_event_has_the_freedom_of_both_arms():
    fit = fit_design(plan_design(4, 6, None), np.zeros((10, 2)), NONE)
    assert fit.df == pytest.approx([8.0] * 2)


@pytest.mark.parametrize(
    ("sizes", "order"),
    [((5, 5), None), ((4, 7), None), ((5, 5), interleaved(5, 3)), ((4, 8), ["before", "after", "after"] * 4)],
)
def test_refits_are_those_of_each_draw(sizes, order):
    made = plan_design(*sizes, order)
    assert made.kind in ("position", "order-unknown")
    rng = np.random.default_rng(5)
    n = sum(sizes)
    y = rng.normal(0, 1, (n, 2))
    draws = np.array([rng.permutation(n) for _ in range(7)])
    signs = rng.choice([-1.0, 1.0], (7, n))
    found = refitted(made, y, np.full((2, 2), 1e-3), draws, signs)
    for i in range(7):
        fit = fit_design(made, y[draws[i]] * signs[i][:, None], np.full((2, 2), 1e-3))
        assert found[i] == pytest.approx(np.abs(fit.d) / fit.se)


def test_heat_that_grows_is_no_difference_and_a_difference_is_not_taken_for_heat():
    rng, false, seen, trials = np.random.default_rng(9), 0, 0, 400
    for i in range(trials):
        order = interleaved(6, seed=100 + i)
        made = plan_design(6, 6, order)
        if made.kind != "position":
            continue
        at = np.array(rows(order)) / 12
        arm = np.repeat([0.0, 1.0], 6)
        for step in (0.0, 0.25):
            y = (1.5 * at + step * arm + rng.normal(0, 0.1, 12))[:, None]
            fit = fit_design(made, y, np.zeros((2, 1)))
            p = p_values(fit.d, fit.se, fit.df)[0]
            false, seen = false + (step == 0 and p < 0.05), seen + (step > 0 and p < 0.05)
    assert false / trials <= 0.05 + 3 * math.sqrt(0.05 * 0.95 / trials)
    assert seen / trials > 0.8
