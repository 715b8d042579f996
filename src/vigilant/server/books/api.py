"""Signing in, and the books one may read."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.contrib.auth import authenticate, login, logout, password_validation, update_session_auth_hash
from django.contrib.auth.signals import user_login_failed
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

from vigilant.formats import limits
from vigilant.server.auth import Recorder, books_of, require_person
from vigilant.server.fields import Text
from vigilant.server.problems import Problem
from vigilant.server.throttles import CostThrottle

from . import second_factor, wanted
from .models import LogLine, Member, PersonSession, SignInLink, name_of

WRONG_CODE = "That code is not good, or not any more. After some that fail, wait a moment."


class BookSerializer(serializers.Serializer):
    slug = serializers.CharField()
    name = serializers.CharField()
    role = serializers.CharField()
    links_allowed = serializers.BooleanField(help_text="whether links may show its statements without signing in")


class SessionSerializer(serializers.Serializer):
    """``has_password`` where one can sign in by name."""

    user = serializers.CharField()
    has_password = serializers.BooleanField()
    second_factor = serializers.BooleanField(help_text="whether a code is asked for beside the password")
    second_factor_wanted = serializers.BooleanField(help_text="whether one must be set before anything else")
    joined = serializers.BooleanField(help_text="whether one signs in with the account that the team has elsewhere")
    books = BookSerializer(many=True)


class SignInSerializer(serializers.Serializer):
    username = Text(150)
    password = Text(1000, trim_whitespace=False)
    code = Text(limits.CODE, default="", allow_blank=True, help_text="of the second factor, where one is set")


def session_of(request: Request) -> dict[str, object]:
    user = request.user
    if isinstance(user, Recorder):
        return {
            "user": user.token.label,
            "has_password": False,
            "second_factor": False,
            "second_factor_wanted": False,
            "joined": False,
            "books": [book_line(user.token.book, "recorder")],
        }
    roles = dict(Member.objects.filter(user=user).values_list("book_id", "role"))
    books = [book_line(b, roles.get(b.pk, "owner")) for b in books_of(request).order_by("name")]
    joined = user.joined_accounts.filter(issuer=settings.SIGN_ON.issuer).exists()
    return {
        "user": name_of(user), "has_password": user.has_usable_password(), "second_factor": second_factor.is_set(user),
        "second_factor_wanted": wanted.lacks(request), "joined": joined, "books": books,
    }  # fmt: skip


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
    new = Text(limits.PASSWORD, trim_whitespace=False)

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


class WaysSerializer(serializers.Serializer):
    """``sign_on`` names the account that the team has elsewhere; "" where there is none."""

    sign_on = serializers.CharField(allow_blank=True)


class WaysView(APIView):
    """How one can sign in here."""

    permission_classes = (AllowAny,)
    authentication_classes = ()

    @extend_schema(operation_id="ways", responses=WaysSerializer)
    def get(self, request: Request) -> Response:
        return Response({"sign_on": settings.SIGN_ON.name if settings.SIGN_ON.issuer else ""})


def ask_second_factor(request: HttpRequest, user: Any, code: str) -> None:
    """Raises a problem where one is set and the code is not of it; that counts as a try that failed."""
    if not second_factor.is_set(user):
        return
    if not code:
        raise Problem(403, "code-wanted", "A code of the second factor is wanted too.")
    if not second_factor.fits(user, code):
        user_login_failed.send(sender=__name__, credentials={"username": user.get_username()}, request=request)
        raise Problem(403, "sign-in-failed", WRONG_CODE)


class SignInView(APIView):
    """Sign in with a name and a password."""

    permission_classes = (AllowAny,)
    authentication_classes = ()

    @extend_schema(request=SignInSerializer, responses=SessionSerializer)
    def post(self, request: Request) -> Response:
        form = SignInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        code = form.validated_data.pop("code")
        user = authenticate(request._request, **form.validated_data)
        if user is None:
            raise Problem(403, "sign-in-failed", "Name and password do not fit together.")
        ask_second_factor(request._request, user, code)
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


class BegunSerializer(serializers.Serializer):
    """What an app is told: the address, a picture of it (a ``data:`` address), and the secret to type."""

    address = serializers.CharField()
    picture = serializers.CharField()
    secret = serializers.CharField()


class CodeSerializer(serializers.Serializer):
    code = Text(limits.CODE)


class PaperCodesSerializer(serializers.Serializer):
    """Codes to be written down, each good once."""

    codes = serializers.ListField(child=serializers.CharField())


class OwnSecondFactorView(PeopleView):
    throttle_classes = (CostThrottle,)
    throttle_scope = "passwords"

    def code(self) -> str:
        form = CodeSerializer(data=self.request.data)
        form.is_valid(raise_exception=True)
        return str(form.validated_data["code"])


class SecondFactorView(OwnSecondFactorView):
    """A second factor of one's own: begun, then confirmed by a code of it."""

    @extend_schema(operation_id="begin_second_factor", request=None, responses=BegunSerializer)
    def post(self, request: Request) -> Response:
        if not request.user.has_usable_password():
            raise Problem(409, "no-password", "A second factor goes with a password; set one first.")
        return Response(BegunSerializer(second_factor.begin(request.user)).data)

    @extend_schema(operation_id="confirm_second_factor", request=CodeSerializer, responses=PaperCodesSerializer)
    def put(self, request: Request) -> Response:
        return Response({"codes": second_factor.confirm(request.user, self.code())})


class SecondFactorOffView(OwnSecondFactorView):
    """Take it off again, with a code of it."""

    @extend_schema(operation_id="take_off_second_factor", request=CodeSerializer, responses={204: None})
    def post(self, request: Request) -> Response:
        if not second_factor.fits(request.user, self.code()):
            raise Problem(422, "code-wrong", WRONG_CODE)
        second_factor.take_off(request.user, request.user)
        return Response(status=status.HTTP_204_NO_CONTENT)


@never_cache
def sign_in_by_link(request: HttpRequest, secret: str) -> HttpResponse:
    """The page behind a sign-in link: it says who it is for, and signs in when it is told to."""
    link = SignInLink.good(secret[:100])
    if link is None:
        return render(request, "books/sign_in.html", {"link": None}, status=403)
    asks, wrong = second_factor.is_set(link.user), ""
    if request.method == "POST":
        try:
            ask_second_factor(request, link.user, request.POST.get("code", "")[: limits.CODE])
        except Problem as problem:
            wrong = str(problem.detail)
        else:
            SignInLink.objects.filter(pk=link.pk).update(last_used=timezone.now())
            login(request, link.user, backend="django.contrib.auth.backends.ModelBackend")
            return HttpResponseRedirect("/")
    told = {"link": link, "name": name_of(link.user), "asks": asks, "wrong": wrong}
    return render(request, "books/sign_in.html", told, status=403 if wrong else 200)
