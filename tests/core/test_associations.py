"""What late frames go with: exact in a small case, its level held where pooled frames would not hold it."""

import numpy as np
import pytest

from core.made_lanes import CASES
from core.made_late import made
from vigilant.core.work import LateRun, associations
from vigilant.core.work.associations import Clock, Turned, how_much

CASE = CASES["rotations"]


def test_the_worked_case_of_all_rotations():
    given, told = CASE["inputs"], CASE["outputs"]
    n = given["n"]
    late, events = np.zeros(n), np.zeros(n)
    late[given["late"]], events[given["events"]] = 1, 1
    turned = Turned(late).against(events)
    assert turned == pytest.approx(told["overlap"], abs=1e-9)
    assert (turned > told["observed"] - 1e-6).mean() == pytest.approx(told["p_exact"], abs=1e-6)
    x = np.where(late > 0, 30.0, 10.0)
    whole = Clock(x, late).against(events > 0)
    assert (whole.size, (whole > told["observed"] - 1e-6).mean()) == (256, pytest.approx(told["p_time"], abs=1e-6))
    held, base, beyond, half, more = how_much([np.array(given["late"])], [events > 0])
    assert (held, base, beyond, half, more) == (told["held"], pytest.approx(told["base"]), told["beyond"], None, told["runs_more"])  # fmt: skip


@pytest.mark.parametrize("kind", ["legs", "bursts"])
def test_what_only_shares_its_legs_or_bursts_with_late_frames_is_not_called(kind):
    """Any call in at most 5 %, within three Monte Carlo errors; pooled frames call over half."""
    rng = np.random.default_rng(11)
    called = 0
    for trial in range(16):
        runs = [made(rng, kind) for _ in range(4)]
        called += any(one.call == "goes with late frames" for one in associations(runs, trial, 399))
    assert called <= 16 * 0.05 + 3 * (16 * 0.05 * 0.95) ** 0.5


def test_what_comes_with_a_third_of_late_frames_is_found_and_said_how_much():
    rng = np.random.default_rng(12)
    runs = [made(rng, "cause") for _ in range(5)]
    first, *others = associations(runs, 1, 399)
    assert (first.name, first.lag, first.call, first.events, first.runs) == ("loads", 0, "goes with late frames", True, 5)  # fmt: skip
    assert first.beyond == pytest.approx(0.34, abs=first.half)
    assert first.adds == first.held
    assert all(one.call != "goes with late frames" for one in others if one.name != "tick")  # a clock in 1.3 %
    assert all(one.least == pytest.approx(2.5 * one.half) for one in others if one.call == "not shown")


def test_an_event_of_the_frame_before_is_found_at_its_lag():
    rng = np.random.default_rng(13)
    runs = []
    for _ in range(4):
        run = made(rng, "legs")
        loads = np.zeros(run.frame_ms.size)
        loads[run.late[run.late > 0] - 1] = 3.0
        runs.append(LateRun(run.frame_ms, run.late, run.legs, {"loads": loads}))
    first = associations(runs, 2, 399)[0]
    assert (first.lag, first.call) == (1, "goes with late frames")


def test_what_longer_frames_hold_by_the_clock_is_told_apart():
    """Arrivals by time, more of them in a longer frame: no more than such long frames would hold."""
    rng = np.random.default_rng(14)
    runs = []
    for _ in range(5):
        run = made(rng, "legs")
        x = run.frame_ms.copy()
        x[run.late] *= 3
        runs.append(LateRun(x, run.late, run.legs, {"arrivals": rng.poisson(x * 0.2).astype(float)}))
    calls = {one.lag: one.call for one in associations(runs, 3, 399)}
    assert calls[0] == "no more than such long frames would hold"


def test_few_late_frames_or_late_frames_of_one_run_are_not_called():
    rng = np.random.default_rng(15)
    run = made(rng, "cause")
    few = LateRun(run.frame_ms, run.late[:4], run.legs, run.series)
    none = LateRun(run.frame_ms, run.late[:0], run.legs, run.series)
    assert associations([few, few]) == ()
    assert associations([run, none, none]) == ()


def test_a_value_that_is_missing_is_no_event_and_a_constant_is_left_out():
    rng = np.random.default_rng(16)
    run = made(rng, "cause")
    gone = run.series["loads"].copy()
    gone[::2] = np.nan
    found = associations([LateRun(run.frame_ms, run.late, run.legs, {"loads": gone, "boats": np.full(gone.size, 40.0)})] * 2, 0, 399)  # fmt: skip
    assert {one.name for one in found} == {"loads"}
    assert all(one.events for one in found)
