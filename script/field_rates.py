"""What devices report, measured: what the intervals of late shares and percentiles hold, how often nothing is called something like with
like, after a burst or for a label, what tiers do to models that were not seen, and how much of what is late a shortlist holds."""

from __future__ import annotations

import math
import time
from collections.abc import Callable

import numpy as np
from scipy.special import expit, logit
from vary_rates import Rates

from vigilant.core.field import (
    Share,
    Stratum,
    after_shift,
    compared,
    goes_with,
    histogram_of,
    left_early,
    percentile,
    session_variance,
    share,
    shift,
    shortlist,
    shrunk,
    split,
)

Drawn = tuple[np.ndarray, np.ndarray]


def sessions(
    rng: np.random.Generator, count: int, p: float = 0.02, clean: float = 0.5, lengths: float = 1.0, apart: float = 1.0
) -> Drawn:
    """Late frames and frames: so many sessions are clean, the others unlike each other, their lengths lognormal."""
    frames = np.maximum(60, np.round(np.exp(9.0 + lengths * rng.standard_normal(count)))).astype(np.int64)
    shares = expit(logit(min(0.9, p / (1.0 - clean))) + apart * rng.standard_normal(count))
    return rng.binomial(frames, np.where(rng.random(count) < clean, 0.0, shares)), frames


