"""Where the time goes, measured: how often lanes are called right and wrongly, and what the intervals hold."""

from __future__ import annotations

import time
from collections import Counter

import numpy as np
from core.made_lanes import BUDGET_MS, simulated, views

from vigilant.core.work import Overlap, lanes_found, limiting, overlap, share_of_frames
from vigilant.core.work.fits import mean_over_runs

#: A call may be wrong in so many.
MOST_WRONG = 0.03


def report(trials: int) -> bool:
    """Every rate; whether all hold within three Monte Carlo errors."""
    rng = np.random.default_rng(2)
    fine = True
    for slow in (0.6, 0.9, 0.98):
        for noise in (0.01, 0.05):
            for model in ("overlap", "serial", "partly"):
                cells = []
                for levels in ((9.0, 9.0), (11.0, 6.0), (11.0, 1.0), (11.0, 0.2)):
                    found = Counter(
                        overlap([simulated(rng, levels, model, 0.5, noise, slow=slow) for _ in range(3)]).call
                        for _ in range(trials)
                    )
                    wrong = 1.0 - (found[model] + found["cannot be told"]) / trials
                    bound = MOST_WRONG + 3.0 * (MOST_WRONG * (1 - MOST_WRONG) / trials) ** 0.5
                    fine = fine and wrong <= bound
                    cells.append(f"{100 * found[model] / trials:.0f}/{100 * wrong:.0f}")
                print(f"    waves {slow:g}, read with {100 * noise:g} % noise, {model}: right/wrong {', '.join(cells)}")
    fine = _coverage(rng, trials) and fine
    began = time.perf_counter()
    arm = views(rng, 7.0, 11.0, runs=10)
    for _ in range(2):
        lanes_found(arm, BUDGET_MS)
    print(f"    lanes of 2 x 10 runs of 900 frames: {1000 * (time.perf_counter() - began):.0f} ms")
    return fine


def _coverage(rng: np.random.Generator, trials: int) -> bool:
    """Intervals of a limiting share and of headroom, against the mean of a bank of runs that they are drawn from."""
    bank = [simulated(rng, (8.6, 9.0), "overlap", 0.5, frames=3000) for _ in range(120)]
    codes = [limiting(run)[0] for run in bank]
    counts = np.array([int((code == 1).sum()) for code in codes])
    rooms = np.array([BUDGET_MS - Overlap("overlap").model_ms(run).mean() for run in bank])
    fine = True
    for runs in (3, 5, 8):
        held = np.zeros(2)
        for _ in range(10 * trials):
            drawn = rng.choice(len(bank), runs, replace=False)
            _, low, high = share_of_frames(counts[drawn].tolist(), [3000] * runs)
            assert low is not None
            assert high is not None
            held[0] += low <= counts.mean() / 3000 <= high
            mean, half = mean_over_runs(rooms[drawn].tolist(), 0.0)
            assert half is not None
            held[1] += abs(mean - rooms.mean()) <= half
        share, room = 100 * held / (10 * trials)
        fine = fine and min(share, room) >= 92 - 3 * 100 * (0.08 * 0.92 / (10 * trials)) ** 0.5
        print(f"    {runs} runs: the interval of a limiting share holds in {share:.1f} %, of headroom in {room:.1f} %")
    return fine
