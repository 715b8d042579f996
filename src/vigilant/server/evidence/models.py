"""What leaves were found to say, kept so that they are read again at once."""

from __future__ import annotations

from django.db import models

from vigilant.server.entries.models import Comparison
from vigilant.server.runs.models import EXACT


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
