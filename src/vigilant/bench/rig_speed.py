"""The calibration load: a small fixed workload, timed on every rig, so that rigs can be set side by side."""

from __future__ import annotations

import math
import statistics
import time

REPEATS = 15
#: Bound to this text: another workload gets another name, and speeds of two loads are never compared.
LOAD = "boats 1"


def _load() -> float:
    """Sixty boats on a river looking for their neighbours, in plain Python; the answer is checked."""
    x = [(i * 37 % 101) / 2.5 for i in range(60)]
    y = [(i * 53 % 97) / 9.7 for i in range(60)]
    total = 0.0
    for _ in range(4):
        for i in range(60):
            for j in range(i + 1, 60):
                d = (x[i] - x[j]) ** 2 + (y[i] - y[j]) ** 2
                if d < 9.0:
                    total += math.sqrt(d)
    return total


def rig_speed() -> dict[str, float | str]:
    """Median ms of the load, and the standard error of its logarithm over the repeats.

    The spread is that of the middle half (interquartile range / 1.349), since a rig is at times
    disturbed for a moment.
    """
    _load()
    times = []
    for _ in range(REPEATS):
        started = time.perf_counter()
        _load()
        times.append(1000.0 * (time.perf_counter() - started))
    logs = sorted(math.log(t) for t in times)
    low, _, high = statistics.quantiles(logs, n=4)
    spread = max((high - low) / 1.349, 0.002)
    error = 1.2533 * spread / math.sqrt(REPEATS)
    return {"load": LOAD, "ms": round(math.exp(statistics.median(logs)), 4), "log_error": round(error, 5)}
