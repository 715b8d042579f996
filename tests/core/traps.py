"""The mistakes that experienced people make, as runs, and what each should be called."""

import math
from dataclasses import dataclass, field

import numpy as np

from core.generators import capped, ordinary
from vigilant.core import FrameSeries, Mark, Policy, compare
from vigilant.core.schedule import draw_order

RUNS = 6
PAIRS = tuple(draw_order(RUNS, 3))
POLICY = Policy(target_fps=60)
_RNG = np.random.default_rng(20261123)  # for what is made here, once, in this order


def runs(make, count=RUNS, **kwargs):
    return [FrameSeries(make(i), **{k: v(i) if callable(v) else v for k, v in kwargs.items()}) for i in range(count)]


def steady(level=12.0, frames=900, spread=0.005, pauses=0.0, rng=_RNG):
    return lambda i: ordinary(rng, frames, level, run_spread=spread, pauses_per_1000=pauses)


def held(hz=60.0):
    return lambda i: capped(_RNG, 600, hz)


def waiting(work_ms):
    """Capped runs whose waiting lane says how much of the frame was idle."""
    made = []
    for _ in range(RUNS):
        x = capped(_RNG, 600)
        work = work_ms * np.exp(_RNG.normal(0, 0.004)) * np.exp(_RNG.normal(0, 0.03, x.size))
        made.append(FrameSeries(x, lanes={"idle": np.maximum(0.0, x - work)}, lane_roles={"idle": "waiting"}))
    return made


def heated(slots, change=1.0):
    """Runs at places of a session that warms up by 5 %."""
    return [FrameSeries(change * (1 + 0.05 * (1 - math.exp(-s / 4))) * steady()(0)) for s in slots]


def with_pauses(level, every=60):
    x = steady(level)(0)
    x[7::every] += 40.0
    return x


def counted(boats):
    return {"counters": lambda i: {"boats": np.full(900, boats * (1 + 0.001 * _RNG.normal()))}}


def with_odd_run():
    made = runs(steady())
    made[2] = FrameSeries(1.2 * made[2].frame_ms)
    return made


@dataclass
class Trap:
    before: list
    after: list
    verdict: str
    finding: str | None = None
    policy: Policy = POLICY
    order: tuple | None = PAIRS
    absent: tuple = field(default=())


def traps():
    same = steady()(0)
    once = runs(steady())
    marks = [Mark(0, "loading", False), Mark(60, "river")]
    loading = lambda i: np.concatenate((np.full(60, 30.0), steady()(i)))  # noqa: E731
    return {
        "a gain": Trap(runs(steady()), runs(steady(10.5)), "gain"),
        "a regression": Trap(runs(steady()), runs(steady(13.5)), "regression"),
        "loose files": Trap(runs(steady()), runs(steady(9.0)), "gain", "order-unknown", order=None),
        "loading took longer, the play did not": Trap(runs(loading, marks=marks), runs(lambda i: np.concatenate((np.full(60, 270.0), steady()(i))), marks=marks), "no material change"),
        "capped against uncapped": Trap(runs(held()), runs(steady()), "void", "cap-one-side"),
        "twice the refresh": Trap(runs(held(60)), runs(held(30)), "void", "caps-differ"),
        "both capped, no waiting lane": Trap(runs(held()), runs(held()), "undecided", "held-by-cap"),
        "both capped, the work is seen through the waiting lane": Trap(waiting(12.0), waiting(10.0), "gain", "held-by-cap"),
        "identical runs": Trap([FrameSeries(same)] * RUNS, [FrameSeries(same[::-1])] * RUNS, "no material change"),
        "the same runs on both sides": Trap(once, [*once[:1], *runs(steady(), RUNS - 1)], "void", "same-run-both-sides"),
        "one run each": Trap(runs(steady(), 1), runs(steady(9.0), 1), "undecided", "spread-unknown", order=("before", "after")),
        "two runs each": Trap(runs(steady(), 2), runs(steady(11.9), 2), "undecided", "too-few-runs", order=("before", "after", "after", "before")),
        "before, then after, while the machine warms up": Trap(heated(range(6)), heated(range(6, 12)), "undecided", "order-confounded", order=("before",) * 6 + ("after",) * 6),
        "heat, but interleaved": Trap(heated([i for i, o in enumerate(PAIRS) if o == "before"]), heated([i for i, o in enumerate(PAIRS) if o == "after"]), "no material change"),
        "loading left in": Trap(runs(loading), runs(loading), "no material change", "warm-up-left-in"),
        "loading named as not play": Trap(runs(loading, marks=marks), runs(loading, marks=marks), "no material change", absent=("warm-up-left-in",)),
        "one odd run is flagged and not dropped": Trap(with_odd_run(), runs(steady()), "undecided", "odd-run"),
        "unlike sheets": Trap(runs(steady(), conditions={"window": "1280x800"}), runs(steady(9.0), conditions={"window": "640x400"}), "void", "conditions-differ"),
        "less work": Trap(runs(steady(), **counted(400)), runs(steady(9.0), **counted(300)), "void", "work-unlike", Policy(target_fps=60, witnesses=["boats"])),
        "the wrong unit": Trap(runs(lambda i: 0.001 * steady()(i), stated_s=lambda i: 10.8), runs(steady(), stated_s=lambda i: 10.8), "void", "unit-unlike"),
        "a rate taken for a time": Trap(runs(lambda i: 1000 / steady(12.0, pauses=30)(i)), runs(lambda i: 1000 / steady(12.0, pauses=30)(i)), "no material change", "rate-given-as-time"),
        "unequal lengths and nothing seen": Trap(runs(steady(9.0, 4000)), runs(steady(9.0, 1200)), "no material change", "lengths-unlike"),
        "nothing seen on one side": Trap(runs(steady(9.0)), [FrameSeries(with_pauses(9.0)) for _ in range(RUNS)], "regression"),
        "the same pauses under slower work": Trap([FrameSeries(with_pauses(8.0)) for _ in range(RUNS)], [FrameSeries(with_pauses(12.0)) for _ in range(RUNS)], "regression"),
    }  # fmt: skip


TRAPS = traps()


def judged(name):
    trap = TRAPS[name]
    return compare(trap.before, trap.after, trap.policy, None if trap.order is None else list(trap.order))
