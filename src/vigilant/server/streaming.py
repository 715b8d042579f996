"""Server-sent events of what changes: a hub per kind and process, a small queue per client.

A stream holds neither a thread nor a connection: the hub asks the database for everything that is watched
at once, when a word comes through Redis that something is new, and every client has a queue of its own that
drops its oldest event.
"""

from __future__ import annotations

import asyncio
import json
import time
from collections.abc import AsyncIterator, Callable
from typing import Any
from uuid import UUID

import orjson
from asgiref.sync import sync_to_async
from django.core.exceptions import ObjectDoesNotExist
from django.db import OperationalError, close_old_connections
from django.http import HttpRequest, HttpResponse, HttpResponseBase, StreamingHttpResponse
from django.utils import timezone

from vigilant.server.books.models import PersonSession
from vigilant.server.problems import CONTENT_TYPE, problem_body
from vigilant.server.wake import Listener

QUEUE = 4
QUIET_S = 15.0

#: What tells a report from the one before it, and the report as an event.
Report = tuple[str, bytes]
Newest = Callable[[list[UUID]], list[tuple[UUID, Report]]]
MayRead = Callable[[HttpRequest, UUID], bool]


def event(kind: str, data: Any, number: int | None = None) -> bytes:
    """One event: ``data`` as JSON, ``number`` as its id."""
    head = "" if number is None else f"id: {number}\n"
    return f"{head}event: {kind}\ndata: {orjson.dumps(data).decode()}\n\n".encode()


class Hub:
    """Watches what somebody looks at; ``newest`` reads all that is watched at once."""

    def __init__(self, newest: Newest) -> None:
        self.newest = newest
        self.clients: dict[UUID, set[asyncio.Queue[bytes]]] = {}
        self.task: asyncio.Task[None] | None = None

    def join(self, key: UUID) -> asyncio.Queue[bytes]:
        queue: asyncio.Queue[bytes] = asyncio.Queue(QUEUE)
        self.clients.setdefault(key, set()).add(queue)
        if self.task is None or self.task.done():
            self.task = asyncio.get_running_loop().create_task(self._poll())
        return queue

    def leave(self, key: UUID, queue: asyncio.Queue[bytes]) -> None:
        queues = self.clients.get(key, set())
        queues.discard(queue)
        if not queues:
            self.clients.pop(key, None)

    async def _poll(self) -> None:
        given: dict[UUID, str] = {}
        listener = Listener()
        try:
            while self.clients:
                try:
                    found = await sync_to_async(self.look)(list(self.clients))
                except OperationalError:
                    found = []  # the database is away for a moment; the next look may find it again
                for key, report in found:
                    if given.get(key) != report[0]:
                        given[key] = report[0]
                        self._give(key, report[1])
                await listener.wait()
        finally:
            await listener.close()

    def _give(self, key: UUID, event: bytes) -> None:
        for queue in self.clients.get(key, ()):
            if queue.full():
                queue.get_nowait()
            queue.put_nowait(event)

    def look(self, keys: list[UUID]) -> list[tuple[UUID, Report]]:
        close_old_connections()
        try:
            return self.newest(keys)
        finally:
            close_old_connections()


def _allowed(request: HttpRequest, key: UUID, may_read: MayRead) -> bool | None:
    """None: nobody is signed in; False: nothing of this key for this person."""
    return may_read(request, key) if request.user.is_authenticated else None


async def answer(request: HttpRequest, hub: Hub, key: UUID, may_read: MayRead, what: str) -> HttpResponseBase:
    """``text/event-stream`` of what the hub finds under ``key``."""
    allowed = await sync_to_async(_allowed)(request, key, may_read)
    if not allowed:
        refusal = (401, "not-authenticated", "Sign in first.") if allowed is None else (404, "not-found", f"No {what}.")
        return HttpResponse(json.dumps(problem_body(*refusal)), CONTENT_TYPE, refusal[0])
    made = StreamingHttpResponse(_stream(request, hub, key, may_read), content_type="text/event-stream")
    made["Cache-Control"] = "no-cache"
    made["Content-Encoding"] = "identity"
    made["X-Accel-Buffering"] = "no"
    return made


def _still_may(request: HttpRequest, key: UUID, may_read: MayRead) -> bool:
    """Is the session there yet, its person active, and this still theirs to read?"""
    close_old_connections()
    try:
        session = request.session.session_key
        # The session store's own look takes one that has ended for there until it is swept.
        if not PersonSession.objects.filter(session_key=session, expire_date__gt=timezone.now()).exists():
            return False
        request.user.refresh_from_db()
        return bool(request.user.is_active and _allowed(request, key, may_read))
    except ObjectDoesNotExist:
        return False
    except OperationalError:
        return True  # the database is away for a moment, the person is not
    finally:
        close_old_connections()


async def _stream(request: HttpRequest, hub: Hub, key: UUID, may_read: MayRead) -> AsyncIterator[bytes]:
    """Ends when the session does: it is looked at every :data:`QUIET_S`."""
    looked = time.monotonic()
    queue = hub.join(key)
    try:
        yield b"retry: 2000\n\n"
        for _, report in await sync_to_async(hub.look)([key]):
            yield report[1]
        while True:
            if time.monotonic() - looked >= QUIET_S:
                looked = time.monotonic()
                if not await sync_to_async(_still_may)(request, key, may_read):
                    return
            try:
                yield await asyncio.wait_for(queue.get(), QUIET_S)
            except TimeoutError:
                yield b": still here\n\n"
    finally:
        hub.leave(key, queue)
