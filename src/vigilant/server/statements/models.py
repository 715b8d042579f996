"""Links that show one statement without signing in, and what is handed over to another trade."""

from __future__ import annotations

import secrets
from datetime import datetime, timedelta
from typing import Any

from django.conf import settings
from django.db import models
from django.utils import timezone

from vigilant.formats import limits
from vigilant.server.books.models import Book, LogLine, digest
from vigilant.server.entries.models import Entry


class StatementLink(models.Model):
    """A link that shows one statement to whoever has it, until it ends or is revoked; its secret is stored hashed."""

    book = models.ForeignKey(Book, models.CASCADE, related_name="+")
    hash = models.CharField(max_length=64, unique=True, editable=False)
    #: What the statement is of: the request that made it.
    asked = models.JSONField()
    title = models.CharField(max_length=limits.TITLE)
    created_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    created_at = models.DateTimeField(auto_now_add=True)
    expires_at = models.DateTimeField()
    last_used = models.DateTimeField(null=True)
    revoked_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ("-id",)

    @classmethod
    def issue(cls, book: Book, asked: dict[str, Any], title: str, days: int, user: Any) -> tuple[StatementLink, str]:
        """A new link and its secret, which cannot be had again."""
        secret = secrets.token_urlsafe(24)
        until: datetime = timezone.now() + timedelta(days=days)
        made = cls.objects.create(
            book=book, hash=digest(secret), asked=asked, title=title[: limits.TITLE], created_by=user, expires_at=until
        )
        LogLine.write("statement shown", f"{made.title}, until {until:%Y-%m-%d %H:%M} UTC", by=user, book=book)
        return made, secret

    @staticmethod
    def digest(secret: str) -> str:
        """What a link is known by."""
        return digest(secret)

    @classmethod
    def good(cls, secret: str) -> StatementLink | None:
        """The link of a secret, if it shows something now."""
        found = cls.objects.select_related("book").filter(
            hash=digest(secret), revoked_at=None, expires_at__gt=timezone.now(), book__links_allowed=True
        )
        return found.first()

    def revoke(self, by: Any) -> None:
        if self.revoked_at is None:
            self.revoked_at = timezone.now()
            self.save(update_fields=["revoked_at"])
            LogLine.write("statement hidden", self.title, by=by, book=self.book)


class HandOver(models.Model):
    """What a specialist of another trade is asked about an entry; what was found stands in the entry."""

    entry = models.ForeignKey(Entry, models.CASCADE, related_name="hand_overs")
    to = models.CharField(max_length=limits.ALIAS)
    asked = models.TextField()
    ruled_out = models.TextField(blank=True)
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("-id",)
