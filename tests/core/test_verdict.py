"""From figures to a verdict: each rule on its own, and rates that only simulation can show."""

import math

import numpy as np
import pytest

from core.generators import PAIRS, POLICY, arm, capped, ordinary
from vigilant.core import Finding, FrameSeries, Mark, Policy, compare, failed_runs, summarize
from vigilant.core.figures import FIGURES
from vigilant.core.result import FigureResult
from vigilant.core.scales import COUNT
from vigilant.core.verdict import call_figure, ruling


def figure(name="mean_ms", call="unclear", inside=False):
    numbers = dict.fromkeys(
        ("before", "after", "difference", "raw_before", "raw_after", "d", "margin", "margin_low", "margin_high"), 0.0
    )
    nothing = dict.fromkeys(("ci_low", "ci_high", "ratio", "se", "df", "p_value", "smallest_visible"))
    return FigureResult(
        name=name, unit="ms", higher_is_better=False, inside=inside, call=call, primary=True, **numbers, **nothing
    )


BETTER, WORSE, OPEN = figure("a", "better"), figure("b", "worse"), figure("c", "unclear")
SLIGHT = figure("d", "worse, within margin", True)
EVEN = figure("e", "equivalent", True)


@pytest.mark.parametrize(
    ("primaries", "findings", "allowed", "verdict", "reasons"),
    [
        ([BETTER, OPEN], [], True, "gain", ("a",)),
        ([OPEN, WORSE], [], True, "regression", ("b",)),
        ([BETTER, WORSE], [], True, "trade-off", ("a", "b")),
        ([EVEN, EVEN], [], True, "no material change", ()),
        ([EVEN, SLIGHT], [], True, "no material change", ()),
        ([SLIGHT, OPEN], [], True, "regression", ("d",)),
        ([OPEN, EVEN], [], True, "undecided", ("c",)),
        ([EVEN, EVEN], [Finding("held-by-cap")], False, "undecided", ("held-by-cap",)),
        ([OPEN], [Finding("order-confounded")], True, "undecided", ("order-confounded",)),
        ([OPEN], [Finding("spread-unknown")], True, "undecided", ("spread-unknown",)),
        ([BETTER], [Finding("caps-differ", "void"), Finding("x", "warn")], True, "void", ("caps-differ",)),
    ],
)
def test_decisions(primaries, findings, allowed, verdict, reasons):
    got = ruling(primaries, findings, allowed)
    assert (got.verdict, got.reasons) == (verdict, reasons)


@pytest.mark.parametrize(
    ("better", "significant", "inside", "call"),
    [
        (True, True, False, "better"),
        (False, True, False, "worse"),
        (True, True, True, "better, within margin"),
        (False, True, True, "worse, within margin"),
        (True, False, True, "equivalent"),
        (False, False, False, "unclear"),
    ],
)
def test_calls(better, significant, inside, call):
    assert call_figure(better, significant, inside) == call


def test_findings_of_others_are_heard():
    rng = np.random.default_rng(1)
    stop = Finding("scenario-versions-differ", "void", {"versions": ["a 1", "a 2"]})
    got = compare(arm(rng, 5), arm(rng, 5, level_ms=6), POLICY, PAIRS, [stop])
    assert (got.verdict, got.reasons) == ("void", ("scenario-versions-differ",))
    assert got.figures["mean_ms"].call == "better"  # the numbers are there, the verdict is not


def test_failed_runs_are_counted_by_outcome():
    assert failed_runs(["complete"] * 3) == ()
    (found,) = failed_runs(["complete", "hung", "crashed", "hung"])
    assert (found.evidence["failed"], found.evidence["outcomes"]) == (3, ["2 hung", "1 crashed"])


def test_work_twins_are_the_frame_less_its_waiting():
    rng = np.random.default_rng(2)
    frame = capped(rng, 500, late=0.0)
    wait = np.clip(frame - rng.uniform(8, 11, 500), 0, None)
    got = summarize(FrameSeries(frame, lanes={"w": wait}, lane_roles={"w": "waiting"}))
    work = np.maximum(frame - wait, 0.001)
    assert math.isclose(got.work["work_mean_ms"], work.mean(), rel_tol=1e-12)
    assert math.isclose(got.work["work_p95_ms"], np.percentile(work, 95), rel_tol=1e-12)
    gap = np.where(np.arange(500) == 7, np.nan, wait)
    assert summarize(FrameSeries(frame, lanes={"w": gap}, lane_roles={"w": "waiting"})).work == {}


