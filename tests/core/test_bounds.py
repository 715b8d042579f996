"""What a part could give at most: by frames, re-rounded to the refresh, and unbiased against frames made without it."""

import numpy as np
import pytest

from core.made_lanes import CASES
from core.made_late import two_lanes, without_a_part
from vigilant.core.work import Overlap, bound, without
from vigilant.core.work.bounds import refresh_edge

LANES, PACED = CASES["lanes, no waiting"], CASES["paced"]
OVERLAP, SERIAL = Overlap("overlap"), Overlap("serial")


def test_the_worked_case_without_waiting():
    given, told = LANES["inputs"], LANES["outputs"]
    run, part = two_lanes(given["frame_ms"], given["lanes"]), np.array(given["part"])
    assert without(run, OVERLAP, {"river": part}) == pytest.approx(told["without_part"])
    assert without(run, SERIAL, {"river": part}) == pytest.approx(told["without_part_serial"])
    for share, gain in ((1.0, "mean_gain_free"), (0.5, "mean_gain_half")):
        found = bound([run], OVERLAP, [{"river": share * part}], None)
        assert (found.mean_ms.value, found.mean_ms.half, found.late) == (pytest.approx(told[gain], abs=1e-5), None, None)  # fmt: skip
    assert told["mean_gain_on_means"] == 0.0  # what a bound on means would have said


def test_the_worked_case_of_paced_frames():
    given, told = PACED["inputs"], PACED["outputs"]
    run = two_lanes(given["frame_ms"], given["lanes"], given["waiting"], given["period_ms"])
    edge, back = refresh_edge(run.frame_ms - run.waiting, run.frame_ms, run.period_ms)
    assert (edge, back) == (told["edge"], told["fits"])
    assert without(run, OVERLAP, {"river": np.array(given["part"])}, edge) == pytest.approx(told["without_part"], abs=1e-4)  # fmt: skip
    found = bound([run], OVERLAP, [{"river": np.array(given["part"])}], 1.05 * 1000 / 60)
    assert (found.now[2], found.now[2] - found.late.value) == pytest.approx((told["late_before"], told["late_after"]), abs=1e-5)  # fmt: skip
    assert found.paced


@pytest.mark.parametrize(("run", "refused"), [
    (two_lanes(np.full(50, 16.7), np.full((2, 50), 8.0), None, 16.7), "held-by-cap"),
    (two_lanes(np.tile([16.7, 25.0], 25), np.full((2, 50), 8.0), np.full(50, 5.0), 16.7), "pacing-not-understood"),
])  # fmt: skip
def test_refused(run, refused):
    assert bound([run], OVERLAP, [{"river": np.ones(50)}], None).refused == refused


def test_a_part_of_no_lane_has_no_bound():
    run = two_lanes(np.full(50, 10.0), np.full((2, 50), 8.0))
    assert bound([run], OVERLAP, [{"somewhere": np.ones(50)}], None).refused == "no-lane"


def test_parts_taken_together_give_more_than_each_alone_where_lanes_balance():
    run = two_lanes(np.full(50, 10.5), np.full((2, 50), 10.0))
    one = np.full(50, 4.0)
    alone = [bound([run], OVERLAP, [{name: one}], None).mean_ms.value for name in ("river", "paint")]
    assert alone == [0.0, 0.0]
    assert bound([run], OVERLAP, [dict.fromkeys(("river", "paint"), one)], None).mean_ms.value == pytest.approx(4.0)


@pytest.mark.parametrize(("levels", "refresh"), [((9.0, 9.0), None), ((11.0, 6.0), None), ((15.5, 12.0), 1000 / 60)])
def test_unbiased_to_two_percent(levels, refresh):
    rng = np.random.default_rng(21)
    made = [without_a_part(rng, levels, refresh) for _ in range(12)]
    found = bound([run for run, *_ in made], OVERLAP, [{"river": part} for _, part, _ in made], 17.5)
    truth = float(np.mean([gain for *_, gain in made]))
    assert found.mean_ms.value == pytest.approx(truth, rel=0.02)
    assert abs(found.mean_ms.value - truth) < found.mean_ms.half
    assert (found.p99_ms.half is None) == (refresh is not None)
