"""Work that goes on behind an answer: one row each, which is the truth of it; the queue only wakes workers."""

from __future__ import annotations

import uuid

from django.db import models

from vigilant.server.books.models import Book


class Job(models.Model):
    """A piece of work on one subject. While it waits or runs there is no other of its kind on that subject."""

    class State(models.TextChoices):
        WAITING = "waiting"
        RUNNING = "running"
        DONE = "done"
        FAILED = "failed"
        CANCELLED = "cancelled"

    ACTIVE = (State.WAITING, State.RUNNING)

    id = models.UUIDField(primary_key=True, default=uuid.uuid4)
    book = models.ForeignKey(Book, models.CASCADE, null=True, related_name="jobs")
    kind = models.CharField(max_length=40)
    subject = models.CharField(max_length=64)
    arguments = models.JSONField(default=dict)
    state = models.CharField(max_length=12, choices=State.choices, default=State.WAITING)
    #: Kind and subject while it is active, None after: unique, so that nothing is begun twice.
    active = models.CharField(max_length=110, null=True, unique=True)
    progress = models.FloatField(default=0.0)
    message = models.CharField(max_length=300, blank=True)
    #: Asked for again while it ran: it may have missed what is new, and is done once more.
    again = models.BooleanField(default=False)
    cancel_asked = models.BooleanField(default=False)
    attempts = models.PositiveIntegerField(default=0)
    #: Until when the worker that runs it is believed to live; it says so again and again.
    lease_until = models.DateTimeField(null=True)
    #: A job that has to wait for something is not taken up before.
    not_before = models.DateTimeField(null=True)
    result = models.JSONField(null=True)
    #: Code and detail of what stopped it.
    problem = models.JSONField(null=True)
    created_at = models.DateTimeField(auto_now_add=True)
    started_at = models.DateTimeField(null=True)
    finished_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ("-created_at",)
        indexes = (models.Index(fields=("state", "lease_until")), models.Index(fields=("kind", "subject")))

    def __str__(self) -> str:
        return f"{self.kind} {self.subject}, {self.state}"
