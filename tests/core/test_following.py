"""Lines of several set-ups, their bridges, and a newest build that is followed from its alarm on."""

import math

import numpy as np
import pytest

from vigilant.core.errors import InvalidComparison
from vigilant.core.scales import COUNT, LATE, LOG_VARIANCE
from vigilant.core.trend import (
    Followed,
    Point,
    RunValues,
    called,
    gate,
    held_to,
    is_worse,
    joined,
    judged,
    line,
    measured,
    moved,
    scaled,
    state_of,
    successions,
)
from vigilant.core.trend.gate import Primary

S, TAU = 0.008, 0.003


def points(rng, levels, setup=0, first=0, k=4, **more):
    """A measurement a build: sessions differ by TAU, runs by S."""
    return [
        Point(first + i, setup, tuple(level + TAU * rng.standard_normal() + S * rng.standard_normal(k)), **more)
        for i, level in enumerate(levels)
    ]


# -- set-ups that follow each other


@pytest.mark.parametrize(("spans", "lines"), [
    ([[0, 1, 2]], [[0]]),
    ([[0, 1, 2], [3, 4]], [[0, 1]]),  # one after the other
    ([[3, 4], [0, 1, 2]], [[1, 0]]),
    ([[0, 1, 2, 3, 4], [4, 5, 6, 7]], [[0, 1]]),  # with a bridge
    ([[0, 1, 2, 3, 4, 5], [3, 4, 5, 6, 7, 8, 9]], [[0, 1]]),  # three of six
    ([[0, 1, 2, 3], [0, 1, 2, 3]], [[0], [1]]),  # side by side
    ([[0, 1, 2, 3, 4, 5], [1, 2, 3, 4, 5, 6]], [[0], [1]]),
    ([list(range(20)), [7]], [[0], [1]]),  # a stray one inside another
    ([[0, 1, 2], [3, 4, 5], [6, 7]], [[0, 1, 2]]),
    ([[0, 1], [1, 2]], [[0, 1]]),  # the one build of two is still a bridge
])  # fmt: skip
def test_set_ups_that_follow_each_other_are_one_line(spans, lines):
    assert successions(spans) == lines


def test_one_set_up_is_the_line_itself_and_points_may_come_in_any_order():
    made = points(np.random.default_rng(1), [2.0] * 8 + [2.06] * 8)
    found = joined([made[i] for i in np.random.default_rng(2).permutation(16)])
    plain = line([p.runs for p in made])
    assert found.builds == tuple(range(16))
    assert found.line.steps == plain.steps
    assert np.array_equal(found.line.fitted, plain.fitted)
    assert (found.breaks, found.stretches[0].shift) == ((), 0.0)


def test_two_set_ups_are_joined_by_what_was_recorded_on_both():
    rng = np.random.default_rng(3)
    old, new = points(rng, [2.0] * 12), points(rng, [2.1] * 10, setup=1, first=12)
    apart = joined([*old, *new])
    assert (apart.breaks[0].bridge, apart.breaks[0].at, apart.stretches[0].shift) == (None, 12, 0.0)
    assert apart.line.steps == ()  # the jump is the set-ups'
    common = points(rng, [2.1] * 2, setup=1, first=10)
    together = joined([*old, *common, *new])
    (found,) = together.breaks
    assert (found.common, found.before) == ((10, 11), 0)
    assert found.bridge.interval()[0] < 0.1 < found.bridge.interval()[1]
    assert not found.across.shown
    assert together.stretches[0].shift == found.bridge.offset
    assert together.builds == (*range(12), 10, 11, *range(12, 22))
    # What the program changed beside the set-ups is shown.
    changed = joined([*old, *common, *points(rng, [2.16] * 10, setup=1, first=12)])
    assert changed.line.steps or changed.breaks[0].across.shown


def test_a_bridge_may_lead_over_a_set_up_between_and_never_over_other_work_or_nothing_seen():
    rng = np.random.default_rng(4)
    first, second = points(rng, [2.0] * 9), points(rng, [2.2] * 4, setup=1, first=9)
    third = points(rng, [2.1] * 8, setup=2, first=13)
    bridge = points(rng, [2.1], setup=2, first=8)
    found = joined([*first, *second, *third, *bridge])
    assert [p.setup for p in found.points] == [0] * 9 + [2] * 9 + [1] * 4  # those that begin earlier come first
    assert found.breaks[0].bridge is not None
    other = [Point(p.build, p.setup, p.runs, work=1) for p in (*third, *bridge)]
    assert joined([*first, *other]).breaks[0].bridge is None
    unseen = [Point(p.build, p.setup, p.runs, seen=False) for p in (*third, *bridge)]
    assert joined([*first, *unseen]).breaks[0].bridge is None


