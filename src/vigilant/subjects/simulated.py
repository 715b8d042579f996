"""Lanternfall, simulated: the festival on a virtual clock, minutes of frames in milliseconds.

A run is built from what disturbs real ones, each part seeded and switchable: frames around a
level with slow waves (first-order autoregression), run-to-run variation, legs of different cost,
pauses, a refresh cap, a warm-up that settles and heat that builds up over a session. Everything
here is made up; nothing is measured.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt

FloatArray = npt.NDArray[np.float64]

LEG_COST: dict[str, float] = {
    "landing stage": 0.90,
    "under the bridge": 0.97,
    "rain on open water": 1.12,
    "market bank": 1.00,
    "fireworks": 1.05,
}


@dataclass(frozen=True)
class SimulatedRig:
    """A made-up machine. ``speed`` divides the work; shares are of a frame or a level."""

    alias: str
    speed: float
    frame_spread: float
    run_spread: float
    pauses_per_min: float
    pause_ms: float
    heat: float = 0.0
    facts: dict[str, str] = field(default_factory=dict)


RIGS = {
    rig.alias: rig
    for rig in (
        SimulatedRig(
            "tall desk", 1.7, 0.035, 0.004, 3.0, 14.0, 0.0, {"cores": "12", "memory": "32 GiB", "power": "mains"}
        ),
        SimulatedRig(
            "thin laptop", 1.0, 0.05, 0.006, 5.0, 18.0, 0.02, {"cores": "8", "memory": "16 GiB", "power": "mains"}
        ),
        SimulatedRig(
            "handheld", 0.6, 0.06, 0.008, 7.0, 26.0, 0.04, {"cores": "4", "memory": "8 GiB", "power": "battery"}
        ),
    )
}


@dataclass(frozen=True)
class SimulatedWork:
    """What a build asks of a rig of speed 1, in ms a frame, and how often it pauses."""

    river_ms: float = 5.2
    paint_ms: float = 4.6
    graphics_ms: float = 8.0
    pause_factor: float = 1.0
    boats: int = 40
    #: Pauses that are part of the course: a leg, how much of it is gone, and what they take in ms on a rig of speed 1.
    hitches: tuple[tuple[str, float, float], ...] = ()


@dataclass(frozen=True)
class SimulatedRun:
    """``frame_ms`` (n,), lanes and counters (n,), and where each leg starts."""

    frame_ms: FloatArray
    lanes: dict[str, FloatArray]
    lane_roles: dict[str, str]
    counters: dict[str, FloatArray]
    legs: tuple[tuple[int, str], ...]


def _autoregression(rng: np.random.Generator, n: int, memory: float = 0.6) -> FloatArray:
    """Unit-variance first-order autoregression by blocks of its impulse response."""
    reach = 24
    noise = rng.standard_normal(n + reach)
    kernel = memory ** np.arange(reach)
    wave: FloatArray = np.convolve(noise, kernel, mode="valid")[:n]
    return wave * np.sqrt(1.0 - memory**2)


def simulate_run(
    rig: SimulatedRig,
    work: SimulatedWork,
    rng: np.random.Generator,
    seconds: float = 120.0,
    position: float = 0.0,
    refresh_hz: float | None = None,
    warm_up_s: float = 0.0,
) -> SimulatedRun:
    """One run of the course.

    ``position`` in 0..1 is its place in the session (heat grows with 1 - exp(-4 position));
    ``refresh_hz`` holds frames to whole refresh periods with 1 % stamp jitter; ``warm_up_s``
    leaves a slow first stretch in, decaying from +40 %.
    """
    lane_names = ("river", "paint", "gpu")
    level = np.array([work.river_ms, work.paint_ms, work.graphics_ms]) / rig.speed
    level *= np.exp(rng.normal(0.0, rig.run_spread)) * (1.0 + rig.heat * (1.0 - np.exp(-4.0 * position)))
    typical = float(level[0] + level[1] + max(0.0, level[2] - 0.4 * level[:2].sum()))
    n = int(seconds * 1000.0 / typical * 1.4) + 64
    course = np.arange(n) * typical * float(np.mean(list(LEG_COST.values()))) / 1000.0
    leg_of = np.minimum((course / seconds * len(LEG_COST)).astype(int), len(LEG_COST) - 1)
    cost = np.array(list(LEG_COST.values()))[leg_of]
    shape = cost[:, None] * np.exp(
        np.column_stack([rig.frame_spread * _autoregression(rng, n) for _ in lane_names]) - rig.frame_spread**2 / 2
    )
    lanes = level * shape
    if warm_up_s > 0:
        lanes *= (1.0 + 0.4 * np.exp(-course / warm_up_s * 2.0))[:, None]
    per_frame = work.pause_factor * rig.pauses_per_min * typical / 60_000.0
    paused = rng.random(n) < per_frame
    lanes[:, 0] += np.where(paused, rig.pause_ms * np.exp(rng.normal(0.0, 0.25, n)), 0.0)
    for leg, share, ms in work.hitches:
        there = np.flatnonzero(leg_of == list(LEG_COST).index(leg))
        if there.size:
            lanes[there[int(share * there.size)], 1] += ms / rig.speed
    busy = lanes[:, 0] + lanes[:, 1]
    frame = np.maximum(busy + np.maximum(0.0, lanes[:, 2] - 0.4 * busy), lanes[:, 2])
    waiting = None
    if refresh_hz is not None:
        frame, waiting = _capped(frame, 1000.0 / refresh_hz, rng)
    kept = int(np.searchsorted(np.cumsum(frame), seconds * 1000.0)) + 1
    frame, lanes = frame[:kept], lanes[:kept]
    legs = tuple(
        (int(np.searchsorted(leg_of[:kept], i)), name) for i, name in enumerate(LEG_COST) if leg_of[kept - 1] >= i
    )
    named = dict(zip(lane_names, lanes.T.copy(), strict=True))
    roles = {"river": "processor", "paint": "processor", "gpu": "graphics"}
    if waiting is not None:
        named["wait"], roles["wait"] = waiting[:kept], "waiting"
    draws = np.round(800 * np.array(list(LEG_COST.values()))[leg_of[:kept]])
    return SimulatedRun(frame, named, roles, {"draws": draws, "boats": np.full(kept, float(work.boats))}, legs)


def _capped(work_ms: FloatArray, period_ms: float, rng: np.random.Generator) -> tuple[FloatArray, FloatArray]:
    """Hold each frame to the next whole refresh; stamps jitter by 1 % of a period."""
    held = np.ceil(work_ms / period_ms) * period_ms
    jitter = rng.normal(0.0, 0.01 * period_ms, held.size + 1)
    shown = np.maximum(held + np.diff(jitter), 0.1)
    return shown, np.maximum(0.0, shown - work_ms)


def interleaved_order(pairs: int, rng: np.random.Generator) -> list[str]:
    """Random order within pairs, as a recorder would draw it."""
    order: list[str] = []
    for _ in range(pairs):
        pair: Sequence[str] = ("before", "after")
        order += list(pair if rng.random() < 0.5 else pair[::-1])
    return order
