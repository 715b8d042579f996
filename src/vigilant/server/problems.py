"""Errors as problem details (RFC 9457): one builder, stable codes."""

from __future__ import annotations

import json
import logging
from collections.abc import Iterator, Mapping
from typing import Any

from django.core.exceptions import PermissionDenied
from django.db import InterfaceError, OperationalError
from django.http import Http404, HttpRequest, HttpResponse
from rest_framework import exceptions, status
from rest_framework.response import Response
from rest_framework.views import exception_handler

log = logging.getLogger(__name__)
#: MariaDB's codes for a table or a disk without space.
DISK_FULL = (3, 1021, 1114)
#: So many fields of a request are named in its refusal.
MOST_SAID = 5
CONTENT_TYPE = "application/problem+json"


class Problem(exceptions.APIException):
    """An error with a code of its own; ``extra`` is added to the problem's members."""

    def __init__(self, status_code: int, code: str, detail: str, **extra: Any) -> None:
        self.status_code = status_code
        self.problem_code = code
        self.extra = extra
        super().__init__(detail, code)


def conflict(code: str, detail: str, **extra: Any) -> Problem:
    return Problem(status.HTTP_409_CONFLICT, code, detail, **extra)


def unprocessable(code: str, detail: str, **extra: Any) -> Problem:
    return Problem(422, code, detail, **extra)


def problem_body(status_code: int, code: str, detail: str, **extra: Any) -> dict[str, Any]:
    """The members of RFC 9457, and ours."""
    body = {"type": "about:blank", "title": code.replace("-", " "), "status": status_code, "code": code}
    return {**body, "detail": detail, **extra}


def problem(status_code: int, code: str, detail: str, **extra: Any) -> Response:
    return Response(problem_body(status_code, code, detail, **extra), status=status_code, content_type=CONTENT_TYPE)


def _sent(request: Any) -> Any:
    """What a request holds, to show the values that do not fit."""
    if request is None:
        return None
    if request.method == "GET":
        return request.query_params
    try:
        return request.data
    except exceptions.APIException:
        return None


def _said(errors: Any, sent: Any) -> str:
    """Every field that does not fit, with what came for it; the first few where there are many."""
    found = list(_fields(errors, sent, ""))
    more = f"; and {len(found) - MOST_SAID} more" if len(found) > MOST_SAID else ""
    return f"The request does not fit: {'; '.join(found[:MOST_SAID])}{more}."


def _fields(errors: Any, sent: Any, where: str) -> Iterator[str]:
    if isinstance(errors, dict):
        for key, below in errors.items():
            own = sent.get(key) if isinstance(sent, Mapping) else sent[key] if _at(sent, key) else None
            name = "" if key == "non_field_errors" else str(key)
            yield from _fields(below, own if name else sent, f"{where}.{name}".strip("."))
    elif isinstance(errors, list) and any(isinstance(e, (dict, list)) for e in errors):
        for i, below in enumerate(errors):
            if below:
                yield from _fields(below, sent[i] if _at(sent, i) else None, f"{where}[{i}]")
    else:
        for message in errors if isinstance(errors, list) else [errors]:
            met = "" if sent is None or isinstance(sent, (dict, list)) else f", got {_short(sent)}"
            text = str(message).rstrip(".")
            yield f"{where}: {text[:1].lower()}{text[1:]}{met}" if where else f"{text[:1].lower()}{text[1:]}"


def _at(sent: Any, place: Any) -> bool:
    return isinstance(sent, (list, tuple)) and isinstance(place, int) and place < len(sent)


def _short(value: Any) -> str:
    text = repr(value)
    return text if len(text) <= 60 else f"{text[:57]}\u2026"


def locked_out(request: HttpRequest, response: Any, credentials: Any) -> HttpResponse:
    """Signing in is shut for a name and an address after too many tries that failed."""
    body = problem_body(429, "sign-in-locked", "Too many tries that failed; wait a quarter of an hour.")
    return HttpResponse(json.dumps(body), CONTENT_TYPE, 429)


def server_error(request: HttpRequest) -> HttpResponse:
    """A fault of ours, as a problem; the log holds the rest."""
    body = problem_body(500, "fault", "A fault of the server; it is in its log. Nothing was stored by half.")
    return HttpResponse(json.dumps(body), CONTENT_TYPE, 500)


def handle(error: Exception, context: dict[str, Any]) -> Response | None:
    """The framework's exceptions in the same shape."""
    response = exception_handler(error, context)
    if response is None:
        if isinstance(error, (OperationalError, InterfaceError)):
            log.warning("the database refused: %s", error)
            if error.args and error.args[0] in DISK_FULL:
                said = (
                    "The database's disk is full; nothing of this was stored. It can be sent again when there is space."
                )
                away = problem(503, "database-full", said)
            else:
                said = "The database is away for a moment; nothing of this is acknowledged. It can be sent again."
                away = problem(503, "database-away", said)
            away["Retry-After"] = "5"
            return away
        return None
    if isinstance(error, Problem):
        made = problem(error.status_code, error.problem_code, str(error.detail), **error.extra)
    elif isinstance(error, exceptions.ValidationError):
        request = context.get("request")
        made = problem(400, "invalid", _said(error.detail, _sent(request)), errors=error.detail)
    else:
        code = {Http404: "not-found", PermissionDenied: "permission-denied"}.get(type(error))
        code = code or str(getattr(getattr(error, "detail", None), "code", "error")).replace("_", "-")
        made = problem(response.status_code, code, str(getattr(error, "detail", error)))
    for name, value in response.headers.items():
        if name.lower() not in ("content-type", "content-length"):
            made[name] = value
    return made
