"""The seal of a book: a chain of links, each of which holds the one before it."""

from __future__ import annotations

from django.db import models

from vigilant.server.books.models import Book


class Link(models.Model):
    """What a row held when it was written, and the link before it; never changed."""

    book = models.ForeignKey(Book, models.CASCADE, related_name="links")
    number = models.PositiveIntegerField()
    #: What was done, and to what ("entry 4", "decision 17", "run 6f0c...").
    what = models.CharField(max_length=24)
    subject = models.CharField(max_length=60)
    content = models.CharField(max_length=64)
    at = models.DateTimeField()
    before = models.CharField(max_length=64, blank=True)
    hash = models.CharField(max_length=64)

    class Meta:
        ordering = ("number",)
        constraints = (models.UniqueConstraint(fields=("book", "number"), name="link_number"),)
        indexes = (models.Index(fields=("book", "subject")),)

    def __str__(self) -> str:
        return f"link {self.number} ({self.subject}, {self.what})"


class Chain(models.Model):
    """The end of a book's chain, and what its last check found; its row is locked while a link is added."""

    book = models.OneToOneField(Book, models.CASCADE, primary_key=True, related_name="chain")
    length = models.PositiveIntegerField(default=0)
    head = models.CharField(max_length=64, blank=True)
    checked_at = models.DateTimeField(null=True)
    checked_length = models.PositiveIntegerField(default=0)
    #: Sentences, one for each row or link that is not as it was sealed.
    faults = models.JSONField(default=list)
