"""What leaves were found to say, kept so that they are read again at once."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from vigilant.formats import limits
from vigilant.server.entries.models import Comparison, Entry
from vigilant.server.runs.models import EXACT, ArmLabel
from vigilant.server.scenarios.models import Scenario


class Found(models.Model):
    """The document of a leaf, as the core named made it of the comparison's runs; ``asked`` is what it was asked by."""

    comparison = models.ForeignKey(Comparison, models.CASCADE, related_name="evidence")
    leaf = models.CharField(max_length=20)
    asked = models.CharField(max_length=120, blank=True, db_collation=EXACT)
    core_version = models.CharField(max_length=16)
    fingerprint = models.CharField(max_length=64)
    document = models.JSONField()
    made_at = models.DateTimeField(auto_now=True)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("comparison", "leaf", "asked"), name="leaf_once"),)


class StillMask(models.Model):
    """A part of a still that may differ: a rectangle in shares of the picture, for every entry of the scenario."""

    scenario = models.ForeignKey(Scenario, models.CASCADE, related_name="still_masks")
    leg = models.CharField(max_length=120, blank=True, db_collation=EXACT)
    name = models.CharField(max_length=100, db_collation=EXACT)
    left = models.FloatField()
    top = models.FloatField()
    width = models.FloatField()
    height = models.FloatField()
    why = models.CharField(max_length=limits.TITLE)
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("id",)


class StillRuling(models.Model):
    """What somebody saw in the pictures of a still, or of a ``whole`` sequence; the newest counts, older ones stay."""

    class State(models.TextChoices):
        SAME = "same"
        CHANGED = "changed"

    comparison = models.ForeignKey(Comparison, models.CASCADE, related_name="still_rulings")
    leg = models.CharField(max_length=120, blank=True, db_collation=EXACT)
    #: A still's name or a sequence's.
    name = models.CharField(max_length=120, db_collation=EXACT)
    whole = models.BooleanField(default=False)
    state = models.CharField(max_length=8, choices=State.choices)
    why = models.TextField()
    ruled_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    ruled_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("-id",)


class BlindTrial(models.Model):
    """Which of both arms looks smoother, asked without saying which is which. ``sides`` are those of *after*, drawn by
    ``seed``; ``looked_for`` is the arm that the runs say is better."""

    entry = models.ForeignKey(Entry, models.CASCADE, related_name="trials")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    seed = models.BigIntegerField()
    from_s = models.FloatField()
    to_s = models.FloatField()
    sides = models.JSONField()
    answers = models.JSONField(default=list)
    looked_for = models.CharField(max_length=12, choices=ArmLabel.choices)
    begun_at = models.DateTimeField(auto_now_add=True)
    ended_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ("-id",)
