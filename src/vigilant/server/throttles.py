"""How often a person or a token may ask for what costs."""

from __future__ import annotations

from rest_framework.request import Request
from rest_framework.throttling import ScopedRateThrottle
from rest_framework.views import APIView

from .auth import Recorder


class CostThrottle(ScopedRateThrottle):
    """By token or by person, never by address: those behind one address are many."""

    def get_cache_key(self, request: Request, view: APIView) -> str:
        user = request.user
        ident = f"token {user.token.pk}" if isinstance(user, Recorder) else f"person {user.pk}"
        return self.cache_format % {"scope": self.scope, "ident": ident.replace(" ", "-")}
