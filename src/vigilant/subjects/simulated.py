"""Lanternfall, simulated: the festival on a virtual clock, minutes of frames in milliseconds.

A run is built from what disturbs real ones, each seeded and switchable: frames around a level with slow waves
(first-order autoregression), run-to-run variation, legs of different cost, collections of what is no longer used, a
refresh cap, a warm-up that settles and heat that builds up over a session. The processor and the graphics work at the
same time: a frame is as long as the longer of the two and a little for handing over. Both are made of named parts, which
are what a build changes. Everything here is made up; nothing is measured.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
import numpy.typing as npt

FloatArray = npt.NDArray[np.float64]
IntArray = npt.NDArray[np.int64]
Path = tuple[str, ...]

LEG_COST: dict[str, float] = {
    "landing stage": 0.90,
    "under the bridge": 0.97,
    "rain on open water": 1.12,
    "market bank": 1.00,
    "fireworks": 1.05,
}
LANES = {"main": "processor", "gpu": "graphics"}
#: Ms a frame of each part on a rig of speed 1, in the order of the frame; a lane's parts and its own rest are its time.
PARTS: dict[str, dict[Path, float]] = {
    "main": {
        ("steer boats", "find neighbours"): 5.6,
        ("steer boats", "keep apart"): 2.2,
        ("ripples",): 2.9,
        ("draw lists", "reflections"): 1.0,
        ("draw lists", "lanterns"): 1.5,
    },
    "gpu": {("reflections",): 4.2, ("water",): 3.2, ("awnings",): 0.9, ("lanterns",): 2.2, ("glow",): 2.2},
}
STRANDS = 8
#: Calls a frame of parts that are called more than once.
CALLS = {"keep apart": 34, "lanterns": 40, "awnings": 26}
REST = {"main": 0.4, "gpu": 0.3}
#: What a part that holds others takes itself, as a share of them.
AROUND = 0.02
HANDING_OVER_MS = 0.35
COLLECT: Path = ("collect",)
LOAD: Path = ("load",)
#: What is allocated a second on a rig of speed 1, and what lives on after a collection, MiB.
ALLOCATED, LIVING = 2.5, 96.0


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
    """What a build asks of a rig of speed 1: ms a frame of each part, and how often it collects what it no longer uses."""

    parts: Mapping[str, Mapping[Path, float]] = field(default_factory=lambda: PARTS)
    #: Parts that are done in every so many-th frame only, by name.
    every: Mapping[str, int] = field(default_factory=dict)
    #: Whether processor and graphics work at the same time; in a page one follows the other.
    beside: bool = True
    pause_factor: float = 1.0
    boats: int = 40
    #: Parts of the processor's lane that its cores share, by name, and so many of them; each can be cut into STRANDS at most.
    spread: tuple[str, ...] = ()
    cores: int = 1
    #: Loads that are part of the course: a leg, how much of it is gone, and what they take in ms on a rig of speed 1.
    hitches: tuple[tuple[str, float, float], ...] = ()

    def but(self, lane: str = "", **ms: float) -> SimulatedWork:
        """The same with other ms of the named parts ("find_neighbours"), of one lane or wherever they are."""
        asked = {name.replace("_", " "): value for name, value in ms.items()}
        known = {path[-1] for parts in self.parts.values() for path in parts}
        assert asked.keys() <= known, f"no such part: {', '.join(asked.keys() - known)}"
        changed = {
            own: {path: asked.get(path[-1], was) if lane in ("", own) else was for path, was in parts.items()}
            for own, parts in self.parts.items()
        }
        return replace(self, parts=changed)

    def scaled(self, lane: str, share: float) -> SimulatedWork:
        """The same with every part of a lane at a share of its cost."""
        parts = {path: ms * share for path, ms in self.parts[lane].items()}
        return replace(self, parts={**self.parts, lane: parts})


def _rests(work: SimulatedWork, lane: str) -> FloatArray:
    """In every so many-th frame each part of a lane is done, and its own rest in every one."""
    return np.array([*(work.every.get(path[-1], 1) for path in work.parts[lane]), 1], dtype=np.float64)


@dataclass(frozen=True, eq=False)
class SimulatedParts:
    """Rows of parts in the order of their frames: ``names`` are lane and path, ``part`` their numbers; ms, ms since the
    frame's start, calls."""

    names: Sequence[tuple[str, Path]]
    frame: IntArray
    part: IntArray
    ms: FloatArray
    at_ms: FloatArray
    calls: IntArray


