"""Cells of runs in one fit, and features switched off one at a time."""

import json
import math
from pathlib import Path

import numpy as np
import pytest

from vigilant.core.errors import InvalidComparison
from vigilant.core.vary import fit_cells, screened

#: Worked cases of the specification, to nine digits.
VARY = json.loads((Path(__file__).parent / "vary.json").read_text())


def fitted(case, of):
    settings = sorted(set(case[of]))
    cell = [settings.index(s) for s in case[of]]
    return fit_cells(np.log(case["mean_ms"]), cell, list(range(len(cell))), len(cell)), settings


def test_the_worked_ramp():
    found, _ = fitted(VARY["ramp"], "loads")
    told = VARY["ramp"]["expect"]
    assert found.level == pytest.approx(told["ln_level"], abs=1e-7)
    assert (found.s2, found.df, found.terms) == (pytest.approx(told["s2"], rel=1e-6), told["df"], 2)
    assert np.diag(found.shape) == pytest.approx(told["V_diag"], rel=1e-6)
    bracket = told["local_bracket_800_1200"]  # the bracket and one level each side
    assert found.local([1, 2, 3, 4]) == (pytest.approx(bracket["s2"], rel=1e-6), pytest.approx(bracket["df"], rel=1e-6))


def test_the_worked_speed_up_is_a_pair_by_its_own_variances():
    found, settings = fitted(VARY["cores"], "cores_of_slot")
    for cores, (value, low, high, _) in zip(settings, VARY["cores"]["expect"]["speedup"], strict=True):
        if cores > 1:
            pair = found.pair(0, settings.index(cores))
            assert [math.exp(v) for v in (pair.value, pair.low, pair.high)] == pytest.approx(
                [value, low, high], rel=1e-6
            )


def test_the_fit_is_a_plain_least_squares():
    rng = np.random.default_rng(71)
    cell = rng.permutation(np.repeat(np.arange(4), 5))
    slot = sorted(rng.choice(26, 20, replace=False).tolist())
    y = rng.standard_normal(20)
    found = fit_cells(y, cell.tolist(), slot, 26)
    u = 2 * np.array(slot) / 25 - 1
    x = np.column_stack([np.eye(4)[cell], u - u.mean(), u**2 - (u**2).mean()])
    beta, squares, *_ = np.linalg.lstsq(x, y, rcond=None)
    assert found.level == pytest.approx(beta[:4])
    assert (found.s2, found.df) == (pytest.approx(squares[0] / 14), 14)
    w = {0: 1.0, 1: 1.0, 3: -2.0}
    vector = np.array([1.0, 1.0, 0.0, -2.0, 0.0, 0.0])
    contrast = found.over(w)
    assert contrast.se == pytest.approx(math.sqrt(squares[0] / 14 * vector @ np.linalg.inv(x.T @ x) @ vector))
    # In ms, by the derivative of e^m: a small step along each level says the same.
    ms = found.over(w, ms=True)
    assert ms.value == pytest.approx(float(vector[:4] @ np.exp(beta[:4])))
    step = [(np.exp(b + 1e-6) - np.exp(b - 1e-6)) / 2e-6 for b in beta[:4]]
    scaled = vector * np.array([*step, 0.0, 0.0])
    assert ms.se == pytest.approx(math.sqrt(squares[0] / 14 * scaled @ np.linalg.inv(x.T @ x) @ scaled), rel=1e-5)


@pytest.mark.parametrize(("cell", "slot", "slots", "terms", "tested"), [
    ([0, 1, 1, 0], [0, 1, 2, 3], 4, 0, False),  # two degrees of freedom are no test
    ([0, 1, 1, 0, 1, 0], None, 0, 0, True),  # an unknown order has no place
    ([0, 1, 1, 0, 0, 1], [0, 1, 2, 3, 4, 5], 6, 1, False),
    ([0, 1] * 4, [*range(8)], 8, 2, True),  # four runs a cell carry the curve
])  # fmt: skip
def test_what_the_runs_suffice_for(cell, slot, slots, terms, tested):
    found = fit_cells(np.random.default_rng(5).standard_normal(len(cell)), cell, slot, slots)
    assert (found.terms, found.tested) == (terms, tested)
    assert (found.pair(0, 1).p_value is not None) == tested


