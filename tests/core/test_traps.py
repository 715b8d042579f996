"""The mistakes that experienced people make, each through the public interface (one table)."""

import math

import numpy as np
import pytest

from core.traps import POLICY, TRAPS, judged, runs, steady
from vigilant.core import FrameSeries, compare
from vigilant.core.schedule import draw_order


@pytest.mark.parametrize("name", TRAPS)
def test_a_trap_is_seen(name):
    trap, got = TRAPS[name], judged(name)
    codes = {f.code for f in got.findings}
    assert got.verdict == trap.verdict, (got.verdict, got.reasons, codes)
    assert trap.finding is None or trap.finding in codes
    assert not codes & set(trap.absent)


def test_the_same_pauses_under_slower_work_are_no_change_of_stutters():
    got = judged("the same pauses under slower work")
    assert got.reasons == ("mean_ms",) or "stutters_per_min" not in got.reasons


def test_work_unlike_says_what_the_rest_of_the_change_is():
    got = judged("less work")
    (whole,) = got.work
    assert whole.amount == "less"
    assert whole.amount_ms == pytest.approx(-3.0, abs=0.2)  # 100 boats fewer at 0.03 ms each
    assert whole.cost_ms == pytest.approx(0.0, abs=0.2)


def test_one_figure_of_thirty_that_moves_by_chance_decides_nothing():
    """Among thirty exploratory figures some will have p under 5 %: the verdict rests on what was chosen."""
    rng, decided, moved = np.random.default_rng(31), 0, 0
    for i in range(60):
        got = compare(
            runs(steady(frames=120, pauses=10, rng=rng), 5),
            runs(steady(frames=120, pauses=10, rng=rng), 5),
            POLICY,
            draw_order(5, i),
        )
        moved += any(r.p_value is not None and r.p_value < 0.05 for r in got.figures.values())
        decided += got.verdict in ("gain", "regression", "trade-off")
    assert moved > 5 * max(1, decided) or (moved >= 10 and decided <= 6)


def test_unequal_lengths_do_not_make_lateness():
    """Rare late frames at one rate, runs of 300 and of 1,500 frames: no more than chance is called."""

    rng = np.random.default_rng(32)

    def late(frames):
        x = steady(12.0, frames, rng=rng)(0)
        x[rng.random(frames) < 0.004] = 30.0
        return FrameSeries(x)

    called = 0
    for i in range(60):
        got = compare([late(300) for _ in range(5)], [late(1500) for _ in range(5)], POLICY, draw_order(5, i))
        called += (got.figures["late_share"].p_value or 1.0) < 0.05
    assert called <= 0.055 * 60 + 3 * math.sqrt(0.05 * 0.95 * 60)