@dataclass(frozen=True)
class SimulatedRun:
    """``frame_ms`` (n,), lanes and counters (n,), the parts of each frame, and where each leg starts."""

    frame_ms: FloatArray
    lanes: dict[str, FloatArray]
    lane_roles: dict[str, str]
    counters: dict[str, FloatArray]
    parts: SimulatedParts
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
    speed = np.exp(rng.normal(0.0, rig.run_spread)) * (1.0 + rig.heat * (1.0 - np.exp(-4.0 * position))) / rig.speed
    asked = {lane: _asked(work, lane) * speed for lane in LANES}
    totals = [float(ms.sum()) for ms in asked.values()]
    typical = (max(totals) if work.beside else sum(totals)) + HANDING_OVER_MS * speed
    # What is left out of some frames makes them shorter than the typical one, and more of them.
    least = max(float((asked[lane] / _rests(work, lane)).sum()) for lane in LANES) + HANDING_OVER_MS * speed
    n = int(seconds * 1000.0 / typical * max(1.4, 1.15 * typical / least)) + 64
    course = np.arange(n) * typical * float(np.mean(list(LEG_COST.values()))) / 1000.0
    leg_of = np.minimum((course / seconds * len(LEG_COST)).astype(int), len(LEG_COST) - 1)
    cost = np.array(list(LEG_COST.values()))[leg_of]
    if warm_up_s > 0:
        cost = cost * (1.0 + 0.4 * np.exp(-course / warm_up_s * 2.0))
    made: dict[str, FloatArray] = {}
    busy: dict[str, FloatArray] = {}
    for lane in LANES:
        shape = cost * np.exp(rig.frame_spread * _autoregression(rng, n) - rig.frame_spread**2 / 2)
        made[lane] = asked[lane][:, None] * shape * np.exp(0.03 * rng.standard_normal((asked[lane].size, n)))
        for row, path in enumerate(work.parts[lane]):
            if (every := work.every.get(path[-1], 1)) > 1:
                made[lane][row, np.arange(n) % every > 0] = 0.0
        busy[lane] = made[lane].sum(axis=0)
        for rows in _groups(list(work.parts[lane])).values():
            busy[lane] = busy[lane] + AROUND * made[lane][rows].sum(axis=0)
    collected = rng.random(n) < work.pause_factor * rig.pauses_per_min * typical / 60_000.0
    collect = np.where(collected, rig.pause_ms * np.exp(rng.normal(0.0, 0.25, n)), 0.0)
    load = np.zeros(n)
    for leg, share, ms in work.hitches:
        there = np.flatnonzero(leg_of == list(LEG_COST).index(leg))
        if there.size:
            load[there[int(share * there.size)]] += ms / rig.speed
    busy["main"] = busy["main"] + collect + load
    together = np.maximum(busy["main"], busy["gpu"]) if work.beside else busy["main"] + busy["gpu"]
    frame = together + HANDING_OVER_MS * speed
    lanes, roles = dict(busy), dict(LANES)
    if work.spread:
        shared = sum(made["main"][row] for row, path in enumerate(work.parts["main"]) if path[-1] in work.spread)
        lanes["all workers"] = busy["main"] + (work.cores - 1) * shared
        lanes["longest chain"] = busy["main"] - shared + shared * work.cores / STRANDS
        roles |= {"all workers": "summed", "longest chain": "chain"}
    if refresh_hz is not None:
        frame, lanes["wait"] = _capped(frame, 1000.0 / refresh_hz, rng)
        roles["wait"] = "waiting"
    kept = int(np.searchsorted(np.cumsum(frame), seconds * 1000.0)) + 1
    legs = tuple(
        (int(np.searchsorted(leg_of[:kept], i)), name) for i, name in enumerate(LEG_COST) if leg_of[kept - 1] >= i
    )
    counters = {
        "draws": np.round(800 * np.array(list(LEG_COST.values()))[leg_of]),
        "boats": np.full(n, float(work.boats)),
        "heap MiB": _heap(frame, collected, work.pause_factor),
        "loads": (load > 0).astype(np.float64),
        "steps": _steps(frame),
    }
    return SimulatedRun(
        frame_ms=frame[:kept],
        lanes={name: values[:kept].copy() for name, values in lanes.items()},
        lane_roles=roles,
        counters={name: values[:kept].copy() for name, values in counters.items()},
        parts=_parts(work, made, collect, load, kept),
        legs=legs,
    )


