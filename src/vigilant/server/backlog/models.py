"""Ideas that wait to be tried."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from vigilant.formats import limits
from vigilant.server.books.models import Book
from vigilant.server.entries.models import Entry
from vigilant.server.scenarios.models import Scenario


class Size(models.TextChoices):
    SMALL = "small"
    MIDDLE = "middle"
    LARGE = "large"


class Idea(models.Model):
    """A part or an idea, what it would bring at most (``most``, as the runs of ``entry`` tell it; None where nothing was
    computed), what it asks and why it is worth it."""

    class State(models.TextChoices):
        OPEN = "open"
        TRIED = "tried"
        DROPPED = "dropped"

    book = models.ForeignKey(Book, models.CASCADE, related_name="ideas")
    scenario = models.ForeignKey(Scenario, models.CASCADE, related_name="ideas")
    entry = models.ForeignKey(Entry, models.SET_NULL, null=True, related_name="ideas")
    title = models.CharField(max_length=limits.TITLE)
    #: Of a part: its arm, and each part with what share of its cost would be left.
    arm = models.CharField(max_length=10, blank=True)
    parts = models.JSONField(default=list)
    most = models.JSONField(null=True)
    core_version = models.CharField(max_length=16, blank=True)
    effort = models.CharField(max_length=8, choices=Size.choices)
    risk = models.CharField(max_length=8, choices=Size.choices)
    why = models.TextField(blank=True)
    state = models.CharField(max_length=8, choices=State.choices, default=State.OPEN)
    became = models.TextField(blank=True)
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True)
    changed_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+", null=True)
    changed_at = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ("id",)


class Allowance(models.Model):
    """So many ms of a frame for a part, on a rig or (without one) on every rig; the newest counts, older ones stay. None
    takes it back."""

    scenario = models.ForeignKey(Scenario, models.CASCADE, related_name="allowances")
    rig = models.CharField(max_length=limits.ALIAS, blank=True)
    lane = models.CharField(max_length=limits.NAME)
    path = models.JSONField()
    ms = models.FloatField(null=True)
    reason = models.TextField()
    set_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    set_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("-id",)


class CounterLimit(models.Model):
    """What a counter may be at most, or what is expected of it in a leg that is a fixed view; on a rig or on every rig, from a
    source, measured here or not. ``check_path`` is the part that sees to it, whose own cost stands beside. The newest counts,
    older ones stay; None takes it back."""

    class Kind(models.TextChoices):
        MOST = "at most"
        EXPECTED = "expected"

    scenario = models.ForeignKey(Scenario, models.CASCADE, related_name="counter_limits")
    rig = models.CharField(max_length=limits.ALIAS, blank=True)
    counter = models.CharField(max_length=limits.NAME)
    leg = models.CharField(max_length=limits.NAME, blank=True)
    kind = models.CharField(max_length=10, choices=Kind.choices)
    value = models.FloatField(null=True)
    source = models.TextField()
    measured_here = models.BooleanField(default=False)
    check_lane = models.CharField(max_length=limits.NAME, blank=True)
    check_path = models.JSONField(default=list)
    set_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    set_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("-id",)


class DecisionTable(models.Model):
    """What a book proposes next, in place of the table it began with."""

    book = models.OneToOneField(Book, models.CASCADE, related_name="decision_table")
    rules = models.JSONField(default=list)
    changed_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    changed_at = models.DateTimeField(auto_now=True)
