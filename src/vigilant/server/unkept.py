"""What the server answers is of the person who asked: caches keep nothing of it unless the answer says otherwise."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from django.utils.deprecation import MiddlewareMixin


class UnkeptMiddleware(MiddlewareMixin):
    """Adds ``Cache-Control: no-store`` to answers that say nothing of it (OWASP ASVS 8.1.1, 8.2.1)."""

    def process_response(self, request: HttpRequest, response: Any) -> Any:
        response.headers.setdefault("Cache-Control", "no-store")
        return response
