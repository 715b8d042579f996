"""What goes on now: recordings in progress, and recorders that stand by."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from vigilant.formats import limits
from vigilant.server.books.models import Book
from vigilant.server.runs.models import Recording


class Live(models.Model):
    """The newest report of a recorder at work. ``number`` rises with every report."""

    recording = models.OneToOneField(Recording, models.CASCADE, primary_key=True, related_name="live")
    number = models.PositiveBigIntegerField(default=0)
    state = models.JSONField(default=dict)
    reported_at = models.DateTimeField(auto_now=True)


class Standby(models.Model):
    """A recorder that waits for work; present while it was heard of lately."""

    book = models.ForeignKey(Book, models.CASCADE, related_name="standbys")
    name = models.CharField(max_length=80)
    subjects = models.JSONField(default=list)
    facts = models.JSONField(default=dict)
    version = models.CharField(max_length=40, blank=True)
    seen_at = models.DateTimeField()

    class Meta:
        constraints = (models.UniqueConstraint(fields=("book", "name"), name="standby_name_in_book"),)

    def __str__(self) -> str:
        return self.name


class ReservedTime(models.Model):
    """A rig is somebody's for a while: what others asked of its recorder waits."""

    book = models.ForeignKey(Book, models.CASCADE, related_name="reserved_times")
    rig = models.CharField(max_length=limits.ALIAS)
    begins_at = models.DateTimeField()
    ends_at = models.DateTimeField()
    why = models.CharField(max_length=limits.LABEL, blank=True)
    kept_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")

    class Meta:
        ordering = ("begins_at",)
        indexes = (models.Index(fields=("book", "ends_at")),)

    def __str__(self) -> str:
        return f"{self.rig}, {self.begins_at:%Y-%m-%d %H:%M} to {self.ends_at:%Y-%m-%d %H:%M} UTC"


class Visit(models.Model):
    """A recording whose pages play in the browser of whoever opens its link. What is delivered must come from one of
    ``origins``."""

    recording = models.OneToOneField(Recording, models.CASCADE, primary_key=True, related_name="visit")
    code = models.CharField(max_length=9, unique=True)
    origins = models.JSONField(default=list)
    expires_at = models.DateTimeField()

    def __str__(self) -> str:
        return self.code
