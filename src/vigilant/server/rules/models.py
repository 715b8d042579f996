"""Rules of thumb and their tests."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from vigilant.formats import limits
from vigilant.server.books.models import Book
from vigilant.server.entries.models import Entry
from vigilant.server.runs.models import Recording


class Rule(models.Model):
    """Something that is believed to hold: ``said_on`` and ``rig`` are when and on what it was found, ``reason`` why it should hold, and who
    says so."""

    book = models.ForeignKey(Book, models.CASCADE, related_name="rules")
    text = models.CharField(max_length=limits.TITLE)
    reason = models.TextField()
    rig = models.CharField(max_length=limits.ALIAS, blank=True)
    said_on = models.DateField()
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True)
    dropped_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ("-id",)

    def __str__(self) -> str:
        return self.text


class RuleTest(models.Model):
    """What an entry, or the account of a recording, says of a rule here; the newest that still stands counts."""

    rule = models.ForeignKey(Rule, models.CASCADE, related_name="tests")
    entry = models.ForeignKey(Entry, models.CASCADE, null=True, related_name="+")
    recording = models.ForeignKey(Recording, models.CASCADE, null=True, related_name="+")
    holds = models.BooleanField()
    note = models.TextField(blank=True)
    tested_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    tested_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("-id",)
        constraints = (
            models.CheckConstraint(
                condition=models.Q(entry=None) ^ models.Q(recording=None), name="rule_test_of_entry_or_recording"
            ),
        )

    @property
    def stands(self) -> bool:
        """A test by an entry that was withdrawn tells nothing any more."""
        return self.entry is None or self.entry.withdrawn_at is None
