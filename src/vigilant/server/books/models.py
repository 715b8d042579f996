"""Books, who may read and write them, who is signed in, and the tokens of recorders."""

from __future__ import annotations

import hashlib
import secrets
from datetime import datetime, timedelta
from typing import Any

from django.conf import settings
from django.contrib.sessions.base_session import AbstractBaseSession
from django.core.cache import cache
from django.db import models
from django.utils import timezone
from django.utils.crypto import salted_hmac
from django_otp.plugins.otp_totp.models import TOTPDevice

from vigilant.formats import limits

#: Of the secret that an app is told, as its hash has them (RFC 4226).
KEY_BYTES = 20


class Book(models.Model):
    """Everything about one program under test."""

    slug = models.SlugField(max_length=64, unique=True)
    name = models.CharField(max_length=120)
    #: The highest number an entry ever had: one that was purged is not given again.
    last_number = models.PositiveIntegerField(default=0)
    #: Links that show one statement without signing in may be made, and are good.
    links_allowed = models.BooleanField(default=False)
    created_at = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return self.name


class Member(models.Model):
    class Role(models.TextChoices):
        OWNER = "owner"
        EDITOR = "editor"
        READER = "reader"

        @property
        def rank(self) -> int:
            """The higher, the more it may do."""
            return list(reversed(type(self))).index(self)

    book = models.ForeignKey(Book, models.CASCADE, related_name="members")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="memberships")
    role = models.CharField(max_length=12, choices=Role.choices, default=Role.READER)
    #: It came by a group elsewhere, and goes with it.
    by_group = models.BooleanField(default=False)

    #: Who gives, changes or takes the role, for the log.
    by: Any = None

    class Meta:
        constraints = (models.UniqueConstraint(fields=("book", "user"), name="one_role_per_book"),)

    def __str__(self) -> str:
        return f"{self.user} in {self.book}"


class JoinedAccount(models.Model):
    """Somebody's account elsewhere, by the key that its provider knows them by (OpenID Connect's ``iss`` and ``sub``)."""

    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="joined_accounts")
    issuer = models.CharField(max_length=200)
    subject = models.CharField(max_length=limits.SUBJECT)
    joined_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("issuer", "subject"), name="account_joined_once"),)

    def __str__(self) -> str:
        return f"{self.user} by {self.issuer}"


class GroupRole(models.Model):
    """The role that people of a group elsewhere have in a book."""

    book = models.ForeignKey(Book, models.CASCADE, related_name="group_roles")
    group = models.CharField(max_length=limits.GROUP)
    role = models.CharField(max_length=12, choices=Member.Role.choices)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("book", "group"), name="group_once_per_book"),)

    def __str__(self) -> str:
        return f"{self.group} in {self.book}"


def name_of(user: Any) -> str:
    """How a person is called where people read it."""
    return str(user.get_full_name() or user.get_username())


def digest(secret: str) -> str:
    """What is kept of a secret that is shown once."""
    return hashlib.sha256(secret.encode()).hexdigest()


class RecorderToken(models.Model):
    """A recorder's key to one book: shown once, stored hashed, good for a time and a purpose, revocable."""

    class Scope(models.TextChoices):
        DELIVER = "deliver"
        READ = "read"
        #: Of a program that is sent out: its devices' sessions, players' or the team's own, and nothing else.
        FIELD = "field"
        OWN_FIELD = "own-field"

    #: Whoever has the program has these: they let in sessions, and open nothing.
    GIVEN_AWAY = (Scope.FIELD, Scope.OWN_FIELD)

    book = models.ForeignKey(Book, models.CASCADE, related_name="tokens")
    label = models.CharField(max_length=80)
    hash = models.CharField(max_length=64, unique=True, editable=False)
    created_at = models.DateTimeField(auto_now_add=True)
    last_used = models.DateTimeField(null=True, blank=True)
    revoked_at = models.DateTimeField(null=True, blank=True)
    expires_at = models.DateTimeField(null=True, blank=True)
    scope = models.CharField(max_length=12, choices=Scope.choices, default=Scope.DELIVER)

    #: How long a token is good where nobody says otherwise.
    DAYS = 365

    def __str__(self) -> str:
        return f"{self.label} ({self.book})"

    digest = staticmethod(digest)

    @staticmethod
    def remembered_as(hashed: str) -> str:
        """By which a process knows a token for a moment without asking the database."""
        return f"token-{hashed}"

    @classmethod
    def delivers(cls, prefix: str = "") -> models.Q:
        """The condition under which a token may deliver now; ``prefix`` leads to it from another model."""
        lasts = models.Q((f"{prefix}expires_at", None)) | models.Q((f"{prefix}expires_at__gt", timezone.now()))
        return lasts & models.Q((f"{prefix}scope", cls.Scope.DELIVER), (f"{prefix}revoked_at", None))

    @classmethod
    def issue(
        cls, book: Book, label: str, scope: str = Scope.DELIVER, days: float = DAYS, by: Any = None
    ) -> tuple[RecorderToken, str]:
        """A new token and its text, which cannot be had again."""
        text = "vl_" + secrets.token_urlsafe(32)
        expires = timezone.now() + timedelta(days=days)
        made = cls.objects.create(book=book, label=label, hash=digest(text), scope=scope, expires_at=expires)
        LogLine.write("token issued", f"{made}, {scope}, until {expires:%Y-%m-%d}", by=by, book=book)
        return made, text

    def revoke(self, by: Any = None) -> None:
        """From now on it is refused."""
        if self.revoked_at is None:
            self.revoked_at = timezone.now()
            self.save(update_fields=["revoked_at"])
            cache.delete(self.remembered_as(self.hash))
            LogLine.write("token revoked", str(self), by=by, book=self.book)