def _asked(work: SimulatedWork, lane: str) -> FloatArray:
    """Ms of each part of a lane, where it is done, and of the lane's rest."""
    return np.array([*work.parts[lane].values(), REST[lane]])


def _groups(paths: Sequence[Path]) -> dict[Path, list[int]]:
    """The rows of each part that holds others."""
    found: dict[Path, list[int]] = {}
    for i, path in enumerate(paths):
        if len(path) > 1:
            found.setdefault(path[:1], []).append(i)
    return found


def _steps(frame_ms: FloatArray) -> FloatArray:
    """Steps of a world that is moved 60 times a second, whatever the frames take."""
    steps: FloatArray = np.diff(np.floor(np.cumsum(frame_ms) * 0.06), prepend=0.0)
    return steps


def _heap(frame_ms: FloatArray, collected: npt.NDArray[np.bool_], factor: float) -> FloatArray:
    """What is allocated grows with time and falls back at every collection, MiB to a sixteenth."""
    ends = np.cumsum(frame_ms) / 1000.0
    last = np.maximum.accumulate(np.where(collected, ends, 0.0))
    heap: FloatArray = np.round((LIVING + ALLOCATED * factor * (ends - last)) * 16.0) / 16.0
    return heap


def _parts(
    work: SimulatedWork, made: Mapping[str, FloatArray], collect: FloatArray, load: FloatArray, kept: int
) -> SimulatedParts:
    """Rows of all parts, the ones around them included; times to a microsecond, as a program would report them."""
    names: list[tuple[str, Path]] = []
    columns: list[tuple[FloatArray, FloatArray, int]] = []

    def put(lane: str, path: Path, at: FloatArray, ms: FloatArray, calls: int = 1) -> None:
        names.append((lane, path))
        columns.append((at[:kept], ms[:kept], calls))

    for lane in LANES:
        at = np.zeros(made[lane].shape[1])
        if lane == "main":
            for path, ms in ((COLLECT, collect), (LOAD, load)):
                put(lane, path, at, ms)
                at = at + ms
        paths = list(work.parts[lane])
        groups = _groups(paths)
        for i, path in enumerate(paths):
            rows = groups.get(path[:1], [])
            if rows and i == rows[0]:
                whole = (1.0 + AROUND) * made[lane][rows].sum(axis=0)
                put(lane, path[:1], at, whole)
                at = at + AROUND / (1.0 + AROUND) * whole
            put(lane, path, at, made[lane][i], CALLS.get(path[-1], 1))
            at = at + made[lane][i]
    there = np.stack([ms > 0 for _, ms, _ in columns])
    frame, part = np.nonzero(there.T)
    at_ms, ms = (np.stack([c[i] for c in columns]).T[frame, part] for i in (0, 1))
    calls = np.array([calls for *_, calls in columns])[part]
    return SimulatedParts(names, frame, part, np.round(ms, 3), np.round(at_ms, 3), calls)


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
