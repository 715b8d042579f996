"""Where the time goes, measured: how often lanes are called right and wrongly, and what the intervals hold."""

from __future__ import annotations

import time
from collections import Counter

import numpy as np
from core.made_lanes import BUDGET_MS, simulated, views
from core.made_late import injected, made, without_a_part

from vigilant.core import FrameSeries, Part, Policy
from vigilant.core.design import plan_design
from vigilant.core.series import PartRows
from vigilant.core.summary import RunFrames
from vigilant.core.work import (
    LateRun,
    Overlap,
    PartsOfRun,
    associations,
    bound,
    excess_account,
    excess_of_run,
    laid,
    lanes_found,
    late_frames,
    limiting,
    ms_by_frame,
    overlap,
    part_changes,
    parts_of_run,
    share_of_frames,
)
from vigilant.core.work.counters import CounterRun, flat_after
from vigilant.core.work.fits import mean_over_runs

#: A call may be wrong in so many.
MOST_WRONG = 0.03


def report(trials: int) -> bool:
    """Every rate; whether all hold within three Monte Carlo errors."""
    rng = np.random.default_rng(2)
    fine = True
    for slow in (0.6, 0.9, 0.98):
        for noise in (0.01, 0.05):
            for model in ("overlap", "serial", "partly"):
                cells = []
                for levels in ((9.0, 9.0), (11.0, 6.0), (11.0, 1.0), (11.0, 0.2)):
                    found = Counter(
                        overlap([simulated(rng, levels, model, 0.5, noise, slow=slow) for _ in range(3)]).call
                        for _ in range(trials)
                    )
                    wrong = 1.0 - (found[model] + found["cannot be told"]) / trials
                    bound = MOST_WRONG + 3.0 * (MOST_WRONG * (1 - MOST_WRONG) / trials) ** 0.5
                    fine = fine and wrong <= bound
                    cells.append(f"{100 * found[model] / trials:.0f}/{100 * wrong:.0f}")
                print(f"    waves {slow:g}, read with {100 * noise:g} % noise, {model}: right/wrong {', '.join(cells)}")
    fine = _coverage(rng, trials) and fine
    fine = _late(rng, trials) and fine
    fine = _bounds(rng) and fine
    fine = _chance(rng, trials) and fine
    fine = _events(rng, trials) and fine
    fine = _counters(rng, trials) and fine
    began = time.perf_counter()
    arm = views(rng, 7.0, 11.0, runs=10)
    for _ in range(2):
        lanes_found(arm, BUDGET_MS)
    print(f"    lanes of 2 x 10 runs of 900 frames: {1000 * (time.perf_counter() - began):.0f} ms")
    _times(rng)
    return fine


def _late(rng: np.random.Generator, trials: int) -> bool:
    """Shares of excess against what was put in, and what their intervals hold."""
    bank = [injected(rng, 0.6) for _ in range(150)]
    truth = sum(c for _, c, _ in bank) / sum(t for *_, t in bank)
    shares = {row.path: row.share for row in excess_account([run for run, *_ in bank]).rows}
    off = 100 * (shares["c",] - truth)
    print(
        f"    excess: the cause is {100 * truth:.1f} %, found {off:+.2f} points off; every second frame {100 * shares['b',]:+.2f}"
    )
    fine = abs(off) <= 1.5 and abs(100 * shares["b",]) <= 1.5
    for runs in (3, 5, 8):
        held = refused = 0
        for _ in range(4 * trials):
            drawn = [bank[i][0] for i in rng.choice(len(bank), runs, replace=False)]
            account = excess_account(drawn)
            refused += bool(account.refused)
            row = next((r for r in account.rows if r.path == ("c",)), None)
            held += row is None or abs(row.share - truth) <= (row.half or 0.0)
        rate = 100 * held / (4 * trials)
        fine = fine and rate >= 93 - 3 * 100 * (0.07 * 0.93 / (4 * trials)) ** 0.5
        print(
            f"    excess, {runs} runs: the interval of its share holds in {rate:.1f} %, refused {100 * refused / (4 * trials):.0f} %"
        )
    return fine


def _bounds(rng: np.random.Generator) -> bool:
    """The bound of a part against the same frames made without it."""
    fine = True
    for levels, refresh in (
        ((9.0, 9.0), None),
        ((11.0, 6.0), None),
        ((14.0, 9.0), 1000 / 60),
        ((15.5, 12.0), 1000 / 60),
    ):
        made = [without_a_part(rng, levels, refresh, n=3000) for _ in range(60)]
        found = bound([run for run, *_ in made], Overlap("overlap"), [{"river": part} for _, part, _ in made], 17.5)
        truth = float(np.mean([gain for *_, gain in made]))
        assert found.mean_ms is not None
        off = found.mean_ms.value / truth - 1.0
        fine = fine and abs(off) <= 0.02
        print(f"    bound, lanes {levels}{' paced' if refresh else ''}: {truth:.3f} ms, found {100 * off:+.1f} % off")
    return fine