@pytest.mark.parametrize(("y", "cell", "slot", "said"), [
    ([1.0, 2.0], [0], None, "one value, one cell"),
    ([1.0, np.nan], [0, 1], None, "finite"),
    ([1.0, 2.0], [0, 2], None, "every cell needs a run"),
    ([1.0, 2.0], [0, 1], [3, 3], "each held once"),
    ([1.0, 2.0], [0, 1], [0, 4], "each held once"),
])  # fmt: skip
def test_what_is_no_fit_is_refused(y, cell, slot, said):
    with pytest.raises(InvalidComparison, match=said):
        fit_cells(np.array(y), cell, slot, 4)


#: Ms a frame of features, the same whether others are on, and what nothing at all takes.
FEATURES = {"boats": 3.0, "ripples": 2.0, "awnings": 0.0}
BARE = 4.0


def session(rng, passes=4, spread=0.01, shared=0.0, heat=0.0):
    """Values and places of a screening; ``shared`` ms are saved only once both boats and ripples are off, and a session heats
    up by ``heat``."""
    whole = BARE + sum(FEATURES.values()) + shared
    levels = {"on": whole, **{f"no {n}": whole - ms for n, ms in FEATURES.items()}, "cured": whole - 1.2, "bare": BARE}
    order = [arm for _ in range(passes) for arm in rng.permutation(list(levels))]
    values, places = {}, {}
    for place, arm in enumerate(order):
        ms = levels[arm] * (1 + heat * place / len(order)) * math.exp(spread * rng.standard_normal())
        values.setdefault(arm, []).append(ms)
        places.setdefault(arm, []).append(place)
    return values, places, len(order)


def account(values, places, slots, empty="bare"):
    off = {f"no {name}": name for name in FEATURES}
    return screened("mean_ms", values, places, slots, "on", off, {"cured": ("boats cured", "boats")}, empty)


def test_a_screening_ranks_what_each_saves():
    found = account(*session(np.random.default_rng(72)))
    by = {row.name: row for row in found.switches}
    assert {name: row.saved_ms.value for name, row in by.items()} == pytest.approx(FEATURES, abs=0.15)
    assert ({n: r.rank for n, r in by.items()}, by["boats"].shown, by["awnings"].shown) == (
        {"boats": 1, "ripples": 2, "awnings": 3}, True, False)  # fmt: skip
    (cure,) = found.cures
    assert (cure.net_ms.value, cure.price_ms.value) == (pytest.approx(1.2, abs=0.15), pytest.approx(1.8, abs=0.15))
    assert found.total_ms.value == pytest.approx(5.0, abs=0.15)
    assert found.gap_ms.low < 0 < found.gap_ms.high  # the parts add up here


def test_what_only_several_save_together_is_a_gap():
    found = account(*session(np.random.default_rng(73), shared=2.0))
    assert found.sum_ms.value == pytest.approx(5.0, abs=0.3)
    assert found.gap_ms.high < 0
    assert account(*session(np.random.default_rng(73), shared=2.0), empty=None).gap_ms is None


def test_intervals_hold_the_truth_while_the_session_heats_up():
    rng = np.random.default_rng(74)
    held, false, gap, trials = 0, 0, 0, 200
    for _ in range(trials):
        found = account(*session(rng, passes=3, heat=0.04))
        boats, awnings = found.switches[0], found.switches[2]
        held += boats.saved_ms.low <= FEATURES["boats"] * 1.02 <= boats.saved_ms.high
        false += awnings.shown
        gap += found.gap_ms.low <= 0 <= found.gap_ms.high
    assert held / trials > 0.90
    assert gap / trials > 0.90
    assert false / trials < 0.06


@pytest.mark.parametrize(("change", "said"), [
    (lambda v: v.pop("no boats"), "'no boats' has no run"),
    (lambda v: v["on"].__setitem__(0, 0.0), "above 0"),
])  # fmt: skip
def test_a_screening_refuses_what_it_cannot_judge(change, said):
    values, places, slots = session(np.random.default_rng(75))
    change(values)
    with pytest.raises(InvalidComparison, match=said):
        account(values, places, slots)
