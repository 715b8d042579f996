"""Counters against what they may be, what is expected at a fixed view, and steps a frame."""

import numpy as np
import pytest

from core.test_counters import run_of
from vigilant.core.work.counter_limits import drawn, limited, steps_a_frame


def test_a_limit_is_held_or_names_the_first_frame_over_it():
    runs = [run_of([800, 900, np.nan, 850]), run_of([700, 990, 980, 600])]
    held = limited(runs, 990)
    assert (held.frames, held.first, held.largest, held.known) == (0, None, 990, 7)
    assert held.high == pytest.approx(6 / 7)  # none seen is no promise
    over = limited(runs, 950)
    assert (over.frames, over.first, over.share) == (2, (1, 1), pytest.approx(2 / 7))
    assert over.low <= over.share <= over.high
    assert limited([run_of([np.nan] * 4)], 1) is None
    assert limited([run_of([np.nan] * 4), runs[1]], 950).first == (1, 1)  # a run that tells nothing keeps its place


@pytest.mark.parametrize(("expected", "call"), [(640, "more"), (812, "as expected"), (900, "less")])
def test_what_is_drawn_is_held_against_what_is_expected_over_runs(expected, call):
    rng = np.random.default_rng(81)
    values = [812 + 2 * rng.standard_normal() + np.zeros(50) for _ in range(4)]
    found = drawn(values, expected, cost_ms=[0.40, 0.42, 0.41, 0.43])
    assert (found.call, found.over) == (call, pytest.approx(812 - expected, abs=4))
    assert (found.cost_ms, found.cost_half_ms < 0.05) == (pytest.approx(0.415), True)


def test_one_run_says_its_value_and_no_more():
    found = drawn([np.array([10.0, np.nan, 12.0])], 5)
    assert (found.call, found.mean, found.half, found.cost_ms) == ("one run", 11, None, None)
    assert drawn([np.array([np.nan])], 5) is None
    # The same in every run: what is counted is whole, so that half a piece stays open.
    assert drawn([np.full(9, 10.0)] * 3, 10.4).call == "as expected"


def test_steps_a_frame_are_told_where_there_are_few():
    steps = [0] * 10 + [1] * 80 + [2] * 10
    rows = steps_a_frame([run_of(steps, frame_ms=[12.0 + 4.0 * s for s in steps])])
    assert [(r.steps, r.share, r.mean_ms) for r in rows] == [(0, 0.1, 12), (1, 0.8, 16), (2, 0.1, 20)]
    for other in ([1] * 100, [0.5, 1], [0, 900], [-1, 1], range(20)):
        assert steps_a_frame([run_of(list(other))]) == ()
