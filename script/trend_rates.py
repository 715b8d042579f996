"""The line over builds, measured: what steps are found and how often none is called one, what intervals hold, what an alert and a gate say
of nothing, how many runs a hunt takes; and how long a line takes."""

from __future__ import annotations

import math
import time
from collections.abc import Sequence

import numpy as np
from vary_rates import Rates

from vigilant.core.trend import Point, Primary, across, alert, bridge, called, gate, line, state_of, where

#: Run spread (t5) and session spread.
S, TAU, BUILDS, RUNS = 0.01, 0.004, 60, 5
Steps = Sequence[tuple[int, float]]


def made(
    rng: np.random.Generator, n: int = BUILDS, steps: Steps = (), k: int | Sequence[int] = RUNS, s: float = S,
    drift: tuple[int, int, float] | None = None, odd: int = 0,
) -> list[list[float]]:  # fmt: skip
    level = np.full(n, 2.5)
    for at, size in steps:
        level[at:] += size
    if drift is not None:
        level += drift[2] * np.clip((np.arange(n) - drift[0]) / (drift[1] - drift[0]), 0.0, 1.0)
    level += TAU * rng.standard_normal(n)
    # What stands alone: apart from each other, and from steps.
    alone = [at for at in range(4, n - 4, 5) if all(abs(at - step) > 2 for step, _ in steps)]
    if odd:
        level[rng.permutation(alone)[:odd]] += 0.05
    counts = [k] * n if isinstance(k, int) else [int(rng.choice(k)) for _ in range(n)]
    return [
        (x + s * rng.standard_t(5, count) / math.sqrt(5 / 3)).tolist() for x, count in zip(level, counts, strict=True)
    ]


