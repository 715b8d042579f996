"""Our own measurements: a comparison in milliseconds and in sorts of the same frames, against
``scipy.stats.bootstrap``, the import; with --calibration error rates by simulation, with --audit
hits and false alarms of the audit, with --durability kills while recorders deliver (with --cluster of a cluster's parts), with --load many recorders at once, with --evidence the rates of what
stands behind a verdict, with --work those of where the time goes, with --vary those of what varies on purpose, with --trend those of the line over builds, with --field those of what devices report, with --devices what taking that in and reading it takes, with --scale every page of a book as it grows, with --emitters what reporting costs a frame, with --screens how the screens move."""

from __future__ import annotations

import argparse
import asyncio
import base64
import gzip
import hashlib
import math
import statistics
import subprocess
import sys
import tempfile
import time
import uuid
from collections.abc import Callable
from pathlib import Path
from typing import Any

import httpx
import numpy as np
import psutil

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "tests"))
from book_times import book_times
from bring_times import bring
from calibration import calibrate
from cluster import many
from core.generators import bursty, ordinary
from durable import Stand, killed
from emitter_times import report as emitter_times
from evidence_rates import report as evidence_rates
from field_rates import report as field_rates
from field_times import field_times
from fuzzing import fuzz
from rich.console import Console
from scale_times import scale_times
from screen_times import screen_times
from trend_rates import report as trend_rates
from vary_rates import report as vary_rates
from work_rates import report as work_rates

from vigilant.core import FrameSeries, Mark, Policy, compare, crash_rates
from vigilant.core.goals import arm_level
from vigilant.core.schedule import draw_order

POLICY = Policy(target_fps=60)


def milliseconds(work: Callable[[], object], repeats: int = 9) -> float:
    """Median of several runs after a warm-up."""
    work()
    taken = []
    for _ in range(repeats):
        started = time.perf_counter()
        work()
        taken.append(time.perf_counter() - started)
    return 1000.0 * statistics.median(taken)


def comparison() -> None:
    rng = np.random.default_rng(1)
    for frames, runs in ((10_000, 10), (100_000, 10), (1_000_000, 5), (10_000_000, 2)):
        arms = [[FrameSeries(ordinary(rng, frames)) for _ in range(runs)] for _ in range(2)]
        order = draw_order(runs, 3)
        whole = [s.frame_ms for arm in arms for s in arm]
        repeats = 9 if frames < 1_000_000 else 3
        sort = milliseconds(lambda whole=whole: [np.sort(x) for x in whole], repeats)
        took = milliseconds(lambda arms=arms, order=order: compare(*arms, POLICY, order), repeats)
        per_frame = 1e6 * took / (2 * runs * frames)
        print(
            f"compare 2 x {runs:>2} runs x {frames:>10,} frames: {took:8.1f} ms, {took / sort:5.1f} sorts of them,"
            f" {per_frame:4.0f} ns a frame"
        )
        if frames == 10_000:
            against_bootstrap(whole, took)


def against_bootstrap(whole: list[np.ndarray], took_ms: float) -> None:
    from scipy import stats

    pooled = np.concatenate(whole[:10]), np.concatenate(whole[10:])

    def difference(p: float) -> Callable[..., np.ndarray]:
        return lambda a, b, axis: np.quantile(b, p, axis=axis) - np.quantile(a, p, axis=axis)

    resamples, wanted = 200, 9999
    total = 0.0
    for p in (0.5, 0.99):
        started = time.perf_counter()
        stats.bootstrap(
            pooled, difference(p), n_resamples=resamples, vectorized=True, batch=20, method="percentile", rng=1
        )
        total += time.perf_counter() - started
    extrapolated = total * wanted / resamples
    print(
        f"scipy.stats.bootstrap of median and 99th percentile, {wanted} resamples (extrapolated from {resamples}):"
        f" {extrapolated:.0f} s, {1000 * extrapolated / took_ms:,.0f} times a whole comparison"
    )


def imports() -> None:
    command = [sys.executable, "-c", "import vigilant.core"]
    print(f"import of the core in a new process: {milliseconds(lambda: subprocess.run(command, check=True), 5):.0f} ms")


