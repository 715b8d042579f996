"""Error rates by simulation through the public ``compare``: the table of docs/statistics.md, *Rates, measured*."""

from __future__ import annotations

import math
import multiprocessing
import os
import sys
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import partial
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "tests"))
from core.generators import capped, ordinary

from vigilant.core import FrameSeries, Policy, compare, look_levels
from vigilant.core.looks import FIRST_LOOK, MOST_PAIRS
from vigilant.core.schedule import draw_order

POLICY = Policy(target_fps=60)
FIGURES = ("mean_ms", "p50_ms", "slowest_1pct_ms", "late_share", "overrun_share", "stutters_per_min")
WRONG = ("gain", "regression", "trade-off")
Rng = np.random.Generator


def _every(g: Rng) -> np.ndarray:
    """A pause every 80 frames, from a place drawn for each run."""
    x = ordinary(g, 400, pauses_per_1000=0)
    x[int(g.integers(80)) :: 80] += 25.0
    return x


def _warm(g: Rng) -> np.ndarray:
    return ordinary(g, 400) * (1.0 + 0.3 * np.exp(-np.arange(400) / 40))


GENERATORS: dict[str, Callable[[Rng], np.ndarray]] = {
    "steady": lambda g: ordinary(g, 400, pauses_per_1000=0),
    "pauses": lambda g: ordinary(g, 400, pauses_per_1000=8),
    "heavy pauses": lambda g: ordinary(g, 400) + np.where(g.random(400) < 0.01, g.pareto(1.5, 400) * 10, 0),
    "regular pauses": _every,
    "noisy runs": lambda g: ordinary(g, 400, run_spread=0.04),
    "heavy-tailed runs": lambda g: ordinary(g, 400) * math.exp(0.01 * g.standard_t(3)),
    "over budget": lambda g: ordinary(g, 400, level_ms=17.0),
    "unlike lengths": lambda g: ordinary(g, int(g.integers(200, 600))),
    "capped": lambda g: capped(g, 400),
    "1 ms timer": lambda g: np.diff(np.floor(np.cumsum(ordinary(g, 400))), prepend=0.0),
    "two levels": lambda g: np.concatenate([ordinary(g, 200), ordinary(g, 200, level_ms=14.0)]),
    "warm-up left in": _warm,
}


@dataclass(frozen=True)
class Row:
    """A line of the table: its rates in %, and whether each bound held within three Monte Carlo errors."""

    name: str
    cells: tuple[tuple[str, float], ...]
    held: bool


def _slack(rate: float, repeats: int) -> float:
    return 3.0 * math.sqrt(rate * (1.0 - rate) / repeats)


def _arm(g: Rng, make: Callable[[Rng], np.ndarray], runs: int, factor: float = 1.0) -> list[FrameSeries]:
    return [FrameSeries(factor * make(g)) for _ in range(runs)]


def _false_alarms(name: str, runs: int, repeats: int) -> Row:
    g = np.random.default_rng([20261123, runs, *name.encode()])
    alarms, verdicts = dict.fromkeys(FIGURES, 0), 0
    for i in range(repeats):
        got = compare(_arm(g, GENERATORS[name], runs), _arm(g, GENERATORS[name], runs), POLICY, draw_order(runs, i))
        verdicts += got.verdict in WRONG
        for figure in FIGURES:
            p = got.figures[figure].p_value
            alarms[figure] += p is not None and p < 0.05
    held = max(alarms.values()) / repeats <= 0.055 + _slack(0.055, repeats)
    held &= verdicts / repeats <= 0.05 + _slack(0.05, repeats)
    cells = [(n.removesuffix("_ms"), alarms[n] / repeats) for n in FIGURES]
    return Row(f"false, {name}, {runs} runs", (*cells, ("any verdict", verdicts / repeats)), held)


