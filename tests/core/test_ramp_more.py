"""What else a ramp meets: loads that are not as asked, runs that fail or are held, legs of one run, mixes and richness."""

import math

import numpy as np
import pytest

from core.test_cells import VARY
from core.test_ramp import BUDGET, LAWS
from vigilant.core.errors import InvalidComparison
from vigilant.core.vary import mixture, trade
from vigilant.core.vary.ceiling import HeldLevel, LevelTries, ceiling, failure_rate, past_held, under
from vigilant.core.vary.in_one_run import capacity_of_legs
from vigilant.core.vary.loads import RunLoad, moved, placed, run_load
from vigilant.core.vary.ramp import ArmRuns, Capacity, capacity, ramp_levels

COMMANDED = [0, 100, 200, 300]


def runs_of(means, left=0.0, settled=0.0, runs=3):
    return [[RunLoad(m, left, settled) for _ in range(runs)] for m in means]


def arm(levels=4, runs=3):
    return ArmRuns(COMMANDED[:levels], [[5.0 + i] * runs for i in range(levels)], None)


@pytest.mark.parametrize(("means", "said", "loads"), [
    ([0, 100, 200, 300], {}, [0, 100, 200, 300]),
    ([0, 100, 200, 290], {"load-differs": (300,)}, [0, 100, 200, 290]),
    ([0, 100, 200, 201], {"load-differs": (300,), "load-saturates": (200, 300)}, [0, 100, 200.5]),
    ([0, 200, 100, 300], {"load-differs": (100, 200), "load-reordered": (0, 100, 200, 300)}, [0, 100, 200, 300]),
    ([0, None, 200, 300], {"load-not-seen": (100,)}, [0, 100, 200, 300]),
    ([None, 100, 200, 300], {}, [0, 100, 200, 300]),  # nothing asked for needs no counter
])  # fmt: skip
def test_levels_stand_at_the_load_that_was_there(means, said, loads):
    found = placed(COMMANDED, arm(), runs_of(means))
    assert dict(found.said) == said
    assert list(found.arm.loads) == loads
    assert sum(map(len, found.arm.values_ms)) == 12  # no run is lost
    if "load-saturates" in said:
        assert found.members[-1] == (2, 3)


def test_loads_that_leave_and_loads_that_settle():
    shown = runs_of([0, 100, 200, 300])
    shown[2] = [RunLoad(200.0, math.log(0.9), 0.0)] * 3
    shown[3] = [RunLoad(300.0, 0.0, value) for value in (-0.08, -0.081, -0.079)]
    assert dict(placed(COMMANDED, arm(), shown).said) == {"load-leaves": (200,), "load-settles": (300,)}
    shown[2] = [RunLoad(200.0, math.log(0.9), -0.2 + i / 1000) for i in range(3)]  # what leaves is not said to settle
    assert dict(placed(COMMANDED, arm(), shown).said)["load-settles"] == (300,)


def test_what_a_run_shows_of_its_load():
    frame_ms = np.concatenate([np.full(300, 12.0), np.full(300, 9.0)])
    counter = np.concatenate([np.full(120, 100.0), np.full(360, 95.0), np.full(120, 90.0)])
    found = run_load(frame_ms, counter)
    assert (found.mean, found.ln_left, found.ln_settled) == pytest.approx((95.0, math.log(0.9), math.log(9 / 12)))
    assert run_load(frame_ms, None).mean is None
    # Legs differ by what is shown in them: that is nothing that settles.
    assert run_load(frame_ms, counter, [0, 300]).ln_settled == 0.0
    settling = np.concatenate([np.linspace(12.0, 10.8, 300), np.linspace(9.0, 8.1, 300)])
    assert run_load(settling, counter, [0, 300]).ln_settled == pytest.approx(math.log(8.2365 / 8.8635), abs=0.005)
    assert run_load(frame_ms, np.full(600, np.nan)).mean is None
    gone = run_load(frame_ms, np.concatenate([np.full(480, 50.0), np.zeros(120)]))
    assert gone.ln_left == -math.inf


def test_runs_whose_loads_spread_are_moved_to_their_level():
    rng = np.random.default_rng(401)
    loads = [[0.0] * 4, *([m * (1 + e) for e in (-0.04, -0.01, 0.01, 0.04)] for m in (500.0, 1000.0, 1500.0))]
    values = [[LAWS["linear"][0](x) * math.exp(0.001 * rng.standard_normal()) for x in own] for own in loads]
    given = ArmRuns([0.0, 500.0, 1000.0, 1500.0], values, None)
    found = ramp_levels(given.loads, given.values_ms, None, 0)
    nearer = moved(found, given, loads)
    again = ramp_levels(nearer.loads, nearer.values_ms, None, 0)
    assert again.fit.s2 < found.fit.s2 / 20
    assert moved(found, given, [[x] * 4 for x in given.loads]) is None


def test_a_ceiling_is_no_time():
    tries = [LevelTries(0, 3, 0), LevelTries(400, 3, 0), LevelTries(800, 8, 0), LevelTries(1600, 3, 2, "crashed"), LevelTries(3200, 3, 3, "hung")]  # fmt: skip
    found = ceiling(tries)
    assert (found.load, found.reason, found.at_least, found.attempts, found.failures) == (1600, "crashed", 800, 3, 2)
    assert found.rate == pytest.approx(1 - 0.05 ** (1 / 8))
    assert failure_rate(3) == pytest.approx(0.6316, abs=1e-4)
    assert ceiling(tries[:3]) is None
    met = Capacity(700.0, 680.0, 720.0, (1, 2))
    assert under(met, found) is met
    assert under(Capacity(1700.0, 1650.0, 1750.0, (3, 4)), found) == Capacity(None, 800, None, None)
    assert under(Capacity(None, 1600.0, None, None), found) == Capacity(None, 800, None, None)
    assert ceiling([LevelTries(100, 2, 1, "crashed")]).at_least is None
    with pytest.raises(InvalidComparison, match="an attempt"):
        failure_rate(0)