def report(trials: int) -> bool:
    """Every rate; whether all are what the design states, within three Monte Carlo errors."""
    rng = np.random.default_rng(17)
    rates = Rates()
    _nothing(rng, rates, trials)
    _steps(rng, rates, trials)
    _alerts(rng, rates, 6 * trials)
    _followed(rng, rates, trials)
    _gates(rng, rates, trials)
    _breaks(rng, rates, 2 * trials)
    _hunts(rng, rates, max(10, trials // 4))
    _times(rng)
    return rates.fine


def _nothing(rng: np.random.Generator, rates: Rates, trials: int) -> None:
    for name, stated, more in (
        ("60 builds", 1.3, {}), ("k 2 to 8", 1.3, {"k": tuple(range(2, 9))}), ("2 odd builds", 1.3, {"odd": 2}),
        ("k = 1", 1.3, {"k": 1}), ("drift over all, 6 %", 1.3, {"drift": (0, BUILDS - 1, 0.06)}), ("12 builds", 5.3, {"n": 12}),
        ("20 builds", 2.7, {"n": 20}),
    ):  # fmt: skip
        false = sum(bool(line(made(rng, **more)).steps) for _ in range(trials))
        rates.at_most(f"lines with a false step, {name}", false, trials, stated, 150)


def _steps(rng: np.random.Generator, rates: Rates, trials: int) -> None:
    ats = (15, 30, 45)
    for name, size, near, recall, precision, more in (
        ("3 %", 0.03, 1, 99.6, 99.8, {}), ("3 %, unequal k", 0.03, 1, 98.0, 100.0, {"k": tuple(range(2, 9))}),
        ("3 %, 2 odd builds", 0.03, 1, 98.0, 99.8, {"odd": 2}), ("2 %", 0.02, 1, 94.0, 97.0, {}),
        ("1.2 %, within 2", 0.012, 2, 60.0, 89.0, {}), ("k = 1, 3 %, within 2", 0.03, 2, 95.0, 99.0, {"k": 1}),
    ):  # fmt: skip
        seen = called = held = sized = 0
        for _ in range(trials):
            true = [(at, size if i % 2 == 0 else -size) for i, at in enumerate(ats)]
            found = line(made(rng, steps=true, **more)).steps
            called += len(found)
            for at, own in true:
                match = next((step for step in found if abs(step.at - at) <= near), None)
                if match is not None:
                    seen += 1
                    held += match.first <= at <= match.last
                    sized += match.low <= own <= match.high
        rates.at_least(f"steps found, {name}", seen, 3 * trials, recall, 400)
        rates.at_least(f"found that are steps, {name}", seen, max(called, 1), precision, 400)
        rates.at_least(f"place held, {name}", held, max(seen, 1), 93.0 if size < 0.02 else 99.0, 400)
        rates.at_least(f"size held, {name}", sized, max(seen, 1), 91.0 if size < 0.02 else 94.0, 400)


def _alerts(rng: np.random.Generator, rates: Rates, trials: int) -> None:
    for n, stated in ((20, 0.83), (40, 0.67)):
        cried = 0
        for _ in range(trials):
            runs = made(rng, n)
            cried += alert(runs[:-1], runs[-1]).call != ""
        rates.at_most(f"alarms a build, nothing changed, {n} builds", cried, trials, stated, 1100)
    for size, stated in ((0.02, 28.0), (0.03, 90.0)):
        found = 0
        for _ in range(trials // 6):
            runs = made(rng, 40, [(39, size)])
            found += alert(runs[:-1], runs[-1]).call != ""
        rates.at_least(f"alarm at the first build, {100 * size:g} %", found, trials // 6, stated, 40)


def points(runs: Sequence[Sequence[float]]) -> list[Point]:
    return [Point(i, 0, tuple(own)) for i, own in enumerate(runs)]


def _followed(rng: np.random.Generator, rates: Rates, trials: int) -> None:
    """Lines that grow build by build, held as a server holds them; and what a second session says of an alarm."""
    cried = builds = 0
    for _ in range(max(4, trials // 10)):
        line_ = points(made(rng, 60))
        for i in range(20, 60):
            cried += bool(called(line_[:i], line_[i]).call)
            builds += 1
    rates.at_most("alarms a build of lines that are followed", cried, builds, 0.67, 600)
    for size, stated in ((0.015, 85.0), (0.02, 95.0), (0.03, 100.0)):
        found = confirmed = alarms = 0
        tried = max(10, trials // 4)
        for _ in range(tried):
            line_ = points(made(rng, 44, [(40, size)]))
            said = [called(line_[:i], line_[i], level_before=40) for i in range(40, 44)]
            at = next((i for i, one in enumerate(said) if one.call), None)
            found += at is not None
            if at is not None:
                again = Point(40 + at, 0, (*line_[40 + at].runs, *made(rng, 1, [(0, size)])[0]), sessions=2)
                alarms += 1
                confirmed += state_of(called(line_[: 40 + at], again, level_before=40), True, False, 2) == "confirmed"
        rates.at_least(f"alarm within four builds, {100 * size:g} %", found, tried, stated, 40)
        rates.at_least(f"confirmed by a second session, {100 * size:g} %", confirmed, alarms, 90.0, alarms)
    withdrawn = alarms = 0
    while alarms < max(10, trials // 4):
        line_ = points(made(rng, 21))
        first = called(line_[:20], line_[20], rate=0.02)
        if first.call:
            alarms += 1
            again = Point(20, 0, (*line_[20].runs, *made(rng, 1)[0]), sessions=2)
            now = called(line_[:20], again, rate=0.02)
            withdrawn += state_of(now, first.d > 0, False, 2) == "withdrawn"
    rates.at_least("false alarms (1 in 50) that a second session withdraws", withdrawn, alarms, 65.0, alarms)


def _gates(rng: np.random.Generator, rates: Rates, trials: int) -> None:
    """Four primaries that have nothing to do with each other, margin 2 %: the design's, of one run's frames, are called less often."""
    for k, worse in ((3, 96.0), (5, 100.0), (8, 100.0)):
        false = seen = 0
        for _ in range(trials):
            lines = [line(made(rng, 20, k=k), 4) for _ in range(4)]
            for size in (0.0, 0.05):
                newest = [made(rng, 1, [(0, size)], k=k)[0] for _ in lines]
                primaries = [
                    Primary(str(i), own, runs, math.log(1.02))
                    for i, (own, runs) in enumerate(zip(lines, newest, strict=True))
                ]
                verdict = gate(primaries).verdict
                seen += size > 0 and verdict == "regression"
                false += size == 0.0 and verdict in ("gain", "regression", "trade-off")
        rates.at_most(f"gate, false verdict, k = {k}", false, trials, 6.0, 200)
        rates.at_least(f"gate, regression of 5 %, k = {k}", seen, trials, worse, 200)


def _breaks(rng: np.random.Generator, rates: Rates, trials: int) -> None:
    """The newest builds before the break are recorded on the new set-up too, which is 5 % dearer."""
    for common, found_stated in ((1, 86.0), (2, 93.0), (4, 98.0)):
        false = found = held = 0
        for _ in range(trials):
            earlier = made(rng, 20)
            before = line(earlier)
            for size in (0.0, 0.03):
                again = made(rng, common, [(0, 0.05)])
                after = line(made(rng, 20, [(0, 0.05 + size)]))
                over = bridge(earlier[-common:], again, before.tau2, before.noise.s2, before.nu)
                change = across(before, after, over)
                held += change.low <= size <= change.high
                false += size == 0.0 and change.shown
                found += size > 0.0 and change.shown
        rates.at_most(f"change across a break, none is, {common} common", false, trials, 5.0, 300)
        rates.at_least(f"3 % across a break found, {common} common", found, trials, found_stated, 300)
        rates.at_least(f"change across a break held, {common} common", held, 2 * trials, 96.0, 300)


def _hunts(rng: np.random.Generator, rates: Rates, trials: int) -> None:
    """Of those whose ends lie apart enough after eight runs each: the others are told not to be reproduced."""
    for builds, size, most in ((64, 3.0, 17), (64, 2.0, 33), (256, 2.0, 40)):
        right, spent = 0, []
        for _ in range(trials):
            at = int(rng.integers(1, builds))
            runs: dict[int, list[float]] = {}
            while (found := where(builds, runs, 1.0, 0.0, most_runs=200)).next is not None:
                runs.setdefault(found.next, []).append(float(size * (found.next >= at) + rng.standard_normal()))
            if found.why == "certain":
                right += int(found.posterior.argmax()) + 1 == at
                spent.append(sum(map(len, runs.values())))
        name = f"hunt, {builds} builds, {size:g} s, {np.mean(spent):.0f} runs (stated {most})"
        rates.at_least(name, right, len(spent), 95.0, 40)


def _times(rng: np.random.Generator) -> None:
    for n in (60, 2_000):
        runs = made(rng, n, [(n // 4, 0.03), (n // 2, -0.03), (3 * n // 4, 0.03)])
        taken = []
        for _ in range(5):
            begun = time.perf_counter()
            line(runs)
            taken.append(time.perf_counter() - begun)
        print(f"    a line of {n:,} builds: {1000 * min(taken):.0f} ms")
