"""Pieces of the work: every level closes, what changed is told, and what was nowhere before is new."""

import numpy as np
import pytest
from scipy.special import stdtrit

from core.made_lanes import CASES
from vigilant.core import FrameSeries, Mark
from vigilant.core.design import plan_design
from vigilant.core.policy import Policy
from vigilant.core.series import Part, PartRows
from vigilant.core.summary import RunFrames
from vigilant.core.work import PartsOfRun, below_resolution, kind_of, kind_totals, part_changes, parts_of_run, renamed
from vigilant.core.work.fits import fitted_ms
from vigilant.core.work.parts import calls_and_cost

CASE = CASES["parts"]


def run_of(parts, frames=1000, frame_ms=12000.0, lane_ms=(("river", 6000.0),), lane="river"):
    """A run of totals: (path, ms, calls, frames present)."""
    keys = {(lane, tuple(path.split("/"))): rest for path, *rest in parts}
    return PartsOfRun(
        frames, frame_ms, dict(lane_ms), {k: float(v[0]) for k, v in keys.items()}, {k: int(v[1]) for k, v in keys.items()},
        {k: int(v[2]) for k, v in keys.items()}, {k: np.full(int(v[2]), v[0] / v[2]) for k, v in keys.items() if v[2]},
    )  # fmt: skip


def named(rows):
    return {"/".join(row.path) + ("/(rest)" if row.kind == "rest" and row.path else "(rest)" if row.kind == "rest" else ""): row for row in rows}  # fmt: skip


def test_the_worked_case_of_one_run():
    one = run_of(CASE["inputs"]["parts"])
    rows = named(part_changes([one, one], plan_design(1, 1, None)))
    for name, told in CASE["outputs"]["table"].items():
        arm = rows[name].before
        assert arm.ms == pytest.approx(told["ms_a_frame"], abs=1e-6)
        assert arm.share == pytest.approx(told["share_of_lane"], abs=1e-6)
        assert rows[name].over == told.get("over", False)
        if "calls_a_frame" in told:
            assert (arm.calls, arm.us_a_call) == pytest.approx((told["calls_a_frame"], told["us_a_call"]), rel=1e-5)
            assert arm.ms / arm.present == pytest.approx(told["ms_where_present"], abs=1e-6)
    assert {row.untested for row in rows.values()} == {"no-runs"}


def test_the_worked_case_of_events_and_of_a_part_that_is_new():
    given, told = CASE["inputs"], CASE["outputs"]
    ((_, low, high, p),) = fitted_ms(
        plan_design(3, 3, None), np.array([*given["events_ms_before"], *given["events_ms_after"]], float)[:, None]
    )
    assert (low + high) / 2 == pytest.approx(told["events_d"], abs=1e-4)
    assert (high - low) / 2 == pytest.approx(told["events_se"] * stdtrit(told["events_df"], 0.975), rel=1e-4)
    assert p == pytest.approx(told["events_p"], abs=1e-5)
    before = [run_of([("steer", 4000, 10, 1000)]) for _ in range(3)]
    after = [run_of([("steer", 4000, 10, 1000), ("sparks", 1000 * ms, 10, 1000)]) for ms in given["only_after"]]
    row = named(part_changes([*before, *after], plan_design(3, 3, None)))["sparks"]
    size, half, most = told["only_after"]
    assert (row.kind, row.d_ms, row.high_ms - row.d_ms) == ("only after", pytest.approx(size, abs=1e-5), pytest.approx(half, abs=1e-5))  # fmt: skip
    assert row.p_value >= most
    gone = named(part_changes([*after, *before], plan_design(3, 3, None)))["sparks"]
    assert (gone.kind, gone.d_ms) == ("only before", pytest.approx(-size, abs=1e-5))


def test_the_worked_case_of_calls_and_cost():
    given, told = CASE["inputs"], CASE["outputs"]
    ms, calls = (np.array([*given[f"{of}_before"], *given[f"{of}_after"]]) for of in ("ms", "calls"))
    found = calls_and_cost(plan_design(3, 3, None), ms, calls)
    assert (found.calls_ms, found.calls_half) == pytest.approx(told["from_calls"], rel=1e-5)
    assert (found.cost_ms, found.cost_half) == pytest.approx(told["from_cost"], rel=1e-5)
    assert found.calls_ms + found.cost_ms == pytest.approx(ms[3:].mean() - ms[:3].mean())
    none = calls_and_cost(plan_design(3, 3, None), ms, np.concatenate([np.zeros(3), calls[3:]]))
    assert (none.cost_ms, none.calls_half) == (0.0, None)  # no calls in one arm: all of it is from calls
    assert calls_and_cost(plan_design(3, 3, None), ms, np.zeros(6)) is None


