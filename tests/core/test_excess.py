"""Late frames as a set: an account that closes, with the causes that were put in."""

import numpy as np
import pytest

from core.made_lanes import CASES
from core.made_late import injected
from vigilant.core.design import plan_design
from vigilant.core.work import Overlap, RunLanes, excess_account, excess_changes, excess_of_run
from vigilant.core.work.typical import events_of, typical_around

SERIAL, PLAIN = CASES["excess of late frames"], CASES["excess, overlap"]
BUDGET = 1000 / 60


def serial_run(spikes):
    j = np.arange(60)
    rows = np.array([6 + 0.1 * (7 * j % 11), np.where(j % 2 == 0, 2.0, 0.0), np.full(60, 0.5)])
    for frame, row, ms in spikes:
        rows[row, frame] += ms
    x = rows.sum(axis=0) + 1 + 0.05 * (3 * j % 7)
    parts = {("", (name,)): row for name, row in zip("abc", rows, strict=True)}
    return excess_of_run(
        x, np.array([0, 60]), np.flatnonzero(x > 1.05 * BUDGET), None, None, parts, 1.05 * BUDGET, BUDGET
    )


def test_the_worked_case_of_work_one_after_the_other():
    told = SERIAL["outputs"]
    runs = [serial_run(spikes) for spikes in SERIAL["inputs"]["spikes"]]
    keys = [("part", "", ("a",)), ("part", "", ("b",)), ("part", "", ("c",)), ("rest of the frame", "", ())]
    assert [r.events for r in runs] == told["events"]
    assert [r.total.sum() for r in runs] == pytest.approx(told["totals"], rel=1e-5)
    for run, rows in zip(runs, told["rows"], strict=True):
        assert [run.row(key).sum() for key in keys] == pytest.approx(rows, rel=1e-4, abs=1e-6)
    account = excess_account(runs)
    by = {row.key: row for row in account.rows}
    assert [by[key].share for key in keys] == pytest.approx(told["shares"], rel=1e-4)
    assert [by[key].half for key in keys] == pytest.approx(told["half_widths"], rel=1e-4)
    assert [by[key].main for key in keys] == np.sum(told["main"], axis=0).tolist()
    assert (account.refused, account.by_level) == ("", 0)


def overlap_run(part_spikes, lane1_spikes, runs=1):
    j = np.arange(40)
    busy = np.array([9 + 0.1 * (5 * j % 7), 11 + 0.1 * (3 * j % 5)])
    part = np.full(40, 3.0)
    for frame, ms in part_spikes:
        part[frame] += ms
        busy[0, frame] += ms
    for frame, ms in lane1_spikes:
        busy[1, frame] += ms
    x = busy.max(axis=0) + 0.5
    lanes = RunLanes(("river", "paint"), (False, False), x, busy, np.zeros(40), False, np.array([0, 40]))
    at = np.flatnonzero(x > 1.05 * BUDGET)
    return excess_of_run(x, lanes.bounds, at, lanes, Overlap("overlap"), {("river", ("steer",)): part})


def test_the_worked_case_of_lanes_that_overlap():
    given, told = PLAIN["inputs"], PLAIN["outputs"]
    run = overlap_run(given["part_spikes"], given["lane1_spikes"])
    assert run.by_event(run.total) == pytest.approx(told["totals"], rel=1e-5)
    keys = [("part", "river", ("steer",)), ("rest", "river", ()), ("lane", "paint", ()), ("slack", "river", ()),
            ("slack", "paint", ()), ("waiting", "", ()), ("rest of the frame", "", ())]  # fmt: skip
    for key, row in zip(keys, told["rows"], strict=True):
        assert run.by_event(run.row(key)) == pytest.approx(row, abs=1e-5), key


def test_a_lane_that_first_had_to_fill_its_slack_is_ranked_without_it():
    runs = [overlap_run([(5, 9.0), (12, 10.0), (19, 9.0), (30, 10.0)], [(25, 8.0)]) for _ in range(3)]
    by = {row.key: row for row in excess_account(runs).rows}
    steer = by["part", "river", ("steer",)]
    assert steer.net < steer.share - 0.1
    assert by["slack", "river", ()].ms < 0
    top = [row.share for key, row in by.items() if key[0] != "part" or len(key[2]) == 1]
    assert sum(top) == pytest.approx(1.0)


@pytest.mark.parametrize(("spikes", "refused"), [
    ([[(9, 2, 12.0)]] * 3, "too-few-late"),  # three events in all
    ([[(i, 2, 12.0) for i in range(2, 60, 5)], [], []], "too-few-late"),  # in one run only
    ([[(i, 0, 12.0) for i in range(60)]] * 3, "by-level"),  # the leg is slow
])  # fmt: skip
def test_shares_are_refused_where_they_would_mislead(spikes, refused):
    account = excess_account([serial_run(one) for one in spikes])
    assert (account.refused, account.rows) == (refused, ())
    if refused == "by-level":
        assert account.by_level > 0.9 * account.frames
        assert account.over_ms == pytest.approx(account.level_ms + account.total_ms)


