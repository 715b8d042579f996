"""Players of Lanternfall, made up: what their devices would send home, drawn from a seed.

Two things are true of it and are there to be found. Handhelds run *full lanterns*, which is a tier too high for them. And *festival crowd* only
seems to cost time: it is commoner at the fireworks, which are heavy; with the charger out handhelds really are slower. Besides, more handhelds
play the newer build, so that it looks worse though no class is; and players leave rather sooner after a late burst.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

FloatArray = npt.NDArray[np.float64]
IntArray = npt.NDArray[np.int64]

#: The upper edges of the buckets of a histogram, ms; the last is open.
EDGES_MS: FloatArray = np.append(2.0 ** (np.arange(161) / 16), np.inf)
_MIDDLES_MS: FloatArray = np.concatenate(([0.8], EDGES_MS[:-2] * 2.0 ** (1 / 32), [1100.0]))
BUDGET_MS, TOLERANCE = 50.0 / 3.0, 0.05
LIMIT_MS = BUDGET_MS * (1.0 + TOLERANCE)
#: Places of the festival: what a frame costs there beside the middle one, and how much of a session is played in each.
PLACES: dict[str, tuple[float, float]] = {
    "landing stage": (0.86, 0.24),
    "under the bridge": (0.92, 0.14),
    "rain on open water": (1.06, 0.2),
    "market bank": (0.98, 0.24),
    "fireworks": (1.2, 0.18),
}
#: Tiers from the lowest on: what a frame costs at each beside the highest.
TIERS: tuple[tuple[str, dict[str, str], float], ...] = (
    ("few lanterns", {"reflections": "none", "lanterns": "60"}, 0.62),
    ("some lanterns", {"reflections": "half", "lanterns": "140"}, 0.78),
    ("full lanterns", {"reflections": "full", "lanterns": "320"}, 1.0),
)
LABELS = ("charger out", "festival crowd")
BUILDS = ("river 40", "river 41")


@dataclass(frozen=True)
class Class:
    """Devices alike: their number of models, frame time at the highest tier, the spread of models, the tier they are put on, the lane that
    limits them, whether a refresh holds them, and how commonly each build is played on them."""

    name: str
    models: tuple[str, ...]
    frame_ms: float
    spread: float
    tier: int
    graphics: float
    held: bool
    memory_gib: float
    played: tuple[float, float]


CLASSES = (
    Class("tall desk", tuple(f"Oak {i}" for i in range(1, 41)), 7.4, 0.16, 2, 0.3, True, 32, (0.33, 0.24)),
    Class("thin laptop", tuple(f"Birch {i}" for i in range(1, 61)), 10.3, 0.18, 2, 0.55, False, 16, (0.36, 0.31)),
    Class("handheld", tuple(f"Reed {i}" for i in range(1, 36)), 13.0, 0.13, 2, 0.85, False, 8, (0.2, 0.33)),
    Class("old laptop", tuple(f"Alder {i}" for i in range(1, 31)), 14.2, 0.2, 1, 0.35, False, 8, (0.09, 0.1)),
    Class("pocket", tuple(f"Rush {i}" for i in range(1, 16)), 15.5, 0.16, 0, 0.8, False, 4, (0.02, 0.02)),
    Class("wall screen", ("Willow 1", "Willow 2"), 9.0, 0.1, 2, 0.6, True, 4, (0.0004, 0.0004)),
    Class("study board", ("Elder 1",), 19.0, 0.1, 0, 0.5, False, 2, (0.0003, 0.0003)),
)
#: Of sessions on a class so many are put a tier off by the program, so that models are seen at both; people change it themselves so often.
DEALT_OFF, BY_PERSON = 0.25, 0.06
#: Seconds between two bursts on the heaviest sessions, and how much sooner people leave after one.
LEAVES_SOONER = 1.5


def _models(rng: np.random.Generator, of: Class, count: int) -> tuple[IntArray, FloatArray]:
    """The model of each session (the first ones are the commonest), and what a frame costs on it."""
    weights = 1.0 / np.arange(1, len(of.models) + 1) ** 1.1
    factors = np.exp(np.random.default_rng(len(of.models)).normal(0.0, of.spread, len(of.models)))
    drawn = rng.choice(len(of.models), count, p=weights / weights.sum())
    return drawn, factors[drawn]


def _counts(rng: np.random.Generator, frame_ms: FloatArray, frames: IntArray, bad: FloatArray, held: bool) -> IntArray:
    """Frames by bucket: a body around each cell's frame time, pauses as often as it is bad, and the refresh that holds it."""
    with np.errstate(over="ignore"):
        body = 1.0 / (1.0 + np.exp(-(np.log(EDGES_MS[None, :-1]) - np.log(frame_ms)[:, None]) / 0.085))
        pauses = np.clip(1.0 - (EDGES_MS[None, :-1] / 20.0) ** -1.6, 0.0, None)
    share = np.minimum(0.2, 0.0012 * bad)[:, None]
    below = (1.0 - share) * body + share * pauses
    if held:  # all that would be sooner waits for the refresh
        below = np.where(EDGES_MS[None, :-1] < BUDGET_MS, 0.0, below)
    p = np.diff(np.concatenate((np.zeros((frames.size, 1)), below, np.ones((frames.size, 1))), axis=1), axis=1)
    drawn: IntArray = rng.multinomial(frames, np.clip(p, 0.0, None) / p.sum(axis=1, keepdims=True))
    return drawn


