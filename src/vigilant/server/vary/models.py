"""A matrix: one change over window sizes, tiers and rigs, a recording a cell."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from vigilant.formats import limits
from vigilant.server.books.models import Book
from vigilant.server.runs.models import Recording


class Matrix(models.Model):
    """What is asked of every cell, and the cells' axes in their order (a list of one empty text: no such axis)."""

    book = models.ForeignKey(Book, models.CASCADE, related_name="matrices")
    title = models.CharField(max_length=limits.TITLE)
    windows = models.JSONField()
    tiers = models.JSONField()
    rigs = models.JSONField()
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+", null=True)
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("-id",)

    def __str__(self) -> str:
        return self.title


class MatrixCell(models.Model):
    """One cell: where it lies, and the newest recording of it (none once that is gone)."""

    matrix = models.ForeignKey(Matrix, models.CASCADE, related_name="cells")
    window = models.CharField(max_length=limits.NAME, blank=True)
    tier = models.CharField(max_length=limits.NAME, blank=True)
    rig = models.CharField(max_length=limits.ALIAS, blank=True)
    recording = models.OneToOneField(Recording, models.SET_NULL, null=True, related_name="cell")

    class Meta:
        ordering = ("id",)
        constraints = (models.UniqueConstraint(fields=("matrix", "window", "tier", "rig"), name="matrix_cell_once"),)

    def __str__(self) -> str:
        return ", ".join(part for part in (self.window, self.tier, self.rig) if part)


class EarlierCell(models.Model):
    """A recording whose place in a cell a newer one took: the sheet is still read by its address."""

    cell = models.ForeignKey(MatrixCell, models.CASCADE, related_name="earlier")
    recording = models.OneToOneField(Recording, models.CASCADE, related_name="+")