class SignInLink(models.Model):
    """A link that signs a browser in as somebody, for an hour: its secret is shown once and stored hashed."""

    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="+")
    hash = models.CharField(max_length=64, unique=True, editable=False)
    created_at = models.DateTimeField(auto_now_add=True)
    expires_at = models.DateTimeField()
    last_used = models.DateTimeField(null=True, blank=True)
    revoked_at = models.DateTimeField(null=True, blank=True)

    MINUTES = 60

    def __str__(self) -> str:
        return f"link for {self.user}, until {self.expires_at:%Y-%m-%d %H:%M} UTC"

    @classmethod
    def issue(cls, user: Any) -> str:
        """The secret of a new link, which cannot be had again."""
        secret = secrets.token_urlsafe(24)
        expires = timezone.now() + timedelta(minutes=cls.MINUTES)
        LogLine.write("link issued", str(cls.objects.create(user=user, hash=digest(secret), expires_at=expires)))
        return secret

    @classmethod
    def good(cls, secret: str) -> SignInLink | None:
        """The link of a secret, if it is good now."""
        found = cls.objects.select_related("user").filter(
            hash=digest(secret), revoked_at=None, expires_at__gt=timezone.now(), user__is_active=True
        )
        return found.first()


class PersonSession(AbstractBaseSession):
    """A session of ours: whose it is and from where, so that people see where they are signed in."""

    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, null=True, related_name="sessions")
    since = models.DateTimeField(null=True)
    address = models.CharField(max_length=45, blank=True)
    browser = models.CharField(max_length=200, blank=True)

    @property
    def handle(self) -> str:
        """What names it where its key, which is a secret, must not be seen."""
        return digest(self.session_key)[:24]

    @property
    def seen(self) -> datetime:
        """When something was last asked in it, to within SESSION_NOTED_S."""
        return self.expire_date - timedelta(seconds=settings.SESSION_COOKIE_AGE)

    @classmethod
    def get_session_store_class(cls) -> Any:
        from .sessions import SessionStore

        return SessionStore


class Answered(models.Model):
    """The answer to something that was sent under a key, given again where it is sent again (``once.py``)."""

    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="+")
    key = models.CharField(max_length=64)
    digest = models.CharField(max_length=64)
    #: None while it is being done.
    status = models.PositiveSmallIntegerField(null=True)
    body = models.TextField(blank=True)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("user", "key"), name="answered_once"),)
        indexes = (models.Index(fields=("at",)),)


class LogLine(models.Model):
    """What was done that matters later: sign-ins, roles, tokens, links, decisions, corrections. Lines are only added."""

    at = models.DateTimeField(auto_now_add=True)
    what = models.CharField(max_length=40)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True, related_name="+")
    by_name = models.CharField(max_length=150, blank=True)
    book = models.ForeignKey(Book, models.SET_NULL, null=True, related_name="+")
    text = models.TextField()
    address = models.CharField(max_length=45, blank=True)

    class Meta:
        ordering = ("-id",)

    def __str__(self) -> str:
        return f"{self.at:%Y-%m-%d %H:%M:%S} {self.what}: {self.text}"

    @classmethod
    def write(cls, what: str, text: str, by: Any = None, book: Book | None = None, address: str = "") -> None:
        known = by if getattr(by, "pk", None) else None
        name = known.get_username() if known else ""
        cls.objects.create(what=what, text=text[:2000], by=known, by_name=name, book=book, address=address[:45])

    def save(self, *args: Any, **kwargs: Any) -> None:
        if self.pk is not None:
            raise TypeError("a line of the log is never changed")
        super().save(*args, **kwargs)

    def delete(self, *args: Any, **kwargs: Any) -> Any:
        raise TypeError("a line of the log is never taken out")


class CodesOfApp(TOTPDevice):
    """Codes of an app. What they are made of is not what is kept, but comes of it and the server's secret: the tables alone make no code."""

    class Meta:
        proxy = True

    @property
    def bin_key(self) -> bytes:
        return salted_hmac("codes of an app", self.key, algorithm="sha256").digest()[:KEY_BYTES]