def simulated(rng, avoid=2.5, rare=0.0, runs=5):
    """Runs of a lane with nested parts; *rare* ms of a part in one frame of two hundred."""
    made = []
    for _ in range(runs):
        level = np.exp(rng.normal(0, 0.01))
        seek = 0.9 * level * np.exp(rng.normal(0, 0.05, 600))
        away = avoid * level * np.exp(rng.normal(0, 0.05, 600))
        rain = np.where(rng.random(600) < 0.005, rare, 0.0)
        lane = seek + away + rain + 1.5
        parts = [Part(("steer", "avoid"), 0.0, lane="river"), Part(("steer", "seek"), 0.0, lane="river"), Part(("rain",), 0.0, lane="river")]  # fmt: skip
        frame = np.repeat(np.arange(600), 2)
        rows_ms = np.column_stack([away, seek]).ravel()
        extra = np.flatnonzero(rain)
        order = np.argsort(np.concatenate([frame, extra]), kind="stable")
        part = np.concatenate([np.tile([0, 1], 600), np.full(extra.size, 2)])[order]
        ms = np.concatenate([rows_ms, rain[extra]])[order]
        rows = PartRows(
            parts, np.concatenate([frame, extra])[order], part, ms, np.full(ms.size, np.nan), np.full(ms.size, 3)
        )
        series = FrameSeries(lane + 4.0, {"river": lane}, {"river": "processor"}, {}, [Mark(0, "loading", False), Mark(100, "course")])  # fmt: skip
        made.append(parts_of_run(RunFrames(series, Policy()), rows))
    return made


def test_every_level_closes_in_both_arms_and_in_their_difference():
    rng = np.random.default_rng(1)
    rows = part_changes([*simulated(rng, rare=8.0), *simulated(rng, 2.0, rare=8.0)], plan_design(5, 5, None))
    by = named(rows)
    assert list(by) == ["steer", "steer/avoid", "steer/seek", "rain", "(rest)"]
    assert by["steer"].summed  # nobody timed it: it is what lies in it, and its level needs no rest
    for value in (lambda row: row.before.ms, lambda row: row.after.ms, lambda row: row.d_ms):
        assert value(by["steer"]) == pytest.approx(value(by["steer/avoid"]) + value(by["steer/seek"]))
    top = [by[name] for name in ("steer", "rain", "(rest)")]
    assert sum(row.before.share for row in top) == pytest.approx(1.0)
    assert by["steer/avoid"].before.calls == pytest.approx(3.0)
    assert by["steer/avoid"].before.present == 1.0  # of the frames that count alone


def test_a_part_that_got_cheaper_is_told_and_its_neighbours_are_not():
    rng = np.random.default_rng(2)
    by = named(part_changes([*simulated(rng), *simulated(rng, 1.75)], plan_design(5, 5, None)))
    avoid = by["steer/avoid"]
    assert (avoid.kind, avoid.p_value < 0.01) == ("steady", True)
    assert avoid.low_ms < -0.75 < avoid.high_ms < 0
    assert by["steer/seek"].p_value > 0.05
    assert "rain" not in by  # what was nowhere has no row


@pytest.mark.parametrize(("rare", "untested"), [(8.0, ""), (0.0, "too-few-events")])
def test_parts_now_and_then_are_events(rare, untested):
    rng = np.random.default_rng(3)
    row = named(part_changes([*simulated(rng, rare=8.0, runs=4), *simulated(rng, rare=8.0 if rare else 0.0, runs=4)], plan_design(4, 4, None)))["rain"]  # fmt: skip
    if rare:
        assert (row.kind, row.untested) == ("events", untested)
        assert row.low_ms < 0 < row.high_ms
    else:
        assert row.kind == "only before"
    few = [run_of([("rain", 9.0 if i == 0 else 0.0, 1, 1 if i == 0 else 0)]) for i in range(6)]
    assert named(part_changes(few, plan_design(3, 3, None)))["rain"].untested == "too-few-events"


def test_pieces_that_are_more_than_the_whole_are_flagged():
    run = run_of([("steer", 7000, 10, 1000)])
    rows = named(part_changes([run] * 4, plan_design(2, 2, None)))
    assert rows["(rest)"].over
    assert rows["(rest)"].before.ms == pytest.approx(-1.0)


