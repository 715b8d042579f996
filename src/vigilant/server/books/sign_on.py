"""Signing in with the account that a team has elsewhere: OpenID Connect, by mozilla-django-oidc.

The provider is asked by discovery. Who somebody is, is the provider's own key of them (``sub``), never a name or an address, which others
may get; a local account is joined to it by whoever is signed in to both.
"""

from __future__ import annotations

import logging
from typing import Any

import jwt
import requests
from django.conf import settings
from django.contrib.auth import get_user_model
from django.core.cache import cache
from django.core.exceptions import ImproperlyConfigured, SuspiciousOperation
from django.db import IntegrityError, transaction
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from mozilla_django_oidc.auth import OIDCAuthenticationBackend
from mozilla_django_oidc.views import OIDCAuthenticationCallbackView, OIDCAuthenticationRequestView

from vigilant.formats import limits

from .groups import follow_groups
from .models import JoinedAccount, LogLine

log = logging.getLogger(__name__)
#: What the provider says of itself is asked for anew after so long.
TOLD_S = 3600
ENDPOINTS = {
    "OIDC_OP_AUTHORIZATION_ENDPOINT": "authorization_endpoint",
    "OIDC_OP_TOKEN_ENDPOINT": "token_endpoint",
    "OIDC_OP_USER_ENDPOINT": "userinfo_endpoint",
    "OIDC_OP_JWKS_ENDPOINT": "jwks_uri",
}
#: Ways of signing that are taken, the first that the provider knows. None of them is a secret that both share.
ALGORITHMS = ("RS256", "ES256", "RS512", "ES512")
#: Groups of a person that are read.
MOST_GROUPS = 1_000


class SignOnFailed(Exception):
    """Why nobody was signed in; ``code`` is shown on the page."""

    def __init__(self, code: str, detail: str) -> None:
        self.code = code
        super().__init__(detail)


def told() -> dict[str, Any]:
    """What the provider says of itself. Raises :class:`SignOnFailed`."""
    found: dict[str, Any] | None = cache.get("sign-on")
    if found is None:
        issuer = settings.SIGN_ON.issuer
        try:
            answer = requests.get(
                f"{issuer.rstrip('/')}/.well-known/openid-configuration", timeout=settings.OIDC_TIMEOUT
            )
            answer.raise_for_status()
            found = answer.json()
        except (requests.RequestException, ValueError) as error:
            raise SignOnFailed("provider-away", f"the provider does not say what it is: {error}") from None
        if not isinstance(found, dict) or found.get("issuer") != issuer:
            raise SignOnFailed("provider-wrong", f"the provider at {issuer} calls itself something else")
        cache.set("sign-on", found, TOLD_S)
    return found


def setting(name: str, *default: Any) -> Any:
    """A setting of the package: by discovery where it is the provider's."""
    if name in ENDPOINTS:
        value = told().get(ENDPOINTS[name], "")
        if not str(value).startswith("https://" if settings.PRODUCTION else "http"):
            raise SignOnFailed("provider-wrong", f"the provider's {ENDPOINTS[name]} is no address by TLS")
        return value
    if name == "OIDC_RP_SIGN_ALGO":
        known = told().get("id_token_signing_alg_values_supported", [])
        found = next((one for one in ALGORITHMS if one in known), None)
        if found is None:
            raise SignOnFailed("provider-wrong", "the provider signs in no way that is taken")
        return found
    if default:
        return getattr(settings, name, default[0])
    try:
        return getattr(settings, name)
    except AttributeError:
        raise ImproperlyConfigured(f"{name} is not set") from None


