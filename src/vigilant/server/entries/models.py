"""Comparisons of stored runs, the ledger's entries and their decisions."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from django.utils import timezone

from vigilant.server.books.models import Book
from vigilant.server.runs.models import ArmLabel, Recording, Run
from vigilant.server.scenarios.models import Rig, Scenario, ScenarioVersion


class Comparison(models.Model):
    """Two arms of stored runs and the full result, with the core's version and the inputs' digest."""

    class Verdict(models.TextChoices):
        GAIN = "gain"
        REGRESSION = "regression"
        TRADE_OFF = "trade-off"
        NO_MATERIAL_CHANGE = "no material change"
        UNDECIDED = "undecided"
        VOID = "void"

    book = models.ForeignKey(Book, models.CASCADE, related_name="comparisons")
    scenario_version = models.ForeignKey(ScenarioVersion, models.PROTECT, related_name="+")
    rig = models.ForeignKey(Rig, models.PROTECT, related_name="+")
    recording = models.ForeignKey(Recording, models.SET_NULL, null=True, related_name="comparisons")
    #: The job that compared stored runs, so that it makes one entry however often it is done.
    made_by = models.UUIDField(null=True, unique=True)
    order = models.JSONField(null=True)
    verdict = models.CharField(max_length=24, choices=Verdict.choices)
    #: Numbers alone (core.stored, and what this server adds); every sentence is made when it is read.
    result = models.JSONField()
    #: The few numbers of ``result`` that a ledger line needs, so that a thousand lines do not read a
    #: thousand whole results (ledger_line.py).
    ledger_line = models.JSONField()
    #: One build recorded as both arms.
    blank = models.BooleanField(default=False)
    core_version = models.CharField(
        max_length=16, db_index=True
    )  # what an earlier core made is looked for every few seconds
    fingerprint = models.CharField(max_length=64)
    created_at = models.DateTimeField(auto_now_add=True)


class EarlierResult(models.Model):
    """What an earlier core made of a comparison's runs; kept when they were computed anew."""

    comparison = models.ForeignKey(Comparison, models.CASCADE, related_name="earlier")
    core_version = models.CharField(max_length=16)
    verdict = models.CharField(max_length=24, choices=Comparison.Verdict.choices)
    result = models.JSONField()
    replaced_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("-id",)


class ComparisonArm(models.Model):
    comparison = models.ForeignKey(Comparison, models.CASCADE, related_name="arms")
    label = models.CharField(max_length=12, choices=ArmLabel.choices)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("comparison", "label"), name="arm_label"),)


class ComparisonRun(models.Model):
    """A run in an arm; ``position`` is its slot in the recorded order, or its place in the arm."""

    arm = models.ForeignKey(ComparisonArm, models.CASCADE, related_name="runs")
    run = models.ForeignKey(Run, models.PROTECT, related_name="comparison_runs")
    position = models.PositiveIntegerField()

    class Meta:
        ordering = ("position",)
        constraints = (models.UniqueConstraint(fields=("arm", "run"), name="run_once_an_arm"),)


class Entry(models.Model):
    """One change in the ledger. What is expected is locked when the first run arrives."""

    book = models.ForeignKey(Book, models.CASCADE, related_name="entries")
    number = models.PositiveIntegerField()
    title = models.CharField(max_length=200)
    why = models.TextField(blank=True)
    expected = models.TextField(blank=True)
    locked_at = models.DateTimeField(null=True)
    after_the_fact = models.BooleanField(default=False)
    comparison = models.OneToOneField(Comparison, models.SET_NULL, null=True, related_name="entry")
    created_at = models.DateTimeField(auto_now_add=True)
    recorded_at = models.DateTimeField(null=True)
    #: An entry that was a mistake stays to be read, moves nothing and is not counted.
    withdrawn_at = models.DateTimeField(null=True)
    withdrawn_why = models.TextField(blank=True)
    withdrawn_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, null=True, related_name="+")
    #: What people add to it at any time; neither sealed nor part of what is shown by the runs.
    note = models.TextField(blank=True)

    class Meta:
        ordering = ("-number",)
        constraints = (models.UniqueConstraint(fields=("book", "number"), name="entry_number"),)

    def __str__(self) -> str:
        return f"{self.number}. {self.title}"


