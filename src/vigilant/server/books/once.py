"""Nothing is done twice: what is sent again under the same ``Idempotency-Key`` gets the same answer again."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from datetime import timedelta
from typing import Any

from django.db import IntegrityError, transaction
from django.http import HttpRequest, HttpResponse, HttpResponseBase
from django.utils import timezone
from rest_framework.response import Response

from vigilant.formats import limits
from vigilant.server.problems import CONTENT_TYPE, problem_body
from vigilant.server.rendering import QuickJSONRenderer

from .models import Answered

HEADER = "Idempotency-Key"
#: So long an answer is kept to be given again.
KEPT = timedelta(days=1)
#: What was begun and never ended so long ago was cut off; whether it was done must be looked at.
LOST = timedelta(minutes=2)


def once(request: HttpRequest, act: Callable[[], HttpResponseBase]) -> HttpResponseBase:
    """The answer of ``act``, or the one it gave when the same was sent under the same key before.

    Kept is what succeeded: what was refused changed nothing, and is looked at anew.
    """
    key = request.headers.get(HEADER, "")
    user: Any = request.user
    too_large = int(request.META.get("CONTENT_LENGTH") or 0) > limits.BODY_BYTES  # the parser says so
    if request.method != "POST" or not key or not user.is_authenticated or too_large:
        return act()
    if len(key) > 64 or not key.isascii() or not key.isprintable():
        return _refused(400, "key-unreadable", f"{HEADER} is at most 64 printable ASCII characters.")
    digest = hashlib.sha256(request.get_full_path().encode() + b"\0" + request.body).hexdigest()
    try:
        with transaction.atomic():
            row = Answered.objects.create(user=user, key=key, digest=digest)
    except IntegrityError:
        return _again(user, key, digest) or act()
    try:
        answer = act()
    except BaseException:
        row.delete()
        raise
    if isinstance(answer, Response) and 200 <= answer.status_code < 300:
        row.status, row.body = answer.status_code, answer.render().content.decode()
        row.save(update_fields=["status", "body"])
    else:
        row.delete()
    return answer


def _again(user: Any, key: str, digest: str) -> HttpResponse | None:
    row = Answered.objects.filter(user=user, key=key).first()
    if row is None:  # it was refused meanwhile
        return None
    if row.digest != digest:
        return _refused(422, "key-used", f"Something else was sent under this {HEADER}.")
    if row.status is None:
        lost = timezone.now() - row.at > LOST
        said = (
            "It was sent before and cut off; look whether it was done before you send it as a new one."
            if lost
            else "It was sent before and is still being done."
        )
        return _refused(409, "still-unsure" if lost else "still-being-done", said)
    answer = HttpResponse(row.body, QuickJSONRenderer.media_type, row.status)
    answer["Idempotency-Replayed"] = "true"
    return answer


def _refused(status: int, code: str, detail: str) -> HttpResponse:
    return HttpResponse(QuickJSONRenderer().render(problem_body(status, code, detail)), CONTENT_TYPE, status)


def forget_old() -> None:
    """Answers that are no longer given again."""
    Answered.objects.filter(at__lt=timezone.now() - KEPT).delete()
