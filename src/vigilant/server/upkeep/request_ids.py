"""An id for every request, by which it can be followed from the recorder through web and worker."""

from __future__ import annotations

import re

import structlog
from django.http import HttpRequest, HttpResponse
from django_structlog.middlewares import RequestMiddleware

from .logs import without_secrets

REQUEST_ID = "X-Request-ID"
#: An id that is taken over from who asks; anything else is replaced.
ID = re.compile(r"^[0-9A-Za-z_-]{8,64}$")


class RequestIds(RequestMiddleware):
    """Every request has an id: the one it came with, or a new one. The answer says it too."""

    def prepare(self, request: HttpRequest) -> None:
        if not ID.match(request.headers.get(REQUEST_ID, "")):
            request.META.pop("HTTP_X_REQUEST_ID", None)
            request.__dict__.pop("headers", None)
        super().prepare(request)

    def handle_response(self, request: HttpRequest, response: HttpResponse) -> None:
        response[REQUEST_ID] = structlog.contextvars.get_contextvars().get("request_id", "")
        super().handle_response(request, response)

    @staticmethod
    def format_request(request: HttpRequest) -> str:
        return f"{request.method} {without_secrets(request.path)}"
