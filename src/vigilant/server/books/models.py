"""Books, who may read and write them, and the tokens of recorders."""

from __future__ import annotations

import hashlib
import secrets

from django.conf import settings
from django.db import models


class Book(models.Model):
    """Everything about one program under test."""

    slug = models.SlugField(max_length=64, unique=True)
    name = models.CharField(max_length=120)
    created_at = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return self.name


class Member(models.Model):
    class Role(models.TextChoices):
        OWNER = "owner"
        EDITOR = "editor"
        READER = "reader"

    book = models.ForeignKey(Book, models.CASCADE, related_name="members")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="memberships")
    role = models.CharField(max_length=12, choices=Role.choices, default=Role.READER)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("book", "user"), name="one_role_per_book"),)

    def __str__(self) -> str:
        return f"{self.user} in {self.book}"


class RecorderToken(models.Model):
    """A recorder's key to one book: shown once, stored hashed, revocable."""

    book = models.ForeignKey(Book, models.CASCADE, related_name="tokens")
    label = models.CharField(max_length=80)
    hash = models.CharField(max_length=64, unique=True, editable=False)
    created_at = models.DateTimeField(auto_now_add=True)
    last_used = models.DateTimeField(null=True, blank=True)
    revoked_at = models.DateTimeField(null=True, blank=True)

    def __str__(self) -> str:
        return f"{self.label} ({self.book})"

    @staticmethod
    def digest(token: str) -> str:
        return hashlib.sha256(token.encode()).hexdigest()

    @classmethod
    def issue(cls, book: Book, label: str) -> tuple[RecorderToken, str]:
        """A new token and its text, which cannot be had again."""
        text = "vl_" + secrets.token_urlsafe(32)
        return cls.objects.create(book=book, label=label, hash=cls.digest(text)), text
