"""Signing in, and the books one may read."""

from __future__ import annotations

from django.contrib.auth import authenticate, login, logout
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.shortcuts import render
from django.utils import timezone
from django.utils.decorators import method_decorator
from django.views.decorators.cache import never_cache
from django.views.decorators.csrf import ensure_csrf_cookie
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from vigilant.server.auth import Recorder, books_of
from vigilant.server.fields import Text
from vigilant.server.problems import Problem

from .models import Member, SignInLink


class BookSerializer(serializers.Serializer):
    slug = serializers.CharField()
    name = serializers.CharField()
    role = serializers.CharField()


class SessionSerializer(serializers.Serializer):
    user = serializers.CharField()
    books = BookSerializer(many=True)


class SignInSerializer(serializers.Serializer):
    username = Text(150)
    password = Text(1000, trim_whitespace=False)


def session_of(request: Request) -> dict[str, object]:
    user = request.user
    if isinstance(user, Recorder):
        return {"user": user.token.label, "books": [_book(user.token.book, "recorder")]}
    roles = dict(Member.objects.filter(user=user).values_list("book_id", "role"))
    books = [_book(b, roles.get(b.pk, "owner")) for b in books_of(request).order_by("name")]
    return {"user": user.get_full_name() or user.get_username(), "books": books}


def _book(book, role: str) -> dict[str, str]:
    return {"slug": book.slug, "name": book.name, "role": role}


class SessionView(APIView):
    """Who is signed in."""

    @extend_schema(responses=SessionSerializer)
    @method_decorator(ensure_csrf_cookie)
    def get(self, request: Request) -> Response:
        return Response(session_of(request))

    @extend_schema(request=None, responses={204: None})
    def delete(self, request: Request) -> Response:
        logout(request)
        return Response(status=status.HTTP_204_NO_CONTENT)


class SignInView(APIView):
    """Sign in with a name and a password."""

    permission_classes = (AllowAny,)
    authentication_classes = ()

    @extend_schema(request=SignInSerializer, responses=SessionSerializer)
    def post(self, request: Request) -> Response:
        form = SignInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        user = authenticate(request._request, **form.validated_data)
        if user is None:
            raise Problem(403, "sign-in-failed", "Name and password do not fit together.")
        login(request._request, user)
        request.user = user
        return Response(session_of(request))


@never_cache
def sign_in_by_link(request: HttpRequest, secret: str) -> HttpResponse:
    """The page behind a sign-in link: it says who it is for, and signs in when it is told to."""
    link = SignInLink.good(secret[:100])
    if link is None:
        return render(request, "books/sign_in.html", {"link": None}, status=403)
    if request.method == "POST":
        SignInLink.objects.filter(pk=link.pk).update(last_used=timezone.now())
        login(request, link.user, backend="django.contrib.auth.backends.ModelBackend")
        return HttpResponseRedirect("/")
    return render(request, "books/sign_in.html", {"link": link, "name": link.user.get_full_name() or str(link.user)})
