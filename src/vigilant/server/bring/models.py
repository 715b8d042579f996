"""Files that were brought in, as they came, and what they were read as."""

from __future__ import annotations

import uuid

from django.conf import settings
from django.db import models

from vigilant.formats import Holds, limits
from vigilant.server.books.models import Book
from vigilant.server.database import Blob
from vigilant.server.runs.models import EXACT, Run


class BroughtFile(models.Model):
    """A file as it was sent, in pieces. What it would become is looked at by a job once it is whole."""

    class State(models.TextChoices):
        RECEIVING = "receiving"
        LOOKING = "looking"
        SEEN = "seen"
        #: An archive: the files in it stand in its place.
        UNPACKED = "unpacked"
        REFUSED = "refused"
        BROUGHT = "brought"

    id = models.UUIDField(primary_key=True, default=uuid.uuid4)
    book = models.ForeignKey(Book, models.CASCADE, related_name="files")
    name = models.CharField(max_length=limits.FILE_NAME)
    #: The folder or the archive it came out of; "" where it came alone.
    folder = models.CharField(max_length=limits.FILE_NAME, blank=True)
    size = models.PositiveBigIntegerField()
    received = models.PositiveBigIntegerField(default=0)
    next_piece = models.PositiveIntegerField(default=0)
    #: SHA-256 of the whole, known once it is there.
    sha256 = models.CharField(max_length=64, blank=True)
    state = models.CharField(max_length=12, choices=State.choices, default=State.RECEIVING)
    #: What was said of it: ``column``, ``kind``, ``unit``, ``reading`` (a document), ``keep_valid``, ``holds``,
    #: ``pattern``, ``rows``.
    asked = models.JSONField(default=dict)
    #: What it would become (formats.looking), and what stopped that.
    look = models.JSONField(null=True)
    problem = models.JSONField(null=True)
    #: Counts what was asked: a job that looked for an earlier one says nothing.
    asked_number = models.PositiveIntegerField(default=0)
    created_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True, related_name="+")
    created_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        indexes = (models.Index(fields=("book", "state", "-created_at")),)

    @property
    def holds(self) -> str:
        """Runs, readings or work: as it was said, else as it was seen."""
        said = self.asked.get("holds", Holds.RUNS.value)
        return said if said != Holds.RUNS else (self.look or {}).get("holds", said)

    def __str__(self) -> str:
        return self.name


class FilePiece(models.Model):
    """A piece of a file as it came, compressed."""

    file = models.ForeignKey(BroughtFile, models.CASCADE, related_name="pieces")
    number = models.PositiveIntegerField()
    digest = models.CharField(max_length=64)
    body = Blob()

    class Meta:
        ordering = ("number",)
        constraints = (models.UniqueConstraint(fields=("file", "number"), name="piece_number"),)


class FileRun(models.Model):
    """Which file a run was read from, by which reading, and what was left out of it."""

    run = models.OneToOneField(Run, models.CASCADE, primary_key=True, related_name="from_file")
    file = models.ForeignKey(BroughtFile, models.PROTECT, related_name="runs")
    place = models.PositiveIntegerField()
    reading = models.JSONField(null=True)
    left_out = models.JSONField(default=list)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("file", "run"), name="run_of_file"),)


class SavedReading(models.Model):
    """A reading kept under a name: files with its columns are known by it."""

    book = models.ForeignKey(Book, models.CASCADE, related_name="readings")
    name = models.CharField(max_length=limits.NAME, db_collation=EXACT)
    document = models.JSONField()
    saved_at = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ("name",)
        constraints = (models.UniqueConstraint(fields=("book", "name"), name="reading_name"),)
