"""One run counts once: copies, the same run on both sides, stretches found twice; and half a clock."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from core.generators import ordinary
from vigilant.core import CoreError, FrameSeries, Policy, compare, refuse_repeats
from vigilant.core.repeats import same_frames, shared_stretches


@pytest.fixture(autouse=True)
def drawn(monkeypatch):
    """Each test draws from the same beginning, whatever ran before it."""
    monkeypatch.setattr(made, "rng", np.random.default_rng(4), raising=False)


def made(frames=900, level=12.0):
    return ordinary(made.rng, frames, level)


def codes(before, after, **extra):
    runs = [[FrameSeries(x, **extra) for x in arm] for arm in (before, after)]
    return {f.code: f for f in compare(*runs, Policy()).findings}


def test_two_copies_in_an_arm_are_refused_by_name():
    x = made()
    copy = FrameSeries(x / 1000.0 * 1000.0, source="b4.csv")
    runs = [FrameSeries(made(), source="b1.csv"), FrameSeries(x, source="b2.csv"), copy]
    with pytest.raises(CoreError, match=r"b2\.csv and b4\.csv of arm before hold the same frames") as refused:
        refuse_repeats({"before": runs, "after": runs[:1]})
    assert refused.value.code == "run-repeated"
    refuse_repeats({"before": runs[:2], "after": runs[:2]})


@given(st.lists(st.floats(0.1, 100), min_size=1, max_size=40), st.integers(0, 39), st.floats(2e-6, 5))
def test_a_frame_that_differs_makes_another_run(values, at, by):
    other = np.array(values)
    other[at % other.size] += by
    assert same_frames(FrameSeries(values), FrameSeries(np.array(values) * (1 + 1e-16)))
    assert not same_frames(FrameSeries(values), FrameSeries(other))
    assert not same_frames(FrameSeries(values), FrameSeries([*values, 1.0]))


def test_one_run_on_both_sides_is_void():
    shared = made()
    found = codes([made(), shared, made()], [made(), made(), shared])["same-run-both-sides"]
    assert found.severity == "void"
    assert found.evidence["both"] == [{"before": "run 2", "after": "run 3"}]


@pytest.mark.parametrize("cut", [slice(200, None), slice(0, 700), slice(100, 800)])
def test_a_trimmed_copy_shares_its_stretches_wherever_it_was_cut(cut):
    x = made(3000)
    found = codes([made(3000), x], [made(3000), np.concatenate((made(500), x[cut]))])
    assert found["stretches-shared"].severity == "warn"
    assert found["stretches-shared"].evidence["percent"] > 10
    assert {found["stretches-shared"].evidence[k] for k in ("one", "other")} == {"run 2"}


def test_runs_that_are_alike_by_nature_share_nothing():
    """A coarse clock, a cap and a steady load come alike by chance; so do a million frames of one kind."""
    ticks = [np.round(made(3000)) for _ in range(4)]
    assert shared_stretches([FrameSeries(x) for x in ticks]) == []
    assert shared_stretches([FrameSeries(np.full(3000, 1000 / 60)) for _ in range(2)]) == []
    assert shared_stretches([FrameSeries(made(100_000)) for _ in range(4)]) == []


@pytest.mark.parametrize(
    ("share", "measured", "stated", "found"),
    [(0.25, True, None, True), (0.9, True, None, False), (0.25, False, None, False), (0.25, True, 10.8, False)],
)
def test_frames_that_fill_a_quarter_of_the_recorders_clock_are_part_of_the_work(share, measured, stated, found):
    runs = [made() for _ in range(8)]
    wall = {"wall_s": float(np.mean([x.sum() for x in runs])) / 1000.0 / share} if measured else {}
    got = codes(runs[:4], runs[4:], measured=wall, stated_s=stated)
    assert ("part-timed" in got) is found
    if found:
        assert got["part-timed"].evidence["percent"] == pytest.approx(25, abs=2)
