"""Views of what is in one book: one way to find it and to check a role."""

from __future__ import annotations

from functools import cached_property
from typing import Any

from django.http import HttpRequest, HttpResponseBase
from rest_framework import permissions
from rest_framework.request import Request
from rest_framework.views import APIView

from .auth import Recorder, book_of, recorder_token, require_role
from .books.models import Book, Member
from .books.once import once


class OnceView(APIView):
    """What is sent twice under one key is done once. A view whose answer holds a secret keeps none (``secret``)."""

    secret = False

    def dispatch(self, request: HttpRequest, *args: Any, **kwargs: Any) -> HttpResponseBase:
        act = super().dispatch
        return act(request, *args, **kwargs) if self.secret else once(request, lambda: act(request, *args, **kwargs))


class Role(permissions.BasePermission):
    """Who may read a book may ask; who may write in it may change it."""

    def has_permission(self, request: Request, view: Any) -> bool:
        book = view.book  # 404 for a book one may not read
        if request.method in view.recorders_may and isinstance(request.user, Recorder):
            recorder_token(request)  # which must be one to deliver with
        elif request.method not in (*permissions.SAFE_METHODS, *view.readers_may):
            require_role(request, book, view.writers)
        elif view.readers != Member.Role.READER:
            require_role(request, book, view.readers)
        return True


class BookView(OnceView):
    """A view of what is in one book, ``self.book``; the roles in it are checked before any method."""

    permission_classes = (permissions.IsAuthenticated, Role)
    #: Methods that change nothing in the book, though they are not safe.
    readers_may: tuple[str, ...] = ()
    #: Methods that a recorder's token may too, which else only reads.
    recorders_may: tuple[str, ...] = ()
    #: The least role that may read here, and the least that may change something.
    readers, writers = Member.Role.READER, Member.Role.EDITOR

    @cached_property
    def book(self) -> Book:
        return book_of(self.request, self.kwargs["book"])
