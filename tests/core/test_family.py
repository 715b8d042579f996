"""Guards, the amount of work, several arms, chains, looks and planning."""

import math

import numpy as np
import pytest
from scipy import stats

from core.generators import arm
from vigilant.core import (
    FrameSeries,
    InvalidComparison,
    InvalidPolicy,
    Mark,
    Part,
    Policy,
    chain_remainder,
    compare,
    compare_several,
    look_levels,
)
from vigilant.core.looks import spent_levels
from vigilant.core.planning import chance_inside, outlook, power
from vigilant.core.schedule import draw_order
from vigilant.core.work import split

PAIRS = draw_order(6, 3)
STEADY = {"pauses_per_1000": 0, "run_spread": 0.005}


def stated(series, **figures):
    return [FrameSeries(s.frame_ms, figures={k: v(i) for k, v in figures.items()}) for i, s in enumerate(series)]


def noisy(level, spread=0.01, seed=0):
    rng = np.random.default_rng(seed)
    return lambda i: level * math.exp(rng.normal(0, spread))


@pytest.mark.parametrize(
    ("after_ms", "memory", "verdict", "call"),
    [
        (10.0, 400.0, "gain", "equivalent"),
        (10.0, 480.0, "trade-off", "worse"),
        (12.0, 480.0, "regression", "worse"),
        (12.0, 400.0, "no material change", "equivalent"),
        (10.0, 320.0, "gain", "better"),
    ],
)
def test_a_guard_that_got_worse_changes_the_verdict_and_one_that_did_not_does_not(after_ms, memory, verdict, call):
    rng = np.random.default_rng(3)
    before = stated(arm(rng, 6, level_ms=12.0, **STEADY), memory_mb=noisy(400.0))
    after = stated(arm(rng, 6, level_ms=after_ms, **STEADY), memory_mb=noisy(memory, seed=1))
    got = compare(before, after, Policy(primaries=["mean_ms"], guards=["memory_mb"]), PAIRS)
    assert (got.verdict, got.guards["memory_mb"].call) == (verdict, call)
    assert ("memory_mb" in got.reasons) == (call == "worse")
    assert got.guards["memory_mb"].inside == (memory <= 400.0)


def test_a_guard_that_nobody_states_or_that_is_not_shown_is_found():
    rng = np.random.default_rng(3)
    before = stated(arm(rng, 6, **STEADY), memory_mb=noisy(400.0, 0.3))
    after = stated(arm(rng, 6, **STEADY), memory_mb=noisy(400.0, 0.3, 1))
    policy = Policy(primaries=["mean_ms"], guards=["memory_mb", "load_ms", {"name": "worst_ms", "margin": 0.5}])
    got = compare(before, after, policy, PAIRS)
    found = {f.code: f.evidence for f in got.findings}
    assert found["guard-missing"]["guards"] == ["load_ms"]
    assert "memory_mb" in found["guard-not-shown"]["guards"]
    assert set(got.guards) == {"memory_mb", "worst_ms"}


@pytest.mark.parametrize(
    ("guards", "said"),
    [
        ("memory", "must be a list"),
        ([""], "needs a name"),
        (["a", "a"], "distinct"),
        ([{"name": "a", "margin": -1}], "must be positive"),
        ([{"nam": "a"}], "a guard has a name"),
        (["mean_ms"], "cannot be a primary and a guard"),
        ([{"name": "p99_ms", "higher_is_better": True}], "which way is better is known"),
    ],
)
def test_guards_that_make_no_sense_are_refused(guards, said):
    with pytest.raises(InvalidPolicy, match=said):
        Policy(guards=guards)


def test_a_guard_is_worse_by_chance_in_one_comparison_of_twenty():
    rng = np.random.default_rng(9)
    worse = 0
    for i in range(150):
        runs = [arm(rng, 5, frames=60, **STEADY) for _ in range(2)]
        sides = [stated(r, memory_mb=lambda _: 400.0 * math.exp(rng.normal(0, 0.02))) for r in runs]
        got = compare(*sides, Policy(guards=["memory_mb"]), draw_order(5, i))
        worse += got.guards["memory_mb"].call.startswith("worse")
    assert 0.01 <= worse / 150 <= 0.10