def test_a_figure_that_is_not_in_every_run_is_named():
    rng = np.random.default_rng(3)
    policy = Policy(primaries=("mean_ms", "work_mean_ms"))
    got = compare(arm(rng, 5, frames=150), arm(rng, 5, frames=150), policy, PAIRS)
    assert [f.code for f in got.findings] == ["figure-missing"]
    assert got.verdict == "undecided"


@pytest.mark.parametrize(("margin", "verdict"), [(0.5, "no material change"), (0.001, "gain")])
def test_a_policys_margin_replaces_the_default(margin, verdict):
    rng = np.random.default_rng(4)
    policy = Policy(primaries=("mean_ms",), margins={"mean_ms": margin})
    arms = arm(rng, 5, run_spread=0.002), arm(rng, 5, run_spread=0.002, level_ms=11.5)
    got = compare(*arms, policy, PAIRS)
    assert got.verdict == verdict
    assert got.material is (True if verdict == "gain" else None)


def test_undecided_names_the_runs_that_the_margin_needs():
    rng = np.random.default_rng(5)
    policy = Policy(primaries=("mean_ms",))
    few = compare(arm(rng, 5, run_spread=0.03), arm(rng, 5, run_spread=0.03), policy, PAIRS)
    assert few.verdict == "undecided"
    assert 20 < few.runs_needed < 200  # 3 % from run to run against a margin of 2 %
    mean = few.figures["mean_ms"]
    assert mean.smallest_visible > abs(mean.margin_high)


def test_one_odd_run_of_unequal_arms_does_not_make_a_gain():
    rng = np.random.default_rng(6)
    order = ["before", "after", "before", "before", "before", "after", "before", "before", "before", "after"]
    after = [*arm(rng, 2), FrameSeries(ordinary(rng, level_ms=9.0))]
    assert compare(arm(rng, 7), after, POLICY, order).verdict == "undecided"


def test_warm_up_is_left_out_on_both_sides():
    rng = np.random.default_rng(7)

    def warm(factor):
        return [FrameSeries(np.concatenate([ordinary(rng, 60) * factor, ordinary(rng, 600)])) for _ in range(5)]

    kept = compare(warm(1.0), warm(3.0), Policy(target_fps=60), PAIRS)
    trimmed = compare(warm(1.0), warm(3.0), Policy(target_fps=60, trim_s=2.3), PAIRS)
    assert kept.verdict == "regression"
    assert trimmed.verdict in ("undecided", "no material change")


def test_marks_out_of_order_are_sorted():
    x = np.full(90, 10.0)
    series = FrameSeries(x, marks=[Mark(60, "boss"), Mark(0, "load", False), Mark(30, "walk")])
    assert summarize(series).frames == 60


def rates(repeats, before, after, order, policy=POLICY, seed=9):
    """Share of repeats in which the mean's difference is called significant, and covers zero change."""
    rng = np.random.default_rng(seed)
    called = 0
    for _ in range(repeats):
        got = compare(before(rng), after(rng), policy, order)
        called += got.figures["mean_ms"].p_value < 0.05
    return called / repeats


def test_unequal_arms_of_unequal_spread_hold_their_rate():
    order = [
        "before",
        "after",
        "before",
        "before",
        "after",
        "before",
        "after",
        "before",
        "before",
        "before",
        "after",
        "before",
    ]
    rate = rates(
        150,
        lambda g: arm(g, 8, frames=60, run_spread=0.005),
        lambda g: arm(g, 4, frames=60, run_spread=0.03),
        order,
    )
    assert rate <= 0.055 + 3 * math.sqrt(0.05 * 0.95 / 150)


@pytest.mark.parametrize(
    ("figure", "level", "most"),
    [("stutters_per_min", 4.0, 3.0), ("stutters_per_min", 20.0, 10.0), ("stutters_per_min", 1768.0, 60.0),
     ("late_share", 0.004, 0.005), ("late_share", 0.02, 0.01), ("late_share", 0.4, 0.05)],
)  # fmt: skip
def test_a_margin_is_half_the_level_and_no_more_than_anybody_means(figure, level, most):
    kind = FIGURES[figure]
    y = 2 * np.sqrt(level) if kind.scale is COUNT else np.log(level / (1 - level))
    moved = y + kind.margin_y(y, None)
    reached = moved**2 / 4 if kind.scale is COUNT else 1 / (1 + np.exp(-moved))
    assert reached - level == pytest.approx(most)
