"""What rows carry of the frame: they close to it in each run, and so do their differences."""

import numpy as np
import pytest

from core.made_lanes import CASES, lanes, simulated
from vigilant.core.design import plan_design
from vigilant.core.work import Overlap, carried, carried_changes

CASE = CASES["lanes, no waiting"]


def test_the_worked_case():
    given, told = CASE["inputs"], CASE["outputs"]
    run = lanes(given["frame_ms"], given["lanes"])
    found = carried(run, Overlap("overlap"), {("lane 0", ("part",)): np.array(given["part"])})
    assert found["part", "lane 0", ("part",)] == pytest.approx(told["carried_part"], abs=1e-5)
    rests = [found["rest", "lane 0", ()], found["lane", "lane 1", ()]]
    assert rests == pytest.approx(told["carried_rest_of_lanes"], abs=1e-5)
    assert found["rest of the frame", "", ()] == pytest.approx(told["carried_rest"], abs=1e-5)


@pytest.mark.parametrize(("model", "overlap"), [
    ("overlap", Overlap("overlap")), ("serial", Overlap("serial")), ("partly", Overlap("partly", 0.35)),
])  # fmt: skip
def test_rows_close_to_the_frame_and_to_what_it_saved(model, overlap):
    rng = np.random.default_rng(31)

    def arm(level):
        found = []
        for _ in range(4):
            run = simulated(rng, (level, 8.0), model, frames=600)
            part = 0.4 * run.busy[0]
            found.append((run, carried(run, overlap, {("lane 0", ("look",)): part, ("lane 0", ("look", "far")): 0.5 * part})))  # fmt: skip
        return found

    before, after = arm(10.0), arm(7.0)
    rows = carried_changes([c for _, c in (*before, *after)], plan_design(4, 4, None))
    tops = [row for row in rows if len(row.path) <= 1 and not (row.kind == "rest" and row.path)]
    means = [np.mean([run.frame_ms.mean() for run, _ in of]) for of in (before, after)]
    assert sum(row.before_ms for row in tops) == pytest.approx(means[0])
    assert sum(row.d_ms for row in tops) == pytest.approx(means[1] - means[0])
    look, far = (next(r for r in rows if r.path == path and r.kind == "part") for path in (("look",), ("look", "far")))
    assert far.before_ms == pytest.approx(0.5 * look.before_ms)
    rest = next(r for r in rows if r.kind == "rest of the frame")
    assert abs(rest.d_ms) < 0.1 * abs(means[1] - means[0])  # the model holds: what no lane explains hardly moved
    assert look.p_value < 0.05
    assert look.low_ms < look.d_ms < look.high_ms < 0