def _coverage(name: str, runs: int, repeats: int) -> Row:
    """At a true 5 % more: how often the interval holds the mean of all estimates, and calls that point the wrong way."""
    g = np.random.default_rng([5, runs, *name.encode()])
    wanted = tuple(n for n in FIGURES if n != "p50_ms")
    kept: dict[str, list[tuple[float, float, float]]] = {n: [] for n in wanted}
    wrong = 0
    for i in range(repeats):
        got = compare(
            _arm(g, GENERATORS[name], runs), _arm(g, GENERATORS[name], runs, 1.05), POLICY, draw_order(runs, i)
        )
        wrong += got.verdict == "gain"
        for n in wanted:
            r = got.figures[n]
            if r.se is not None and r.df is not None:
                kept[n].append((r.d, r.se, r.df))
    from scipy.special import stdtrit

    rates = {}
    for n, rows in kept.items():
        if rows:
            d, se, df = np.array(rows).T
            rates[n] = float(np.mean(np.abs(d - d.mean()) <= stdtrit(df, 0.975) * se))
    held = all(rate >= 0.94 - _slack(0.06, repeats) for rate in rates.values())
    held &= wrong / repeats <= 0.005 + _slack(0.005, repeats)
    cells = [(n.removesuffix("_ms"), rate) for n, rate in rates.items()]
    return Row(f"coverage, {name}, {runs} runs", (*cells, ("wrong way", wrong / repeats)), held)


def _power(runs: int, least: float, repeats: int) -> Row:
    g = np.random.default_rng([7, runs])
    seen = 0
    for i in range(repeats):
        got = compare(
            _arm(g, GENERATORS["steady"], runs), _arm(g, GENERATORS["steady"], runs, 0.98), POLICY, draw_order(runs, i)
        )
        p = got.figures["mean_ms"].p_value
        seen += p is not None and p < 0.05
    rate = seen / repeats
    return Row(
        f"power, 2 % at 1 % spread, {runs} runs", (("seen", rate),), rate >= least - 0.02 - _slack(least, repeats)
    )


def _heat(change: float, repeats: int) -> Row:
    g = np.random.default_rng([9, int(1000 * change)])
    seen = 0
    for i in range(repeats):
        order = draw_order(5, i)
        arms: dict[str, list[FrameSeries]] = {"before": [], "after": []}
        for slot, arm in enumerate(order):
            heat = 1.0 + 0.05 * (1.0 - math.exp(-slot / 3.0))
            level = heat * (1.0 - change * (arm == "after"))
            arms[arm].append(FrameSeries(level * ordinary(g, 400, run_spread=0.005, pauses_per_1000=0)))
        p = compare(arms["before"], arms["after"], POLICY, order).figures["mean_ms"].p_value
        seen += p is not None and p < 0.05
    rate = seen / repeats
    held = rate >= 0.65 - 0.02 - _slack(0.65, repeats) if change else rate <= 0.06 + _slack(0.06, repeats)
    return Row(f"5 % heat, 5 runs, {'1 % change' if change else 'no change'}", (("seen", rate),), held)


def _until_decided(change: float, repeats: int) -> Row:
    """Looks from 4 to 15 pairs on the mean alone; at a change of the margin, equivalence is false."""
    g = np.random.default_rng([11, int(1000 * change)])
    policy = Policy(primaries=["mean_ms"])
    found, equal, used = 0, 0, 0
    for i in range(repeats):
        order = draw_order(MOST_PAIRS, i)
        make = partial(ordinary, g, 100, pauses_per_1000=0)
        series = [FrameSeries(make() * (1.0 + change * (arm == "after"))) for arm in order]
        for pairs in range(FIRST_LOOK, MOST_PAIRS + 1):
            so_far = order[: 2 * pairs]
            sides = ([s for s, o in zip(series, so_far, strict=False) if o == arm] for arm in ("before", "after"))
            got = compare(*sides, policy, so_far, levels=look_levels(pairs))
            if got.verdict != "undecided":
                break
        found += got.verdict in WRONG
        equal += got.verdict == "no material change"
        used += pairs
    rate = (equal if change else found) / repeats
    cells = (("false equivalence" if change else "false", rate), ("pairs / 100", used / repeats / 100.0))
    return Row(
        f"until decided, {'2 % (the margin)' if change else 'no change'}", cells, rate <= 0.055 + _slack(0.055, repeats)
    )


