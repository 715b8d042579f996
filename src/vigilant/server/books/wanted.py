"""Where a server wants a second factor of who signs in with an account of its own, one who has none can do nothing but set it.

In production it is wanted of who runs the server, whose account opens every book and the admin; else of whom the settings say.
"""

from __future__ import annotations

import json
from typing import Any

from django.conf import settings
from django.contrib.auth import BACKEND_SESSION_KEY
from django.http import HttpRequest, HttpResponse
from django.utils.deprecation import MiddlewareMixin

from vigilant.server.problems import CONTENT_TYPE, problem_body

from . import second_factor
from .sign_on import SignOnBackend

#: What leads to data, and what of it is needed to set one.
GUARDED, OPEN = ("/api/", "/admin/"), ("/api/session/", "/api/sessions/", "/api/health/", "/api/ready/")
#: One's own page asks for everything that is kept of one: that is data.
KEPT = "/api/session/kept/"


def lacks(request: Any) -> bool:
    """Whether this session is of an account of ours that should have a second factor and has none."""
    if not request.user.is_authenticated:
        return False
    if not (settings.SECOND_FACTOR or (settings.PRODUCTION and request.user.is_staff)):
        return False
    elsewhere = f"{SignOnBackend.__module__}.{SignOnBackend.__qualname__}"
    return request.session.get(BACKEND_SESSION_KEY) != elsewhere and not second_factor.is_set(request.user)


class SecondFactorWanted(MiddlewareMixin):
    """Answers 403 to everything else."""

    def process_request(self, request: HttpRequest) -> HttpResponse | None:
        if not (settings.SECOND_FACTOR or settings.PRODUCTION) or not request.path.startswith(GUARDED):
            return None
        if request.path.startswith(OPEN) and request.path != KEPT:
            return None
        if not lacks(request):
            return None
        said = "This server wants a second factor of you. Set one on your own page first."
        return HttpResponse(json.dumps(problem_body(403, "second-factor-wanted", said)), CONTENT_TYPE, 403)
