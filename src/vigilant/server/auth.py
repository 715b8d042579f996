"""Who asks: a signed-in person, or a recorder with its token. What they may do follows from the book."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.models import AnonymousUser
from django.core.cache import cache
from django.db.models import QuerySet
from django.http import Http404
from django.shortcuts import get_object_or_404
from django.utils import timezone
from drf_spectacular.extensions import OpenApiAuthenticationExtension
from rest_framework import authentication, exceptions
from rest_framework.request import Request

from .books.models import Book, Member, RecorderToken


class Recorder(AnonymousUser):
    """A recorder: signed in by its token, to one book."""

    is_authenticated = True

    def __init__(self, token: RecorderToken) -> None:
        self.token = token


def bearer_digest(request: Request) -> str | None:
    """The digest of the request's token, by which tokens are known; None where it carries none."""
    header = authentication.get_authorization_header(request).decode("latin-1").split()
    if not header or header[0].lower() != "bearer":
        return None
    if len(header) != 2:
        raise exceptions.AuthenticationFailed("The Authorization header must hold one token.")
    return RecorderToken.digest(header[1])


class RecorderTokenAuthentication(authentication.BaseAuthentication):
    """``Authorization: Bearer <token>``; the token is looked up by its hash."""

    keyword = "Bearer"

    def authenticate(self, request: Request) -> tuple[Recorder, RecorderToken] | None:
        digest = bearer_digest(request)
        if digest is None:
            return None
        token = self.known(digest)
        if token is None:
            raise exceptions.AuthenticationFailed("This token is not known.", code="token-unknown")
        if token.revoked_at is not None:
            raise exceptions.AuthenticationFailed("This token was revoked.", code="token-revoked")
        self.check_scope(token)
        now = timezone.now()
        if token.expires_at is not None and token.expires_at <= now:
            raise exceptions.AuthenticationFailed(
                f"This token expired on {token.expires_at:%Y-%m-%d}; ask for a new one.", code="token-expired"
            )
        if token.last_used is None or (now - token.last_used).total_seconds() > 60:
            RecorderToken.objects.filter(pk=token.pk).update(last_used=now)
            token.last_used = now
            self.remember(token)
        return Recorder(token), token

    def known(self, digest: str) -> RecorderToken | None:
        return RecorderToken.objects.filter(hash=digest).first()

    def remember(self, token: RecorderToken) -> None:
        """Where it is looked up each time there is nothing to remember."""

    def check_scope(self, token: RecorderToken) -> None:
        """A key of a program that is sent out is known to everybody: it is refused everywhere but where sessions come in."""
        if token.scope in RecorderToken.GIVEN_AWAY:
            raise exceptions.AuthenticationFailed("This key lets in sessions from the field alone.", code="token-scope")

    def authenticate_header(self, request: Request) -> str:
        return self.keyword


class FieldKeyAuthentication(RecorderTokenAuthentication):
    """``Authorization: Bearer <key>`` with a key that lets in sessions from the field, and no other token. All devices have the same one:
    it is looked up once in :attr:`REMEMBERED_S` by each process."""

    REMEMBERED_S = 2

    def known(self, digest: str) -> RecorderToken | None:
        held: RecorderToken | None = cache.get(RecorderToken.remembered_as(digest))
        if held is None and (held := super().known(digest)):
            self.remember(held)
        return held

    def remember(self, token: RecorderToken) -> None:
        cache.set(RecorderToken.remembered_as(token.hash), token, self.REMEMBERED_S)

    def check_scope(self, token: RecorderToken) -> None:
        if token.scope not in RecorderToken.GIVEN_AWAY:
            raise exceptions.AuthenticationFailed("Sessions are sent with a key of the field.", code="token-scope")


class RecorderTokenScheme(OpenApiAuthenticationExtension):
    """How the token stands in the OpenAPI schema."""

    target_class = RecorderTokenAuthentication
    name = "recorderToken"

    def get_security_definition(self, auto_schema: Any) -> dict[str, str]:
        return {"type": "http", "scheme": "bearer"}


class FieldKeyScheme(OpenApiAuthenticationExtension):
    """How the key stands in the OpenAPI schema."""

    target_class = FieldKeyAuthentication
    name = "fieldKey"

    def get_security_definition(self, auto_schema: Any) -> dict[str, str]:
        return {"type": "http", "scheme": "bearer"}


def books_of(request: Request) -> QuerySet[Book]:
    """The books that the request may read."""
    user: Any = request.user
    if isinstance(user, Recorder):
        return Book.objects.filter(pk=user.token.book_id)
    if user.is_superuser:
        return Book.objects.all()
    return Book.objects.filter(members__user=user)


def book_of(request: Request, slug: str) -> Book:
    """A book that the request may read, else 404."""
    return get_object_or_404(books_of(request), slug=slug)


def recorder_book(request: Request) -> Book:
    """The book of the recorder's token; only recorders write runs."""
    return recorder_token(request).book


def recorder_token(request: Request) -> RecorderToken:
    """The recorder's token, which must be one to deliver with."""
    if not request.user.is_authenticated:
        raise exceptions.NotAuthenticated
    if not isinstance(request.user, Recorder):
        raise exceptions.PermissionDenied("Runs are delivered with a recorder token.")
    if request.user.token.scope != RecorderToken.Scope.DELIVER:
        raise exceptions.PermissionDenied("This token may read; a token with the scope deliver can do this.")
    return request.user.token


def role_in(request: Request, book: Book) -> Member.Role:
    """The role of the person who asks; a superuser owns every book."""
    user: Any = request.user
    if user.is_superuser:
        return Member.Role.OWNER
    member = Member.objects.filter(book=book, user=user).first()
    if member is None:
        raise Http404
    return Member.Role(member.role)


def require_person(request: Request) -> None:
    """What a recorder's token cannot do, whoever issued it."""
    if isinstance(request.user, Recorder):
        raise exceptions.PermissionDenied("A recorder token cannot do this; sign in.")


_A = {Member.Role.READER: "a reader", Member.Role.EDITOR: "an editor", Member.Role.OWNER: "an owner"}


def require_role(request: Request, book: Book, least: Member.Role = Member.Role.EDITOR) -> None:
    """A person whose role in the book is at least this one."""
    require_person(request)
    role = role_in(request, book)
    if role.rank < least.rank:
        raise exceptions.PermissionDenied(f"Your role in this book is {role}; {_A[least]} can do this.")
