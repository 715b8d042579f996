"""What is recorded where: scenarios with versions, rigs, sheets of conditions, builds."""

from __future__ import annotations

from django.db import models

from vigilant.server.books.models import Book


class Scenario(models.Model):
    """A repeatable course; what may change about it lives in its versions."""

    book = models.ForeignKey(Book, models.CASCADE, related_name="scenarios")
    name = models.CharField(max_length=160)
    created_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("book", "name"), name="scenario_name_in_book"),)

    def __str__(self) -> str:
        return self.name


class ScenarioVersion(models.Model):
    """Immutable once runs exist: a change to ``definition`` makes a new version.

    ``definition``: target_fps, duration_s, warm_up_s, cool_down_s, seed, legs, settle, kind, load and the policy.
    """

    scenario = models.ForeignKey(Scenario, models.CASCADE, related_name="versions")
    number = models.PositiveIntegerField()
    target_fps = models.FloatField(null=True)
    definition = models.JSONField()
    fingerprint = models.CharField(max_length=64)
    created_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("scenario", "number"), name="scenario_version_number"),)
        indexes = (models.Index(fields=("scenario", "fingerprint")),)

    def __str__(self) -> str:
        return f"{self.scenario}, version {self.number}"


class Sheet(models.Model):
    """A sheet of key and value, known by its fingerprint."""

    book = models.ForeignKey(Book, models.CASCADE, related_name="+")
    fingerprint = models.CharField(max_length=64)
    facts = models.JSONField()

    class Meta:
        abstract = True
        constraints = (models.UniqueConstraint(fields=("book", "fingerprint"), name="%(class)s_fingerprint"),)


class Rig(Sheet):
    """A machine. The fingerprint covers alias and facts."""

    alias = models.CharField(max_length=80, blank=True)
    #: The newest timing of the calibration load: load, ms, log_error; None where none was taken.
    speed = models.JSONField(null=True)

    def __str__(self) -> str:
        return self.alias or f"unnamed rig {self.pk}"


class RigTiming(models.Model):
    """One timing of the calibration load on a rig: the median in ms, and the standard error of its logarithm."""

    rig = models.ForeignKey(Rig, models.CASCADE, related_name="timings")
    at = models.DateTimeField()
    load = models.CharField(max_length=40)
    ms = models.FloatField()
    log_error = models.FloatField()

    class Meta:
        ordering = ("at", "id")


class Conditions(Sheet):
    def __str__(self) -> str:
        return ", ".join(f"{k} {v}" for k, v in self.facts.items())


class Build(models.Model):
    """What was built: the arm's name in the plan, the revision and whether the sources were clean."""

    book = models.ForeignKey(Book, models.CASCADE, related_name="builds")
    label = models.CharField(max_length=160)
    revision = models.CharField(max_length=80, blank=True)
    kind = models.CharField(max_length=40, blank=True)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("book", "label", "revision", "kind"), name="build_in_book"),)

    def __str__(self) -> str:
        return self.label