class SignOnBackend(OIDCAuthenticationBackend):
    """Who the provider says somebody is, to an account here."""

    get_settings = staticmethod(setting)

    def __init__(self) -> None:
        # Asked for by every request that has somebody signed in by it: nothing is asked of the provider for that.
        self.UserModel = get_user_model()

    def authenticate(self, request: HttpRequest | None, **kwargs: Any) -> Any:
        if request is None or "nonce" not in kwargs:
            return None
        super().__init__()
        return super().authenticate(request, **kwargs)

    def verify_token(self, token: str, **kwargs: Any) -> dict[str, Any]:
        """Also from this provider, for this server, and still good."""
        payload: dict[str, Any] = super().verify_token(token, **kwargs)
        meant = payload.get("aud")
        if payload.get("iss") != settings.SIGN_ON.issuer:
            raise SignOnFailed("token-refused", "the token is another provider's")
        if settings.OIDC_RP_CLIENT_ID not in ([meant] if isinstance(meant, str) else meant or []):
            raise SignOnFailed("token-refused", "the token is for another program")
        if "exp" not in payload:
            raise SignOnFailed("token-refused", "the token does not say until when it is good")
        return payload

    def get_or_create_user(self, access_token: str, id_token: str, payload: dict[str, Any]) -> Any:
        claims = self.get_userinfo(access_token, id_token, payload)
        subject = str(payload.get("sub") or "")
        if not subject or len(subject) > limits.SUBJECT or claims.get("sub") != subject:
            raise SignOnFailed("token-refused", "the provider does not say who it is, or says two")
        with transaction.atomic():  # nobody is made by half: a name without its account would be taken for ever
            user = self._account(subject, {**payload, **claims})
            follow_groups(user, _groups({**payload, **claims}))
        return user

    def _account(self, subject: str, claims: dict[str, Any]) -> Any:
        joined = (
            JoinedAccount.objects.select_related("user").filter(issuer=settings.SIGN_ON.issuer, subject=subject).first()
        )
        signed_in = self.request.user if self.request.user.is_authenticated else None
        if joined is not None:
            if signed_in is not None and signed_in != joined.user:
                raise SignOnFailed("joined-elsewhere", f"{joined.user} has that account already")
            return joined.user
        user = signed_in or self._new(claims)
        JoinedAccount.objects.create(user=user, issuer=settings.SIGN_ON.issuer, subject=subject)
        LogLine.write("account joined", f"{user}, by {settings.SIGN_ON.name}", by=user)
        return user

    def _new(self, claims: dict[str, Any]) -> Any:
        name = str(claims.get("preferred_username") or claims.get("email") or "").strip()
        if not name or len(name) > limits.ALIAS or any(c < " " for c in name):
            raise SignOnFailed("no-name", "the provider gives no name that can be taken")
        if self.UserModel.objects.filter(username=name).exists():
            raise SignOnFailed("name-taken", f"somebody is called {name} here already")
        user = self.UserModel(username=name, first_name=str(claims.get("name") or "")[:150])
        user.set_unusable_password()
        user.save()
        LogLine.write("person added", f"{name}, by {settings.SIGN_ON.name}", by=user)
        return user


def _groups(claims: dict[str, Any]) -> set[str]:
    """Names of groups; anything else that is sent for them is none."""
    found = claims.get(settings.SIGN_ON.groups)
    return {one for one in found[:MOST_GROUPS] if isinstance(one, str)} if isinstance(found, list) else set()


class StartView(OIDCAuthenticationRequestView):
    """Off to the provider."""

    get_settings = staticmethod(setting)

    @classmethod
    def as_view(cls, **how: Any) -> Any:
        return _said(super().as_view(**how))


class BackView(OIDCAuthenticationCallbackView):
    """Back from the provider."""

    get_settings = staticmethod(setting)

    @classmethod
    def as_view(cls, **how: Any) -> Any:
        return _said(super().as_view(**how))

    def get(self, request: HttpRequest) -> HttpResponse:
        self.joining = request.user.is_authenticated
        return super().get(request)

    def login_success(self) -> HttpResponse:
        done = super().login_success()
        return said("joined") if self.joining else done

    def login_failure(self) -> HttpResponse:
        code = "refused-there" if self.request.GET.get("error") else "refused"
        return said(code)


def _said(view: Any) -> Any:
    """What goes wrong on the way is said on the page one came from."""

    def answer(request: HttpRequest, *args: Any, **kwargs: Any) -> HttpResponse:
        if not settings.SIGN_ON.issuer:
            return said("not-here")
        try:
            return view(request, *args, **kwargs)  # type: ignore[no-any-return]
        except SignOnFailed as failed:
            log.warning("nobody was signed in: %s", failed)
            return said(failed.code)
        except (
            SuspiciousOperation,
            jwt.PyJWTError,
            requests.RequestException,
            IntegrityError,
            KeyError,
            TypeError,
            ValueError,
        ) as failed:
            log.warning("nobody was signed in: %s", failed)
            return said("refused")

    return answer


def said(code: str) -> HttpResponse:
    """The front end says what a code means: where one signs in, or on one's own page where one is signed in."""
    return HttpResponseRedirect(f"/?sign-on={code}")
