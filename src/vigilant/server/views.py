"""Views of what is in one book: one way to find it and to check a role."""

from __future__ import annotations

from functools import cached_property
from typing import Any

from rest_framework import permissions
from rest_framework.request import Request
from rest_framework.views import APIView

from .auth import book_of, require_editor
from .books.models import Book


class Role(permissions.BasePermission):
    """Who may read a book may ask; who may write in it may change it."""

    def has_permission(self, request: Request, view: Any) -> bool:
        book = view.book  # 404 for a book one may not read
        if request.method not in (*permissions.SAFE_METHODS, *view.readers_may):
            require_editor(request, book)
        return True


class BookView(APIView):
    """A view of what is in one book, ``self.book``; the roles in it are checked before any method."""

    permission_classes = (permissions.IsAuthenticated, Role)
    #: Methods that change nothing in the book, though they are not safe.
    readers_may: tuple[str, ...] = ()

    @cached_property
    def book(self) -> Book:
        return book_of(self.request, self.kwargs["book"])
