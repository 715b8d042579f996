"""Sequences of stills: one floor for all of their pictures, and what shows over all of them alone."""

import numpy as np
import pytest

from vigilant.core import CoreError
from vigilant.core.evidence import judge_sequence, judge_stills
from vigilant.core.evidence.stills import Difference, StillsJudged, limits_of, own_pairs

PIXELS = 90 * 160


def picture(rng, at, jitter_px=0.0, grain=1.0, pace=0.9):
    """A lantern that swings over rippling water, seen by a camera that is a little off."""
    y, x = np.mgrid[:90, :160]
    off = rng.normal(0, jitter_px)
    made = 60 + 30 * np.sin((x + off) / 9 + at / 3)
    made = made + 100 * np.exp(-(((x - 120 - 4 * np.sin(pace * at)) / 3) ** 2 + ((y - 25) / 3) ** 2))
    made = made + rng.normal(0, grain, made.shape)
    return np.clip(made, 0, 255).astype(np.uint8)[..., None].repeat(3, -1)


def judged(rng, runs=2, count=8, after_pace=0.9, **of):
    arms = [
        ([picture(rng, t, **of) for _ in range(runs)], [picture(rng, t, pace=after_pace, **of) for _ in range(runs)])
        for t in range(count)
    ]
    held = limits_of([pair for before, after in arms for pair in own_pairs(before, after)])
    return judge_sequence([judge_stills(before, after, None, held) for before, after in arms], PIXELS)


@pytest.mark.parametrize("of", [{"grain": 4.0}, {"jitter_px": 0.6}], ids=["grain", "a camera that jitters"])
def test_with_no_change_no_sequence_is_called_changed_and_another_pace_is(of):
    trials = range(6)
    states = [judged(np.random.default_rng(trial), **of).state for trial in trials]
    assert set(states) <= {"same", "to be looked at"}
    assert states.count("same") >= 4
    assert judged(np.random.default_rng(9), after_pace=1.3, **of).state == "changed"


def known(between, within, region=30):
    """A picture whose pairs are known: (share of each pair between the arms), (of each within one)."""
    median = Difference(float(np.median(between)), region, (0, 0, 1, 1))
    floor = Difference(max(within), region, (0, 0, 1, 1)) if within else None
    return StillsJudged("same", "", (0, 0), median, floor, 1.0, between=between, within=within)


#: Noise that comes in bursts, in other pictures of either arm: no picture is over its own floor.
QUIET, BURST = 0.001, 0.03
BURSTS = [(BURST if t % 4 == 0 else QUIET, BURST if t % 4 == 2 else QUIET) for t in range(12)]


def test_what_no_picture_shows_the_whole_sequence_can():
    motion = judge_sequence([known((0.02,) * 4, within) for within in BURSTS], PIXELS)
    assert motion.state == "changed in motion"
    assert set(motion.pictures) == {"same"}
    assert (motion.share, motion.floor) == pytest.approx((0.02, np.mean([a for a, _ in BURSTS])))


@pytest.mark.parametrize(
    ("pictures", "state"),
    [
        ([known((0.009,) * 4, within) for within in BURSTS], "same"),  # under 1.25 times the floor
        ([known((0.04 if t == 0 else 0.009,) * 4, within) for t, within in enumerate(BURSTS)], "to be looked at"),
        ([known((0.02,) * 4, within) for within in BURSTS[:3]], "same"),  # too few for a mean
        ([known((0.5,) * 4, within) for within in BURSTS[:3]], "changed"),
        ([known((0.00009,) * 4, (0.00002, 0.00001), region=1)] * 8, "to be looked at"),  # under 0.01 % of the picture
        ([known((0.02,), ())] * 8, "to be looked at"),
        ([StillsJudged("not compared", "only before has it")] * 3, "not compared"),
        ([*(known((0.001,) * 4, within) for within in BURSTS), StillsJudged("not compared", "x")], "not compared"),
    ],
    ids=["floor", "one burst", "three", "three changed", "small", "no repeats", "one arm", "one of them not"],
)
def test_states_of_a_sequence(pictures, state):
    assert judge_sequence(pictures, PIXELS).state == state


def test_pictures_of_unlike_runs_are_no_sequence():
    with pytest.raises(CoreError, match="same runs"):
        judge_sequence([known((0.1,) * 4, (0.1, 0.1)), known((0.1,), ())], PIXELS)
