"""Every check of the audit: met by what it looks for, silent on ordinary runs."""

import numpy as np
import pytest

from core.generators import ordinary
from vigilant.core import FrameSeries, Mark, Policy, compare
from vigilant.wording import finding_remedy, finding_sentence

RUNS, FRAMES = 5, 1200
ORDER = ["before", "after", "after", "before", "after", "before", "before", "after", "before", "after"]


def arms(change=lambda i, arm, x, extra: (x, extra), seed=5, runs=RUNS):
    """Two arms of ordinary runs; ``change`` may alter the frames and the other fields of each."""
    rng = np.random.default_rng(seed)
    made = []
    for arm in ("before", "after"):
        made.append([])
        for i in range(runs):
            x, extra = change(i, arm, ordinary(rng, FRAMES), {})
            made[-1].append(FrameSeries(x, **extra))
    return made


def found(made, policy=None, order=ORDER):
    return {f.code: f for f in compare(*made, policy or Policy(target_fps=60), order).findings}


def conditions(**both):
    """A sheet for each arm: ``name=(before, after)``."""
    return lambda i, arm, x, extra: (
        x,
        {"conditions": {k: v[arm == "after"] for k, v in both.items()}},
    )


def counter(before, after):
    return lambda i, arm, x, extra: (x, {"counters": {"boats": np.full(x.size, before if arm == "before" else after)}})


def measured(shares):
    return lambda i, arm, x, extra: (x, {"measured": {"other work": shares[i]}})


def slow_start(marks):
    def change(i, arm, x, extra):
        if i == 1 and arm == "after":
            x = x * (1.0 + 0.4 * np.exp(-np.arange(x.size) / 150.0))
        return x, ({"marks": [Mark(0, "pier"), Mark(600, "bridge")]} if marks else {})

    return change


def drifting(i, arm, x, extra):
    slots = [s for s, a in enumerate(ORDER) if a == arm]
    return x * (1.0 + 0.01 * slots[i]), extra


def odd(i, arm, x, extra):
    return (x * 1.2, extra) if (i, arm) == (2, "before") else (x, extra)


def stated(factor):
    return lambda i, arm, x, extra: (x, {"stated_s": float(x.sum()) / 1000.0 * factor})


def rates(i, arm, x, extra):
    return 1000.0 / x, extra


CASES = {
    "frames-measured-unlike": (conditions(frame_is=("start to start", "shown to shown")), Policy(), "void"),
    "simulated-against-real": (conditions(clock=("monotonic", "simulated")), Policy(), "void"),
    "clocks-disagree": (stated(1.05), Policy(), "warn"),
    "build-not-release": (conditions(build=("debug", "debug")), Policy(), "warn"),
    "observers-attached": (conditions(observers=("instruments", "instruments")), Policy(), "warn"),
    "window-not-in-front": (conditions(focus=("lost", "lost")), Policy(), "warn"),
    "other-work": (measured([0.1, 0.2, 0.1, 1.4, 0.1]), Policy(), "warn"),
    "unit-unlike": (stated(1000.0), Policy(), "void"),
    "unit-suspect": (lambda i, arm, x, extra: (x / 1000.0, extra), Policy(), "warn"),
    "rate-given-as-time": (rates, Policy(), "warn"),
    "timer-coarse": (lambda i, arm, x, extra: (np.maximum(1.0, np.round(x)), extra), Policy(), "note"),
    "never-settled": (counter(40, 40), Policy(settle={"counter": "lanterns"}), "warn"),
    "warm-up-left-in": (slow_start(True), Policy(), "warn"),
    "drift": (drifting, Policy(), "warn"),
    "played-by-hand": (conditions(played=("by hand", "by hand")), Policy(), "note"),
    "odd-run": (odd, Policy(), "warn"),
    "work-unlike": (counter(40, 38), Policy(witnesses=["boats"]), "void"),
    "witness-missing": (counter(40, 40), Policy(witnesses=["lanterns"]), "warn"),
}


@pytest.mark.parametrize("code", CASES)
def test_each_check_finds_what_it_looks_for(code):
    change, policy, severity = CASES[code]
    got = found(arms(change), policy)
    assert code in got
    assert got[code].severity == severity
    assert finding_sentence(got[code])
    assert finding_remedy(got[code])


def test_ordinary_runs_are_found_nothing_against():
    change = counter(40, 40)
    policy = Policy(target_fps=60, witnesses=["boats"], settle={"counter": "boats"})
    hits = [found(arms(change, seed), policy) for seed in range(12)]
    assert all(not set(h) - {"odd-run", "drift"} for h in hits)
    assert sum(bool(h) for h in hits) <= 1


def test_without_marks_a_slow_start_is_a_note_since_the_course_itself_may_begin_so():
    assert found(arms(slow_start(False)))["warm-up-left-in"].severity == "note"


def test_one_dear_leg_is_no_warm_up():
    def change(i, arm, x, extra):
        return np.concatenate([x[:300] * 1.5, x[300:]]), {"marks": [Mark(0, "fireworks"), Mark(300, "bridge")]}

    assert "warm-up-left-in" not in found(arms(change))


@pytest.mark.parametrize(
    ("counts", "within", "for_s", "settled"),
    [
        ([40] * 400, 0.01, 2.0, 0.0),
        ([*range(0, 200), *[200] * 200], 0.01, 2.0, 1.98),
        ([*range(0, 400)], 0.01, 2.0, None),
        ([float("nan")] * 400, 0.01, 2.0, None),
        ([10, 11] * 200, 0.2, 1.0, 0.0),
        ([10, 11] * 200, 0.05, 1.0, None),
    ],
)
def test_settling_by_a_counter(counts, within, for_s, settled):
    from vigilant.core.settle import Settle, settled_s

    series = FrameSeries(np.full(400, 10.0), counters={"boats": np.array(counts, float)})
    got = settled_s(series, Settle("boats", within, for_s))
    assert got == (None if settled is None else pytest.approx(settled, abs=0.03))


def test_a_run_counts_from_where_it_has_settled():
    from vigilant.core import summarize

    x = np.concatenate([np.full(200, 20.0), np.full(400, 10.0)])
    boats = np.concatenate([np.arange(200), np.full(400, 200.0)])
    series = FrameSeries(x, counters={"boats": boats})
    assert summarize(series, Policy(settle={"counter": "boats", "for_s": 1.0})).mean_ms == pytest.approx(10.0, abs=0.2)
