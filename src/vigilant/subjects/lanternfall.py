"""Lanternfall in real time: an evening river festival that really does its work each frame.

Boats with lanterns look for their neighbours and keep apart, rain makes ripples on a grid, the
course runs through five legs, and its work is timed in nested parts. Switches change how work is
done: neighbours over all pairs or by river cell, ripples in double or half the precision, reflections
of the whole river or of the near bank, wakes that are kept or made anew, which leaves garbage that is
collected now and then. Each of them can be switched off; ripples can be made in bands, one for each core. It runs as fast as it can, or paced. Frames, lanes, parts and counters are
measured and reported through the emitters; nothing else of the product is imported.

    VIGILANT_FRAMES=run.jsonl python lanternfall.py --neighbours pairs --seconds 4
"""

import argparse
import gc
import math
import os
import random
import signal
import sys
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np

try:
    from vigilant_emitter import Emitter
    from vigilant_laps import Laps
except ModuleNotFoundError:  # run from a checkout: the emitters lie beside the sources
    sys.path.append(str(Path(__file__).resolve().parents[3] / "emitters" / "python"))
    from vigilant_emitter import Emitter
    from vigilant_laps import Laps

#: What can be switched off, by --without.
FEATURES = ("boats", "ripples", "reflections", "wakes")
LEGS = ("landing stage", "under the bridge", "rain on open water", "market bank", "fireworks")
NEAR = 1.0
#: Wakes made anew in a frame, and left over before they are collected.
WAKES, MOST_WAKES = 1_500, 120_000
#: Samples of a lap, at each number of boats.
LAPS = 12
#: What of the river is the near bank.
NEAR_BANK = 0.7
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

    def __init__(self, cells, rng, half, bands=1):
        self.bands = bands
        self.pool = ThreadPoolExecutor(bands) if bands > 1 else None
        kind = np.float32 if half else np.float64
        self.now = np.zeros((cells, cells), kind)
        self.last = np.zeros((cells, cells), kind)
        self.damp = kind(0.995)
        self.quarter = kind(0.25)
        self.rng = rng

    def reflect(self, share):
        """Each lantern on the water is its mirrored neighbours, over so much of the river."""
        seen = self.now[:, : max(2, int(share * self.now.shape[1]))]
        mirrored = seen[::-1]
        for _ in range(2):
            mirrored = 0.5 * (mirrored + np.sqrt(mirrored * mirrored + 1.0))
        return float(mirrored[0, 0])

    def _wave(self, first, last):
        """The rows from ``first`` to ``last`` of the next state."""
        now, new = self.now, self.last
        beside = now[first - 1 : last - 1, 1:-1] + now[first + 1 : last + 1, 1:-1]
        beside += now[first:last, :-2]
        beside += now[first:last, 2:]
        new[first:last, 1:-1] = (beside * self.quarter * 2 - new[first:last, 1:-1]) * self.damp

    def step(self, drops, part):
        size = self.now.shape[0]
        with part("drops", lane="paint"):
            for _ in range(drops):
                self.now[self.rng.randrange(1, size - 1), self.rng.randrange(1, size - 1)] += 1
        with part("waves", lane="paint"):
            edges = [1 + (size - 2) * i // self.bands for i in range(self.bands + 1)]
            if self.pool is None:
                self._wave(1, size - 1)
            else:
                list(self.pool.map(self._wave, edges[:-1], edges[1:]))
        self.now, self.last = self.last, self.now


class Wakes:
    """What boats leave behind them: kept, or made anew each frame. Each holds the one before it, and itself, so that only a
    collection frees them."""

    def __init__(self, anew):
        self.anew = anew
        self.left = 0
        if anew:
            gc.disable()

    def step(self, part):
        if not self.anew:
            return
        with part("wakes", lane="river"):
            last = None
            for _ in range(WAKES):
                wake = [last]
                wake.append(wake)
                last = wake
        self.left += WAKES
        if self.left >= MOST_WAKES:
            with part("collect", lane="river"):
                gc.collect()
            self.left = 0


def play(arguments):
    """Play the course once, in whole frames, and report it."""
    rng = random.Random(arguments.seed)
    off = set(arguments.without)
    boats = round(200 * arguments.load) if arguments.boats is None else arguments.boats
    boats = 0 if "boats" in off else boats
    # Legs of the course, or so many boats in each, all with one seed.
    legs = arguments.boats_in_turn.split(",") if arguments.boats_in_turn else LEGS
    crowds = [int(leg) for leg in legs] if arguments.boats_in_turn else [boats] * len(legs)
    rivers = {n: River(n, random.Random(arguments.seed), arguments.neighbours == "cells") for n in set(crowds)}
    bands = len(os.sched_getaffinity(0)) if arguments.bands else 1
    ripples = Ripples(round(256 * math.sqrt(arguments.load)), rng, arguments.ripples == "half", bands)
    emitter = Emitter(
        lanes={"river": "processor", "paint": "processor", **({"wait": "waiting"} if arguments.pace else {})},
        counters=["boats", "wakes left"],
        scenario="river course",
        seed=arguments.seed,
        conditions={"build": "release", "load": str(arguments.load)},
    )
    wakes = Wakes(arguments.wakes == "anew" and "wakes" not in off)
    reflected = NEAR_BANK if arguments.reflections == "near bank" else 1.0
    asked_to_end = []
    signal.signal(signal.SIGTERM, lambda *_: asked_to_end.append(True))  # a run played by hand ends so
    leg_seconds = arguments.seconds / len(legs)
    ms = 1e-6
    emitter.item("boat", max(crowds), vertices=420, bytes=16)
    emitter.item("ripple cell", ripples.now.size, bytes=2 * ripples.now.itemsize)
    emitter.item("lantern", 2 * max(crowds), vertices=96)
    emitter.start()
    started = time.perf_counter()
    for number, (leg, crowd) in enumerate(zip(legs, crowds, strict=True)):
        if asked_to_end:
            break
        emitter.mark(leg)
        river = rivers[crowd]
        drops = 12 if leg.startswith("rain") else 3
        until = started + leg_seconds * (number + 1)
        while time.perf_counter() < until and not asked_to_end:
            a = time.perf_counter_ns()
            with emitter.part("steer boats", lane="river"):
                river.step(1 / 60, emitter.part)
            wakes.step(emitter.part)
            b = time.perf_counter_ns()
            if "ripples" not in off:
                with emitter.part("ripples", lane="paint"):
                    ripples.step(drops, emitter.part)
            if "reflections" not in off:
                with emitter.part("reflections", lane="paint"):
                    ripples.reflect(reflected)
            c = time.perf_counter_ns()
            values = {"river": (b - a) * ms, "paint": (c - b) * ms, "boats": crowd, "wakes left": wakes.left}
            if arguments.pace:
                values["wait"] = wait_for_refresh(1.0 / arguments.pace) * 1e3
            emitter.frame(**values)
    emitter.close()


def lap(arguments):
    """Time the search for neighbours by itself, at several numbers of boats: the process is one of several."""
    laps = Laps("find neighbours", version=arguments.neighbours)
    for boats in (50, 100, 200, 400):
        river = River(boats, random.Random(arguments.seed), arguments.neighbours == "cells")
        repeats = max(1, 4_000 // boats)
        for _ in range(LAPS):
            with laps.lap(boats, repeats) as timed:
                for _ in range(repeats):
                    found = river.find()
            timed.result(len(found) * 1_000_003 + sum(i * j for i, j in found) % 1_000_003)
    laps.close()


def wait_for_refresh(period_s):
    """Wait for the next whole period of the clock; seconds waited."""
    asked = time.perf_counter()
    until = (math.floor(asked / period_s) + 1) * period_s
    while (left := until - time.perf_counter()) > 0:
        time.sleep(max(0.0, left - 0.001))
    return time.perf_counter() - asked


def main(argv=None):
    parser = argparse.ArgumentParser(description="Lanternfall, real time: a festival to measure.")
    parser.add_argument("--neighbours", choices=("pairs", "cells"), default="pairs")
    parser.add_argument("--ripples", choices=("double", "half"), default="double")
    parser.add_argument("--reflections", choices=("whole river", "near bank"), default="whole river")
    parser.add_argument("--wakes", choices=("kept", "anew"), default="kept")
    parser.add_argument("--without", action="append", choices=FEATURES, default=[], help="a feature to switch off")
    parser.add_argument("--pace", type=float, help="frames a second to wait for; as fast as it can if left out")
    parser.add_argument("--load", type=float, default=1.0, help="1 is the festival as it is, 2 twice the boats")
    parser.add_argument("--bands", action="store_true", help="make ripples in a band for each core it may use")
    parser.add_argument("--boats", type=int, help="so many boats, whatever the load")
    parser.add_argument("--boats-in-turn", default="", help="so many boats in each leg, one after the other: 0,100,400")
    parser.add_argument(
        "--laps", action="store_true", help="time the search for neighbours by itself, and play nothing"
    )
    parser.add_argument("--seconds", type=float, default=float(os.environ.get("VIGILANT_SECONDS", "10")))
    parser.add_argument("--seed", type=int, default=int(os.environ.get("VIGILANT_SEED", "7")))
    arguments = parser.parse_args(argv)
    if arguments.boats is not None and arguments.boats < 0:
        parser.error("--boats must be 0 or more")
    if arguments.load <= 0 or arguments.seconds <= 0 or (arguments.pace is not None and arguments.pace <= 0):
        parser.error("--load, --seconds and --pace must be positive")
    (lap if arguments.laps else play)(arguments)


if __name__ == "__main__":
    main()