def _band(runs: int, repeats: int) -> Row:
    g = np.random.default_rng([13, runs])
    held = 0
    for i in range(repeats):
        band = compare(
            _arm(g, GENERATORS["steady"], runs), _arm(g, GENERATORS["steady"], runs), POLICY, draw_order(runs, i)
        ).band
        assert band is not None
        assert band.low is not None
        assert band.high is not None
        held += bool(((band.low <= 0) & (band.high >= 0)).all())
    rate = held / repeats
    within = 0.92 - _slack(0.08, repeats) <= rate <= 0.98 + _slack(0.02, repeats)
    return Row(f"band holds everywhere, {runs} runs", (("held", rate),), within)


def _same_pauses(factor: float, repeats: int) -> Row:
    """The work of each frame times a factor, the same pauses on top."""
    g = np.random.default_rng([17, int(100 * factor)])

    def run(level: float) -> FrameSeries:
        x = ordinary(g, 400, level_ms=level, pauses_per_1000=0)
        return FrameSeries(x + 25.0 * (g.random(400) < 0.008))

    called = 0
    for i in range(repeats):
        got = compare([run(12.0) for _ in range(5)], [run(12.0 * factor) for _ in range(5)], POLICY, draw_order(5, i))
        p = got.figures["stutters_per_min"].p_value
        called += p is not None and p < 0.05
    rate = called / repeats
    return Row(f"same pauses, work x {factor:g}", (("stutters called", rate),), rate <= 0.06 + _slack(0.06, repeats))


def _rows(repeats: int) -> Iterator[Callable[[], Row]]:
    for name in GENERATORS:
        for runs in (3, 5, 8, 12):
            yield partial(_false_alarms, name, runs, repeats)
    for name in ("steady", "pauses", "over budget", "noisy runs"):
        yield partial(_coverage, name, 5, repeats)
    for runs, least in ((3, 0.35), (5, 0.75), (8, 0.95), (12, 0.99)):
        yield partial(_power, runs, least, repeats)
    for change in (0.0, 0.01):
        yield partial(_heat, change, repeats)
        yield partial(_until_decided, 2.0 * change, repeats)
    for runs in (5, 8):
        yield partial(_band, runs, repeats)
    for factor in (0.8, 1.05, 1.5):
        yield partial(_same_pauses, factor, repeats)


def reduced() -> dict[str, Callable[[], Row]]:
    """The table in little, by name: every generator at 5 runs, and one row of each other kind (under two minutes)."""
    few = {f"false, {name}": partial(_false_alarms, name, 5, 60) for name in GENERATORS}
    return few | {
        "coverage": partial(_coverage, "pauses", 5, 100),
        "power": partial(_power, 5, 0.75, 120),
        "heat": partial(_heat, 0.0, 100),
        "power in heat": partial(_heat, 0.01, 100),
        "until decided": partial(_until_decided, 0.0, 25),
        "false equivalence": partial(_until_decided, 0.02, 25),
        "band": partial(_band, 5, 100),
        "same pauses, slower": partial(_same_pauses, 1.5, 100),
        "same pauses, faster": partial(_same_pauses, 0.8, 100),
    }


def _made(make: Callable[[], Row]) -> Row:
    return make()


def calibrate(repeats: int) -> bool:
    """Print every row; True if all held."""
    print(
        f"{repeats} comparisons a row; rates in %, Monte Carlo error at 5 %: {100 * math.sqrt(0.05 * 0.95 / repeats):.1f}"
    )
    held = True
    with multiprocessing.Pool(os.cpu_count()) as pool:
        for row in pool.imap(_made, list(_rows(repeats))):
            cells = ", ".join(f"{name} {100 * rate:.1f}" for name, rate in row.cells)
            print(f"{'ok  ' if row.held else 'FAIL'} {row.name:<36} {cells}", flush=True)
            held &= row.held
    return held
