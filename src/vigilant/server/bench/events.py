"""Live views by server-sent events: one hub per process, a small queue per client.

A stream holds neither a thread nor a connection: the hub asks the database for all watched
recordings at once, when a word comes through Redis that something is new, and every client has a queue of
its own that drops its oldest report.
"""

from __future__ import annotations

import asyncio
import json
import time
from collections.abc import AsyncIterator
from typing import Any
from uuid import UUID

from asgiref.sync import sync_to_async
from django.contrib.sessions.models import Session
from django.core.exceptions import ObjectDoesNotExist
from django.db import OperationalError, close_old_connections
from django.http import HttpRequest, HttpResponse, HttpResponseBase, StreamingHttpResponse
from django.utils import timezone

from vigilant.server.auth import books_of
from vigilant.server.problems import CONTENT_TYPE, problem_body
from vigilant.server.runs.models import Recording
from vigilant.server.wake import Listener

from .models import Live
from .services import jobs_of

QUEUE = 4
QUIET_S = 15.0

Report = tuple[int, str, dict[str, Any]]


class Hub:
    """Watches recordings while somebody looks."""

    def __init__(self) -> None:
        self.clients: dict[UUID, set[asyncio.Queue[Report]]] = {}
        self.task: asyncio.Task[None] | None = None

    def join(self, recording: UUID) -> asyncio.Queue[Report]:
        queue: asyncio.Queue[Report] = asyncio.Queue(QUEUE)
        self.clients.setdefault(recording, set()).add(queue)
        if self.task is None or self.task.done():
            self.task = asyncio.get_running_loop().create_task(self._poll())
        return queue

    def leave(self, recording: UUID, queue: asyncio.Queue[Report]) -> None:
        queues = self.clients.get(recording, set())
        queues.discard(queue)
        if not queues:
            self.clients.pop(recording, None)

    async def _poll(self) -> None:
        seen: dict[UUID, tuple[int, str]] = {}
        listener = Listener()
        try:
            while self.clients:
                try:
                    found = await sync_to_async(_newest)(list(self.clients))
                except OperationalError:
                    found = []  # the database is away for a moment; the next look may find it again
                for recording, report in found:
                    if seen.get(recording) != report[:2]:
                        seen[recording] = report[:2]
                        self._give(recording, report)
                await listener.wait()
        finally:
            await listener.close()

    def _give(self, recording: UUID, report: Report) -> None:
        for queue in self.clients.get(recording, ()):
            if queue.full():
                queue.get_nowait()
            queue.put_nowait(report)


def _newest(recordings: list[UUID]) -> list[tuple[UUID, Report]]:
    """Number, the recording's own state with that of the job behind it, and the newest report, in two queries."""
    close_old_connections()
    try:
        found = Live.objects.filter(recording__in=recordings).select_related("recording")
        behind = jobs_of(recordings)
        return [
            (
                live.recording_id,
                (
                    live.number,
                    f"{live.recording.state} {live.recording.wish} {behind.get(str(live.recording_id), '')}".strip(),
                    live.state,
                ),
            )
            for live in found
        ]
    finally:
        close_old_connections()


_hub = Hub()


def _may_read(request: HttpRequest, recording_id: UUID) -> bool | None:
    """None: nobody is signed in; False: no such recording for this person."""
    if not request.user.is_authenticated:
        return None
    return Recording.objects.filter(pk=recording_id, book__in=books_of(request)).exists()  # type: ignore[arg-type]


async def events(request: HttpRequest, recording_id: UUID) -> HttpResponseBase:
    """``text/event-stream`` of reports: ``id`` is the report's number, data its state as JSON."""
    allowed = await sync_to_async(_may_read)(request, recording_id)
    if not allowed:
        refusal = (
            (401, "not-authenticated", "Sign in first.") if allowed is None else (404, "not-found", "No recording.")
        )
        return HttpResponse(json.dumps(problem_body(*refusal)), CONTENT_TYPE, refusal[0])
    answer = StreamingHttpResponse(_stream(request, recording_id), content_type="text/event-stream")
    answer["Cache-Control"] = "no-cache"
    answer["Content-Encoding"] = "identity"
    answer["X-Accel-Buffering"] = "no"
    return answer


def _still_may(request: HttpRequest, recording_id: UUID) -> bool:
    """Is the session there yet, its person active, and the recording still theirs to read?"""
    close_old_connections()
    try:
        key = request.session.session_key
        # The session store's own look takes one that has ended for there until it is swept.
        if not Session.objects.filter(session_key=key, expire_date__gt=timezone.now()).exists():
            return False
        request.user.refresh_from_db()
        return bool(request.user.is_active and _may_read(request, recording_id))
    except ObjectDoesNotExist:
        return False
    except OperationalError:
        return True  # the database is away for a moment, the person is not
    finally:
        close_old_connections()


async def _stream(request: HttpRequest, recording_id: UUID) -> AsyncIterator[bytes]:
    """Ends when the session does: it is looked at every :data:`QUIET_S`."""
    looked = time.monotonic()
    queue = _hub.join(recording_id)
    try:
        yield b"retry: 2000\n\n"
        for known in await sync_to_async(_newest)([recording_id]):
            yield _event(known[1])
        while True:
            if time.monotonic() - looked >= QUIET_S:
                looked = time.monotonic()
                if not await sync_to_async(_still_may)(request, recording_id):
                    return
            try:
                yield _event(await asyncio.wait_for(queue.get(), QUIET_S))
            except TimeoutError:
                yield b": still here\n\n"
    finally:
        _hub.leave(recording_id, queue)


def _event(report: Report) -> bytes:
    number, state, body = report
    data = json.dumps({"number": number, "recording": state, **body}, separators=(",", ":"))
    return f"id: {number}\nevent: report\ndata: {data}\n\n".encode()
