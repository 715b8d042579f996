"""Lanes whose truth is known, and the worked cases of where the time goes."""

import json
import math
from pathlib import Path

import numpy as np

from vigilant.core import FrameSeries, Mark
from vigilant.core.policy import Policy
from vigilant.core.summary import RunFrames
from vigilant.core.work import RunLanes

CASES = {case["name"]: case for case in json.loads((Path(__file__).parent / "where_time_goes.json").read_text())}
BUDGET_MS = 1000.0 / 60


def lanes(frame_ms, busy, waiting=None, period_ms=None, bounds=None):
    frame_ms, busy = np.asarray(frame_ms, dtype=float), np.asarray(busy, dtype=float)
    return RunLanes(
        tuple(f"lane {i}" for i in range(len(busy))), (False, True)[: len(busy)], frame_ms, busy,
        np.zeros(frame_ms.size) if waiting is None else np.asarray(waiting, dtype=float), waiting is not None,
        np.array([0, frame_ms.size] if bounds is None else bounds), 0.0, period_ms,
    )  # fmt: skip


def simulated(rng, levels, model, correlated=0.5, noise=0.01, frames=1500, phi=0.35, lag=0, slow=0.9):
    """Two lanes with slow waves; how a frame is made of them, and how they are read."""
    memory = slow ** np.arange(int(6 / (1 - slow)))
    reach = frames + memory.size - 1
    common = rng.standard_normal(reach)
    waves = [
        np.convolve(math.sqrt(correlated) * common + math.sqrt(1 - correlated) * rng.standard_normal(reach), memory, "valid")
        * math.sqrt(1 - slow**2)
        for _ in levels
    ]  # fmt: skip
    true = np.array([level * np.exp(0.08 * wave) for level, wave in zip(levels, waves, strict=True)])
    longest, summed = true.max(axis=0), true.sum(axis=0)
    made = {"overlap": longest, "serial": summed, "partly": longest + phi * (summed - longest)}[model]
    read = true * np.exp(noise * rng.standard_normal(true.shape))
    if lag:
        read[1] = np.concatenate([read[1][:lag], read[1][:-lag]])
    return lanes(made * (1 + 0.01 * rng.random(frames)), read)


def views(rng, level, graphics, runs=4, gaps=0):
    """Runs of a series as recorded: an update lane, a graphics lane that is not told for so many frames, and a leg that
    is not play."""
    made = []
    for _ in range(runs):
        run = simulated(rng, (level, graphics), "overlap", frames=900)
        gpu = run.busy[1].copy()
        gpu[300 : 300 + gaps] = np.nan
        series = FrameSeries(
            run.frame_ms, {"update": run.busy[0], "gpu": gpu}, {"update": "processor", "gpu": "graphics"}, {},
            [Mark(0, "loading", False), Mark(300, "course")],
        )  # fmt: skip
        made.append(RunFrames(series, Policy(target_fps=60)))
    return made
