"""How long files take from being sent to being runs, and how much memory that takes a worker."""

from __future__ import annotations

import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import numpy as np
import psutil
import pyarrow as pa
import pyarrow.csv as pacsv
import pyarrow.parquet as pq
from durable import Stand

from vigilant.bench.sending import FileDelivery

COLUMNS = ("frame_ms", "cpu_ms", "gpu_ms", "draws", "boats", "ripples")


def _table(rng: np.random.Generator, rows: int, digits: int | None = 3) -> pa.Table:
    frame_ms = rng.gamma(60.0, 0.27, rows)
    columns = [
        frame_ms,
        frame_ms * 0.4,
        frame_ms * 0.6,
        rng.integers(500, 900, rows),
        rng.integers(0, 90, rows),
        rng.random(rows),
    ]
    return pa.table(dict(zip(COLUMNS, [c if digits is None else np.round(c, digits) for c in columns], strict=True)))


def _parquet(path: Path, rng: np.random.Generator, rows: int) -> None:
    piece = 100_000
    first = _table(rng, piece, None)
    with pq.ParquetWriter(path, first.schema, compression="zstd", use_dictionary=False) as out:
        for _ in range(rows // piece):
            out.write_table(_table(rng, piece, None), row_group_size=piece)


@contextmanager
def _most_memory(process: psutil.Process) -> Iterator[dict[str, float]]:
    """The most MB that a process holds over what it held before."""
    idle, most, over = process.memory_info().rss, {"mb": 0.0}, threading.Event()

    def watch() -> None:
        while not over.wait(0.02):
            most["mb"] = max(most["mb"], (process.memory_info().rss - idle) / 1e6)

    thread = threading.Thread(target=watch, daemon=True)
    thread.start()
    try:
        yield most
    finally:
        over.set()
        thread.join()


def bring(quick: bool = False) -> None:
    """Prints a line a bar."""
    rng = np.random.default_rng(3)
    rows, many = (100_000, 1_000_000) if quick else (1_000_000, 10_000_000)
    with tempfile.TemporaryDirectory(prefix="vl-bring-") as name:
        folder = Path(name)
        stand = Stand(folder / "stand", recorders=0)
        stand.start()
        try:
            delivery = FileDelivery(stand.url, stand.token)
            book = delivery.book()
            pacsv.write_csv(_table(rng, 1000), folder / "warm.csv")
            _brought(delivery, book, folder / "warm.csv")
            for path, made, bar in (
                (folder / "one.csv", lambda p: pacsv.write_csv(_table(rng, rows), p), "3 s, 400 MB"),
                (folder / "ten.parquet", lambda p: _parquet(p, rng, many), "15 s, 600 MB"),
            ):
                made(path)
                with _most_memory(psutil.Process(stand.worker.pid)) as most:
                    sent, kept = _brought(delivery, book, path)
                size = path.stat().st_size / 1e6
                print(
                    f"{path.name}, {size:.0f} MB: sent and seen {sent:.1f} s, made a run {kept:.1f} s; a worker grew by {most['mb']:.0f} MB (bar {bar})"
                )
        finally:
            stand.stop()
        arms: dict[str, list[str]] = {"before": [], "after": []}
        for i in range(10):
            path = folder / f"{i}.csv"
            pacsv.write_csv(_table(rng, rows), path)
            arms[("before", "after")[i % 2]].append(str(path))
        command: list[Any] = [
            sys.executable,
            "-m",
            "vigilant.cli.main",
            "compare",
            "--before",
            *arms["before"],
            "--after",
            *arms["after"],
        ]
        began = time.perf_counter()
        code = subprocess.run(command, capture_output=True, check=False).returncode
        print(
            f"vigilant compare of 2 x 5 files of {rows:,} x 6: {time.perf_counter() - began:.1f} s, exit {code} (bar 15 s)"
        )


def _brought(delivery: FileDelivery, book: str, path: Path) -> tuple[float, float]:
    """Seconds until the file was sent and looked at, and from then on until it was a run."""
    began = time.perf_counter()
    file = delivery.file(book, path, "", {}, lambda share: None)
    seen = time.perf_counter()
    delivery.bring(book, {"files": [{"file": file["id"]}], "scenario": path.name, "rig": "workbench"})
    return seen - began, time.perf_counter() - seen