def _chance(rng: np.random.Generator, trials: int) -> bool:
    """Any call of what does not go with late frames, of three series at three lags; and a cause of a third found."""
    fine = True
    for kind in ("legs", "bursts", "cause"):
        false = found = 0
        for trial in range(trials):
            rows = associations([made(rng, kind) for _ in range(5)], trial, 999)
            called = {row.name for row in rows if row.call == "goes with late frames"}
            found += "loads" in called
            false += bool(called - ({"loads"} if kind == "cause" else set()))
        limit = 5 + 3 * 100 * (0.05 * 0.95 / trials) ** 0.5
        fine = fine and 100 * false / trials <= limit
        said = f", the cause found in {100 * found / trials:.0f} %" if kind == "cause" else ""
        print(f"    associations, {kind}: any false call in {100 * false / trials:.1f} %{said}")
    return fine


def _events(rng: np.random.Generator, trials: int) -> bool:
    """Parts that come now and then: called of no change, seen at twice as many, and what their interval holds."""
    fine = True
    for runs in (3, 5, 8):
        for rate in (3, 10, 40):
            false = seen = held = 0
            truth = rate * EVENT_MS / EVENT_FRAMES
            for _ in range(trials):
                for times in (1.0, 2.0):
                    arms = [[_eventful(rng, rate * (times if arm else 1.0)) for _ in range(runs)] for arm in (0, 1)]
                    order = [arm for _ in range(runs) for arm in rng.permutation(["before", "after"]).tolist()]
                    (row,) = (
                        r
                        for r in part_changes([*arms[0], *arms[1]], plan_design(runs, runs, order))
                        if r.kind == "events"
                    )
                    called = row.p_value is not None and row.p_value <= 0.05
                    if times == 1.0:
                        false += called
                    else:
                        seen += called
                        held += row.low_ms is None or (row.low_ms <= truth <= (row.high_ms or 0.0))
            most = 5 + 3 * 100 * (0.05 * 0.95 / trials) ** 0.5
            fine = (
                fine
                and 100 * false / trials <= most
                and 100 * held / trials >= 93 - 3 * 100 * (0.07 * 0.93 / trials) ** 0.5
            )
            print(
                f"    events, {runs} runs, {rate} a run: false {100 * false / trials:.1f} %, seen at x 2 {100 * seen / trials:.0f} %, held {100 * held / trials:.1f} %"
            )
    return fine


#: Frames of a run with events, and their mean size.
EVENT_FRAMES, EVENT_MS = 2_400, 12.0


def _eventful(rng: np.random.Generator, rate: float) -> PartsOfRun:
    """A run in which a part is there now and then: Poisson, sizes by a gamma distribution."""
    sizes = rng.gamma(4.0, EVENT_MS / 4.0, rng.poisson(rate))
    key = ("river", ("load",))
    there = {key: float(sizes.sum())} if sizes.size else {}
    return PartsOfRun(EVENT_FRAMES, EVENT_FRAMES * 16.0, {}, there, {key: sizes.size}, {key: sizes.size}, {key: sizes})


def _counters(rng: np.random.Generator, trials: int) -> bool:
    """Counters that do not rise, called rising or falling; a leak of a tenth a minute, called."""
    frames, fine = 2_250, True
    start = np.arange(frames) * 0.016
    minutes = start / 60.0

    def slow(n: int) -> np.ndarray:
        made = np.zeros(n)
        for i in range(1, n):
            made[i] = 0.99 * made[i - 1] + rng.standard_normal()
        return made

    kinds = {
        "white": lambda: 400.0 + rng.standard_normal(frames),
        "slow": lambda: 400.0 + slow(frames),
        "sawtooth": lambda: 400.0 + 30.0 * ((start / 3.0) % 1.0) + rng.standard_normal(frames),
        "a leak": lambda: 400.0 * (1.0 + 0.1 * minutes) + 30.0 * ((start / 3.0) % 1.0) + rng.standard_normal(frames),
    }
    for runs in (3, 5, 8):
        said = []
        for kind, draw in kinds.items():
            moving = sum(
                (
                    found := flat_after(
                        [
                            CounterRun(draw(), np.full(frames, 16.0), start, minutes, np.zeros(frames, np.int64))
                            for _ in range(runs)
                        ]
                    )
                )
                is not None
                and found.call in ("rising", "falling")
                for _ in range(trials)
            )
            rate = 100 * moving / trials
            fine = fine and (rate >= 95 if kind == "a leak" else rate <= 6 + 3 * 100 * (0.06 * 0.94 / trials) ** 0.5)
            said.append(f"{kind} {rate:.0f}")
        print(f"    counters called rising or falling, {runs} runs, %: {', '.join(said)}")
    return fine