def _late(rng: np.random.Generator, counts: IntArray) -> IntArray:
    """Late frames by bucket: all in buckets over the limit, and some of those in its own."""
    own = int(np.searchsorted(EDGES_MS, LIMIT_MS))
    late = np.where(np.arange(EDGES_MS.size) > own, counts, 0)
    late[:, own] = rng.binomial(counts[:, own], 0.4)
    found: IntArray = late
    return found


def sessions(count: int, seed: int = 18) -> Iterator[dict[str, Any]]:
    """Sessions as devices send them, but that ``counts`` of each cell stands for its packed frames; ``day`` is how many days ago one began,
    and ``hash`` what its installation is known by."""
    rng = np.random.default_rng(seed)
    for build in range(len(BUILDS)):
        for of in CLASSES:
            share = of.played[build] / sum(one.played[build] for one in CLASSES)
            yield from _of_class(rng, of, build, max(2, round(count / len(BUILDS) * share)))


def _of_class(rng: np.random.Generator, of: Class, build: int, count: int) -> Iterator[dict[str, Any]]:
    models, slow = _models(rng, of, count)
    by_person, off = rng.random(count) < BY_PERSON, rng.random(count) < DEALT_OFF
    tiers = np.where(off, np.where(of.tier == 0, 1, of.tier - 1), of.tier)
    minutes = np.minimum(180.0, rng.lognormal(2.6, 0.8, count))
    bad = rng.lognormal(0.0, 1.0, count)
    owners = rng.integers(0, max(2, count // 2), count)
    out = (rng.random(count) < (0.35 if of.held else 0.25)).astype(np.int64)
    crowd = rng.random((count, len(PLACES)))
    visited = rng.random((count, len(PLACES))) < 0.8
    visited[~visited.any(axis=1), 0] = True
    names, heavy = list(PLACES), np.array([cost for cost, _ in PLACES.values()])
    parts = np.where(visited, np.array([part for _, part in PLACES.values()]), 0.0)
    parts /= parts.sum(axis=1, keepdims=True)
    rows, places = np.nonzero(visited)
    slower = 1.0 + 0.07 * out * (of.name in ("handheld", "pocket"))
    cost = of.frame_ms * slow[rows] * heavy[places] * np.array([t[2] for t in TIERS])[tiers[rows]] * slower[rows]
    cost *= np.exp(0.03 * rng.normal(size=count))[rows]
    seconds = np.maximum(2, np.round(minutes[rows] * 60.0 * parts[rows, places])).astype(np.int64)
    shown_ms = np.maximum(cost, BUDGET_MS) if of.held else cost
    counts = _counts(rng, cost, np.maximum(1, (seconds * 1000.0 / shown_ms).astype(np.int64)), bad[rows], of.held)
    late = _late(rng, counts)
    played = _cells(rng, of, counts, late)
    sets = _sets(rng, counts, late, seconds, out[rows], crowd[rows, places], heavy[places])
    told = _told(rng, of, count, build)
    starts = np.searchsorted(rows, np.arange(count + 1)).tolist()
    shares = np.add.reduceat(late.sum(axis=1), starts[:-1]) / np.add.reduceat(counts.sum(axis=1), starts[:-1])
    bursts = _bursts(rng, minutes, shares)
    for i in range(count):
        cells = range(starts[i], starts[i + 1])
        name, settings, _ = TIERS[int(tiers[i])]
        yield {
            "hash": f"{of.name} {owners[i]}",
            "day": told["day"][i],
            "build": BUILDS[build],
            "age_s": float(minutes[i] * 60.0),
            "device": {"model": of.models[int(models[i])], "kind": of.name, "memory_gib": of.memory_gib},
            "held": {"told": "yes", "period_ms": BUDGET_MS} if of.held else {"told": "no"},
            "places": [{"name": names[int(places[j])]} for j in cells],
            "tiers": [
                {
                    "level": int(tiers[i]), "name": name, "settings": settings,
                    "set_by": "person" if by_person[i] else "program", "budget_ms": BUDGET_MS, "tolerance": TOLERANCE,
                }
            ],
            "cells": [{"counts": counts[j], "place": at, "tier": 0, **played[j]} for at, j in enumerate(cells)],
            "labels": list(LABELS),
            "sets": [[at, 0, *one] for at, j in enumerate(cells) for one in sets[j]],
            **bursts[i],
            "ended": told["ended"][i],
            "figures": {"load_ms": told["load_ms"][i], "memory_peak_mib": told["memory_peak_mib"][i]},
        }  # fmt: skip


def _told(rng: np.random.Generator, of: Class, count: int, build: int) -> dict[str, list[Any]]:
    """What each session says once: the day it began, how it ended, and its figures."""
    slow_to_load = 1.6 if of.memory_gib <= 8 else 1.0
    return {
        "day": (rng.uniform(0, 13, count) + (14.0 if build == 0 else 0.0)).tolist(),
        "ended": rng.choice(["person", "vanished", "program", "crash"], count, p=[0.7, 0.15, 0.13, 0.02]).tolist(),
        "load_ms": np.round(rng.lognormal(6.6, 0.25, count) * slow_to_load, 1).tolist(),
        "memory_peak_mib": np.round(np.minimum(of.memory_gib * 700.0, rng.normal(2300.0, 180.0, count)), 1).tolist(),
    }


def _cells(rng: np.random.Generator, of: Class, counts: IntArray, late: IntArray) -> list[dict[str, Any]]:
    """What is told of each cell beside its counts."""
    cell = np.arange(len(counts))
    top = EDGES_MS.size - 1 - np.argmax(counts[:, ::-1] > 0, axis=1)
    low = np.where(top > 0, EDGES_MS[top - 1], 0.1)
    longest = low + (np.minimum(EDGES_MS[top], 1400.0) - low) * 0.5
    highest = counts[cell, top]
    # The longest frame is one of the highest bucket, and the others of it are no longer.
    sum_ms = (
        counts @ _MIDDLES_MS
        - highest * _MIDDLES_MS[top]
        + highest * (low + (longest - low) * 0.5)
        + (longest - low) * 0.5
    )
    late_ms = np.minimum(sum_ms, (late * np.minimum(_MIDDLES_MS, longest[:, None])).sum(axis=1))
    all_late = late.sum(axis=1)
    graphics = rng.binomial(all_late, of.graphics)
    columns = (x.tolist() for x in (all_late, all_late - graphics, graphics, late_ms, sum_ms, longest))
    return [
        {"late": n, "late_by": [a, b, 0], "late_ms": own, "sum_ms": total, "max_ms": most, "play_s": total / 1000.0}
        for n, a, b, own, total, most in zip(*columns, strict=True)
    ]


def _sets(
    rng: np.random.Generator, counts: IntArray, late: IntArray, seconds: IntArray, out: IntArray, crowd: FloatArray, heavy: FloatArray
) -> list[list[list[int]]]:  # fmt: skip
    """The seconds of each cell by label, with their frames: the crowd is commoner where the place is heavy, and changes nothing."""
    crowded = rng.binomial(seconds, np.clip((heavy - 0.8) * 1.6 * (0.5 + crowd), 0.02, 0.9))
    frames, all_late = counts.sum(axis=1), late.sum(axis=1)
    within = np.round(frames * crowded / seconds).astype(np.int64)
    late_within = rng.hypergeometric(all_late, frames - all_late, within)
    without = np.stack((out, seconds - crowded, frames - within, all_late - late_within), axis=1).tolist()
    with_it = np.stack((out | 2, crowded, within, late_within), axis=1).tolist()
    return [[one for one in both if one[1] and one[2]] for both in zip(without, with_it, strict=True)]


def _bursts(rng: np.random.Generator, minutes: FloatArray, late_share: FloatArray) -> list[dict[str, Any]]:
    """Seconds after a burst, now only and then only; and the last second, which people reach rather sooner after one."""
    near = np.minimum(0.25, 8.0 * late_share + 0.01)
    now, then = rng.binomial((minutes * 60.0).astype(np.int64), near * (1 - near), (2, minutes.size)).tolist()
    spans = np.searchsorted([2.0, 10.0, 30.0], minutes, "right").tolist()
    exposed = rng.random(minutes.size) < LEAVES_SOONER * near / (1.0 + (LEAVES_SOONER - 1.0) * near)
    earlier = rng.random(minutes.size) < near
    each = zip(spans, now, then, exposed.tolist(), earlier.tolist(), strict=True)
    return [
        {"bursts": [[0, span, a, b]], "last": {"place": 0, "minutes": span, "now": last, "then": before}}
        for span, a, b, last, before in each
    ]
