"""Rates of what stands behind a verdict, on generators of our own (docs/statistics.md, *The evidence*)."""

from __future__ import annotations

import math
import time
from collections import Counter
from collections.abc import Callable, Iterator

import numpy as np
from PIL import Image, ImageDraw

from vigilant.core import FrameSeries, Mark, Policy
from vigilant.core.design import plan_design
from vigilant.core.evidence import course, judge_stills, leg_table, place, recurring
from vigilant.core.summary import RunFrames
from vigilant.subjects.pictures import river

LEGS = 6
ONE = Policy(primaries=("mean_ms",))


def runs_of_legs(rng: np.random.Generator, pairs: int, factor: tuple[float, ...], frames: int) -> list[RunFrames]:
    made = []
    for _ in range(pairs):
        level = 12.0 * np.exp(rng.normal(0, 0.011))
        parts = [level * f * np.exp(rng.normal(0, 0.05, frames)) for f in factor]
        marks = [Mark(i * frames, f"leg {i}") for i in range(LEGS)]
        made.append(RunFrames(FrameSeries(np.concatenate(parts), marks=marks), ONE))
    return made


def legs(trials: int) -> Iterator[str]:
    """Any false leg, +3 % in one found, *no leg got worse* said of none, and of one a margin worse."""
    same, one, margin = (1.0,) * LEGS, (1.0, 1.0, 1.03, 1.0, 1.0, 1.0), (1.0, 1.0, 1.02, 1.0, 1.0, 1.0)
    for frames, pairs in ((f, p) for f in (40, 400) for p in (3, 5, 8)):
        rng, count = np.random.default_rng(pairs), dict.fromkeys(("false", "found", "said", "wrong"), 0)
        order = list((["before", "after", "after", "before"] * 5)[: 2 * pairs])
        for _ in range(trials):
            tables = [
                leg_table(
                    runs_of_legs(rng, pairs, same, frames),
                    runs_of_legs(rng, pairs, f, frames),
                    ONE,
                    order,
                    ("mean_ms",),
                )
                for f in (same, one, margin)
            ]
            called = [[leg.figures["mean_ms"].call.startswith(("better", "worse")) for leg in t.legs] for t in tables]
            count["false"] += any(called[0])
            count["found"] += called[1][2]
            count["said"] += tables[0].no_leg_worse["mean_ms"].said
            count["wrong"] += tables[2].no_leg_worse["mean_ms"].said
        share = {k: 100 * v / trials for k, v in count.items()}
        yield (
            f"legs of {frames} frames, {pairs} pairs: any false of {LEGS} {share['false']:.1f}, +3 % in one found {share['found']:.0f},"
            f" no leg worse said of no change {share['said']:.0f}, of a margin worse {share['wrong']:.1f}"
        )


