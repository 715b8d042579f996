"""ASGI entry point: event streams are answered by the event loop, everything else by a few lasting threads.

Under ASGI alone Django gives every request a thread, and with it a database connection, of its own;
a batch of frames then takes half as much processor time again. Since a body is whole before a thread
is taken, the thread and the loop meet twice a request, not once a chunk each way.
"""

from __future__ import annotations

import asyncio
import io
import json
import os
from collections.abc import Awaitable, Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from typing import Any

from a2wsgi.wsgi import build_environ
from django.conf import settings
from django.core.asgi import get_asgi_application
from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "vigilant.server.settings")

streams = get_asgi_application()

import vigilant.server.urls  # noqa: E402, F401  (settings come first; every view is loaded now)
from vigilant.formats import limits  # noqa: E402
from vigilant.server.collector import spare_what_is_loaded  # noqa: E402
from vigilant.server.problems import CONTENT_TYPE, problem_body  # noqa: E402

Message = dict[str, Any]
Receive = Callable[[], Awaitable[Message]]
Send = Callable[[Message], Awaitable[None]]
Application = Callable[[Message, Receive, Send], Awaitable[None]]

_threads = ThreadPoolExecutor(settings.THREADS, "request")
# Uploads of devices wait for each other, to be written together; people do not wait for them.
_devices = ThreadPoolExecutor(3 * settings.THREADS, "device")
_django = get_wsgi_application()
spare_what_is_loaded()


def _begin(scope: Message, body: bytes) -> tuple[Message, bytes, Iterator[bytes] | None, Callable[[], None]]:
    """In a thread: the answer's start and first chunk; what follows if it has more, and its close."""
    start: Message = {"type": "http.response.start"}

    def start_response(status: str, headers: list[tuple[str, str]], exc_info: Any = None) -> None:
        start["status"] = int(status.split(" ", 1)[0])
        start["headers"] = [(k.lower().encode("latin-1"), v.encode("latin-1")) for k, v in headers]

    answer: Any = _django(build_environ(scope, io.BytesIO(body)), start_response)  # type: ignore[arg-type]
    chunks = iter(answer)
    first = next(chunks, b"")
    if not getattr(answer, "streaming", False):
        first += b"".join(chunks)
        answer.close()
        return start, first, None, answer.close
    return start, first, chunks, answer.close


async def _answer(scope: Message, body: bytes, send: Send) -> None:
    loop = asyncio.get_running_loop()
    threads = _devices if _of_a_device(scope["path"]) else _threads
    start, chunk, more, close = await loop.run_in_executor(threads, _begin, scope, body)
    await send(start)
    if more is not None:
        try:
            while chunk:
                await send({"type": "http.response.body", "body": chunk, "more_body": True})
                chunk = await loop.run_in_executor(_threads, next, more, b"")
        finally:
            await loop.run_in_executor(_threads, close)
    await send({"type": "http.response.body", "body": chunk})


def _of_a_device(path: str) -> bool:
    return path.startswith("/api/field/sessions/")


def _most(path: str) -> int:
    if _of_a_device(path):
        return limits.FIELD_BYTES
    return limits.BATCH_BYTES if "/batches/" in path else limits.BODY_BYTES


async def _refuse(send: Send, met: str, most: int) -> None:
    detail = f"The body has {met} bytes; {most} are allowed. It was not read."
    body = json.dumps(problem_body(413, "body-too-large", detail)).encode()
    headers = [(b"content-type", CONTENT_TYPE.encode()), (b"content-length", str(len(body)).encode())]
    await send({"type": "http.response.start", "status": 413, "headers": [*headers, (b"connection", b"close")]})
    await send({"type": "http.response.body", "body": body})


async def requests(scope: Message, receive: Receive, send: Send) -> None:
    """Refuses a body by its stated length, before any of it is read, and one without a length where it grows too long."""
    most = _most(scope.get("path", ""))
    stated = dict(scope.get("headers", [])).get(b"content-length", b"")
    if stated.isdigit() and (len(stated) > 15 or int(stated) > most):
        await _refuse(send, stated[:40].decode(), most)
        return
    taken = 0
    body: list[bytes] = []
    # Whole before a thread is taken: a client that sends slowly holds a few bytes and no thread.
    while True:
        message = await receive()
        if message["type"] == "http.disconnect":
            return
        piece = message.get("body", b"")
        taken += len(piece)
        if taken > most:
            await _refuse(send, f"over {taken}", most)
            return
        body.append(piece)
        if not message.get("more_body", False):
            break
    await _answer(scope, b"".join(body), send)


async def application(scope: Message, receive: Receive, send: Send) -> None:
    """An event stream's address ends with ``/events/``; only they wait for something."""
    path = scope.get("path", "")
    stream = path.startswith("/api/") and path.endswith("/events/")
    await (streams if stream else requests)(scope, receive, send)