def test_nested_parts_close_under_what_they_lie_in():
    x = np.full(64, 10.0)
    inner = np.full(64, 1.0)
    outer = np.full(64, 3.0)
    for j in (10, 30, 50):
        inner[j] += 10
        outer[j] += 12
        x[j] += 14
    run = excess_of_run(x, np.array([0, 64]), np.array([10, 30, 50]), None, None, {("", ("look",)): outer, ("", ("look", "far")): inner})  # fmt: skip
    sums = {key: float(run.row(key).sum()) for key in run.rows}
    assert sums == pytest.approx({
        ("part", "", ("look",)): 36, ("part", "", ("look", "far")): 30, ("rest", "", ("look",)): 6, ("rest of the frame", "", ()): 6,
    })  # fmt: skip


def test_typical_frames_do_not_reach_over_a_join_and_leave_out_what_is_not_ordinary():
    x = np.concatenate([np.full(20, 10.0), np.full(40, 30.0)])
    x[5] = 50.0
    typical = typical_around(x, np.array([0, 20, 60]), np.array([5, 22]))
    assert typical.of(x) == pytest.approx([10.0, 30.0])
    assert typical.weights.sum(axis=1) == pytest.approx([1.0, 1.0])
    assert events_of(np.array([5, 8, 12, 19, 21]), np.array([0, 20, 60])).tolist() == [0, 0, 1, 2, 3]


def test_shares_are_those_that_were_put_in():
    rng = np.random.default_rng(6)
    made = [injected(rng, 0.6) for _ in range(40)]
    account = excess_account([run for run, *_ in made])
    truth = sum(c for _, c, _ in made) / sum(t for *_, t in made)
    by = {row.path: row for row in account.rows}
    assert by[("c",)].share == pytest.approx(truth, abs=0.015)
    assert abs(by[("b",)].share) < 0.015
    hits = 0
    for start in range(0, 40, 5):
        group = made[start : start + 5]
        row = next(r for r in excess_account([run for run, *_ in group]).rows if r.path == ("c",))
        hits += abs(row.share - truth) < row.half
    assert hits >= 7


def test_a_row_of_two_arms_that_doubled_is_found_and_its_neighbour_is_not():
    rng = np.random.default_rng(7)
    before = [injected(rng, 0.0)[0] for _ in range(6)]
    after = [injected(rng, 1.0)[0] for _ in range(6)]
    by = {row.path: row for row in excess_changes([*before, *after], plan_design(6, 6, None)) if row.kind == "part"}
    assert by[("c",)].p_value < 0.01
    assert by[("c",)].low_ms > 0
    assert by[("a",)].d_ms < 0
    none = {row.path: row for row in excess_changes([*before, *before], plan_design(6, 6, None)) if row.kind == "part"}
    assert none[("a",)].p_value > 0.9


@pytest.mark.parametrize("beside", [0.0, 0.35, 1.0])
def test_lanes_that_half_overlap_count_by_what_of_them_lies_beside_the_busiest(beside):
    river, paint = np.full(40, 9.0), np.full(40, 11.0)
    river[10] += 6.0  # the busiest now: 15 over 11
    paint[30] += 5.0
    river[30] += 2.0
    x = np.maximum(river, paint) + beside * np.minimum(river, paint) + 0.5
    lanes = RunLanes(
        ("river", "paint"), (False, False), x, np.array([river, paint]), np.zeros(40), False, np.array([0, 40])
    )
    run = excess_of_run(x, lanes.bounds, np.array([10, 30]), lanes, Overlap("partly", beside), {})
    whole = {name: run.row(("lane", name, ())) for name in ("river", "paint")}
    # In frame 10 river took the place of paint: 6 ms more of it, less what had been beside. In frame 30 paint stayed the busiest.
    assert whole["river"] == pytest.approx([6.0, beside * 2.0])
    assert whole["paint"] == pytest.approx([0.0, 5.0])
    assert run.row(("slack", "river", ())) == pytest.approx([(1 - beside) * (9.0 - 11.0), 0.0])
    assert run.row(("slack", "paint", ())) == pytest.approx([0.0, 0.0])
    assert run.total == pytest.approx([6.0 - (1 - beside) * 2.0, 5.0 + beside * 2.0])
    rows = sum(run.row(key) for key in run.rows)
    assert rows == pytest.approx(run.total)