def _times(rng: np.random.Generator) -> None:
    """2 x 10 runs of 10,000 frames with 40 parts: tables, excess, what late frames go with."""
    n, parts, runs = 10_000, 40, 20
    names = [Part((f"part {i}",), 0.0, lane="river") for i in range(parts)]
    frame = np.repeat(np.arange(n), parts)
    part = np.tile(np.arange(parts), n)
    seen, rows = [], []
    for _ in range(runs):
        ms = 0.2 * np.exp(0.1 * rng.standard_normal((n, parts)))
        ms[rng.random(n) < 0.005, 3] += 14.0
        river = ms.sum(axis=1) + 0.5
        series = FrameSeries(
            river + 0.3, {"river": river, "paint": 0.6 * river}, {"river": "processor", "paint": "processor"}
        )
        seen.append(RunFrames(series, Policy(target_fps=60)))
        rows.append(
            PartRows(names, frame, part, ms.ravel(), np.full(ms.size, np.nan), np.ones(ms.size, dtype=np.int64))
        )
    began = time.perf_counter()
    totals = [parts_of_run(view, one) for view, one in zip(seen, rows, strict=True)]
    summed = time.perf_counter()
    part_changes(totals, plan_design(runs // 2, runs // 2, None))
    tables = time.perf_counter()
    by_frame = [ms_by_frame(view, one) for view, one in zip(seen, rows, strict=True)]
    dense = time.perf_counter()
    lanes, _ = laid(seen) or ([], {})
    model = overlap(lanes)
    late = [late_frames(view, view.timer_step) for view in seen]
    ready = time.perf_counter()
    found = [
        excess_of_run(view.x, view.played.bounds, at, lane, model, own)
        for view, at, lane, own in zip(seen, late, lanes, by_frame, strict=True)
    ]
    excess_account(found)
    account = time.perf_counter()
    counters = {f"counter {i}": rng.poisson(2.0, n).astype(float) for i in range(10)}
    events = {f"event {i}": (rng.random(n) < 0.02).astype(float) for i in range(10)}
    associations(
        [
            LateRun(view.x, at, np.array([0, n]), {**counters, **events})
            for view, at in zip(seen[:10], late, strict=False)
        ]
    )
    gone = time.perf_counter()
    print(
        f"    2 x 10 runs of 10,000 frames, 40 parts: rows summed {1000 * (summed - began):.0f} ms, tables {1000 * (tables - summed):.0f} ms,"
        f" a frame at a time {1000 * (dense - tables):.0f} ms, excess {1000 * (account - ready):.0f} ms;"
        f" 20 counters of one arm {gone - account:.1f} s"
    )


def _coverage(rng: np.random.Generator, trials: int) -> bool:
    """Intervals of a limiting share and of headroom, against the mean of a bank of runs that they are drawn from."""
    bank = [simulated(rng, (8.6, 9.0), "overlap", 0.5, frames=3000) for _ in range(120)]
    codes = [limiting(run)[0] for run in bank]
    counts = np.array([int((code == 1).sum()) for code in codes])
    rooms = np.array([BUDGET_MS - Overlap("overlap").model_ms(run).mean() for run in bank])
    fine = True
    for runs in (3, 5, 8):
        held = np.zeros(2)
        for _ in range(10 * trials):
            drawn = rng.choice(len(bank), runs, replace=False)
            _, low, high = share_of_frames(counts[drawn].tolist(), [3000] * runs)
            assert low is not None
            assert high is not None
            held[0] += low <= counts.mean() / 3000 <= high
            mean, half = mean_over_runs(rooms[drawn].tolist(), 0.0)
            assert half is not None
            held[1] += abs(mean - rooms.mean()) <= half
        share, room = 100 * held / (10 * trials)
        fine = fine and min(share, room) >= 92 - 3 * 100 * (0.08 * 0.92 / (10 * trials)) ** 0.5
        print(f"    {runs} runs: the interval of a limiting share holds in {share:.1f} %, of headroom in {room:.1f} %")
    return fine