def audit_rates(repeats: int) -> None:
    """Hits and false alarms of the checks that judge by chance, in comparisons of 5 + 5 runs of 1,200 frames."""

    def altered(g: np.random.Generator, change: Callable[[np.ndarray, int, int, int], np.ndarray]) -> set[str]:
        order = draw_order(5, int(g.integers(2**31)))
        slots = [[i for i, o in enumerate(order) if o == arm] for arm in ("before", "after")]
        odd = int(g.integers(10))
        arms = []
        for side in range(2):
            arms.append([])
            for i in range(5):
                x = change(ordinary(g, 1200), slots[side][i], 5 * side + i, odd)
                boats = np.round(g.normal(400, 4)) * (1.0 - 0.02 * side * (change is WITNESS))
                marks = [] if change is UNMARKED else [Mark(0, "pier"), Mark(600, "bridge")]
                arms[-1].append(FrameSeries(x, counters={"boats": np.full(x.size, boats)}, marks=marks))
        return {f.code for f in compare(*arms, Policy(target_fps=60, witnesses=["boats"]), order).findings}

    def started_slow(x: np.ndarray, slot: int, run: int, odd: int) -> np.ndarray:
        return x * (1.0 + (run == odd) * 0.3 * np.exp(-np.arange(x.size) / 120.0))

    def WITNESS(x: np.ndarray, slot: int, run: int, odd: int) -> np.ndarray:
        return x

    def UNMARKED(x: np.ndarray, slot: int, run: int, odd: int) -> np.ndarray:
        return x * (1.0 + 0.3 * np.exp(-np.arange(x.size) / 120.0))

    table = {
        "warm-up-left-in": ("one run of ten starts 30 % slow", started_slow),
        "warm-up-left-in, no marks": ("every run starts 30 % slow", UNMARKED),
        "drift": ("1 % a run", lambda x, slot, run, odd: x * (1.0 + 0.01 * slot)),
        "odd-run": ("one run 10 % slower", lambda x, slot, run, odd: x * (1.0 + 0.1 * (run == odd))),
        "rate-given-as-time": ("frames a second as ms", lambda x, slot, run, odd: 1000.0 / x),
        "work-unlike": ("2 % fewer boats after", WITNESS),
    }
    rng = np.random.default_rng(20261123)
    plain = [altered(rng, lambda x, slot, run, odd: x) for _ in range(repeats)]
    print(
        f"{repeats} comparisons a row of 5 + 5 runs, 1 % run spread; Monte Carlo error at 5 %: {100 * math.sqrt(0.05 * 0.95 / repeats):.1f} points"
    )
    print(f"{'check':<28}{'what was wrong':<34}{'hits %':>8}{'false %':>9}")
    for name, (what, change) in table.items():
        code = name.split(",")[0]
        hits = sum(code in altered(rng, change) for _ in range(repeats))
        false = sum(code in found for found in plain)
        print(f"{name:<28}{what:<34}{100 * hits / repeats:>8.1f}{100 * false / repeats:>9.1f}", flush=True)
    # Crash rates: exact, so by enumeration rather than by simulation.
    for rate_b, rate_a in ((0.1, 0.1), (0.3, 0.3), (0.05, 0.6)):
        chance = sum(
            math.comb(8, b) * rate_b**b * (1 - rate_b) ** (8 - b) * math.comb(8, a) * rate_a**a * (1 - rate_a) ** (8 - a)
            for b in range(9) for a in range(9) if crash_rates((b, 8), (a, 8))
        )  # fmt: skip
        print(
            f"crash-rates-differ, 8 + 8 attempts failing at {100 * rate_b:.0f} and {100 * rate_a:.0f} %: found in {100 * chance:.1f} %"
        )


def goal_rates(repeats: int) -> None:
    """How often the interval of what comes in bursts misses the truth, a side: late frames in bursts of 3 to 11."""
    policy, figures = Policy(target_fps=60), ("late_share", "overrun_share")
    for per_run in (0.7, 2.0, 6.0):
        rng = np.random.default_rng(round(10 * per_run))
        frames = np.concatenate([bursty(rng, per_run).frame_ms for _ in range(20_000)])
        over = float(np.maximum(0, frames - 1000 / 60).sum() / frames.sum())
        truth = {"late_share": float(np.mean(frames > 17.5)), "overrun_share": over}
        for count in (3, 5, 8, 12):
            low, high = dict.fromkeys(figures, 0), dict.fromkeys(figures, 0)
            for _ in range(repeats):
                arm = [bursty(rng, per_run) for _ in range(count)]
                for figure in figures:
                    level = arm_level(arm, policy, figure)
                    high[figure] += level.high < truth[figure]
                    low[figure] += level.low > truth[figure]
            said = "; ".join(
                f"{f}: below the truth {100 * high[f] / repeats:.1f} %, above {100 * low[f] / repeats:.1f} %"
                for f in figures
            )
            print(f"{per_run} bursts a run, {count} runs: {said}", flush=True)
    print(f"Monte Carlo error at 2.5 %: {100 * math.sqrt(0.025 * 0.975 / repeats):.2f}")