def test_no_change_is_called_one_in_few_of_many_comparisons():
    """Eight parts a level, by Holm: at most 5 % of comparisons have any, within three Monte Carlo errors."""
    rng = np.random.default_rng(4)
    called = 0
    for _ in range(100):
        runs = [run_of([(f"part {i}", 1000 * np.exp(rng.normal(0, 0.02)), 10, 1000) for i in range(8)], lane_ms=(("river", 12000.0),)) for _ in range(10)]  # fmt: skip
        called += any(
            row.p_value < 0.05 for row in part_changes(runs, plan_design(5, 5, None)) if row.p_value is not None
        )
    assert called <= 5 + 3 * (100 * 0.05 * 0.95) ** 0.5


@pytest.mark.parametrize(("gone", "new", "pairs"), [
    ([("glow", 2000)], [("halo", 2200)], [("glow", "halo")]),
    ([("glow", 2000)], [("halo", 2500)], []),  # a fifth larger is another
    ([("glow", 2000)], [("halo", 2350), ("shine", 2050)], [("glow", "shine")]),
    ([("glow", 2000), ("spark", 2100)], [("halo", 2050)], [("spark", "halo")]),  # one is taken once, the larger first
    ([("lanterns/glow", 2000), ("lanterns/oil", 500)], [("halo", 2000), ("lanterns/oil", 500)], []),  # in another place
])  # fmt: skip
def test_what_is_gone_and_what_is_new_may_be_one(gone, new, pairs):
    def arm(parts):
        return [
            run_of([("steer", 4000, 10, 1000), *((name, ms + i, 10, 1000) for name, ms in parts)]) for i in range(3)
        ]

    rows = part_changes([*arm(gone), *arm(new)], plan_design(3, 3, None))
    assert [(a.path[-1], b.path[-1]) for a, b in renamed(rows)] == pairs


def test_what_a_part_handled_has_a_cost_each():
    parts = [Part(("steer",), 0.0, 0, "river"), Part(("drift",), 0.0, 0, "river")]
    frame, part = np.arange(100).repeat(2), np.tile([0, 1], 100)
    counts = np.where(part == 0, 40.0, np.nan)
    counts[::4] = np.nan  # every second row of the part does not say: its ms count for nothing here
    rows = PartRows(
        parts, frame, part, np.where(part == 0, 0.2, 1.0), np.zeros(200), np.ones(200, np.int64), {"boats": counts}
    )
    view = RunFrames(
        FrameSeries(np.full(100, 12.0) + np.arange(100) % 3, marks=[Mark(0, "a", False), Mark(50, "b")]), Policy()
    )
    found = parts_of_run(view, rows)
    assert found.units == {("river", ("steer",)): {"boats": (pytest.approx(25 * 40), pytest.approx(5.0))}}
    steer = named(part_changes([found, found], plan_design(1, 1, None)))["steer"]
    assert steer.before.us_each == {"boats": pytest.approx(5.0)}


def test_a_kind_runs_across_lanes_and_the_rest_is_told():
    rows = part_changes(
        [run_of([("steer", 4000, 10, 1000), ("water", 1000, 10, 1000), ("water/waves", 600, 10, 1000)])] * 2,
        plan_design(1, 1, None),
    )
    rows += part_changes(
        [run_of([("mirror", 500, 10, 1000)], lane="paint", lane_ms=(("paint", 900.0),))] * 2, plan_design(1, 1, None)
    )
    said = {("river", ("water",)): "wet", ("paint", ("mirror",)): "wet", ("river", ("steer",)): "boats"}
    assert kind_of(("river", ("water", "waves")), said) == "wet"  # what lies in it is about the same
    boats, wet = kind_totals(rows, said)
    assert (wet.kind, wet.before_ms, wet.hidden_before_ms) == (
        "wet",
        pytest.approx(1.5),
        pytest.approx(4.0),
    )  # waves are in the water
    assert (boats.before_ms, boats.hidden_after_ms) == (pytest.approx(4.0), pytest.approx(1.5))
    assert kind_totals(rows, {}) == ()


@pytest.mark.parametrize(("ms", "step", "below"), [
    ([0.0, 1.0, 1.0, 2.0], 1.0, True),  # one or two steps of the clock
    ([0.0, 1.0, 3.0, 3.0], 1.0, False),
    ([0.0, 0.0], 1.0, False),  # never there: nothing to tell
    ([0.001, 0.002], 0.0, False),  # a clock without a step
])  # fmt: skip
def test_what_a_clock_cannot_tell_in_single_frames(ms, step, below):
    assert below_resolution([np.array(ms), np.array(ms)], step) == below