class EntryLabel(models.Model):
    """A word that entries are filed under."""

    entry = models.ForeignKey(Entry, models.CASCADE, related_name="labels")
    name = models.CharField(max_length=40)

    class Meta:
        ordering = ("name",)
        constraints = (models.UniqueConstraint(fields=("entry", "name"), name="label_once"),)
        indexes = (models.Index(fields=("name",)),)


class EntryReference(models.Model):
    """How an entry stands to another of its book."""

    class Relation(models.TextChoices):
        SUPERSEDES = "supersedes"
        REPEATS = "repeats"
        DEPENDS_ON = "depends on"

    entry = models.ForeignKey(Entry, models.CASCADE, related_name="references")
    other = models.ForeignKey(Entry, models.CASCADE, related_name="referred_by")
    relation = models.CharField(max_length=12, choices=Relation.choices)

    class Meta:
        ordering = ("relation", "other__number")
        constraints = (models.UniqueConstraint(fields=("entry", "other", "relation"), name="reference_once"),)


class Balance(models.Model):
    """Where a line (a scenario on a rig) stands after one of its entries, and the gap before it.

    Kept by ``balance.rebalance`` whenever an entry of the line is recorded, decided or computed anew. What lists are ordered and counted
    by stands here too, so that one index answers.
    """

    entry = models.OneToOneField(Entry, models.CASCADE, primary_key=True, related_name="balance")
    book = models.ForeignKey(Book, models.CASCADE, related_name="+")
    recorded_at = models.DateTimeField(null=True)
    #: Neither a blank test nor withdrawn.
    shown = models.BooleanField(default=True)
    #: The one that counts.
    decision = models.ForeignKey("Decision", models.SET_NULL, null=True, related_name="+")
    scenario = models.ForeignKey(Scenario, models.CASCADE, related_name="+")
    rig = models.ForeignKey(Rig, models.CASCADE, related_name="+")
    #: The entry whose level stands; None while no entry of the line is decided.
    stands = models.ForeignKey(Entry, models.SET_NULL, null=True, related_name="+")
    mean_ms = models.FloatField(null=True)
    slowest_1pct_ms = models.FloatField(null=True)
    late_share = models.FloatField(null=True)
    stutters_per_min = models.FloatField(null=True)
    unaccounted_ms = models.FloatField(null=True)
    unaccounted_since = models.PositiveIntegerField(null=True)

    class Meta:
        indexes = (
            # Its newest entries, and which of them have a level, without a sort.
            models.Index(fields=("scenario", "rig", "shown", "recorded_at", "entry", "mean_ms")),
            models.Index(fields=("book", "scenario", "rig")),
            models.Index(fields=("book", "shown", "decision")),
            models.Index(fields=("book", "shown", "recorded_at")),
        )


class Decision(models.Model):
    """What was decided of an entry; the newest counts, older ones stay."""

    class Choice(models.TextChoices):
        KEPT = "kept"
        DROPPED = "dropped"
        MORE_RUNS = "more runs"
        RECORD_AGAIN = "record again"

    class Expectation(models.TextChoices):
        """What became of what the entry expected; blank where nobody marked it."""

        SUPPORTED = "supported"
        EXCEEDED = "exceeded"
        NOT_SUPPORTED = "not supported"
        UNDECIDED = "undecided"

    entry = models.ForeignKey(Entry, models.CASCADE, related_name="decisions")
    expectation = models.CharField(max_length=16, choices=Expectation.choices, blank=True)
    choice = models.CharField(max_length=16, choices=Choice.choices)
    why = models.TextField(blank=True)
    #: What the decision presupposes: it holds only if this does.
    only_if = models.TextField(blank=True)
    decided_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    decided_at = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ("-id",)


class Correction(models.Model):
    """What an entry said before somebody corrected it; nothing is written over without a trace."""

    entry = models.ForeignKey(Entry, models.CASCADE, related_name="corrections")
    title = models.CharField(max_length=200)
    why = models.TextField(blank=True)
    expected = models.TextField(blank=True)
    corrected_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    corrected_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("-id",)
