"""Sessions with an idle limit: each one ends when nothing was asked in it for SESSION_COOKIE_AGE."""

from __future__ import annotations

import time
from typing import Any

from django.conf import settings
from django.http import HttpRequest
from django.utils.deprecation import MiddlewareMixin

SEEN = "seen"


class IdleSessionMiddleware(MiddlewareMixin):
    """Notes that a session is in use, no oftener than SESSION_NOTED_S, which moves its end on."""

    def process_response(self, request: HttpRequest, response: Any) -> Any:
        session = getattr(request, "session", None)
        if session is not None and session.accessed and not session.is_empty() and "_auth_user_id" in session:
            now = time.time()
            if now - session.get(SEEN, 0.0) > settings.SESSION_NOTED_S:
                session[SEEN] = now
        return response