def test_points_that_are_no_line_are_refused():
    for bad in ([], [Point(1, 0, (1.0,)), Point(1, 0, (2.0,))], [Point(0, 0, ())], [Point(0, 0, (1.0,), sessions=2)]):
        with pytest.raises(InvalidComparison):
            joined(bad)


def test_a_step_is_looked_for_at_the_same_builds_of_another_rig():
    made = line([p.runs for p in points(np.random.default_rng(5), [2.0] * 9 + [2.08] * 9)])
    (step,) = made.steps
    of, to = [2 * i for i in range(18)], [1, 3, 15, 17, 19, 30]
    found = moved(step, of, to)
    assert (found.at, found.size) == (4, step.size)  # builds before 18 are 1, 3, 15, 17
    assert moved(step, of, [20, 22]) is None
    assert moved(step, of, [1, 2]) is None


# -- sessions


def test_the_variance_of_sessions_counts_once_a_session():
    runs = [p.runs for p in points(np.random.default_rng(6), [2.0] * 12)]
    noise = measured(runs, sessions=[1] * 11 + [2])
    assert noise.v(1e-5)[0] - noise.v(0.0)[0] == pytest.approx(1e-5)
    assert noise.v(1e-5)[11] - noise.v(0.0)[11] == pytest.approx(5e-6)
    assert line(runs, sessions=[1] * 11 + [4]).high[11] < line(runs).high[11] or line(runs).tau2 == 0.0
    with pytest.raises(InvalidComparison):
        measured(runs, sessions=[5] * 12)


# -- the newest build, followed


@pytest.fixture
def level():
    return points(np.random.default_rng(7), [2.0] * 14)


def newest(size, build=14, setup=0, k=4, sessions=1):
    return Point(build, setup, tuple(2.0 + size + np.linspace(-0.004, 0.004, k)), sessions)


def test_a_build_is_held_against_those_before_it_on_its_set_up(level):
    assert called(level, newest(0.06)).call == "sudden"
    assert called(level, newest(0.0)).call == ""
    assert called(level, newest(0.06, setup=1)) == "set-up-new"
    assert called(level[:7], newest(0.06, build=7)) == "line-too-short"
    # Builds after it are not looked at.
    after = points(np.random.default_rng(8), [2.06] * 9, first=15)
    assert called([*level, *after], newest(0.06)).sudden == called(level, newest(0.06)).sudden


def test_while_an_alarm_is_open_later_builds_are_held_against_the_level_before_it(level):
    later = points(np.random.default_rng(9), [2.06] * 8, first=14)
    after = newest(0.06, build=22)
    assert called([*level, *later], after).call == ""  # they made the level their own
    held = called([*level, *later], after, level_before=14)
    assert (held.call, held.d > 0.04) == ("sudden", True)


def test_an_accepted_level_is_the_level_from_its_first_build_on(level):
    one = points(np.random.default_rng(10), [2.06], first=14)
    assert called([*level, *one], newest(0.06, build=15)).call == "sudden"  # one build alone makes no step
    assert called([*level, *one], newest(0.06, build=15), accepted=[14]).call == ""
    assert called([*level, *one], newest(0.13, build=15), accepted=[14]).call == "sudden"
    assert held_to([*level, *one], newest(0.06, build=15), accepted=[14]).end.at == pytest.approx(2.06, abs=0.02)


@pytest.mark.parametrize(("size", "sessions", "worse", "state"), [
    (0.06, 1, True, "asked"), (0.06, 2, True, "confirmed"), (0.06, 2, False, "withdrawn"), (0.0, 2, True, "withdrawn"),
    (-0.06, 3, False, "confirmed"),
])  # fmt: skip
def test_a_second_session_confirms_an_alarm_or_takes_it_back(level, size, sessions, worse, state):
    found = called(level, newest(size, sessions=sessions))
    assert state_of(found, worse, False, sessions) == state
    assert state_of("set-up-new", worse, False, sessions) == "asked"
    assert is_worse(found, False) == (found.d > 0) != is_worse(found, True)


def test_builds_that_creep_are_confirmed_by_the_newest_one_alone():
    """Four that are all a little above their line, the newest of them in its second session on it or not."""
    level = points(np.random.default_rng(13), [2.0] * 16)
    crept = [Point(16 + i, 0, tuple(2.016 + np.linspace(-0.008, 0.008, 4))) for i in range(3)]
    before = [*level, *crept]
    first, still, gone = (called(before, newest(size, build=19, k=k, sessions=s)) for size, k, s in ((0.016, 4, 1), (0.016, 8, 2), (0.006, 8, 2)))  # fmt: skip
    assert (first.call, still.call, gone.call) == ("creeping",) * 3
    assert [state_of(one, True, False, 2) for one in (still, gone)] == ["confirmed", "withdrawn"]


