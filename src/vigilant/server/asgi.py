"""ASGI entry point: event streams are answered by the event loop, everything else by a few lasting threads.

Under ASGI alone Django gives every request a thread, and with it a database connection, of its own;
a batch of frames then takes half as much processor time again.
"""

from __future__ import annotations

import json
import os
from collections.abc import Awaitable, Callable
from typing import Any

from a2wsgi import WSGIMiddleware
from django.core.asgi import get_asgi_application
from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "vigilant.server.settings")

streams = get_asgi_application()

from vigilant.formats import limits  # noqa: E402  (settings come first)
from vigilant.server.problems import CONTENT_TYPE, problem_body  # noqa: E402

Message = dict[str, Any]
Receive = Callable[[], Awaitable[Message]]
Send = Callable[[Message], Awaitable[None]]
Application = Callable[[Message, Receive, Send], Awaitable[None]]

THREADS = int(os.environ.get("VIGILANT_THREADS", "8"))
requests = WSGIMiddleware(get_wsgi_application(), workers=THREADS)


def _most(path: str) -> int:
    return limits.BATCH_BYTES if "/batches/" in path else limits.BODY_BYTES


async def _refuse(send: Send, met: str, most: int) -> None:
    detail = f"The body has {met} bytes; {most} are allowed. It was not read."
    body = json.dumps(problem_body(413, "body-too-large", detail)).encode()
    headers = [(b"content-type", CONTENT_TYPE.encode()), (b"content-length", str(len(body)).encode())]
    await send({"type": "http.response.start", "status": 413, "headers": [*headers, (b"connection", b"close")]})
    await send({"type": "http.response.body", "body": body})


def within_limits(inner: Application) -> Application:
    """Refuses a body by its stated length, before any of it is read, and one without a length where it grows too long."""

    async def limited(scope: Message, receive: Receive, send: Send) -> None:
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
        first = True

        async def replay() -> Message:
            nonlocal first
            if first:
                first = False
                return {"type": "http.request", "body": b"".join(body), "more_body": False}
            return await receive()

        await inner(scope, replay, send)

    return limited


bounded = within_limits(requests)


async def application(scope: Message, receive: Receive, send: Send) -> None:
    """An event stream's address ends with ``/events/``; only they wait for something."""
    path = scope.get("path", "")
    stream = path.startswith("/api/recordings/") and path.endswith("/events/")
    await (streams if stream else bounded)(scope, receive, send)
