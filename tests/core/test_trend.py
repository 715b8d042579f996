"""The line over builds: its worked cases, a plain twin of the search, and the rates that it must hold in little."""

import json
import math
from itertools import combinations
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from vigilant.core.errors import InvalidComparison
from vigilant.core.trend import Primary, across, alert, bridge, elsewhere, events, gate, line, measured, where
from vigilant.core.trend.noise import Measured, by_residuals, first_guess
from vigilant.core.trend.search import _grid, centre, costs_at, cuts_of, rho

CASES = json.loads((Path(__file__).parent / "trend.json").read_text())
LINE = CASES["line"]
close = lambda value: pytest.approx(value, rel=2e-5)  # noqa: E731  (the cases have six digits)


def made(n, steps=(), seed=0, k=5, s=0.01, tau=0.004, drift=None, odd=(), heavy=True):
    """Run values of builds: run spread, session spread, lasting steps (build, size), a drift (from, to, size), odd builds."""
    rng = np.random.default_rng(seed)
    level = np.full(n, 2.5)
    for at, size in steps:
        level[at:] += size
    if drift:
        level += drift[2] * np.clip((np.arange(n) - drift[0]) / (drift[1] - drift[0]), 0, 1)
    level += tau * rng.standard_normal(n)
    level[list(odd)] += 0.05
    spread = rng.standard_t(5, (n, k)) / math.sqrt(5 / 3) if heavy else rng.standard_normal((n, k))
    return (level[:, None] + s * spread).tolist()


def test_the_worked_line():
    found, told = line(LINE["given"]["runs"], floor=0.0), LINE["gives"]
    assert found.noise.m == close(told["m"])
    assert (found.noise.s2, found.tau2) == close((told["within_variance"], told["session_variance"]))
    assert (found.nu, found.slope, found.drifts, list(found.cuts)) == (told["nu"], told["slope"], (), told["cuts"])
    (step,) = found.steps
    assert (step.at, step.size, step.low, step.high) == close(tuple(told["steps"][0]))
    assert (step.first, step.last) == tuple(told["places"][0][:2])
    assert list(found.odd) == told["odd"]
    assert found.low == close(told["level_low"])
    assert found.high == close(told["level_high"])


def test_the_worked_alert():
    case = CASES["alert"]
    found, told = alert(case["given"]["runs"], case["given"]["newest"], rate=case["given"]["rate"], floor=0.0), case["gives"]  # fmt: skip
    assert (found.sudden.d, found.sudden.t, found.sudden.nu, found.sudden.p) == close(tuple(told[k] for k in ("d", "t", "nu", "p")))  # fmt: skip
    assert (found.creeping.d, found.creeping.t, found.creeping.nu, found.creeping.p) == close(tuple(told[k] for k in ("d4", "t4", "nu4", "p4")))  # fmt: skip
    assert (found.limit, found.call, found.d) == (told["limit"], told["call"], found.sudden.d)


def test_the_worked_gate():
    case = CASES["gate"]
    primaries = [
        Primary(name, line(own["runs"], 2, floor=0.0), own["newest"], own["margin_y"])
        for name, own in case["given"].items()
    ]
    found = gate(primaries)
    assert found.verdict == case["gives"]["verdict"]
    for row, told in zip(found.rows, case["gives"]["rows"], strict=True):
        assert {key: getattr(row, key) for key in told} == {k: v if isinstance(v, str | bool) else close(v) for k, v in told.items()}  # fmt: skip


def test_the_worked_bridge_and_hunt():
    case = CASES["bridge"]
    found = bridge(*(case["given"][key] for key in ("left", "right", "tau2", "s2", "nu")))
    assert {key: getattr(found, key) for key in case["gives"]} == {k: close(v) for k, v in case["gives"].items()}
    asked, told = CASES["bisect"]["given"], CASES["bisect"]["gives"]
    runs = {int(build): own for build, own in asked["runs"].items()}
    # One run of the good end and of the bad end are missing to three each: the case is of the search itself.
    found = where(asked["builds"], runs, asked["s2"], asked["b2"])
    assert found.posterior == close(told["posterior"])
    assert (found.next, found.why) == (told["next"], "")


# -- the search


