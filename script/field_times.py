"""The field under load: what a session costs to take and to count, and what pages take on a million of them."""

from __future__ import annotations

import json
import os
import socket
import threading
import time
from collections.abc import Iterator
from dataclasses import replace
from datetime import timedelta
from pathlib import Path
from typing import Any

import numpy as np
import psutil
from book_times import _ms
from durable import Stand

DRAWN, UPLOADS, SENDERS, WEEKS = 40_000, 6_000, 64, 4
PAGE_MS = 300


def field_times(folder: Path, sessions: int, repeats: int = 9) -> bool:
    """Print them; whether every page kept its time."""
    import httpx

    stand = Stand(folder, workers=2)
    stand.start()
    try:
        os.environ.update(stand.environment, VIGILANT_REDIS="")
        import django

        django.setup()
        from vigilant.server.books.models import Book, RecorderToken
        from vigilant.server.collector import spare_what_is_loaded
        from vigilant.server.field import demo

        book = Book.objects.get(slug="river")
        _, key = RecorderToken.issue(book, "devices", RecorderToken.Scope.FIELD)
        take_in(stand, book, key)
        fleet = Book.objects.create(slug="fleet", name="Fleet")
        _, token = RecorderToken.issue(fleet, "reader", RecorderToken.Scope.READ)
        weekly: list[Any] = []

        def applied(sums: Any, apply: Any = demo.apply) -> None:
            weekly.extend(sums.rows.items())
            apply(sums)

        spare_what_is_loaded()
        demo.apply = applied  # what it adds up is added again, for other weeks
        began = time.monotonic()
        demo.load(fleet, DRAWN)
        print(f"{DRAWN:,} sessions drawn, added up and stored in {time.monotonic() - began:.0f} s")
        kept = True
        with httpx.Client(base_url=stand.url, headers={"Authorization": f"Bearer {token}"}, timeout=120) as client:
            before = pages(client, fleet, repeats)
            began = time.monotonic()
            copies = max(1, sessions // DRAWN)
            copied(fleet, weekly, copies)
            print(
                f"{copies * DRAWN:,} sessions over {copies * WEEKS} weeks after {time.monotonic() - began:.0f} s more"
            )
            for what, now in pages(client, fleet, repeats).items():
                kept = kept and now <= PAGE_MS
                print(f"{what}: {now:.0f} ms ({PAGE_MS} allowed), {now / before[what]:.2f} times that on {DRAWN:,}")
        return kept
    finally:
        stand.stop()


def pages(client: Any, book: Any, repeats: int) -> dict[str, float]:
    """Median time of each page in ms."""
    at = f"/api/books/{book.slug}/field/"
    first = client.get(at).raise_for_status().json()
    against = first["builds"][-1]["name"]
    own = {
        "where minutes are lost": at,
        "beside another build": f"{at}?against={against}",
        "two weeks of it": f"{at}?since={first['weeks'][-2]}",
        "moves": f"{at}moves/",
        "borrow": f"{at}borrow/",
        "a class": f"{at}classes/{first['rows'][0]['id']}/",
    }
    return {what: _ms(client, path, repeats)[0] for what, path in own.items()}


def copied(book: Any, weekly: list[Any], copies: int) -> None:
    """The same sessions again in each four weeks before, and the sums of that."""
    from django.db import connection, transaction

    from vigilant.server.field.folding import Sums, apply
    from vigilant.server.field.models import Session

    for k in range(1, copies):
        earlier, sums = timedelta(weeks=WEEKS * k), Sums()
        for (table, _), one in weekly:
            of = {**one.of, "week": one.of["week"] - earlier}
            sums.rows[table, tuple(of.values())] = replace(one, of=of)
        with transaction.atomic():
            apply(sums)
    own = ("id", "session", "first_day")
    columns = ", ".join(f"`{f.column}`" for f in Session._meta.fields if f.column not in own)
    drawn = Session.objects.filter(book=book)
    first, last = (drawn.order_by(order).values_list("pk", flat=True)[0] for order in ("pk", "-pk"))
    with connection.cursor() as cursor:
        for k in range(1, copies):
            cursor.execute(
                f"INSERT INTO field_session (session, first_day, {columns}) SELECT UUID(), first_day - INTERVAL %s DAY, {columns} "
                "FROM field_session WHERE id BETWEEN %s AND %s",
                [7 * WEEKS * k, first, last],
            )


def take_in(stand: Stand, book: Any, key: str) -> None:
    """Uploads of four cells each over loopback, and what the web, the database and the worker have to do for them."""
    from server.field_sessions import cell, session

    from vigilant.server.field.models import Session

    rng = np.random.default_rng(1)
    cells = [cell(rng.lognormal(2.6, 0.2, 8000), place=place) for place in range(4)]
    places = [{"name": f"place {i}"} for i in range(4)]
    bodies = [
        json.dumps(session(cells, places=places, device={"model": f"Reed {i % 50}", "kind": "handheld"}))
        for i in range(UPLOADS)
    ]
    parts = {"web": stand.web.pid, "database": stand.database.pid, "worker": stand.worker.pid}
    before, began = {part: _cpu(pid) for part, pid in parts.items()}, time.monotonic()
    left = iter(bodies)
    threads = [threading.Thread(target=_send, args=(stand.port, key, left)) for _ in range(SENDERS)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    taken = time.monotonic() - began
    while Session.objects.filter(book=book, waits=True).exists():
        time.sleep(0.05)
    spent = {part: 1000.0 * (_cpu(pid) - before[part]) / UPLOADS for part, pid in parts.items()}
    print(
        f"{UPLOADS:,} uploads of {len(bodies[0]):,} bytes: {UPLOADS / taken:.0f} a second taken in by {stand.workers} web processes while they "
        f"were counted, all counted {time.monotonic() - began - taken:.1f} s later; processor time a session, ms: "
        + ", ".join(f"{part} {ms:.2f}" for part, ms in spent.items())
    )


_one_at_a_time = threading.Lock()


def _send(port: int, key: str, bodies: Iterator[str]) -> None:
    """As bytes on a line that stays: what is measured is the server, not who asks it."""
    head = f"POST /api/field/sessions/ HTTP/1.1\r\nHost: 127.0.0.1\r\nAuthorization: Bearer {key}\r\nContent-Type: application/json\r\n"
    with socket.create_connection(("127.0.0.1", port)) as line:
        while True:
            with _one_at_a_time:
                body = next(bodies, None)
            if body is None:
                return
            line.sendall(f"{head}Content-Length: {len(body)}\r\n\r\n{body}".encode())
            answer = line.recv(65_536)
            while b"}" not in answer:
                answer += line.recv(65_536)
            if not answer.startswith(b"HTTP/1.1 201"):
                raise AssertionError(f"an upload was answered {answer[:200]!r}")


def _cpu(pid: int) -> float:
    """Seconds of processor time of a process and those below it."""
    own = psutil.Process(pid)
    return sum(sum(one.cpu_times()[:2]) for one in (own, *own.children(recursive=True)))
