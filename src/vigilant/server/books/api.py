"""Signing in, and the books one may read."""

from __future__ import annotations

from django.contrib.auth import authenticate, login, logout, password_validation, update_session_auth_hash
from django.core.exceptions import ValidationError
from django.http import Http404, HttpRequest, HttpResponse, HttpResponseRedirect
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

from vigilant.server.auth import Recorder, books_of, require_person
from vigilant.server.fields import Text
from vigilant.server.problems import Problem
from vigilant.server.throttles import CostThrottle

from .models import LogLine, Member, PersonSession, SignInLink, name_of


class BookSerializer(serializers.Serializer):
    slug = serializers.CharField()
    name = serializers.CharField()
    role = serializers.CharField()
    links_allowed = serializers.BooleanField(help_text="whether links may show its statements without signing in")


class SessionSerializer(serializers.Serializer):
    """``has_password`` where one can sign in by name."""

    user = serializers.CharField()
    has_password = serializers.BooleanField()
    books = BookSerializer(many=True)


class SignInSerializer(serializers.Serializer):
    username = Text(150)
    password = Text(1000, trim_whitespace=False)


def session_of(request: Request) -> dict[str, object]:
    user = request.user
    if isinstance(user, Recorder):
        return {"user": user.token.label, "has_password": False, "books": [book_line(user.token.book, "recorder")]}
    roles = dict(Member.objects.filter(user=user).values_list("book_id", "role"))
    books = [book_line(b, roles.get(b.pk, "owner")) for b in books_of(request).order_by("name")]
    return {"user": name_of(user), "has_password": user.has_usable_password(), "books": books}


def book_line(book, role: str) -> dict[str, str | bool]:
    return {"slug": book.slug, "name": book.name, "role": role, "links_allowed": book.links_allowed}


class SignedInSerializer(serializers.ModelSerializer):
    """Where somebody is signed in; ``here`` is the session that asks."""

    here = serializers.SerializerMethodField()
    handle = serializers.CharField()
    seen = serializers.DateTimeField()

    class Meta:
        model = PersonSession
        fields = ("handle", "since", "seen", "address", "browser", "here")
        read_only_fields = fields

    def get_here(self, session: PersonSession) -> bool:
        return bool(session.session_key == self.context["request"].session.session_key)


class PasswordInSerializer(serializers.Serializer):
    """``old`` is needed where there is one."""

    old = Text(1000, trim_whitespace=False, allow_blank=True, default="")
    new = Text(1000, trim_whitespace=False)

    def validate(self, attrs):
        user = self.context["request"].user
        if user.has_usable_password() and not user.check_password(attrs["old"]):
            raise serializers.ValidationError({"old": "This is not your password."})
        try:
            password_validation.validate_password(attrs["new"], user)
        except ValidationError as error:
            raise serializers.ValidationError({"new": error.messages}) from error
        return attrs


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


class PeopleView(APIView):
    """What people do for themselves; a recorder's token cannot."""

    def initial(self, request: Request, *args, **kwargs) -> None:
        super().initial(request, *args, **kwargs)
        require_person(request)

    def sessions(self):
        """The person's sessions that have not ended."""
        return PersonSession.objects.filter(user=self.request.user, expire_date__gt=timezone.now())


class SessionsView(PeopleView):
    """Where one is signed in."""

    @extend_schema(operation_id="sessions", responses=SignedInSerializer(many=True))
    def get(self, request: Request) -> Response:
        found = self.sessions().order_by("-expire_date")
        return Response(SignedInSerializer(found, many=True, context={"request": request}).data)


class OneSessionView(PeopleView):
    """Sign out there."""

    @extend_schema(responses={204: None})
    def delete(self, request: Request, handle: str) -> Response:
        for session in self.sessions():
            if session.handle == handle:
                LogLine.write("signed out", f"{request.user}, from elsewhere", by=request.user)
                session.delete()
                return Response(status=status.HTTP_204_NO_CONTENT)
        raise Http404


class PasswordView(PeopleView):
    """A password of one's own, or another one; every other session and every link of one's own ends."""

    throttle_classes = (CostThrottle,)
    throttle_scope = "passwords"

    @extend_schema(request=PasswordInSerializer, responses={204: None})
    def put(self, request: Request) -> Response:
        form = PasswordInSerializer(data=request.data, context={"request": request})
        form.is_valid(raise_exception=True)
        request.user.set_password(form.validated_data["new"])
        request.user.save(update_fields=["password"])
        update_session_auth_hash(request._request, request.user)
        SignInLink.objects.filter(user=request.user, revoked_at=None).update(revoked_at=timezone.now())
        self.sessions().exclude(session_key=request.session.session_key).delete()
        LogLine.write("password set", str(request.user), by=request.user)
        return Response(status=status.HTTP_204_NO_CONTENT)


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
    return render(request, "books/sign_in.html", {"link": link, "name": name_of(link.user)})
