"""Server time of a book of 1,000 entries and 2,000 runs, and of windows of a run of 10 million frames."""

from __future__ import annotations

import os
import statistics
import time
import uuid
from datetime import timedelta
from pathlib import Path
from typing import Any

import numpy as np
from durable import Stand

ENTRIES, RUNS, FRAMES = 1_000, 2_000, 10_000_000


def fill(book: Any, user: Any, entries: int = ENTRIES, runs: int = RUNS) -> None:
    """Copies of the demo's comparisons as entries, each decided, and of one of its runs."""
    from django.db import transaction

    from vigilant.server.entries.balance import rebalance
    from vigilant.server.entries.models import Comparison, Decision, Entry
    from vigilant.server.runs.models import FigureValue, Run, RunFigures

    originals = list(Comparison.objects.filter(book=book, blank=False).exclude(verdict="void"))
    first = Entry.objects.filter(book=book).order_by("-number").first().number + 1
    at = Entry.objects.filter(book=book).latest("recorded_at").recorded_at
    for i in range(entries - first + 1):
        copy = originals[i % len(originals)]
        copy.pk = None
        copy.save()
        entry = Entry.objects.create(
            book=book, number=first + i, title=f"Change {i}", comparison=copy, recorded_at=at + timedelta(hours=i + 1)
        )
        choice = "kept" if i % 3 else "dropped"
        Decision.objects.create(entry=entry, choice=choice, decided_by=user)
    with transaction.atomic():
        rebalance(originals, whole=True)
    run = Run.objects.filter(book=book, state="complete").select_related("figures").first()
    figures, values = run.figures, list(FigureValue.objects.filter(run=run, leg=""))
    for _ in range(runs - Run.objects.filter(book=book).count()):
        run.pk = uuid.uuid4()
        Run.objects.bulk_create([run])
        RunFigures.objects.bulk_create([RunFigures(run=run, values=figures.values, core_version=figures.core_version)])
        FigureValue.objects.bulk_create(
            FigureValue(run=run, leg="", figure=v.figure, value=v.value, core_version=v.core_version) for v in values
        )


def long_run(book: Any) -> uuid.UUID:
    """A run of 10 million frames with two lanes, stored as a delivered one is."""
    from vigilant.core import FrameSeries
    from vigilant.formats.run import ReadRun
    from vigilant.server.runs.figures import keep_read_run
    from vigilant.server.runs.models import Run

    rng = np.random.default_rng(1)
    x = np.round(rng.normal(6.9, 0.4, FRAMES).clip(3), 4)
    x[::50_000] += 80.0
    run = Run.objects.filter(book=book, state="complete").first()
    run.pk = uuid.uuid4()
    run.marks = []
    Run.objects.bulk_create([run])
    series = FrameSeries(x, lanes={"river": np.round(x * 0.4, 4), "gpu": np.round(x * 0.7, 4)})
    keep_read_run(run, ReadRun(source="made", series=series), run.state)
    return run.pk


def _ms(client: Any, path: str, repeats: int) -> tuple[float, float, int]:
    """Median and 95th percentile of a call's time in ms on loopback, and the answer's bytes."""
    size = len(client.get(path).raise_for_status().content)
    taken = []
    for _ in range(repeats):
        began = time.perf_counter()
        client.get(path).raise_for_status()
        taken.append(1000.0 * (time.perf_counter() - began))
    return statistics.median(taken), float(np.quantile(taken, 0.95)), size


def book_times(folder: Path, repeats: int = 15) -> None:
    """Print them."""
    import httpx

    stand = Stand(folder)
    stand.start()
    try:
        os.environ.update(stand.environment, VIGILANT_REDIS="")  # what is filled in is done at once
        import django

        django.setup()
        from django.contrib.auth import get_user_model
        from django.core.management import call_command

        from vigilant.server.books.models import Book

        call_command("load_demo", token_file=str(folder / "token"))
        book = Book.objects.get(slug="lanternfall")
        user = get_user_model().objects.filter(is_superuser=True).first()
        fill(book, user)
        run = long_run(book)
        headers = {"Authorization": f"Bearer {(folder / 'token').read_text().strip()}"}
        with httpx.Client(base_url=stand.url, headers=headers, timeout=60) as client:
            at = f"/api/books/{book.slug}"
            for what, path, allowed in (
                ("standing", f"{at}/standing/", 50),
                ("page of 100 lines", f"{at}/entries/", 50),
                ("an entry", f"{at}/entries/1/", 60),
                ("page of 100 runs", f"/api/runs/?book={book.slug}", 40),
                *(
                    (f"trace of {stop - start:,} frames", f"/api/runs/{run}/trace/?start={start}&stop={stop}", 50)
                    for start, stop in (
                        (0, FRAMES), (0, FRAMES // 2), (3_000_000, 4_000_000), (5_000_000, 5_050_000), (8_000_000, 8_004_000),
                    )
                ),
            ):  # fmt: skip
                median, high, size = _ms(client, path, repeats)
                print(f"{what}: {median:.0f} ms (95th percentile {high:.0f}; {allowed} allowed), {size:,} bytes")
    finally:
        stand.stop()