def counted(rng, level, boats_by_leg):
    x = level * np.exp(rng.normal(0, 0.005)) * np.exp(rng.normal(0, 0.05, 800))
    boats = np.repeat(boats_by_leg, 400) * rng.normal(1.0, 0.001)
    return FrameSeries(x, counters={"boats": boats}, marks=[Mark(0, "pier"), Mark(400, "bridge")])


@pytest.mark.parametrize(
    ("legs_after", "amounts"),
    [((400, 200), {"": "same", "pier": "same", "bridge": "same"}), ((400, 160), {"": "less", "pier": "same", "bridge": "less"}),
     ((480, 200), {"": "more", "pier": "more", "bridge": "same"})],
)  # fmt: skip
def test_the_amount_of_work_is_told_leg_by_leg_and_the_split_is_exact(legs_after, amounts):
    rng = np.random.default_rng(5)
    before = [counted(rng, 12.0, (400, 200)) for _ in range(6)]
    after = [counted(rng, 10.0, legs_after) for _ in range(6)]
    got = compare(before, after, Policy(witnesses=["boats"]), PAIRS)
    assert {w.leg: w.amount for w in got.work} == amounts
    whole = next(w for w in got.work if not w.leg)
    means = [np.mean([s.frame_ms.mean() for s in side]) for side in (before, after)]
    assert whole.amount_ms + whole.cost_ms == pytest.approx(means[1] - means[0], rel=1e-9)
    assert (whole.amount_ms < -0.3) == (amounts[""] == "less")


def test_the_split_of_a_change_by_hand():
    # 100 boats at 0.1 ms to 80 boats at 0.09 ms: 20 fewer at 0.095 ms, and 0.01 ms less for 90
    amount, cost = split((10.0, 100.0), (7.2, 80.0))
    assert (amount, cost) == (pytest.approx(-1.9), pytest.approx(-0.9))


def three(rng, levels=(12.0, 10.0, 10.0), **kwargs):
    return {name: arm(rng, 6, level_ms=level, **STEADY, **kwargs) for name, level in zip("abc", levels, strict=True)}


def test_several_arms_in_all_pairs_with_ranks_and_a_chain_that_closes():
    rng = np.random.default_rng(1)
    arms = three(rng)
    order = draw_order(6, 5, arms=list("abc"))
    got = compare_several(arms, Policy(primaries=["mean_ms"]), order, against="all")
    assert {pair: c.verdict for pair, c in got.pairs.items()} == {
        ("a", "b"): "gain", ("a", "c"): "gain", ("b", "c"): "no material change"
    }  # fmt: skip
    assert got.ranks["mean_ms"] == {"a": (3, 3), "b": (1, 2), "c": (1, 2)}
    steps = [got.pairs["a", "b"].figures["mean_ms"], got.pairs["b", "c"].figures["mean_ms"]]
    chain = chain_remainder(steps, got.pairs["a", "c"].figures["mean_ms"])
    assert chain.product == pytest.approx(steps[0].ratio * steps[1].ratio)
    assert chain.low < 0 < chain.high
    assert abs(chain.remainder) < 0.01
    with pytest.raises(InvalidComparison, match="another figure"):
        chain_remainder([got.pairs["a", "b"].figures["p50_ms"]], got.pairs["a", "c"].figures["mean_ms"])
    share = got.pairs["a", "b"].figures["stutter_share"]
    with pytest.raises(InvalidComparison, match="do not multiply"):
        chain_remainder([share], share)


def test_two_arms_of_several_are_what_they_are_alone():
    rng = np.random.default_rng(2)
    arms = three(rng)
    order = draw_order(6, 5, arms=list("abc"))
    got = compare_several(arms, Policy(), order).pairs["a", "b"]
    alone = compare(arms["a"], arms["b"], Policy(), [{"a": "before", "b": "after"}.get(o) for o in order])
    assert got.figures["mean_ms"].p_value == alone.figures["mean_ms"].p_value
    assert got.figures["mean_ms"].ci_low == alone.figures["mean_ms"].ci_low


