"""Errors as problem details (RFC 9457): one builder, stable codes."""

from __future__ import annotations

from typing import Any

from django.core.exceptions import PermissionDenied
from django.http import Http404
from rest_framework import exceptions, status
from rest_framework.response import Response
from rest_framework.views import exception_handler

from .runs.codec import DamagedChunk

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


def handle(error: Exception, context: dict[str, Any]) -> Response | None:
    """The framework's exceptions in the same shape."""
    if isinstance(error, DamagedChunk):
        return problem(500, "chunk-damaged", f"Stored frames do not fit their checksum: {error}. They are not served.")
    response = exception_handler(error, context)
    if response is None:
        return None
    if isinstance(error, Problem):
        made = problem(error.status_code, error.problem_code, str(error.detail), **error.extra)
    elif isinstance(error, exceptions.ValidationError):
        made = problem(400, "invalid", "The request does not fit its schema.", errors=error.detail)
    else:
        code = {Http404: "not-found", PermissionDenied: "permission-denied"}.get(type(error))
        code = code or getattr(error, "default_code", "error").replace("_", "-")
        made = problem(response.status_code, code, str(getattr(error, "detail", error)))
    for name, value in response.headers.items():
        if name.lower() not in ("content-type", "content-length"):
            made[name] = value
    return made