def test_nothing_that_changes_raises_next_to_nothing_and_a_step_is_seen():
    """Followed build by build (the rates over many lines: script/timings --trend)."""
    rng, alarms = np.random.default_rng(11), 0
    for _ in range(3):
        made = points(rng, [2.0] * 34)
        alarms += sum(bool(called(made[:i], made[i]).call) for i in range(8, 34))
    assert alarms <= 2
    seen = 0
    for _ in range(6):
        made = points(rng, [2.0] * 14 + [2.03] * 4)
        seen += any(called(made[:i], made[i], level_before=14).call for i in range(14, 18))
    assert seen >= 5


# -- the gate over points


def followed(level, new, figure="mean_ms", value=12.0):
    of = scaled(
        figure, run_values(*(value for p in (*level, new) for _ in p.runs)), [len(p.runs) for p in (*level, new)]
    )
    return Followed(figure, of, [*level, new], new)


def run_values(*value, late=0, frames=600, seconds=10.0, step_ms=0.0):
    same = [np.full(len(value), one, dtype=float) for one in (frames, seconds, late, step_ms)]
    return RunValues(np.array(value, dtype=float), *same)


def test_the_gate_over_points_is_the_gate_over_their_line(level):
    new = newest(0.06)
    found = judged([followed(level, new)], {}, 0.05)
    before = held_to(level, new, floor=found.lines[0].floor)
    margin = found.lines[0].kind.margin_y(before.expected(14)[0], None)
    assert found.rows == gate([Primary("mean_ms", before, new.runs, margin)], 0.05).rows
    assert (found.verdict, found.rows[0].called) == ("regression", True)
    assert judged([followed(level, newest(-0.06))], {}, 0.05).verdict == "gain"
    assert judged([followed(level, newest(0.0))], {"mean_ms": 0.5}, 0.05).verdict == "no material change"


@pytest.mark.parametrize(("build", "setup", "verdict", "code"), [(14, 1, "void", "set-up-differs"), (5, 0, "undecided", "session-spread-unknown")])  # fmt: skip
def test_the_gate_says_why_it_does_not_judge(level, build, setup, verdict, code):
    found = judged([followed([p for p in level if p.build < build], newest(0.06, build=build, setup=setup))], {})
    assert (found.verdict, found.codes, found.rows) == (verdict, (code,), ())
    assert judged([], {}).codes == ("set-up-differs",)


def test_a_young_level_and_sessions_that_spread_are_said():
    rng = np.random.default_rng(12)
    level = points(rng, [2.0] * 12 + [2.2] * 3)
    assert "level-young" not in judged([followed(level, newest(0.2, build=15))], {}).codes
    assert "level-young" in judged([followed(level[:13], newest(0.2, build=13))], {}, accepted=[12]).codes
    set_up = [*level[:12], *points(rng, [2.2] * 2, setup=1, first=12)]
    assert "level-young" in judged([followed(set_up, newest(0.2, build=14, setup=1))], {}).codes
    wild = [Point(i, 0, tuple(2.0 + 0.05 * rng.standard_normal() + 0.001 * rng.standard_normal(4))) for i in range(14)]
    found = judged([followed(wild, newest(0.03))], {"mean_ms": 0.001})
    assert (found.verdict, "sessions-spread" in found.codes) == ("undecided", True)


# -- run values on their scales


def test_run_values_stand_on_their_figures_scale():
    of = scaled("mean_ms", run_values(12.0, 13.0, 12.5), [2, 1])
    assert of.runs == ((math.log(12.0), math.log(13.0)), (math.log(12.5),))
    assert (of.seen, of.floor, of.back(math.log(12.0))) == ((True, True), LOG_VARIANCE, pytest.approx(12.0))
    late = scaled("late_share", run_values(0.01, 0.0, late=(6, 0)), [1, 1])
    assert late.runs[0][0] == pytest.approx(float(LATE.y(np.array([6.0]), 600.0)[0]))
    assert (late.seen, late.back(late.runs[0][0])) == ((True, False), pytest.approx(6.5 / 601, rel=1e-6))
    count = scaled("stutters_per_min", run_values(6.0, 0.0), [1, 1])
    assert count.runs[0][0] == pytest.approx(float(COUNT.y(np.array([6.0]), 1 / 6)[0]))
    assert (count.seen, count.back(count.runs[0][0])) == ((True, False), pytest.approx(6.0))
    coarse = scaled("mean_ms", run_values(10.0, step_ms=1.0), [1])
    assert coarse.floor == pytest.approx(0.005**2)


@pytest.mark.parametrize(("figure", "runs"), [("p99_ms", [20.0]), ("stutter_share", [0.1]), ("mean_ms", []), ("mean_ms", [1.0, 2.0]), ("mean_ms", [0.0])])  # fmt: skip
def test_what_has_no_line_is_refused(figure, runs):
    with pytest.raises(InvalidComparison):
        scaled(figure, run_values(*runs), [1])