HELD = [HeldLevel(400, 0.0), HeldLevel(800, 0.001), HeldLevel(1000, 0.2)]


@pytest.mark.parametrize(("found", "free", "expected"), [
    (None, [], Capacity(None, 800, None, None)),  # held to the top
    (Capacity(None, None, 1200.0, None), [1200, 1600], Capacity(None, 800, 1200, None)),  # the next free one is over it
    (Capacity(1300.0, 1250.0, 1350.0, (0, 1)), [1200, 1600], Capacity(1300.0, 1250.0, 1350.0, (0, 1))),
])  # fmt: skip
def test_held_levels_say_only_that_the_frame_fits(found, free, expected):
    assert past_held(found, free, HELD, 0.01) == expected


def test_held_levels_whose_frames_are_late_say_nothing():
    assert past_held(None, [], HELD[2:], 0.01) == Capacity(None, None, None, None)


def test_legs_of_one_run_are_no_repeats():
    rng = np.random.default_rng(402)
    of, true = LAWS["linear"]
    loads = [0, 400, 800, 1200, 1600]
    held = as_runs = 0
    for _ in range(200):
        ms = np.array([
            [of(x) * math.exp(0.01 * run + 0.005 * rng.standard_normal()) for x in loads]
            for run in rng.standard_normal(5)
        ])  # fmt: skip
        found = capacity_of_legs(loads, ms, BUDGET)
        held += found.low <= true <= found.high
        wrong = ramp_levels(loads, ms.T.tolist(), None, 0)
        told = capacity(wrong, BUDGET)
        as_runs += told.low <= true <= told.high
    assert 0.91 < held / 200 <= 1.0
    assert held >= as_runs
    assert capacity_of_legs(loads, ms, 100.0).value is None
    assert capacity_of_legs(loads, ms, 1.0).high == 0.0
    assert capacity_of_legs(loads, ms[:1], BUDGET).low is None  # one run: a value, no interval


@pytest.mark.parametrize(("loads", "ms", "said"), [
    ([1], [[1.0]], "a run and load"), ([2, 1], [[1.0, 2.0]], "ascend"), ([1, 2], [[1.0, 0.0]], "above 0"),
])  # fmt: skip
def test_legs_that_are_no_ramp_are_refused(loads, ms, said):
    with pytest.raises(InvalidComparison, match=said):
        capacity_of_legs(loads, np.array(ms), BUDGET)


def test_the_worked_mixture():
    case = VARY["mixture"]
    of, ms = case["scene_of_slot"], case["mean_ms"]
    own = [[ms[i] for i, scene in enumerate(of) if scene == s] for s in range(4)]
    slots = [[i for i, scene in enumerate(of) if scene == s] for s in range(4)]
    found = mixture("mean_ms", own[0], own[1:3], own[3], slots, len(of))
    told = case["expect"]
    assert (found.beyond.value, found.beyond.low, found.beyond.high, found.share) == pytest.approx(
        (told["ms"], told["low"], told["high"], told["share"]), rel=1e-7
    )
    assert found.call == told["call"]
    with pytest.raises(InvalidComparison, match="two parts"):
        mixture("mean_ms", own[0], own[1:2], own[3], None, 0)


@pytest.mark.parametrize(("together", "spread", "call"), [
    (13.0, 0.001, "adds up"), (12.0, 0.002, "less than the sum"), (13.2, 0.03, "cannot be told"),
])  # fmt: skip
def test_a_mix_adds_up_or_not(together, spread, call):
    rng = np.random.default_rng(403)
    scenes = [[ms * math.exp(spread * rng.standard_normal()) for _ in range(4)] for ms in (3.0, 8.0, 8.0, together)]
    found = mixture("mean_ms", scenes[0], scenes[1:3], scenes[3], None, 0)
    assert found.call == call
    assert (found.runs_needed > 16) == (call == "cannot be told")


def test_few_rich_against_many_simple():
    rng = np.random.default_rng(404)
    loads, richness = [0, 300, 600, 900, 1200, 1800, 2400], [1, 2, 4]
    held = straight = 0
    for _ in range(60):
        ramps = [
            ArmRuns(loads, [[(2 + 0.004 * n + 0.004 * n * r) * math.exp(0.01 * rng.standard_normal()) for _ in range(3)]
                            for n in loads], None) for r in richness
        ]  # fmt: skip
        found = trade(richness, ramps, 0, BUDGET)
        true = [(BUDGET - 2) / (0.004 * (1 + r)) for r in richness]
        held += all(c.low <= t <= c.high for c, t in zip(found.capacities, true, strict=True))
        straight += found.straight
        assert found.per_richness.value == pytest.approx(0.004, rel=0.1)
    assert held / 60 > 0.9
    assert straight / 60 > 0.85
    curved = [ArmRuns(loads, [[2 + 0.004 * n * r**2] * 3 for n in loads], None) for r in richness]
    assert not trade(richness, curved, 0, BUDGET).straight
    with pytest.raises(InvalidComparison, match="two richnesses"):
        trade([1], ramps[:1], 0, BUDGET)