def durability(kills: int) -> None:
    """Kill recorder, server and MariaDB again and again while recorders deliver; compare frame by frame."""
    with tempfile.TemporaryDirectory(prefix="vl-durable-") as folder:
        stand = Stand(Path(folder))
        stand.start()
        try:
            started = time.perf_counter()
            checked, acknowledged = killed(stand, kills, seed=20261123)
            minutes = (time.perf_counter() - started) / 60
        finally:
            stand.stop()
    print(
        f"{kills} kills in {minutes:.1f} min: {checked} runs equal frame by frame, {acknowledged:,} acknowledged batches, none lost, none doubled"
    )


def _processor_s(processes: list[psutil.Process]) -> float:
    """Processor seconds that these and all they started have taken so far."""
    every = [p for parent in processes for p in (parent, *parent.children(recursive=True))]
    return sum(sum(p.cpu_times()[:2]) for p in every)


def _registration(recording: str, run: str) -> dict[str, Any]:
    arms = [{"name": "old", "command": ["x"]}, {"name": "new", "command": ["x"]}]
    return {
        "id": recording,
        "created": "2026-05-04T18:30:00Z",
        "plan": {"scenario": {"name": "load"}, "arm": arms},
        "order_seed": 1,
        "rig": {"alias": "handheld", "facts": {}},
        "conditions": {},
        "slots": [{"position": 0, "arm": "before", "run": run, "outcome": "complete"}],
    }


def _opening(recording: str) -> dict[str, Any]:
    columns = {"columns": ["frame", "river", "paint", "gpu"], "counters": ["draws", "ripples"]}
    return {"recording": recording, "position": 0, "outcome": "complete", "head": {"vigilant_frames": 1, **columns}}


def _batch(rng: np.random.Generator, frames: int, last: bool) -> tuple[bytes, str]:
    """A second of frames with 3 lanes and 2 counters, encoded, and its digest."""
    x = rng.normal(1000 / frames, 0.2, frames).tolist()
    rows = "".join(f"[{v:.4f},{v / 3:.4f},{v / 4:.4f},{v / 2:.4f},{812 + i % 7},96]\n" for i, v in enumerate(x))
    encoded = gzip.compress((rows + ('{"end":{}}\n' if last else "")).encode(), 3)
    return encoded, base64.b64encode(hashlib.sha256(encoded).digest()).decode()


async def _one_recorder(client: httpx.AsyncClient, frames: int, seconds: int, begin: float, number: int) -> list[float]:
    """Open a run and send a batch of ``frames`` each second; the acknowledgements' times in ms."""
    run, recording = str(uuid.uuid4()), str(uuid.uuid4())

    async def send(method: str, path: str, **kwargs: Any) -> httpx.Response:
        """As a recorder does: a cut connection is tried again, since doing anything twice is harmless."""
        for left in range(5, -1, -1):
            try:
                answer = await client.request(method, path, **kwargs)
                assert answer.status_code in (200, 201), answer.text
                return answer
            except httpx.TransportError:
                if not left:
                    raise
        raise AssertionError("unreachable")

    await send("POST", "/api/recordings/", json=_registration(recording, run))
    await send("PUT", f"/api/runs/{run}/", json=_opening(recording))
    rng = np.random.default_rng(number)
    taken = []
    for batch in range(seconds):
        encoded, digest = _batch(rng, frames, batch == seconds - 1)
        await asyncio.sleep(max(0.0, begin + batch + number / 200 - time.perf_counter()))
        sent = time.perf_counter()
        await send(
            "PUT",
            f"/api/runs/{run}/batches/{batch}/",
            content=encoded,
            headers={"Content-Encoding": "gzip", "Content-Digest": f"sha-256=:{digest}:"},
        )
        taken.append(1000.0 * (time.perf_counter() - sent))
    done = await send("POST", f"/api/runs/{run}/complete/", json={"frames": frames * seconds})
    assert done.json()["frames"] == frames * seconds, done.text
    return taken


