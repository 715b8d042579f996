"""Laps that a book keeps: two versions of a routine, timed by itself, and the entry whose frames it is part of."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from vigilant.formats import limits
from vigilant.server.books.models import Book
from vigilant.server.entries.models import Entry


class LapSheet(models.Model):
    """``before`` and ``after`` are {"name": version, "processes": [[[items, repeats, seconds, checksum?], ...], ...]}, as they came.
    Joined to an ``entry``: calls a frame are its ``counter``, or ``calls`` where no counter says; ``items`` the frame's own size."""

    book = models.ForeignKey(Book, models.CASCADE, related_name="lap_sheets")
    name = models.CharField(max_length=limits.NAME)
    before = models.JSONField()
    after = models.JSONField()
    entry = models.ForeignKey(Entry, models.SET_NULL, null=True, related_name="lap_sheets")
    counter = models.CharField(max_length=limits.NAME, blank=True)
    calls = models.FloatField(null=True)
    items = models.FloatField(null=True)
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+", null=True)
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("-id",)

    def __str__(self) -> str:
        return self.name
