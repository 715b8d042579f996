"""Runs whose late frames hold what was put into them, and frames made again without a part."""

import numpy as np

from vigilant.core.work import LateRun, RunLanes, excess_of_run

BUDGET = 1000 / 60


def injected(rng, share):
    """A run whose late frames hold spikes of *c* (``share`` of the excess) and of *a*, over parts that vary."""
    n = 3000
    wave = np.convolve(rng.standard_normal(n + 23), 0.6 ** np.arange(24), "valid") * 0.8
    rows = {("", ("a",)): 6 * np.exp(0.05 * wave), ("", ("b",)): np.where(np.arange(n) % 2, 0.0, 2.0), ("", ("c",)): np.full(n, 0.5)}  # fmt: skip
    at = np.flatnonzero(rng.random(n) < 0.006)
    mine = rng.random(at.size) < share
    size = 14 * np.exp(rng.normal(0, 0.25, at.size))
    rows["", ("c",)][at[mine]] += size[mine]
    rows["", ("a",)][at[~mine]] += size[~mine]
    x = sum(rows.values()) + 1.0
    run = excess_of_run(x, np.array([0, 1000, 2000, n]), np.flatnonzero(x > 1.05 * BUDGET), None, None, rows, 1.05 * BUDGET, BUDGET)  # fmt: skip
    return run, size[mine].sum(), size.sum()


def bursts(rng, n, rate):
    """Events in bursts, as often in some legs as not: what pooled frames take for company."""
    hit = np.zeros(n, dtype=bool)
    for start in np.flatnonzero(rng.random(n) < rate / 6):
        hit[start : start + rng.integers(3, 11)] = True
    return hit


def made(rng, kind, n=3000):
    legs = np.array([0, n // 3, 2 * n // 3, n])
    level = np.repeat([0.4, 1.0, 2.5], [n // 3, n // 3, n - 2 * (n // 3)])
    x = 10 * np.exp(0.04 * rng.standard_normal(n))
    late = np.flatnonzero(rng.random(n) < 0.012 * level)
    x[late] += 12
    other = bursts(rng, n, 0.03) if kind == "bursts" else rng.random(n) < 0.03 * level
    if kind == "cause":
        other = rng.random(n) < 0.03
        other[late[rng.random(late.size) < 0.35]] = True
    clock = np.zeros(n)
    ends = np.cumsum(x)
    clock[np.searchsorted(ends, np.arange(350.0, ends[-1] - 1, 700.0))] = 1.0
    dense = np.cumsum(rng.standard_normal(n)) * 0.1 + level
    return LateRun(x, late, legs, {"loads": other.astype(float), "tick": clock, "heap": dense - dense.min() + 1})


def two_lanes(frame_ms, busy, waiting=None, period=None):
    x = np.asarray(frame_ms, float)
    return RunLanes(
        ("river", "paint"), (False, False), x, np.asarray(busy, float),
        np.zeros(x.size) if waiting is None else np.asarray(waiting, float), waiting is not None, np.array([0, x.size]), period_ms=period,
    )  # fmt: skip


def without_a_part(rng, levels, refresh=None, n=1500, removed=0.0):
    """Frames of two lanes and a part of the first, and the same frames made without it."""
    busy = np.array([level * np.exp(0.06 * np.convolve(rng.standard_normal(n + 23), 0.7 ** np.arange(24), "valid")) for level in levels])  # fmt: skip
    part = 0.4 * busy[0] * np.exp(0.05 * rng.standard_normal(n))
    made = []
    for b in (busy, busy - np.stack([part, np.zeros(n)])):
        work = b.max(axis=0) + 0.4
        shown = np.ceil(work / refresh) * refresh if refresh else work
        made.append((shown, shown - work))
    read = busy * np.exp(0.01 * rng.standard_normal(busy.shape))
    run = two_lanes(made[0][0], read, made[0][1] if refresh else None, refresh)
    return run, part, made[0][0].mean() - made[1][0].mean()