def test_net_of_the_empty_arm():
    rng = np.random.default_rng(8)
    arms = {**three(rng), "empty": arm(rng, 6, level_ms=4.0, **STEADY)}
    got = compare_several(arms, Policy(), draw_order(6, 1, arms=list(arms)), empty="empty")
    net = {n.arm: n for n in got.net}
    assert set(got.pairs) == {("a", "b"), ("a", "c")}
    assert net["a"].low < 8.0 < net["a"].high
    assert net["b"].ratio_low < 6.0 / 8.0 < net["b"].ratio_high
    assert net["b"].ratio_high - net["b"].ratio_low < 0.05


def test_a_family_of_arms_raises_no_more_false_alarms_than_one_pair():
    rng = np.random.default_rng(21)
    alarms = 0
    for i in range(80):
        arms = {n: arm(rng, 4, frames=80, **STEADY) for n in "abcd"}
        got = compare_several(arms, Policy(primaries=["mean_ms"]), draw_order(4, i, arms=list("abcd")))
        alarms += any(c.verdict in ("gain", "regression") for c in got.pairs.values())
    assert alarms / 80 <= 0.05 + 3 * math.sqrt(0.05 * 0.95 / 80)


@pytest.mark.parametrize(
    ("names", "kwargs", "said"),
    [("a", {}, "two or more"), ("ab", {"empty": "z"}, "has no runs"), ("ab", {"bare": True}, "has no run")],
)
def test_several_arms_that_cannot_be_compared_are_refused(names, kwargs, said):
    rng = np.random.default_rng(1)
    arms = {n: arm(rng, 2, frames=50) for n in names}
    if kwargs.pop("bare", False):
        arms["b"] = []
    with pytest.raises(InvalidComparison, match=said):
        compare_several(arms, **kwargs)


TWO_SIDED = (.000147, .000635, .001695, .003406, .00574, .008608, .011904, .015521, .019368, .023364, .027446, .031563)  # fmt: skip
ONE_SIDED = (.000723, .001941, .003848, .006267, .009026, .011983, .015032, .018096, .021123, .024077, .026938, .02969)  # fmt: skip


@pytest.mark.parametrize(("sides", "table"), [(2, TWO_SIDED), (1, ONE_SIDED)])
def test_the_levels_of_the_looks_are_the_specification_s(sides, table):
    assert spent_levels(0.05, sides=sides) == pytest.approx(table, rel=1e-2, abs=1.2e-5)


def test_the_looks_together_spend_what_they_may():
    """Random walks looked at 4 to 15 times: 5 % cross, within the Monte Carlo error of 20,000."""
    rng = np.random.default_rng(1)
    walks = np.cumsum(rng.normal(size=(20_000, 15)), axis=1)[:, 3:] / np.sqrt(np.arange(4, 16))
    p = 2 * stats.norm.sf(np.abs(walks))
    assert np.mean((p < np.array(spent_levels(0.05))).any(axis=1)) == pytest.approx(0.05, abs=0.005)


def test_a_look_is_tested_at_its_level_and_its_interval_is_wider():
    rng = np.random.default_rng(6)
    arms = [arm(rng, 6, **STEADY), arm(rng, 6, **STEADY)]
    once, looked = compare(*arms, Policy(), PAIRS), compare(*arms, Policy(), PAIRS, levels=look_levels(6))
    assert looked.look == (6, 15)
    assert looked.alpha == pytest.approx(0.001695, rel=0.01)
    mean, wider = once.figures["mean_ms"], looked.figures["mean_ms"]
    assert wider.p_value == mean.p_value
    ratio = stats.t.isf(looked.alpha / 2, mean.df) / stats.t.isf(0.025, mean.df)
    assert (wider.ci_high - wider.ci_low) / (mean.ci_high - mean.ci_low) == pytest.approx(ratio, rel=0.01)
    assert look_levels(2).interval == look_levels(4).interval
    with pytest.raises(InvalidComparison, match="looks are taken"):
        look_levels(16)


