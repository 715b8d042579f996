"""How large stutters are and how far apart, and whether they come at a period."""

import numpy as np
import pytest
from scipy import stats

from vigilant.core import FrameSeries, Policy
from vigilant.core.arms import Arms
from vigilant.core.evidence import regular_arm, stutter_figures
from vigilant.core.summary import RunFrames
from vigilant.wording.evidence import regular_sentence

POLICY = Policy()


def run(seed, every, size_ms, frames=4000, first=50):
    """Frames of 10 ms with a stutter every so many frames."""
    rng = np.random.default_rng(seed)
    x = rng.normal(10.0, 0.1, frames)
    if every:
        x[first::every] += size_ms * np.exp(rng.normal(0, 0.02, x[first::every].size))
    return RunFrames(FrameSeries(x), POLICY)


def found(before, after, order=None):
    events = Arms(before, after, POLICY).stutters
    return stutter_figures(before, after, events, POLICY, order), events


def test_size_and_gap_are_compared_by_runs():
    before = [run(s, 200, 30.0) for s in range(5)]
    after = [run(s, 400, 45.0) for s in range(10, 15)]
    figures, events = found(before, after)
    size, gap = figures["stutter_size_ms"], figures["stutter_gap_s"]
    own = [np.log(e.size_ms.mean()) for e in events]
    assert size.p_value == pytest.approx(stats.ttest_ind(own[5:], own[:5], equal_var=False).pvalue, rel=1e-3)
    assert (size.before, size.after) == (pytest.approx(30.0, rel=0.02), pytest.approx(45.0, rel=0.02))
    assert (gap.before, gap.after) == (pytest.approx(2.03, rel=0.02), pytest.approx(4.04, rel=0.02))
    assert (size.call, gap.call) == ("worse", "better")  # larger ones, further apart


def test_runs_without_stutters_are_left_out_and_an_arm_without_any_has_no_figure():
    some = [run(1, 0, 0.0), *(run(s, 300, 30.0) for s in range(2, 6))]
    figures, _ = found(some, [run(s, 300, 30.0) for s in range(10, 15)], ["before", "after"] * 5)
    assert figures["stutter_size_ms"].p_value is not None
    assert found(some, [run(s, 0, 0.0) for s in range(10, 15)])[0] == {}
    one = found([run(s, 4000, 30.0) for s in range(3)], [run(s, 4000, 30.0) for s in range(5, 8)])[0]
    assert list(one) == ["stutter_size_ms"]  # a single stutter has no gap


def test_an_arm_is_regular_where_half_of_its_runs_say_so():
    regular = [run(s, 200, 30.0) for s in range(3)]
    events = [v.stutter() for v in regular]
    arm = regular_arm(regular, events)
    assert (arm.runs, arm.of) == (3, 3)
    assert arm.period == pytest.approx(200 if arm.unit == "frames" else 2.03, rel=0.02)
    quiet = [run(s, 0, 0.0) for s in range(10, 14)]
    mixed = [*regular, *quiet]
    assert regular_arm(mixed, [v.stutter() for v in mixed]) is None
    assert regular_arm(quiet, [v.stutter() for v in quiet]) is None
    said = regular_sentence(arm, "before", ["river"] * 5 + [""] * 4)
    assert said.startswith("Before, stutters come every ")
    assert said.endswith("in 3 of 3 runs; in most of them river stood out.")
    assert regular_sentence(arm, "after", ["river", "", ""]).endswith("in 3 of 3 runs.")