def along(rng: np.random.Generator, runs: int, bins: int, memory: float) -> list[RunFrames]:
    made = []
    for _ in range(runs):
        noise = rng.normal(0, 0.02, bins)
        wander = noise.copy()
        for i in range(1, bins):
            wander[i] = memory * wander[i - 1] + noise[i] * math.sqrt(1 - memory**2)
        level = 12.0 * np.exp(rng.normal(0, 0.011) + wander)
        x = np.repeat(level, 31) * np.exp(rng.normal(0, 0.02, bins * 31))
        made.append(RunFrames(FrameSeries(x, marks=[Mark(0, "open water"), Mark(bins * 31 // 2, "rain")]), ONE))
    return made


def band(trials: int) -> Iterator[str]:
    """Coverage of the course's band over all bins at once, bins independent and hanging together."""
    for memory, said in ((0.0, "independent"), (0.9, "hanging together")):
        for pairs in (4, 5, 8):
            rng, inside = np.random.default_rng(pairs), 0
            order = list((["before", "after", "after", "before"] * 5)[: 2 * pairs])
            for trial in range(trials):
                views = [*along(rng, pairs, 60, memory), *along(rng, pairs, 60, memory)]
                got = course(views, plan_design(pairs, pairs, order), place(views), seed=trial)
                assert got.low is not None
                assert got.high is not None
                inside += not ((got.low > 0) | (got.high < 0)).any()
            yield f"band, bins {said}, {pairs} pairs, {got.leg.size} bins: covers {100 * inside / trials:.1f}"


def stutters(trials: int, draws: int = 199) -> Iterator[str]:
    """False places of chance, and a stutter in 80 % of runs found."""
    edges = np.linspace(0, 1, 7)

    def bursts(rng: np.random.Generator) -> np.ndarray:
        starts = rng.random(rng.poisson(2.5))
        return np.sort(np.concatenate([s + 0.001 * np.arange(3) for s in starts])) if starts.size else np.empty(0)

    kinds: dict[str, Callable[[np.random.Generator], np.ndarray]] = {
        "by chance": lambda rng: np.sort(rng.random(rng.poisson(7))),
        "in bursts": bursts,
        "every so many seconds": lambda rng: np.arange(rng.random() / 7, 1, 1 / 7),
        "nearly all in one leg": lambda rng: np.sort(np.append(rng.random(1), edges[2] + rng.random(9) / 6)),
    }
    for said, draw in kinds.items():
        for runs in (6, 10, 16):
            rng, false, found = np.random.default_rng(runs), 0, 0
            for trial in range(trials):
                own = [np.clip(draw(rng), 0, 0.9999) for _ in range(runs)]
                half = runs // 2
                false += bool(recurring(own[:half], own[half:], edges, 120.0, seed=trial, draws=draws).places)
                planted = [
                    np.sort(np.append(p, 0.53 + rng.normal(0, 0.0004))) if rng.random() < 0.8 else p for p in own
                ]
                got = recurring(planted[:half], planted[half:], edges, 120.0, seed=trial, draws=draws)
                found += any(abs(p.at - 0.53) < 0.005 for p in got.places)
            yield f"recurring, {said}, {runs} runs: false {100 * false / trials:.1f}, found {100 * found / trials:.0f}"


def stills(trials: int) -> Iterator[str]:
    """Arms of three pictures: grain alone, a camera off by a part of a pixel, a boat that bobs; the same with a lantern gone."""
    for kind in ("grain", "camera", "boat"):
        rng = np.random.default_rng(3)

        def taken(gone: int | None, kind: str = kind, rng: np.random.Generator = rng) -> np.ndarray:
            picture = river("bank.png", gone, rng)
            if kind == "camera":
                x, y = rng.uniform(-0.5, 0.5, 2)
                picture = picture.transform(
                    picture.size, Image.Transform.AFFINE, (1, 0, x, 0, 1, y), Image.Resampling.BILINEAR
                )
            if kind == "boat":
                x, y = 200 + rng.normal(0, 6), 300 + rng.normal(0, 3)
                ImageDraw.Draw(picture).ellipse((x, y, x + 40, y + 12), fill=(150, 110, 70))
            return np.asarray(picture)

        for what, gone in (("no change", None), ("a lantern gone", 4)):
            states = Counter(
                judge_stills([taken(None) for _ in range(3)], [taken(gone) for _ in range(3)]).state
                for _ in range(trials)
            )
            yield f"stills, {kind}, {what}: " + ", ".join(
                f"{state} {100 * n / trials:.0f}" for state, n in states.items()
            )


def cost() -> Iterator[str]:
    """Seconds of each for 2 x 10 runs of 120 s."""
    rng = np.random.default_rng(0)
    views = along(rng, 20, 270, 0.9)  # 8,370 frames a run
    order = ["before", "after", "after", "before"] * 5
    for name, make in {
        "course with its band": lambda: course(views, plan_design(10, 10, order), place(views)),
        "legs": lambda: leg_table(views[:10], views[10:], ONE, order, ("mean_ms",)),
        "recurring": lambda: recurring(*([np.sort(rng.random(10)) for _ in range(10)] for _ in range(2)), np.linspace(0, 1, 6), 120.0),
    }.items():  # fmt: skip
        start = time.perf_counter()
        make()
        yield f"{name}, 2 x 10 runs of {views[0].n:,} frames: {1000 * (time.perf_counter() - start):.0f} ms"


def report(trials: int) -> None:
    print(f"{trials} trials a row; rates in %, Monte Carlo error at 5 %: {100 * math.sqrt(0.0475 / trials):.1f}")
    for part in (legs, band, stutters, stills):
        for line in part(trials):
            print(f"    {line}", flush=True)
    for line in cost():
        print(f"    {line}", flush=True)
