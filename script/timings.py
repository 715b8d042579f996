"""Measurements of the core: a comparison in milliseconds and in sorts of the same frames, against
``scipy.stats.bootstrap``, its import, and (with --calibration) its error rates by simulation."""

from __future__ import annotations

import argparse
import math
import statistics
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "tests"))
from core.generators import capped, ordinary

from vigilant.core import FrameSeries, Policy, compare
from vigilant.core.schedule import draw_order

POLICY = Policy(target_fps=60)
FIGURES = ("mean_ms", "p50_ms", "slowest_1pct_ms", "late_share", "overrun_share", "stutters_per_min")


def milliseconds(work: Callable[[], object], repeats: int = 9) -> float:
    """Median of several runs after a warm-up."""
    work()
    taken = []
    for _ in range(repeats):
        started = time.perf_counter()
        work()
        taken.append(time.perf_counter() - started)
    return 1000.0 * statistics.median(taken)


def comparison() -> None:
    rng = np.random.default_rng(1)
    for frames in (10_000, 100_000, 1_000_000):
        arms = [[FrameSeries(ordinary(rng, frames)) for _ in range(10)] for _ in range(2)]
        order = draw_order(10, 3)
        whole = [s.frame_ms for arm in arms for s in arm]
        repeats = 9 if frames < 1_000_000 else 3
        sort = milliseconds(lambda whole=whole: [np.sort(x) for x in whole], repeats)
        took = milliseconds(lambda arms=arms, order=order: compare(*arms, POLICY, order), repeats)
        per_frame = 1e6 * took / (20 * frames)
        print(
            f"compare 2 x 10 runs x {frames:>9,} frames: {took:8.1f} ms, {took / sort:5.1f} sorts of them, {per_frame:4.0f} ns a frame"
        )
        if frames == 10_000:
            against_bootstrap(whole, took)


def against_bootstrap(whole: list[np.ndarray], took_ms: float) -> None:
    from scipy import stats

    pooled = np.concatenate(whole[:10]), np.concatenate(whole[10:])

    def difference(p: float) -> Callable[..., np.ndarray]:
        return lambda a, b, axis: np.quantile(b, p, axis=axis) - np.quantile(a, p, axis=axis)

    resamples, wanted = 200, 9999
    total = 0.0
    for p in (0.5, 0.99):
        started = time.perf_counter()
        stats.bootstrap(
            pooled, difference(p), n_resamples=resamples, vectorized=True, batch=20, method="percentile", rng=1
        )
        total += time.perf_counter() - started
    extrapolated = total * wanted / resamples
    print(
        f"scipy.stats.bootstrap of median and 99th percentile, {wanted} resamples (extrapolated from {resamples}):"
        f" {extrapolated:.0f} s, {1000 * extrapolated / took_ms:,.0f} times a whole comparison"
    )


def imports() -> None:
    command = [sys.executable, "-c", "import vigilant.core"]
    print(f"import of the core in a new process: {milliseconds(lambda: subprocess.run(command, check=True), 5):.0f} ms")


GENERATORS: dict[str, Callable[[np.random.Generator], np.ndarray]] = {
    "steady": lambda g: ordinary(g, 400, pauses_per_1000=0),
    "pauses": lambda g: ordinary(g, 400, pauses_per_1000=8),
    "heavy pauses": lambda g: ordinary(g, 400) + np.where(g.random(400) < 0.01, g.pareto(1.5, 400) * 10, 0),
    "noisy runs": lambda g: ordinary(g, 400, run_spread=0.04),
    "heavy-tailed runs": lambda g: ordinary(g, 400) * math.exp(0.01 * g.standard_t(3)),
    "over budget": lambda g: ordinary(g, 400, level_ms=17.0),
    "unlike lengths": lambda g: ordinary(g, int(g.integers(200, 600))),
    "capped": lambda g: capped(g, 400),
    "1 ms timer": lambda g: np.diff(np.floor(np.cumsum(ordinary(g, 400))), prepend=0.0),
    "two levels": lambda g: np.concatenate([ordinary(g, 200), ordinary(g, 200, level_ms=14.0)]),
}


def calibration(repeats: int) -> None:
    """Share of comparisons with no change called different, per generator, runs an arm and figure."""
    print(
        f"False alarms in % with no change, {repeats} comparisons a row; Monte Carlo error {100 * math.sqrt(0.05 * 0.95 / repeats):.1f}"
    )
    print(
        f"{'generator':<20}{'runs':>5}"
        + "".join(f"{n.removesuffix('_ms'):>18}" for n in FIGURES)
        + f"{'any verdict':>14}  held"
    )
    rng = np.random.default_rng(20261123)
    slack = 3 * math.sqrt(0.05 * 0.95 / repeats)
    for name, make in GENERATORS.items():
        for runs in (3, 5, 8, 12):
            alarms, verdicts = dict.fromkeys(FIGURES, 0), 0
            for i in range(repeats):
                arms = [[FrameSeries(make(rng)) for _ in range(runs)] for _ in range(2)]
                got = compare(*arms, POLICY, draw_order(runs, i))
                verdicts += got.verdict in ("gain", "regression", "trade-off")
                for figure in FIGURES:
                    p = got.figures[figure].p_value
                    alarms[figure] += p is not None and p < 0.05
            held = max(alarms.values()) / repeats <= 0.055 + slack and verdicts / repeats <= 0.05 + slack
            cells = "".join(f"{100 * alarms[n] / repeats:>18.1f}" for n in FIGURES)
            print(f"{name:<20}{runs:>5}{cells}{100 * verdicts / repeats:>14.1f}  {'yes' if held else 'NO'}", flush=True)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--calibration", action="store_true", help="error rates by simulation instead of times")
    parser.add_argument("--repeats", type=int, default=3000)
    arguments = parser.parse_args()
    if arguments.calibration:
        calibration(arguments.repeats)
    else:
        imports()
        comparison()


if __name__ == "__main__":
    main()