@pytest.mark.parametrize(
    ("runs", "sd", "margin"), [(5, 0.01, 0.02), (8, 0.01, 0.02), (12, 0.02, 0.02), (5, 0.05, 0.02)]
)
def test_the_chance_of_an_answer_agrees_with_simulation(runs, sd, margin):
    rng = np.random.default_rng(1)
    df = 2 * runs - 4
    se = sd * math.sqrt(2 / runs)
    d = rng.normal(0, se, 40_000)
    seen = se * np.sqrt(rng.chisquare(df, 40_000) / df)
    simulated = np.mean(np.abs(d) + stats.t.isf(0.05, df) * seen < margin)
    assert chance_inside(margin, sd, runs) == pytest.approx(simulated, abs=0.01)


def test_an_outlook_is_consistent_with_the_power_it_promises():
    o = outlook("mean_ms", 0.01, 8, 0.02, (3, 5, 8))
    assert o.sd_low < 0.01 < o.sd_high
    for runs, visible in zip(o.runs, o.visible, strict=True):
        assert power(visible, 0.01, runs) == pytest.approx(0.8, abs=0.002)
    assert power(0.02, 0.01, o.needed) >= 0.8 > power(0.02, 0.01, o.needed - 1)
    assert list(o.chance) == sorted(o.chance)


def test_lanes_and_stated_figures_that_do_not_close_are_found():
    x = np.full(600, 12.0) + np.random.default_rng(1).normal(0, 0.3, 600)

    def runs(lane, said):
        return [
            FrameSeries(x * (1 + 0.001 * i), lanes={"paint": lane * x}, figures={"rate_fps": said}) for i in range(5)
        ]

    pairs = draw_order(5, 1)
    good = {f.code for f in compare(runs(0.5, 83.3), runs(0.5, 83.3), Policy(), pairs).findings}
    assert not good & {"lanes-over-frame", "stated-differs"}
    bad = {f.code: f.evidence for f in compare(runs(0.5, 83.3), runs(1.3, 90.0), Policy(), pairs).findings}
    assert bad["lanes-over-frame"] == {"lane": "paint", "runs": 5, "total": 10, "percent": pytest.approx(130.0)}
    assert "rate_fps (90 stated" in bad["stated-differs"]["stated"][0]


@pytest.mark.parametrize(
    ("parts", "said"),
    [
        ([("", ("steer",), 3.0), ("", ("steer", "pillars"), 2.0)], None),
        ([("", ("steer",), 3.0), ("", ("steer", "pillars"), 2.0), ("", ("steer", "boats"), 2.0)],
         ("pillars, boats", "steer", 400 / 3)),
        ([("paint", ("ripples",), 7.0)], ("ripples", "lane paint", 700 / 6)),
        ([("", ("steer",), 7.0), ("", ("paint",), 7.0)], ("steer, paint", "the frame", 1400 / 12)),
        ([("", ("steer", "pillars"), 2.0)], None),
    ],
)  # fmt: skip
def test_parts_that_add_up_to_more_than_they_lie_in_are_found(parts, said):
    """Times a frame of 12 ms with a lane of 6 ms; a part that was not timed itself cannot be held to."""
    x = np.full(600, 12.0) + np.random.default_rng(1).normal(0, 0.3, 600)
    totals = [Part(path, ms / 12.0 * float(x.sum()), 600, lane) for lane, path, ms in parts]
    runs = [FrameSeries(x, lanes={"paint": 0.5 * x}, parts=totals) for _ in range(5)]
    plain = [FrameSeries(x, lanes={"paint": 0.5 * x}) for _ in range(5)]
    got = {f.code: f.evidence for f in compare(runs, plain, Policy(), draw_order(5, 1)).findings}
    found = got.get("parts-over-whole")
    assert (None if found is None else (found["steps"], found["whole"], found["percent"])) == (
        None if said is None else (*said[:2], pytest.approx(said[2]))
    )


def test_a_stated_share_is_held_against_its_times():
    x = np.full(600, 12.0) + np.random.default_rng(1).normal(0, 0.3, 600)
    runs = [
        [FrameSeries(x, lanes={"paint": 0.5 * x}, figures={"paint_share": s}) for _ in range(5)] for s in (0.5, 0.4)
    ]
    got = {f.code: f.evidence for f in compare(*runs, Policy(), draw_order(5, 1)).findings}
    assert got["stated-differs"]["stated"] == ["paint_share (0.4 stated, 0.5 by its frames)"]
