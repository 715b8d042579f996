"""The order of a book's builds, the runs of each, what is watched of a scenario, and alarms for newest builds."""

from __future__ import annotations

from django.conf import settings
from django.core.validators import MinValueValidator
from django.db import models

from vigilant.formats import limits
from vigilant.server.books.models import Book
from vigilant.server.database import Blob
from vigilant.server.entries.models import Entry
from vigilant.server.scenarios.models import Build, Conditions, Rig, Scenario, ScenarioVersion


class BuildPlace(models.Model):
    """The place of a build in the order of a book: ``name`` is what its runs are recorded as (the label of their build)."""

    book = models.ForeignKey(Book, models.CASCADE, related_name="build_places")
    name = models.CharField(max_length=limits.LABEL)
    place = models.PositiveIntegerField()
    made_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ("place",)
        constraints = (models.UniqueConstraint(fields=("book", "name"), name="build_place_once"),)

    def __str__(self) -> str:
        return self.name


class BuildRuns(models.Model):
    """What a line needs of the runs of one build, recorded one way (build_runs.py): ``body`` holds those that count, and was read when
    their mark was ``read_at``: it stands while they have no other, ``changed``. ``held`` where a refresh cap held most of them."""

    scenario_version = models.ForeignKey(ScenarioVersion, models.CASCADE, related_name="+")
    build = models.ForeignKey(Build, models.CASCADE, related_name="+")
    rig = models.ForeignKey(Rig, models.CASCADE, related_name="+")
    conditions = models.ForeignKey(Conditions, models.CASCADE, related_name="+")
    changed = models.PositiveBigIntegerField()
    read_at = models.PositiveBigIntegerField(null=True, db_index=True)
    body = Blob(null=True)
    held = models.BooleanField(default=False)
    broken = models.PositiveIntegerField(default=0)
    aside = models.PositiveIntegerField(default=0)

    class Meta:
        constraints = (
            models.UniqueConstraint(
                fields=("scenario_version", "build", "rig", "conditions"), name="runs_of_build_recorded_one_way"
            ),
        )
        indexes = (models.Index(fields=("scenario_version", "changed")),)


class ShortLines(models.Model):
    """A scenario's lines in short as a page tells them (short.py), and a digest of what they were made of: they stand while it is the same."""

    scenario = models.OneToOneField(Scenario, models.CASCADE, primary_key=True, related_name="+")
    made_of = models.CharField(max_length=32)
    lines = models.JSONField()


class Following(models.Model):
    """How closely a scenario is followed: one false alarm in so many builds of a line, and how many days apart it is to be recorded
    again (None: whenever somebody does)."""

    scenario = models.OneToOneField(Scenario, models.CASCADE, related_name="following")
    false_alarm_in = models.PositiveIntegerField(default=200, validators=[MinValueValidator(1)])
    recheck_days = models.PositiveIntegerField(null=True)


class Alarm(models.Model):
    """A build that left its line, as of the session that said so. It stays open until a second session withdraws it, or somebody explains
    it. ``figures`` are those that left, each with its difference on the figure's scale; ``later`` what newer builds said of the level."""

    class State(models.TextChoices):
        ASKED = "asked"
        CONFIRMED = "confirmed"
        WITHDRAWN = "withdrawn"
        EXPLAINED = "explained"

    scenario = models.ForeignKey(Scenario, models.CASCADE, related_name="alarms")
    rig = models.ForeignKey(Rig, models.CASCADE, related_name="alarms")
    build = models.CharField(max_length=limits.LABEL)
    setup = models.CharField(max_length=64)
    state = models.CharField(max_length=12, choices=State.choices, default=State.ASKED)
    figures = models.JSONField()
    later = models.JSONField(default=list)
    raised_at = models.DateTimeField()
    changed_at = models.DateTimeField()
    why = models.TextField(blank=True)
    explained_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, null=True, related_name="+")
    entry = models.ForeignKey(Entry, models.SET_NULL, null=True, related_name="+")

    class Meta:
        ordering = ("-id",)
        indexes = (models.Index(fields=("scenario", "state")),)

    #: Those that wait for an answer.
    OPEN = (State.ASKED, State.CONFIRMED)

    def __str__(self) -> str:
        return f"{self.build} on {self.rig}: {self.state}"
