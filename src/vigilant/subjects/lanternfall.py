"""Lanternfall in real time: an evening river festival that really does its work each frame.

Boats with lanterns look for their neighbours and keep apart, rain makes ripples on a grid, the
course runs through five legs, and its work is timed in nested parts. Two switches change how work
is done, not what is done: neighbours over all pairs or by river cell, ripples in double or half the
precision. Frames, lanes, parts and counters are measured and reported through the emitter; nothing
else of the product is imported.

    VIGILANT_FRAMES=run.jsonl python lanternfall.py --neighbours pairs --seconds 4
"""

import argparse
import math
import os
import random
import signal
import sys
import time
from pathlib import Path

import numpy as np

try:
    from vigilant_emitter import Emitter
except ModuleNotFoundError:  # run from a checkout: the emitter lies beside the sources
    sys.path.append(str(Path(__file__).resolve().parents[3] / "emitters" / "python"))
    from vigilant_emitter import Emitter

LEGS = ("landing stage", "under the bridge", "rain on open water", "market bank", "fireworks")
NEAR = 1.0
RIVER_LENGTH, RIVER_WIDTH = 40.0, 10.0


class River:
    """The boats: positions, drift, and steering away from near neighbours."""

    def __init__(self, boats, rng, by_cell):
        self.x = [rng.uniform(0, RIVER_LENGTH) for _ in range(boats)]
        self.y = [rng.uniform(0, RIVER_WIDTH) for _ in range(boats)]
        self.find = self._pairs_by_cell if by_cell else self._all_pairs

    def _all_pairs(self):
        x, y, near = self.x, self.y, NEAR * NEAR
        found = []
        for i in range(len(x)):
            xi, yi = x[i], y[i]
            for j in range(i + 1, len(x)):
                dx = x[j] - xi
                dy = y[j] - yi
                if dx * dx + dy * dy < near:
                    found.append((i, j))
        return found

    def _pairs_by_cell(self):
        x, y, near = self.x, self.y, NEAR * NEAR
        cells = {}
        for i in range(len(x)):
            cells.setdefault((int(x[i] // NEAR), int(y[i] // NEAR)), []).append(i)
        found = []
        for (cx, cy), members in cells.items():
            for ox, oy in ((0, 0), (1, 0), (-1, 1), (0, 1), (1, 1)):
                others = members if (ox, oy) == (0, 0) else cells.get((cx + ox, cy + oy), ())
                for i in members:
                    for j in others:
                        if (ox, oy) == (0, 0) and j <= i:
                            continue
                        dx, dy = x[j] - x[i], y[j] - y[i]
                        if dx * dx + dy * dy < near:
                            found.append((min(i, j), max(i, j)))
        found.sort()
        return found

    def step(self, seconds, part):
        with part("find neighbours", lane="river"):
            found = self.find()
        x, y = self.x, self.y
        with part("drift", lane="river"):
            for i in range(len(x)):
                x[i] = (x[i] + 0.8 * seconds) % RIVER_LENGTH
        with part("keep apart", lane="river"):
            for i, j in found:
                push = 0.02 if y[i] <= y[j] else -0.02
                y[i] = min(RIVER_WIDTH, max(0.0, y[i] - push))
                y[j] = min(RIVER_WIDTH, max(0.0, y[j] + push))


class Ripples:
    """Rain on the water: the two-dimensional wave equation on a grid."""

    def __init__(self, cells, rng, half):
        kind = np.float32 if half else np.float64
        self.now = np.zeros((cells, cells), kind)
        self.last = np.zeros((cells, cells), kind)
        self.damp = kind(0.995)
        self.quarter = kind(0.25)
        self.rng = rng

    def step(self, drops, part):
        size = self.now.shape[0]
        with part("drops", lane="paint"):
            for _ in range(drops):
                self.now[self.rng.randrange(1, size - 1), self.rng.randrange(1, size - 1)] += 1
        now, last = self.now, self.last
        with part("waves", lane="paint"):
            beside = now[:-2, 1:-1] + now[2:, 1:-1] + now[1:-1, :-2] + now[1:-1, 2:]
            last[1:-1, 1:-1] = (beside * self.quarter * 2 - last[1:-1, 1:-1]) * self.damp
        self.now, self.last = last, now


def play(arguments):
    """Play the course once, in whole frames, and report it."""
    rng = random.Random(arguments.seed)
    boats = round(200 * arguments.load)
    river = River(boats, rng, arguments.neighbours == "cells")
    ripples = Ripples(round(256 * math.sqrt(arguments.load)), rng, arguments.ripples == "half")
    emitter = Emitter(
        lanes={"river": "processor", "paint": "processor"},
        counters=["boats"],
        scenario="river course",
        seed=arguments.seed,
        conditions={"build": "release", "load": str(arguments.load)},
    )
    asked_to_end = []
    signal.signal(signal.SIGTERM, lambda *_: asked_to_end.append(True))  # a run played by hand ends so
    leg_seconds = arguments.seconds / len(LEGS)
    ms = 1e-6
    emitter.start()
    started = time.perf_counter()
    for number, leg in enumerate(LEGS):
        if asked_to_end:
            break
        emitter.mark(leg)
        drops = 12 if leg.startswith("rain") else 3
        until = started + leg_seconds * (number + 1)
        while time.perf_counter() < until and not asked_to_end:
            a = time.perf_counter_ns()
            with emitter.part("steer boats", lane="river"):
                river.step(1 / 60, emitter.part)
            b = time.perf_counter_ns()
            with emitter.part("ripples", lane="paint"):
                ripples.step(drops, emitter.part)
            c = time.perf_counter_ns()
            emitter.frame(river=(b - a) * ms, paint=(c - b) * ms, boats=boats)
    emitter.close()


def main(argv=None):
    parser = argparse.ArgumentParser(description="Lanternfall, real time: a festival to measure.")
    parser.add_argument("--neighbours", choices=("pairs", "cells"), default="pairs")
    parser.add_argument("--ripples", choices=("double", "half"), default="double")
    parser.add_argument("--load", type=float, default=1.0, help="1 is the festival as it is, 2 twice the boats")
    parser.add_argument("--seconds", type=float, default=float(os.environ.get("VIGILANT_SECONDS", "10")))
    parser.add_argument("--seed", type=int, default=int(os.environ.get("VIGILANT_SEED", "7")))
    arguments = parser.parse_args(argv)
    if arguments.load <= 0 or arguments.seconds <= 0:
        parser.error("--load and --seconds must be positive")
    play(arguments)


if __name__ == "__main__":
    main()