def load(recorders: int, frames: int = 240, seconds: int = 60, workers: int = 2) -> None:
    """Recorders that deliver a batch each second, with 3 lanes and 2 counters, on loopback."""

    async def all_of_them(stand: Stand) -> tuple[list[float], float]:
        limits = httpx.Limits(max_connections=recorders)
        headers = {"Authorization": f"Bearer {stand.token}"}
        async with httpx.AsyncClient(base_url=stand.url, headers=headers, timeout=120, limits=limits) as client:
            begin = time.perf_counter() + 10
            parts = await asyncio.gather(*(_one_recorder(client, frames, seconds, begin, i) for i in range(recorders)))
            return [t for part in parts for t in part], time.perf_counter() - begin

    with tempfile.TemporaryDirectory(prefix="vl-load-") as folder:
        stand = Stand(Path(folder), workers=workers)
        stand.start()
        servers = [psutil.Process(p) for p in (stand.web.pid, stand.database.pid, stand.worker.pid)]
        try:
            before = _processor_s(servers)
            taken, wall = asyncio.run(all_of_them(stand))
            closed = time.perf_counter()
            stand.wait(lambda: not stand.closing(), "the runs are closed", 600)
            closed = time.perf_counter() - closed
            spent = _processor_s(servers) - before
            stored = stand.frames_stored()
        finally:
            stand.stop()
    total = recorders * frames * seconds
    print(
        f"{recorders} recorders, {frames} frames a second each, {seconds} s: {stored:,} frames stored, {total - stored:,} lost, in {wall:.0f} s"
        f" ({total / wall:,.0f} a second; {recorders * frames:,} asked);"
        f" acknowledgement median {statistics.median(taken):.0f} ms, 95th percentile {np.quantile(taken, 0.95):.0f} ms,"
        f" 99th {np.quantile(taken, 0.99):.0f} ms; with opening and closing {1000 * spent / len(taken):.2f} ms of processor time a batch"
        f" (web, database and worker); all runs closed {closed:.0f} s after the last batch"
    )


