"""Sessions in the database that know whose they are, and end a working day after signing in however much they are used; the settings name this
module as their engine."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Any

from django.conf import settings
from django.contrib.auth import SESSION_KEY
from django.contrib.sessions.backends.db import SessionStore as DatabaseSessions
from django.http import HttpRequest
from django.utils import timezone

from .models import PersonSession

_PLACE = "place"
LONGEST = timedelta(hours=settings.SESSION_LONGEST_H)


def note_place(request: HttpRequest, address: str) -> None:
    """Keeps with the session from where somebody signed in, and when."""
    browser = request.headers.get("User-Agent", "")[:200]
    request.session[_PLACE] = {"address": address, "browser": browser, "since": timezone.now().isoformat()}


class SessionStore(DatabaseSessions):
    @classmethod
    def get_model_class(cls) -> type[PersonSession]:
        return PersonSession

    def create_model_instance(self, data: dict[str, Any]) -> PersonSession:
        made = super().create_model_instance(data)
        made.user_id = data.get(SESSION_KEY)
        if place := data.get(_PLACE):
            made.address, made.browser = place["address"], place["browser"]
            made.since = datetime.fromisoformat(place["since"])
            made.expire_date = min(made.expire_date, made.since + LONGEST)
        return made
