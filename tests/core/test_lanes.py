"""What limits a frame: the worked cases, and lanes whose truth is known."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from core.made_lanes import BUDGET_MS, CASES, lanes, simulated, views
from vigilant.core import FrameSeries
from vigilant.core.policy import Policy
from vigilant.core.summary import RunFrames
from vigilant.core.work import (
    NOT_TOLD,
    Overlap,
    lag_frames,
    lanes_found,
    limiting,
    overlap,
    run_lanes,
    share_of_frames,
)


def test_the_worked_case_without_waiting():
    given_, told = CASES["lanes, no waiting"]["inputs"], CASES["lanes, no waiting"]["outputs"]
    run = lanes(given_["frame_ms"], given_["lanes"])
    code, rounded = limiting(run, BUDGET_MS)
    assert code.tolist() == told["limit"]
    assert not rounded.any()
    for call, mean in (("overlap", "headroom_mean"), ("serial", "headroom_mean_serial")):
        taken = Overlap(call).model_ms(run.busy)
        assert BUDGET_MS - taken.mean() == pytest.approx(told[mean], abs=1e-5)
    assert BUDGET_MS - np.quantile(Overlap("overlap").model_ms(run.busy), 0.99) == pytest.approx(
        told["headroom_p99"], abs=1e-5
    )
    assert Overlap("partly", 0.5).model_ms(run.busy)[0] == 11.0 + 0.5 * 8.0


def test_the_worked_case_on_a_grid():
    given_, told = CASES["paced"]["inputs"], CASES["paced"]["outputs"]
    run = lanes(given_["frame_ms"], given_["lanes"], given_["waiting"], given_["period_ms"])
    code, rounded = limiting(run)
    assert (code.tolist(), rounded.astype(bool).tolist()) == (told["limit"], told["rounded"])
    # Without a period found, the budget's is the grid, since a lane waits.
    assert limiting(lanes(given_["frame_ms"], given_["lanes"], given_["waiting"]), given_["period_ms"])[0].tolist() == told["limit"]  # fmt: skip


def test_the_worked_case_of_a_share():
    case = CASES["shares and counters"]
    got = share_of_frames(case["inputs"]["count"], case["inputs"]["frames"])
    assert got == pytest.approx(case["outputs"]["share"], rel=1e-5)


@pytest.mark.parametrize(
    ("counts", "low", "high"), [([0, 0, 0], 0.0, 6 / 900), ([300, 300, 300], 1 - 6 / 900, 1.0), ([7], None, None)]
)
def test_shares_at_the_ends_and_of_one_run(counts, low, high):
    assert share_of_frames(counts, [300] * len(counts))[1:] == (low, high)


@given(st.lists(st.integers(0, 400), min_size=2, max_size=9))
@settings(deadline=None)
def test_an_interval_holds_the_pooled_share(counts):
    share, low, high = share_of_frames(counts, [400] * len(counts))
    assert 0.0 <= low <= share <= high <= 1.0
    assert share == pytest.approx(sum(counts) / (400 * len(counts)))


@pytest.mark.parametrize("levels", [(9.0, 9.0), (11.0, 6.0)])
@pytest.mark.parametrize("correlated", [0.5, 0.95])
@pytest.mark.parametrize(
    ("model", "noise", "right"),
    [("overlap", 0.01, 12), ("serial", 0.01, 12), ("partly", 0.01, 12), ("overlap", 0.05, 8), ("serial", 0.05, 11), ("partly", 0.05, 3)],
)  # fmt: skip
def test_how_lanes_add_up_is_told_and_never_wrongly(levels, correlated, model, noise, right):
    rng = np.random.default_rng(11)
    calls = [overlap([simulated(rng, levels, model, correlated, noise) for _ in range(3)]).call for _ in range(12)]
    assert calls.count(model) >= right
    assert set(calls) <= {model, "cannot be told"}


@pytest.mark.parametrize("model", ["overlap", "serial"])
def test_of_a_lane_that_takes_next_to_nothing_it_cannot_be_told(model):
    rng = np.random.default_rng(12)
    calls = [overlap([simulated(rng, (11.0, 0.2), model) for _ in range(3)]).call for _ in range(12)]
    assert calls.count("cannot be told") >= 11


def test_lanes_that_vary_slowly_and_are_read_badly_are_not_called_what_they_are_not():
    """Least squares on the readings called these *partly* or *overlap* in a third to two thirds."""
    rng = np.random.default_rng(19)
    for levels in ((9.0, 9.0), (11.0, 6.0)):
        runs = [[simulated(rng, levels, "serial", 0.5, 0.05, slow=0.98) for _ in range(3)] for _ in range(12)]
        assert {overlap(of).call for of in runs} <= {"serial", "cannot be told"}


def test_one_run_is_called_by_its_level_alone():
    rng = np.random.default_rng(13)
    assert overlap([simulated(rng, (9.0, 9.0), "serial")]).call == "serial"
    assert overlap([simulated(rng, (9.0, 9.0), "overlap")]).call == "cannot be told"
    assert overlap([lanes(np.full(100, 12.0), [np.full(100, 9.0)])]).call == "one lane"


@pytest.mark.parametrize("lag", [0, 1, 2])
def test_a_lane_that_is_reported_late_is_found(lag):
    rng = np.random.default_rng(14)
    assert {lag_frames(simulated(rng, (8.0, 11.0), "overlap", 0.0, lag=lag), 1) for _ in range(12)} == {lag}


def test_an_arm_says_what_limits_it_and_what_is_left():
    rng = np.random.default_rng(15)
    found = lanes_found(views(rng, 7.0, 11.0), BUDGET_MS)
    assert found.overlap.call == "overlap"
    assert found.lags == {}
    shares = {limit.name: limit for limit in found.limits}
    assert shares["gpu"].share > 0.95
    assert shares["gpu"].low < shares["gpu"].share <= shares["gpu"].high
    assert sum(limit.share for limit in found.limits) == pytest.approx(1.0)
    assert found.headroom.mean_ms == pytest.approx(BUDGET_MS - 11.0, abs=0.3)
    assert 0 < found.headroom.mean_half < 1
    assert found.headroom.p99_ms < found.headroom.mean_ms
    assert (found.not_told, found.rounded) == (0.0, 0.0)


def test_what_is_not_told_is_said_and_too_much_of_it_refuses():
    rng = np.random.default_rng(16)
    arm = views(rng, 7.0, 11.0, gaps=60)
    found = lanes_found(arm, BUDGET_MS)
    assert found.not_told == pytest.approx(0.1)
    assert limiting(run_lanes(arm[0]))[0][:60].tolist() == [NOT_TOLD] * 60
    found = lanes_found(views(rng, 7.0, 11.0, gaps=400), BUDGET_MS)
    assert (found.limits, found.headroom.refused) == ((), "not-told")


@pytest.mark.parametrize(
    ("arm", "budget_ms", "refused"),
    [
        (lambda rng: views(rng, 7.0, 11.0), None, "no-target"),
        (lambda rng: held(rng, waits=False), BUDGET_MS, "held-by-cap"),
        (lambda rng: held(rng, waits=True), BUDGET_MS, ""),
        (lambda rng: unexplained(rng), BUDGET_MS, "limit-unknown"),
    ],
)
def test_headroom_is_refused_where_nothing_tells_it(arm, budget_ms, refused):
    assert lanes_found(arm(np.random.default_rng(17)), budget_ms).headroom.refused == refused


def held(rng, waits):
    """Runs that a screen holds to 60 a second, with their wait reported or not."""
    made = []
    for _ in range(3):
        busy = np.array([7.0, 9.0])[:, None] * np.exp(0.05 * rng.standard_normal((2, 900)))
        frame = BUDGET_MS + np.diff(rng.normal(0.0, 0.05, 901))
        columns = {"update": busy[0], "gpu": busy[1], **({"wait": frame - busy.max(axis=0)} if waits else {})}
        roles = {"update": "processor", "gpu": "graphics", "wait": "waiting"}
        series = FrameSeries(frame, columns, {name: roles[name] for name in columns}, {}, [])
        made.append(RunFrames(series, Policy(target_fps=60)))
    return made


def unexplained(rng):
    """Frames that take twice what any lane does, now and then twice as long."""
    made = []
    for _ in range(3):
        busy = np.array([6.0, 5.0])[:, None] * np.exp(0.05 * rng.standard_normal((2, 900)))
        frame = busy[0] * rng.choice([1.0, 3.0], 900)
        series = FrameSeries(frame, {"a": busy[0], "b": busy[1]}, {"a": "processor", "b": "processor"}, {}, [])
        made.append(RunFrames(series, Policy(target_fps=60)))
    return made


def test_runs_without_lanes_or_with_unlike_ones_have_none():
    rng = np.random.default_rng(18)
    plain = RunFrames(FrameSeries(np.full(50, 9.0) + rng.random(50)), Policy())
    assert lanes_found([plain], BUDGET_MS) is None
    assert lanes_found([*views(rng, 7.0, 11.0, 1), plain], BUDGET_MS) is None
