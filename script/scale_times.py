"""A book that grows: every page of it at 1,000, 10,000 and 100,000 runs (a tenth as many entries), and what a run costs to take in and to keep.

Runs are copies of some that were drawn and stored as a delivered one is, each with frames of its own; the database copies them, row by row.
"""

from __future__ import annotations

import os
import re
import statistics
import time
import uuid
from collections.abc import Iterator
from datetime import timedelta
from pathlib import Path
from typing import Any

import durable
import httpx
import numpy as np
from durable import Stand
from field_times import _cpu
from rich.console import Console
from rich.table import Table

from vigilant.bench import deliver

#: Of a run, with two lanes; runs of one scenario that are drawn, of which all others are copies.
FRAMES, DRAWN = 8_000, 100
#: Entries to a hundred runs.
ENTRIES = 10
#: What a page may take in ms; others ``PAGE_MS``.
BARS = {"standing/": 50, "entries/": 50, "entries/{number}/": 60, "/api/runs/": 40}
PAGE_MS = 300
#: They give a whole book, or a whole run, and grow with it.
WHOLE = ("taken-out", "/bundle/", "/frames/", "/seal/", "/kept/", "/content/", "/chain/")
#: Runs that are delivered to tell what one costs; what is slower than this is not asked again.
DELIVERED, ONCE_MS = 12, 5_000