def report(trials: int) -> bool:
    """Every rate; whether all are what the design states, within three Monte Carlo errors."""
    rng, rates = np.random.default_rng(18), Rates()
    _shares(rng, rates, 2 * trials)
    _percentiles(rng, rates, trials)
    _alike(rng, rates, trials)
    _early(rng, rates, trials)
    _labels(rng, rates, trials)
    _tiers(rng, rates, trials)
    _shortlists(rng, max(4, trials // 20))
    _times(rng)
    return rates.fine


def _true(rng: np.random.Generator, draw: Callable[[int], Drawn]) -> float:
    late, frames = draw(400_000)
    return float(late.sum() / frames.sum())


def _shares(rng: np.random.Generator, rates: Rates, trials: int) -> None:
    for name, more, stated in (
        ("half clean", {}, (97, 95, 95, 97, 97, 95)), ("lengths very unlike", {"lengths": 1.6}, (96, 97, 97, 97, 98, 99)),
        ("rare, .06 %", {"p": 0.0006}, (96, 96, 97, 97, 95, 97)), ("95 % clean", {"clean": 0.95}, (77, 77, 84, 91, 95, 95)),
    ):  # fmt: skip

        def draw(count: int, more: dict[str, float] = more) -> Drawn:
            return sessions(rng, count, **more)

        true = _true(rng, draw)
        for count, holds in zip((10, 30, 50, 100, 300, 1000), stated, strict=True):
            held = 0
            for _ in range(trials):
                found = share(*draw(count))
                # Nothing late: frames have no interval, and nothing wrong is said.
                held += found.low is None or found.high is None or found.low <= true <= found.high
            rates.at_least(f"late share held, {name}, {count} sessions", held, trials, min(95.0, holds), 800)


def _percentiles(rng: np.random.Generator, rates: Rates, trials: int) -> None:
    def draw(count: int) -> list[np.ndarray]:
        levels = 12.0 * np.exp(0.25 * rng.standard_normal(count))
        return [level * np.exp(0.12 * rng.standard_normal(300)) for level in levels]

    everything = np.concatenate(draw(4000))
    for p, count, stated in ((0.5, 100, 99.0), (0.95, 100, 97.0), (0.99, 100, 94.0), (0.99, 300, 95.0)):
        true, held = float(np.quantile(everything, p)), 0
        for _ in range(trials // 2):
            low, high = percentile([histogram_of(x).counts for x in draw(count)], p)
            held += low <= true <= high
        rates.at_least(f"percentile {100 * p:g} held, {count} sessions", held, trials // 2, stated, 200)


def _classes(rng: np.random.Generator, count: int, mix: tuple[float, ...], odds: float = 1.0) -> dict[str, Drawn]:
    levels = (0.002, 0.006, 0.02, 0.05)
    counts = rng.multinomial(count, mix)
    made = {}
    for i, (n, p) in enumerate(zip(counts, levels, strict=True)):
        if n:
            made[str(i)] = sessions(rng, int(n), float(expit(logit(p) + math.log(odds))), clean=0.2, apart=0.5)
    return made


def _alike(rng: np.random.Generator, rates: Rates, trials: int) -> None:
    """Four classes, of which the heavier ones are commoner after."""
    before, after = (0.4, 0.3, 0.2, 0.1), (0.25, 0.25, 0.25, 0.25)
    for count, stated in ((200, 2.8), (600, 4.8), (3000, 2.4)):
        crude = called = 0
        for _ in range(trials):
            found = compared(_classes(rng, count, before), _classes(rng, count, after))
            crude += found.crude.p < 0.05
            called += found.alike is not None and found.alike.p < 0.05
        rates.at_most(f"like with like, nothing changed, {count} sessions", called, trials, max(5.0, stated), 250)
        print(f"    of these crude called {100 * crude / trials:.0f} %")
    seen = sum(
        (made := compared(_classes(rng, 3000, before), _classes(rng, 3000, after, 0.8))).alike is not None
        and made.alike.p < 0.05
        and made.alike.d < 0
        for _ in range(trials)
    )
    rates.at_least("like with like, odds x 0.8, 3000 sessions", seen, trials, 94.0, 250)


def _leaving(rng: np.random.Generator, count: int, factor: float) -> list[Stratum]:
    """Sessions of unlike lateness in two places, which heat up; each second is exposed or not, endings go with exposure by ``factor``."""
    strata = {place: [0.0, 0.0, 0.0, 0.0] for place in range(2)}
    for _ in range(count):
        bad = math.exp(0.8 * rng.standard_normal())
        length = int(rng.integers(120, 900))
        place = int(rng.random() < 0.4)
        rate = 0.004 * bad * (3.0 if place else 1.0) * (1.0 + np.arange(length) / 900.0)
        burst = rng.random(length) < np.minimum(0.5, rate)
        recent = np.convolve(burst, np.ones(10))[:length] > 0
        leaves = 0.002 * np.where(recent, factor, 1.0)
        ends = np.flatnonzero(rng.random(length) < leaves)
        last = int(ends[0]) if ends.size else length - 1
        own = strata[place]
        now, then = recent[30 : last + 1], recent[: max(0, last - 29)]
        if now.size == 0:
            continue
        others = slice(None, -1) if ends.size else slice(None)
        own[2] += float((now[others] & ~then[others]).sum())
        own[3] += float((then[others] & ~now[others]).sum())
        if ends.size:
            own[0] += float(now[-1] & ~then[-1])
            own[1] += float(then[-1] & ~now[-1])
    return [Stratum(*own) for own in strata.values()]


def _early(rng: np.random.Generator, rates: Rates, trials: int) -> None:
    tried = max(20, trials // 2)
    for count in (1000, 3000):
        found = [left_early(_leaving(rng, count, 1.0)) for _ in range(tried)]
        rates.at_most(
            f"left early, nothing true, {count} sessions", sum(one.p is not None and one.p < 0.05 for one in found), tried, 5.7, 100
        )  # fmt: skip
    found = [left_early(_leaving(rng, 3000, 1.5)) for _ in range(tried)]
    ratios = [one.ratio for one in found if one.ratio is not None]
    held = sum(one.low is not None and one.high is not None and one.low <= 1.5 <= one.high for one in found)
    rates.at_least("left early, 1.5 held, 3000 sessions", held, tried, 93.0, 100)
    print(f"    median ratio {np.median(ratios):.2f} where it is 1.5")


def _labels(rng: np.random.Generator, rates: Rates, trials: int) -> None:
    for count, stated in ((60, 0.7), (200, 2.3), (800, 3.0)):
        called = crude = 0
        for _ in range(trials):
            made = []
            for _ in range(count):
                bad, cells = math.exp(0.6 * rng.standard_normal()), {}
                for place, p, commoner in (("river", 0.004, 0.1), ("market", 0.04, 0.6)):
                    n = rng.poisson((3000 * commoner, 3000 * (1 - commoner)))
                    late = rng.binomial(n, min(0.5, p * bad))
                    cells[place] = (float(late[0]), float(n[0]), float(late[1]), float(n[1]))
                made.append(cells)
            found = goes_with(made)
            called += found is not None and found.p < 0.05
            plain = goes_with([{"": tuple(map(float, np.sum(list(own.values()), axis=0)))} for own in made])
            crude += plain is not None and plain.p < 0.05
        rates.at_most(f"a label that causes nothing, {count} sessions", called, trials, max(5.0, stated), 300)
        print(f"    of these crude called {100 * crude / trials:.0f} %")


def _seen(p: float, se: float) -> Share:
    return Share(p, None, None, (se * p * (1 - p)) ** 2, 40.0, 50.0, 60)


def _tiers(rng: np.random.Generator, rates: Rates, trials: int) -> None:
    held = 0
    for _ in range(4 * trials):
        base, step = logit(0.05) + 0.8 * rng.standard_normal(21), -1.0 + 0.35 * rng.standard_normal(21)
        before, after = (
            [_seen(float(expit(x + 0.15 * rng.standard_normal())), 0.15) for x in at] for at in (base, base + step)
        )
        moved = shift(before[:20], after[:20])
        found = None if moved is None else after_shift(before[20], moved)
        held += found is not None and found.low <= float(expit(base[20] + step[20])) <= found.high
    rates.at_least("a shift held by another model", held, 4 * trials, 93.5, 600)
    advised = dict.fromkeys(("one kind", "two kinds, odds x 10"), 0)
    tried = max(20, trials // 3)
    for _ in range(tried):
        v, play = rng.uniform(0.02, 0.15, 80), rng.uniform(0.5, 2.0, 80)
        kinds = np.where(rng.random(80) < 0.5, -1.0, 1.0)
        for name, centre in (("one kind", -4.0 + rng.standard_normal(80)), ("two kinds, odds x 10", -4.0 + 1.15 * kinds + 0.5 * rng.standard_normal(80))):  # fmt: skip
            found = split(centre + np.sqrt(v) * rng.standard_normal(80), v, play)
            advised[name] += found is not None and found.advised
    rates.at_most("one kind called two", advised["one kind"], tried, 2.0, 80)
    rates.at_least("two kinds found, odds x 10", advised["two kinds, odds x 10"], tried, 96.0, 80)


def _shortlists(rng: np.random.Generator, trials: int) -> None:
    """2,000 models whose play falls as Zipf's; ten of them are picked."""
    goal, models = 0.02, 2000
    weights = 1.0 / np.arange(1, models + 1) ** 1.1
    for count in (60_000, 3_000):
        kept: dict[str, list[float]] = {"late share": [], "late frames": [], "shrunk": []}
        for _ in range(trials):
            level = logit(0.01) + 1.2 * rng.standard_normal(models)
            of = rng.choice(models, count, p=weights / weights.sum())
            frames = np.maximum(60, np.round(np.exp(9.0 + rng.standard_normal(count))))
            late = rng.binomial(frames.astype(np.int64), expit(level[of] + 0.8 * rng.standard_normal(count)))
            n, c, q = (np.bincount(of, x, models) for x in (frames, late, frames**2))
            true = weights / weights.sum() * np.maximum(0.0, expit(level) - goal)
            best = np.sort(true)[-10:].sum()
            used = np.flatnonzero(n)
            told = [(share(late[of == i], frames[of == i]), c[i], n[i], q[i]) for i in used[:40] if (of == i).sum() > 1]
            found = shrunk(c[used], n[used], q[used], session_variance(told))
            picks = {
                "late share": used[np.argsort(-c[used] / n[used])[:10]],
                "late frames": used[np.argsort(-c[used])[:10]],
                "shrunk": used[[one.model for one in shortlist(found, n[used], goal)[:10]]],
            }
            for name, chosen in picks.items():
                kept[name].append(float(true[chosen].sum() / best))
        said = ", ".join(f"{name} {100 * np.mean(values):.0f} %" for name, values in kept.items())
        print(f"    of what the best ten models hold, {count:,} sessions: {said}")


def _times(rng: np.random.Generator) -> None:
    late, frames = sessions(rng, 100_000)
    begun = time.perf_counter()
    share(late, frames)
    print(f"    a share of 100,000 sessions: {1000 * (time.perf_counter() - begun):.0f} ms")
    x = 12.0 * np.exp(0.2 * rng.standard_normal(1_000_000))
    begun = time.perf_counter()
    histogram_of(x)
    print(f"    a histogram of a million frames: {1000 * (time.perf_counter() - begun):.0f} ms")