def one_batch(batches: int = 600, frames: int = 240) -> None:
    """Processor time of web process and database for one batch after another on one connection, commit included."""
    with tempfile.TemporaryDirectory(prefix="vl-batch-") as folder:
        stand = Stand(Path(folder))
        stand.start()
        web, database = psutil.Process(stand.web.pid), psutil.Process(stand.database.pid)
        headers = {"Authorization": f"Bearer {stand.token}"}
        with httpx.Client(base_url=stand.url, headers=headers, timeout=60) as client:
            run, recording = str(uuid.uuid4()), str(uuid.uuid4())
            client.post("/api/recordings/", json=_registration(recording, run)).raise_for_status()
            client.put(f"/api/runs/{run}/", json=_opening(recording)).raise_for_status()
            bodies = [_batch(np.random.default_rng(i), frames, False) for i in range(batches)]
            warm = batches // 6
            for number, (encoded, digest) in enumerate(bodies):
                if number == warm:
                    began, w, d = time.perf_counter(), _processor_s([web]), _processor_s([database])
                sent = {"Content-Encoding": "gzip", "Content-Digest": f"sha-256=:{digest}:"}
                client.put(f"/api/runs/{run}/batches/{number}/", content=encoded, headers=sent).raise_for_status()
            wall = time.perf_counter() - began
            w, d = _processor_s([web]) - w, _processor_s([database]) - d
        stand.stop()
    each = 1000.0 / (batches - warm)
    began = time.process_time()
    for _ in range(1_000_000):
        pass
    turn = 1000.0 * (time.process_time() - began)
    print(
        f"a batch of {frames} frames, 3 lanes and 2 counters: {(w + d) * each:.2f} ms of processor time"
        f" ({w * each:.2f} web, {d * each:.2f} database), {wall * each:.2f} ms on the clock; 4 ms allowed on an idle machine."
        f" A million turns of an empty loop take {turn:.0f} ms here, a batch as long as {1000 * (w + d) * each / turn:.0f} thousand"
    )


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--audit", type=int, nargs="?", const=1000, metavar="REPEATS", help="rates of the audit")
    parser.add_argument(
        "--goals", type=int, nargs="?", const=1000, metavar="REPEATS", help="intervals of goals on bursts"
    )
    parser.add_argument("--durability", type=int, nargs="?", const=1000, metavar="KILLS", help="kills, 1000 by default")
    parser.add_argument(
        "--cluster", action="store_true", help="with --durability: of a cluster's parts; goes on where it was stopped"
    )
    parser.add_argument("--load", type=int, nargs="?", const=200, metavar="RECORDERS", help="recorders, 200 by default")
    parser.add_argument(
        "--batch", type=int, nargs="?", const=600, metavar="BATCHES", help="processor time of one batch"
    )
    parser.add_argument("--fuzz", type=float, nargs="?", const=600.0, metavar="SECONDS", help="made-up requests")
    parser.add_argument("--book", action="store_true", help="a book of 1,000 entries, windows of 10 million frames")
    parser.add_argument(
        "--bring", action="store_true", help="files of 1 and 10 million frames to whole runs, and compared"
    )
    parser.add_argument("--evidence", type=int, nargs="?", const=300, metavar="TRIALS", help="legs, course, stutters")
    parser.add_argument(
        "--vary", type=int, nargs="?", const=400, metavar="TRIALS", help="ramps, knobs, cores, credits, laps, matrices"
    )
    parser.add_argument(
        "--trend", type=int, nargs="?", const=150, metavar="TRIALS", help="steps, alerts, gates, bridges, hunts"
    )
    parser.add_argument(
        "--field", type=int, nargs="?", const=200, metavar="TRIALS", help="late shares, like with like, labels, tiers"
    )
    parser.add_argument(
        "--devices",
        type=int,
        nargs="?",
        const=1_000_000,
        metavar="SESSIONS",
        help="intake of sessions, and the field's pages on so many",
    )
    parser.add_argument(
        "--scale",
        type=int,
        nargs="?",
        const=100_000,
        metavar="RUNS",
        help="every page of a book as it grows, and what a run costs",
    )
    parser.add_argument("--work", type=int, nargs="?", const=60, metavar="TRIALS", help="lanes: calls and intervals")
    parser.add_argument("--emitters", action="store_true", help="what the C emitter and the tap cost a frame")
    parser.add_argument("--screens", action="store_true", help="frames while lists scroll and traces pan, first load")
    parser.add_argument("--workers", type=int, default=2, help="web processes under --load")
    parser.add_argument("--seconds", type=int, default=60, help="how long those recorders deliver")
    parser.add_argument("--calibration", action="store_true", help="error rates by simulation instead of times")
    parser.add_argument("--repeats", type=int, default=3000)
    arguments = parser.parse_args()
    if arguments.audit:
        audit_rates(arguments.audit)
    elif arguments.goals:
        goal_rates(arguments.goals)
    elif arguments.durability and arguments.cluster:
        sys.exit(0 if many(arguments.durability, Console(width=140, highlight=False)) else 1)
    elif arguments.durability:
        durability(arguments.durability)
    elif arguments.bring:
        bring()
    elif arguments.evidence:
        evidence_rates(arguments.evidence)
    elif arguments.trend:
        sys.exit(0 if trend_rates(arguments.trend) else 1)
    elif arguments.field:
        sys.exit(0 if field_rates(arguments.field) else 1)
    elif arguments.devices:
        with tempfile.TemporaryDirectory(prefix="vl-field-") as folder:
            sys.exit(0 if field_times(Path(folder), arguments.devices) else 1)
    elif arguments.scale:
        with tempfile.TemporaryDirectory(prefix="vl-scale-") as folder:
            sys.exit(0 if scale_times(Path(folder), arguments.scale) else 1)
    elif arguments.vary:
        sys.exit(0 if vary_rates(arguments.vary) else 1)
    elif arguments.work:
        sys.exit(0 if work_rates(arguments.work) else 1)
    elif arguments.emitters:
        emitter_times()
    elif arguments.fuzz:
        with tempfile.TemporaryDirectory(prefix="vl-fuzz-") as folder:
            print(f"no server error, nothing half stored: {fuzz(Path(folder), arguments.fuzz)}")
    elif arguments.book:
        with tempfile.TemporaryDirectory(prefix="vl-book-") as folder:
            book_times(Path(folder))
    elif arguments.screens:
        with tempfile.TemporaryDirectory(prefix="vl-screens-") as folder:
            screen_times(Path(folder))
    elif arguments.batch:
        one_batch(arguments.batch)
    elif arguments.load:
        load(arguments.load, seconds=arguments.seconds, workers=arguments.workers)
    elif arguments.calibration:
        sys.exit(0 if calibrate(arguments.repeats) else 1)
    else:
        imports()
        comparison()


if __name__ == "__main__":
    main()