def scale_times(folder: Path, most: int, repeats: int = 7) -> bool:
    """Print them; whether every page kept its time at the most runs."""
    stand = Stand(folder, workers=2)
    stand.start()
    try:
        os.environ.update(stand.environment, VIGILANT_REDIS="")
        import django

        django.setup()
        from django.contrib.auth import get_user_model
        from django.core.management import call_command

        from vigilant.server.books.models import Book

        call_command("load_demo", token_file=str(folder / "token"))
        book = Book.objects.get(slug="lanternfall")
        user = get_user_model().objects.create_superuser("scale", password="a lantern by the river")
        _taking_in(stand, "live, a batch each 6 KB of lines", durable.BATCH_BYTES)
        _taking_in(stand, "after the run", deliver.BATCH_BYTES)
        sizes = [n for n in (1_000, 10_000, 100_000, 1_000_000) if n < most] + [most]
        seen: list[dict[str, float]] = []
        with httpx.Client(base_url=stand.url, timeout=300) as client:
            given = {"username": "scale", "password": "a lantern by the river"}
            client.post("/api/session/sign-in/", json=given).raise_for_status()
            templates = _drawn(book)
            for size in sizes:
                began = time.monotonic()
                _grow(book, templates, size)
                _enter(book, user, size * ENTRIES // 100)
                _analyzed()
                filled = time.monotonic() - began
                before = _busy(stand)
                seen.append({path: _median(client, at, repeats) for path, at in _addresses(book)})
                print(f"{size:,} runs and {size * ENTRIES // 100:,} entries after {filled:.0f} s; pages asked in {_busy(stand) - before:.0f} s of processor time")  # fmt: skip
        _kept(book)
        return _said(sizes, seen)
    finally:
        stand.stop()


# -- filling


def _drawn(book: Any) -> list[uuid.UUID]:
    """Runs with frames of their own, stored as delivered ones are."""
    from vigilant.core import FrameSeries
    from vigilant.formats.run import ReadRun
    from vigilant.server.runs.figures import keep_read_run
    from vigilant.server.runs.models import Run

    rng = np.random.default_rng(1)
    lines = {
        (r.scenario_version_id, r.rig_id): r
        for r in Run.objects.filter(book=book, state="complete").exclude(build=None)
    }
    of, made = list(lines.values()), []
    for i in range(DRAWN):
        run = of[i % len(of)]
        run.marks = []
        x = np.round(rng.normal(6.9, 0.4, FRAMES).clip(3) + 8.0 * (rng.random(FRAMES) < 0.002), 4)
        run.pk = uuid.uuid4()
        Run.objects.bulk_create([run])
        series = FrameSeries(x, lanes={"river": np.round(x * 0.4, 4), "gpu": np.round(x * 0.7, 4)})
        keep_read_run(run, ReadRun(source="made", series=series), run.state)
        made.append(run.pk)
    return made


def _grow(book: Any, templates: list[uuid.UUID], size: int) -> None:
    """Copy the drawn runs, with all rows that are theirs, until the book has so many: each an hour older than the one before, and of a
    newer build than those that were copied before it."""
    from django.db import connection

    from vigilant.server.runs.models import FigureValue, FrameChunk, Run, RunColumn, RunFigures, TraceLevel
    from vigilant.server.scenarios.models import Build
    from vigilant.server.trend.build_runs import mark_all, read_some
    from vigilant.server.trend.ordering import add_newest

    held = Run.objects.filter(book=book).count()
    with connection.cursor() as cursor:
        cursor.execute("CREATE TEMPORARY TABLE IF NOT EXISTS copied (old CHAR(32), new CHAR(32), hours INT, KEY (old)) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin")  # fmt: skip
        while held < size:
            some = templates[: size - held]
            build = Build.objects.create(book=book, label=f"grown {held}")
            add_newest(book, build.label)
            cursor.execute("DELETE FROM copied")
            cursor.executemany(
                "INSERT INTO copied VALUES (%s, %s, %s)", [(t.hex, uuid.uuid4().hex, held + i) for i, t in enumerate(some)]
            )  # fmt: skip
            for model, key in (
                (Run, "id"),
                *((m, "run_id") for m in (RunColumn, FrameChunk, TraceLevel, RunFigures, FigureValue)),
            ):
                columns = [
                    f.column
                    for f in model._meta.concrete_fields
                    if f.column != key and not (f.primary_key and f.column == "id")
                ]
                taken = [
                    str(build.pk)
                    if c == "build_id"
                    else f"t.`{c}` - INTERVAL hours HOUR"
                    if c in ("started_at", "received_at")
                    else f"t.`{c}`"
                    for c in columns
                ]
                named = ", ".join(f"`{c}`" for c in columns)
                cursor.execute(
                    f"INSERT INTO {model._meta.db_table} (`{key}`, {named}) SELECT new, {', '.join(taken)}"
                    f" FROM copied JOIN {model._meta.db_table} t ON t.`{key}` = old"
                )
            held += len(some)
    mark_all(book)
    while read_some():  # as workers do, before somebody asks
        pass


def _enter(book: Any, user: Any, size: int) -> None:
    """Entries with comparisons of the demo's, each decided, until there are so many."""
    from django.db import transaction

    from vigilant.server.entries.balance import rebalance
    from vigilant.server.entries.models import Comparison, Decision, Entry
    from vigilant.server.evidence.models import Found

    looked = Found.objects.filter(leaf="remarks", comparison__book=book).first()
    originals = list(Comparison.objects.filter(book=book, blank=False, entry__number__lte=30).exclude(verdict="void"))
    first = Entry.objects.filter(book=book).order_by("-number").first().number + 1
    at = Entry.objects.filter(book=book).latest("recorded_at").recorded_at
    for start in range(first, size + 1, 200):
        numbers = range(start, min(start + 200, size + 1))
        comparisons = [_copy(originals[n % len(originals)]) for n in numbers]
        Comparison.objects.bulk_create(comparisons)
        if looked:  # into all of them, as into those of a book that grew
            looks = [_copy(looked) for _ in comparisons]
            for look, comparison in zip(looks, comparisons, strict=True):
                look.comparison_id = comparison.pk
            Found.objects.bulk_create(looks)
        entries = [
            Entry(book=book, number=n, title=f"Change {n}", comparison=c, recorded_at=at + timedelta(hours=n - first + 1))
            for n, c in zip(numbers, comparisons, strict=True)
        ]  # fmt: skip
        Entry.objects.bulk_create(entries)
        Decision.objects.bulk_create(
            Decision(entry=entry, choice="kept" if entry.number % 3 else "dropped", decided_by=user) for entry in entries
        )  # fmt: skip
    with transaction.atomic():
        rebalance(originals, whole=True)


def _copy(comparison: Any) -> Any:
    made = type(comparison)(**{f.attname: getattr(comparison, f.attname) for f in comparison._meta.concrete_fields})
    made.pk = None
    return made


def _analyzed() -> None:
    """As the database's own statistics are after a while."""
    from django.db import connection

    with connection.cursor() as cursor:
        for table in (
            "runs_run",
            "runs_figurevalue",
            "entries_entry",
            "entries_comparison",
            "entries_balance",
            "entries_decision",
        ):
            cursor.execute(f"ANALYZE TABLE {table}")
            cursor.fetchall()


# -- asking


def _addresses(book: Any) -> Iterator[tuple[str, str]]:
    """Every page of the API that is asked by what there is, and two far down a list."""
    from drf_spectacular.generators import SchemaGenerator

    from vigilant.server.entries.models import Entry
    from vigilant.server.runs.models import Recording, Run

    entry = Entry.objects.select_related("comparison__scenario_version").get(book=book, number=1)
    there = {
        "book": book.slug, "number": 1, "scenario": entry.comparison.scenario_version.scenario_id, "rig": entry.comparison.rig_id,
        "run_id": Run.objects.filter(book=book, state="complete").first().pk,
        "recording_id": Recording.objects.filter(book=book).first().pk,
    }  # fmt: skip
    for path, methods in SchemaGenerator().get_schema(public=True)["paths"].items():
        names = re.findall(r"{(\w+)}", path)
        if "get" in methods and all(name in there for name in names) and not any(part in path for part in WHOLE):
            yield path, path.format(**there)
    for path in (
        "/api/runs/?book={book}",
        "/api/runs/?book={book}&page=9",
        "/api/books/{book}/entries/?page=9",
        "/api/books/{book}/entries/?find=Change",
    ):
        yield path, path.format(**there)


def _median(client: httpx.Client, at: str, repeats: int) -> float:
    """In ms; not a number where it wants more than an address. What takes seconds is asked once."""
    began = time.perf_counter()
    if client.get(at).status_code != 200:
        return float("nan")
    taken = [1000.0 * (time.perf_counter() - began)]
    if taken[0] > ONCE_MS:
        return taken[0]
    for _ in range(repeats):
        began = time.perf_counter()
        client.get(at)
        taken.append(1000.0 * (time.perf_counter() - began))
    return statistics.median(taken)


def _bar(path: str) -> int:
    own = path.split("?")[0].removeprefix("/api/books/{book}/")
    return BARS.get(own, PAGE_MS)


def _said(sizes: list[int], seen: list[dict[str, float]]) -> bool:
    table = Table("address, median of a page in ms", *(f"{n:,} runs" for n in sizes), "growth", "allowed")
    good = True
    for path in sorted((path for path, last in seen[-1].items() if last == last), key=lambda path: -seen[-1][path]):
        times = [at[path] for at in seen]
        good = good and times[-1] <= _bar(path)
        over = " !" if times[-1] > _bar(path) else ""
        growth = f"{times[-1] / times[0]:.1f}" if times[0] == times[0] else ""
        table.add_row(path.removeprefix("/api"), *(f"{ms:.0f}" for ms in times), growth, f"{_bar(path)}{over}")
    Console(width=150, highlight=False).print(table)
    return good


# -- what a run costs


def _busy(stand: Stand) -> float:
    """Processor time of the server's parts so far, s."""
    return sum(_cpu(pid) for pid in (stand.web.pid, stand.database.pid, stand.worker.pid))


def _taking_in(stand: Stand, how: str, batch_bytes: int) -> None:
    """Runs that recorders deliver, closed by a worker: processor time of each part a run."""
    from vigilant.server.jobs.models import Job

    durable.BATCH_BYTES = batch_bytes

    parts = {"web": stand.web.pid, "database": stand.database.pid, "worker": stand.worker.pid}
    before, began, runs = {part: _cpu(pid) for part, pid in parts.items()}, time.monotonic(), 0
    while runs < DELIVERED:
        stand.deliver(batch_bytes + runs, frames=FRAMES)
        stand.finish()
        runs += stand.count * durable.RUNS
    stand.wait(lambda: not Job.objects.exclude(active=None).exists(), "workers end every job")
    spent = ", ".join(f"{part} {1000 * (_cpu(pid) - before[part]) / runs:.0f}" for part, pid in parts.items())
    print(
        f"{runs} runs of {FRAMES:,} frames delivered in {time.monotonic() - began:.0f} s; processor time a run, ms: {spent}"
    )


def _kept(book: Any) -> None:
    """Bytes and rows a run in the database, by table."""
    from django.db import connection

    from vigilant.server.runs.models import Run

    runs = Run.objects.filter(book=book).count()
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT table_name, table_rows, data_length, index_length FROM information_schema.tables"
            " WHERE table_schema = DATABASE() AND table_name LIKE 'runs\\_%' ORDER BY data_length + index_length DESC"
        )
        found = cursor.fetchall()
    table = Table("table", "rows a run", "KiB a run", "of it indexes")
    for name, rows, data, index in found:
        if rows > runs / 10:
            table.add_row(
                name, f"{rows / runs:.1f}", f"{(data + index) / runs / 1024:.1f}", f"{index / runs / 1024:.1f}"
            )
    Console(width=150, highlight=False).print(table)
    whole = sum(data + index for _, _, data, index in found)
    print(f"{whole / runs / 1024:.0f} KiB a run, {whole / 2**30:.1f} GiB in all")