def plain_cuts(m, v, pen):
    """All ways to cut into segments of three or more, each at its best level of the grid."""
    grid, n = _grid(m, v), m.size
    costs = rho((m[:, None] - grid) / np.sqrt(v)[:, None])

    def cost(cuts):
        return sum(costs[a:b].sum(axis=0).min() for a, b in zip((0, *cuts), (*cuts, n), strict=True)) + pen * len(cuts)

    ways = [
        cuts
        for count in range(n // 3)
        for cuts in combinations(range(3, n - 2), count)
        if all(b - a >= 3 for a, b in zip((0, *cuts), (*cuts, n), strict=True))
    ]
    return min(ways, key=cost), cost


@given(st.lists(st.floats(-3, 3), min_size=6, max_size=13), st.floats(0.5, 8.0))
@settings(max_examples=60, deadline=None)
def test_the_search_finds_the_cheapest_cuts(values, pen):
    m, v = np.array(values), np.full(len(values), 0.25)
    best, cost = plain_cuts(m, v, pen)
    assert cost(cuts_of(m, v, pen)) == pytest.approx(cost(best), abs=1e-9)


@given(st.lists(st.floats(-8, 8), min_size=1, max_size=20), st.integers(0, 99))
def test_a_centre_is_where_the_cost_is_least(values, seed):
    m = np.array(values)
    v = np.exp(np.random.default_rng(seed).normal(0, 1, m.size))
    found = centre(m, v)
    for off in (-1e-3, 1e-3):
        assert float(rho((m - found.at - off) / np.sqrt(v)).sum()) >= found.cost - 1e-9
    if m.size > 2:
        each = [centre(m[:c], v[:c]).cost + centre(m[c:], v[c:]).cost for c in range(1, m.size)]
        assert costs_at(m, v, np.arange(1, m.size)) == pytest.approx(each, rel=2e-3, abs=1e-3)


def test_a_jump_at_a_break_is_free_and_a_stretch_before_it_may_be_short():
    runs = made(20, [(2, 0.5), (11, 0.04)], seed=3)
    assert [step.at for step in line(runs, breaks=[2]).steps] == [11]
    assert line(runs, breaks=[2]).cuts == (2, 11)
    with pytest.raises(InvalidComparison, match="between two measurements"):
        line(runs, breaks=[20])


@given(st.floats(-5, 5), st.integers(0, 30))
@settings(max_examples=15, deadline=None)
def test_a_line_moves_with_its_values(shift, seed):
    runs = made(24, [(9, 0.03)], seed=seed)
    moved = line([[y + shift for y in own] for own in runs])
    found = line(runs)
    assert moved.cuts == found.cuts
    assert moved.tau2 == pytest.approx(found.tau2, rel=1e-4, abs=1e-12)
    assert [s.size for s in moved.steps] == pytest.approx([s.size for s in found.steps], abs=1e-7)
    falling = line([[-y for y in own] for own in runs])
    assert [-s.size for s in falling.steps] == pytest.approx([s.size for s in found.steps], abs=1e-7)


def test_noise_is_blind_to_steps_and_odd_builds():
    plain, stepped = (measured(made(200, steps, seed=5, s=0.002, odd=odd)) for steps, odd in (((), ()), ([(60, 0.3), (130, -0.2)], (20, 90))))  # fmt: skip
    assert math.sqrt(first_guess(stepped)) == pytest.approx(math.sqrt(first_guess(plain)), rel=0.1)
    assert math.sqrt(first_guess(plain)) == pytest.approx(0.004, rel=0.25)
    rng = np.random.default_rng(7)
    each = np.full(4000, 2)
    noise = Measured(np.zeros(4000), each, 8e-6, np.where(np.arange(4000) % 2, 1, 2))
    residuals = np.sqrt(1.6e-5 / noise.sessions + 4e-6) * rng.standard_normal(4000)
    assert by_residuals(residuals, noise, 4000) == pytest.approx(1.6e-5, rel=0.06)
    assert by_residuals(np.zeros(4000), noise, 3999) == 0.0


# -- what it finds


@pytest.mark.parametrize("odd", [(), (10, 40)])
def test_steps_are_found_and_held_and_nothing_is_no_step(odd):
    true = [(15, 0.03), (30, -0.03), (45, 0.03)]
    seen = near = sized = false = clear = 0
    for seed in range(30):
        found = line(made(60, true, seed=500 + seed, odd=odd))
        for at, size in true:
            own = [step for step in found.steps if abs(step.at - at) <= 1]
            seen += len(own)
            near += sum(step.first <= at <= step.last for step in own)
            sized += sum(step.low <= size <= step.high for step in own)
        false += len(found.steps) - sum(any(abs(s.at - at) <= 1 for at, _ in true) for s in found.steps)
        clear += not line(made(60, seed=900 + seed, odd=odd)).steps
    assert seen >= 85
    assert false <= 4
    assert near >= 0.95 * seen
    assert sized >= 0.88 * seen
    assert clear >= 28


def test_a_drift_is_no_step_and_a_slope_stands_beside_a_step():
    drifted = line(made(60, [(12, 0.04)], seed=21, drift=(28, 52, 0.06)))
    (drift,) = drifted.drifts
    assert (drift.first, drift.last, drift.size) == (pytest.approx(28, abs=4), pytest.approx(52, abs=4), pytest.approx(0.06, abs=0.012))  # fmt: skip
    assert [step.at for step in drifted.steps] == [12]
    assert drifted.expected(60)[0] == pytest.approx(2.6, abs=0.006)
    sloped = line(made(60, [(30, 0.05)], seed=22, drift=(0, 59, 0.059)))
    assert sloped.slope == pytest.approx(0.001, abs=0.0003)
    assert [step.at for step in sloped.steps] == [30]
    assert sloped.steps[0].low < 0.05 < sloped.steps[0].high
    assert sloped.expected(62)[0] == pytest.approx(2.5 + 0.05 + 0.062, abs=0.012)


def test_a_short_line_has_levels_only():
    found = line(made(7, [(4, 0.2)], seed=1))
    assert (found.short, found.steps, found.odd) == (True, (), ())
    assert found.low.shape == (7,)
    for bad, said in (([], "a run each"), ([[1.0], []], "a run each"), ([[math.nan]], "finite")):
        with pytest.raises(InvalidComparison, match=said):
            line(bad)


def test_an_alert_seldom_cries_and_finds_a_large_step_at_once():
    quiet = sum(alert(runs[:-1], runs[-1]).call != "" for runs in (made(25, seed=1300 + i) for i in range(120)))
    assert quiet <= 4  # 0.8 % a build
    loud = [alert((runs := made(25, [(24, -0.03)], seed=1600 + i))[:-1], runs[-1]) for i in range(25)]
    assert sum(one.call == "sudden" for one in loud) >= 20
    assert all(one.d < 0 for one in loud)
    creeping = alert((runs := made(25, [(22, 0.012)], seed=1711, s=0.004, tau=0.002))[:-1], runs[-1])
    assert creeping.call in ("sudden", "creeping")
    with pytest.raises(InvalidComparison, match="needs 8 builds"):
        alert(runs[:7], runs[7])
    with pytest.raises(InvalidComparison, match="false alarm"):
        alert(runs[:-1], runs[-1], rate=0.2)
    assert alert(runs[:9], runs[9]).creeping is None  # eight must stand before the newest four


@pytest.mark.parametrize(("change", "verdict"), [(0.0, "no material change"), (0.05, "regression"), (-0.05, "gain")])
def test_a_gate_says_what_an_entry_would(change, verdict):
    runs = made(20, seed=31, k=8, s=0.006, tau=0.002)
    newest = (np.array(made(1, seed=32, k=8, s=0.006, tau=0.0)[0]) + change).tolist()
    found = gate([Primary("mean_ms", line(runs), newest, 0.02)])
    assert found.verdict == verdict
    rising = gate([Primary("fps", line(runs), newest, 0.02, higher_is_better=True)])
    assert rising.verdict == {"gain": "regression", "regression": "gain"}.get(verdict, verdict)
    both = [Primary("mean_ms", line(runs, 2), newest, 0.02), Primary("fps", line(runs, 2), newest, 0.02, higher_is_better=True)]  # fmt: skip
    assert gate(both).verdict == ("trade-off" if change else verdict)
    short = gate([Primary("mean_ms", line(runs[:7]), newest, 0.02)])
    assert (short.verdict, short.why) == ("undecided", "session-spread-unknown")
    wide = gate([Primary("mean_ms", line(runs), newest, 0.02, offset_variance=1.0)])
    assert wide.verdict == "undecided"


# -- across breaks, figures and rigs


def test_a_bridge_takes_the_set_ups_out_of_a_change():
    held = shown = 0
    for seed in range(40):
        before, after = made(15, seed=2000 + seed), made(15, [(0, 0.05)], seed=3000 + seed)
        common = [(made(1, seed=4000 + 9 * seed + i)[0], made(1, [(0, 0.05)], seed=5000 + 9 * seed + i)[0]) for i in range(2)]  # fmt: skip
        left, right = line(before), line(after)
        found = bridge([a for a, _ in common], [b for _, b in common], left.tau2, left.noise.s2, left.nu)
        change = across(left, right, found)
        held += change.low <= 0.0 <= change.high
        shown += across(left, line(made(15, [(0, 0.12)], seed=6000 + seed)), found).shown
        assert found.interval()[0] < found.offset < found.interval()[1]
        assert change.exceeds > 0
    assert held >= 37
    assert shown >= 36
    with pytest.raises(InvalidComparison, match="runs on both"):
        bridge([], [], 0.0, 1.0, 3)


def test_steps_of_several_figures_at_one_place_are_one_event():
    lines = {
        "mean_ms": line(made(40, [(12, 0.04), (28, -0.04)], seed=41), 2),
        "fps": line(made(40, [(12, 0.04)], seed=42), 2),
    }
    first, second = events(lines, {"fps"})
    assert (set(first.steps), first.trade_off, first.first <= 12 <= first.last) == ({"mean_ms", "fps"}, True, True)
    assert (set(second.steps), second.trade_off) == ({"mean_ms"}, False)
    assert not events(lines)[0].trade_off
    assert events({"mean_ms": line(made(40, seed=43))}) == ()
    step = lines["mean_ms"].steps[0]
    shows = elsewhere(step, line(made(40, [(12, 0.03)], seed=44)))
    assert (shows.shows, shows.low < 0.03 < shows.high) == (True, True)
    without = elsewhere(step, line(made(40, seed=45)))
    assert (without.shows, without.low < 0.0 < without.high, without.high < step.size) == (False, True, True)
    assert not elsewhere(step, line(made(40, [(12, -0.03)], seed=46))).shows


# -- the hunt


def hunted(at, builds=64, step=0.03, s=0.01, b=0.0, seed=0, **more):
    """Record what the hunt asks for until it ends."""
    rng = np.random.default_rng(seed)
    own = b * rng.standard_normal(builds)
    runs = {}
    while True:
        found = where(builds, runs, s**2, b**2, **more)
        if found.next is None:
            return found, sum(map(len, runs.values()))
        level = 2.5 + step * (found.next >= at) + own[found.next]
        runs.setdefault(found.next, []).append(float(level + s * rng.standard_normal()))


def test_a_hunt_finds_its_step_with_few_runs():
    ats = [int(np.random.default_rng(i).integers(1, 64)) for i in range(8)]
    found = [hunted(at, seed=i) for i, at in enumerate(ats)]
    right = sum(where.posterior.argmax() + 1 == at for (where, _), at in zip(found, ats, strict=True))
    assert right >= 7
    assert np.mean([runs for _, runs in found]) < 24  # 17 with a step of 3 s; halving with five runs each takes 40
    assert all(one.why == "certain" for one, _ in found)


def test_a_hunt_that_cannot_be_sure_says_what_it_knows():
    nothing, spent = hunted(at=99, builds=16, seed=3)
    assert (nothing.why, spent) == ("not reproduced", 16)
    cut, spent = hunted(at=20, seed=5, most_runs=9)
    assert (cut.why, spent) == ("the runs are spent", 9)
    low, high = cut.held()
    assert low <= 20 <= high
    two = where(3, {0: [1.0] * 3, 2: [2.0] * 3}, 1e-4, 0.0, neighbours=True)
    assert (two.why, two.held()) == ("certain", (1, 2))
    prior = where(5, {0: [1.0] * 3, 4: [2.0] * 3}, 1e-4, 0.0, prior=[0, 1, 0, 0])
    assert prior.posterior == pytest.approx([0, 1, 0, 0])
    assert where(9, {}, 1.0, 0.0).next == 0
    assert where(9, {0: [1.0] * 3}, 1.0, 0.0).next == 8


def test_more_than_one_change_between_is_noticed():
    runs = {0: [1.0] * 3, 8: [3.0] * 3, 2: [1.0] * 3, 4: [2.0] * 3, 6: [3.0] * 3}
    assert not where(9, runs, 1e-3, 0.0).fits
    assert where(9, {**runs, 4: [3.0] * 3}, 1e-3, 0.0).fits


@pytest.mark.parametrize(("builds", "runs", "s2", "prior", "said"), [
    (1, {}, 1.0, None, "from a good build"), (4, {4: [1.0]}, 1.0, None, "from 0 to 3"), (4, {1: []}, 1.0, None, "from 0 to 3"),
    (4, {}, 0.0, None, "variance above 0"), (4, {}, 1.0, [1, 1], "each of 3 places"), (4, {}, 1.0, [0, 0, 0], "each of 3 places"),
])  # fmt: skip
def test_what_is_no_hunt_is_refused(builds, runs, s2, prior, said):
    with pytest.raises(InvalidComparison, match=said):
        where(builds, runs, s2, 0.0, prior)
