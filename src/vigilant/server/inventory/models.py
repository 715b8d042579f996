"""What builds are made of, and the totals that a book watches over."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from vigilant.formats import limits
from vigilant.server.books.models import Book
from vigilant.server.scenarios.models import Build


class Inventory(models.Model):
    """What there is of each kind in a build: ``items`` are [kind, count, {unit: weight of a piece}]. From a file (``name``), or
    stated by a run; the same content of one build is kept once (``digest``)."""

    book = models.ForeignKey(Book, models.CASCADE, related_name="inventories")
    build = models.ForeignKey(Build, models.CASCADE, related_name="inventories")
    name = models.CharField(max_length=limits.FILE_NAME)
    stated_by_run = models.BooleanField(default=False)
    items = models.JSONField()
    kinds = models.PositiveIntegerField()
    digest = models.CharField(max_length=64)
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+", null=True)
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("-id",)
        constraints = (models.UniqueConstraint(fields=("build", "digest"), name="inventory_of_build_once"),)

    def __str__(self) -> str:
        return f"{self.build}: {self.name}"


class Total(models.Model):
    """A total of the book's own: what a piece weighs by a ``formula``, at ``most`` so much in all (None: no limit), and the
    ``counter`` that should say the same (""). The newest of a name counts, older ones stay; an empty formula ends it."""

    book = models.ForeignKey(Book, models.CASCADE, related_name="totals")
    name = models.CharField(max_length=limits.NAME)
    formula = models.CharField(max_length=limits.PATTERN, blank=True)
    most = models.FloatField(null=True)
    counter = models.CharField(max_length=limits.NAME, blank=True)
    reason = models.TextField()
    set_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    set_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("-id",)

    def __str__(self) -> str:
        return self.name
