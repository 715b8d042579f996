"""Recordings, their slots, runs and the frames of runs."""

from __future__ import annotations

import uuid
from typing import Any

from django.conf import settings
from django.db import models
from django.utils import timezone

from vigilant.plan import account_of
from vigilant.server.books.models import Book
from vigilant.server.database import Blob
from vigilant.server.scenarios.models import Build, Conditions, Rig, ScenarioVersion

#: Columns' names are the subject's: two that differ in a space at the end are two.
EXACT = "utf8mb4_nopad_bin"


class ArmLabel(models.TextChoices):
    """The two sides of a comparison. A slot's arm may also be "after 2" ... or "empty"."""

    BEFORE = "before"
    AFTER = "after"


class Outcome(models.TextChoices):
    PLANNED = "planned"
    COMPLETE = "complete"
    CRASHED = "crashed"
    HUNG = "hung"
    WRONG_EXIT = "wrong exit"
    BROKEN = "broken"
    SKIPPED = "skipped"


class Recording(models.Model):
    """One plan, carried out; ``completed_at`` is set when all of it was delivered.

    A recording planned here has neither rig nor order until a recorder takes it. ``control`` is what
    the Bench screen asks of the recorder, ``asked_of`` the recorder that is to start it.
    """

    class State(models.TextChoices):
        PLANNED = "planned"
        RECORDING = "recording"
        FINISHED = "finished"
        REFUSED = "refused"

    class Control(models.TextChoices):
        RUN = "run"
        PAUSE = "pause"
        SKIP = "skip"
        STOP = "stop"
        END = "end"

    id = models.UUIDField(primary_key=True, default=uuid.uuid4)
    book = models.ForeignKey(Book, models.CASCADE, related_name="recordings")
    scenario_version = models.ForeignKey(ScenarioVersion, models.PROTECT, related_name="recordings")
    rig = models.ForeignKey(Rig, models.PROTECT, null=True, related_name="+")
    state = models.CharField(max_length=12, choices=State.choices, default=State.RECORDING)
    control = models.CharField(max_length=8, choices=Control.choices, default=Control.RUN)
    asked_of = models.CharField(max_length=80, blank=True)
    #: Who asked for it here; nobody where a recorder brought it.
    planned_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True, related_name="+")
    remark = models.TextField(blank=True)
    stopped = models.BooleanField(default=False)
    #: What each look of a recording that goes on until decided was tested at, and what it said.
    looks = models.JSONField(default=list)
    #: Marks asked for on the Bench in a run played by hand: name and when.
    marks_asked = models.JSONField(default=list)
    plan = models.JSONField()
    #: What comes of it where that is no entry (plan.account_of), so that lists ask the database.
    account = models.CharField(max_length=12, blank=True)
    conditions = models.JSONField(default=dict)
    order_seed = models.BigIntegerField(null=True)
    created_at = models.DateTimeField()
    received_at = models.DateTimeField(auto_now_add=True)
    completed_at = models.DateTimeField(null=True)

    def __str__(self) -> str:
        return f"{self.scenario_version}, {self.created_at:%Y-%m-%d %H:%M}"

    def save(self, *args: Any, **kwargs: Any) -> None:
        written = kwargs.get("update_fields")
        if written is None or "plan" in written:
            self.account = account_of(self.plan) if isinstance(self.plan, dict) else ""
            if written is not None:
                kwargs["update_fields"] = {*written, "account"}
        super().save(*args, **kwargs)

    def asked(self, table: str) -> dict[str, Any]:
        """A table of the plan; empty where the plan has none, or a row of old holds something else there."""
        found = self.plan.get(table) if isinstance(self.plan, dict) else None
        return found if isinstance(found, dict) else {}

    @property
    def title(self) -> str:
        """What its plan says is asked; "" where it says nothing."""
        return str(self.asked("entry").get("title") or "")

    @property
    def entry_number(self) -> int | None:
        """The entry it was planned for."""
        number = self.asked("entry").get("number")
        return number if isinstance(number, int) else None


class Run(models.Model):
    """One recorded repetition. It belongs to no arm by itself."""

    class State(models.TextChoices):
        RECEIVING = "receiving"
        CLOSING = "closing"
        COMPLETE = "complete"
        BROKEN = "broken"

    id = models.UUIDField(primary_key=True, default=uuid.uuid4)
    book = models.ForeignKey(Book, models.CASCADE, related_name="runs")
    scenario_version = models.ForeignKey(ScenarioVersion, models.PROTECT, related_name="runs")
    rig = models.ForeignKey(Rig, models.PROTECT, related_name="runs")
    conditions = models.ForeignKey(Conditions, models.PROTECT, related_name="runs")
    build = models.ForeignKey(Build, models.PROTECT, related_name="runs")
    state = models.CharField(max_length=12, choices=State.choices, default=State.RECEIVING)
    outcome = models.CharField(max_length=12, choices=Outcome.choices)
    detail = models.TextField(blank=True)
    output_tail = models.TextField(blank=True)
    head = models.JSONField(null=True)
    started_at = models.DateTimeField(null=True)
    received_at = models.DateTimeField(auto_now_add=True)
    next_batch = models.PositiveIntegerField(default=0)
    frames = models.PositiveBigIntegerField(default=0)
    seconds = models.FloatField(default=0.0)
    #: Where the stream stands after the batches that came (formats.frames.StreamState).
    stream = models.JSONField(default=dict)
    #: When something of the run last arrived, and the outcome it had when it was given up for silence.
    reached_at = models.DateTimeField(default=timezone.now)
    given_up = models.CharField(max_length=12, choices=Outcome.choices, blank=True)
    #: What else its stream said: ``figures`` of the whole run, ``stated_s``, ``zero_frames``, lines ``skipped``.
    noted = models.JSONField(default=dict)
    #: What the recorder measured meanwhile: shares of one core, degrees, MHz (docs/formats.md).
    measured = models.JSONField(default=dict)
    marks = models.JSONField(default=list)
    #: A run set aside stays to be looked at and enters no arm from then on.
    excluded_at = models.DateTimeField(null=True)
    excluded_why = models.TextField(blank=True)
    excluded_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, null=True, related_name="+")
    #: When its frames went, by a rule of the book; its figures stay.
    thinned_at = models.DateTimeField(null=True)

    class Meta:
        indexes = (
            models.Index(fields=("book", "-started_at")),
            # Of several books the newest come first without a sort, too.
            models.Index(fields=("-started_at", "id")),
            models.Index(fields=("state", "reached_at")),
            models.Index(fields=("scenario_version", "state", "started_at")),
            models.Index(fields=("rig", "started_at")),
        )

    def __str__(self) -> str:
        return f"run {self.id}"


class ThinningRule(models.Model):
    """After how many days the frames of a book's runs go that no entry rests on; None: never."""

    book = models.OneToOneField(Book, models.CASCADE, related_name="thinning_rule")
    aside_days = models.PositiveIntegerField(null=True)
    old_days = models.PositiveIntegerField(null=True)
    changed_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, null=True, related_name="+")
    applied_at = models.DateTimeField(null=True)

    def __str__(self) -> str:
        said = [
            f"{what} go after {days} days"
            for what, days in (
                ("frames of runs set aside", self.aside_days),
                ("of runs that no entry rests on", self.old_days),
            )
            if days is not None
        ]
        return ", ".join(said) or "frames are kept"


class Slot(models.Model):
    """One attempt at one place of a recording's schedule."""

    recording = models.ForeignKey(Recording, models.CASCADE, related_name="slots")
    position = models.PositiveIntegerField()
    attempt = models.PositiveIntegerField(default=1)
    arm = models.CharField(max_length=12)
    run_uuid = models.UUIDField()
    run = models.OneToOneField(Run, models.SET_NULL, null=True, related_name="slot")
    outcome = models.CharField(max_length=12, choices=Outcome.choices, default=Outcome.PLANNED)
    detail = models.TextField(blank=True)

    class Meta:
        ordering = ("position", "attempt")
        constraints = (models.UniqueConstraint(fields=("recording", "position", "attempt"), name="slot_attempt"),)


class RunBatch(models.Model):
    """A batch as received, kept until the run is complete and stored in columns."""

    run = models.ForeignKey(Run, models.CASCADE, related_name="batches")
    number = models.PositiveIntegerField()
    digest = models.CharField(max_length=64)
    body = Blob(null=True)

    class Meta:
        ordering = ("number",)
        constraints = (models.UniqueConstraint(fields=("run", "number"), name="batch_number"),)


class RunColumn(models.Model):
    """A column of a run's frames: its values lie in chunks and levels under :attr:`key`."""

    class Kind(models.TextChoices):
        FRAME = "frame"
        LANE = "lane"
        COUNTER = "counter"

    run = models.ForeignKey(Run, models.CASCADE, related_name="columns")
    place = models.PositiveIntegerField()
    kind = models.CharField(max_length=8, choices=Kind.choices)
    path = models.CharField(max_length=110, blank=True, db_collation=EXACT)
    #: One of core.series.LANE_ROLES; "" where none was given.
    role = models.CharField(max_length=12, blank=True)
    unit = models.CharField(max_length=8, blank=True)
    #: How many values are missing, stale or below the resolution, by state.
    gaps = models.JSONField(default=dict)

    class Meta:
        ordering = ("place",)
        constraints = (models.UniqueConstraint(fields=("run", "kind", "path"), name="column_of_run"),)

    @property
    def key(self) -> str:
        return f"{self.kind}:{self.path}" if self.path else self.kind


class RunPart(models.Model):
    """A named piece of a run's work with what it took in all; ``number`` is what its rows call it."""

    run = models.ForeignKey(Run, models.CASCADE, related_name="parts")
    number = models.PositiveIntegerField()
    path = models.JSONField()
    lane = models.CharField(max_length=110, blank=True, db_collation=EXACT)
    ms = models.FloatField()
    calls = models.PositiveBigIntegerField()
    #: Standard error of ``ms``, where samples were counted.
    error_ms = models.FloatField(null=True)
    #: What it is about, across lanes; "" where it was not said.
    kind = models.CharField(max_length=110, blank=True, db_collation=EXACT)

    class Meta:
        ordering = ("number",)
        constraints = (models.UniqueConstraint(fields=("run", "number"), name="part_of_run"),)


class PartChunk(models.Model):
    """Up to 65,536 rows of parts a frame at a time, of frames ``first_frame`` to ``last_frame`` (codec.encode_parts)."""

    run = models.ForeignKey(Run, models.CASCADE, related_name="part_chunks")
    number = models.PositiveIntegerField()
    first_frame = models.PositiveBigIntegerField()
    last_frame = models.PositiveBigIntegerField()
    count = models.PositiveIntegerField()
    checksum = models.CharField(max_length=64)
    body = Blob()

    class Meta:
        ordering = ("number",)
        constraints = (models.UniqueConstraint(fields=("run", "number"), name="part_chunk_number"),)


class FrameChunk(models.Model):
    """Up to 65,536 values of one column, exact. ``start_ms`` is the time its first frame starts."""

    run = models.ForeignKey(Run, models.CASCADE, related_name="chunks")
    column = models.CharField(max_length=120, db_collation=EXACT)
    number = models.PositiveIntegerField()
    count = models.PositiveIntegerField()
    start_ms = models.FloatField()
    codec = models.CharField(max_length=24)
    checksum = models.CharField(max_length=64)
    body = Blob()

    class Meta:
        ordering = ("number",)
        constraints = (models.UniqueConstraint(fields=("run", "column", "number"), name="chunk_number"),)


class TraceLevel(models.Model):
    """Minimum, maximum and mean of a column over every ``step`` frames, as three rows of float64,
    and for the frame column a fourth: the time in ms at which each group starts."""

    run = models.ForeignKey(Run, models.CASCADE, related_name="levels")
    column = models.CharField(max_length=120, db_collation=EXACT)
    step = models.PositiveIntegerField()
    count = models.PositiveIntegerField()
    body = Blob()

    class Meta:
        constraints = (models.UniqueConstraint(fields=("run", "column", "step"), name="level_step"),)


class Still(models.Model):
    """A picture taken in a run, as it came; ``frame`` where one was named. A picture of cost shows no view; one of a
    ``sequence`` is one of several that show short motion."""

    class Shows(models.TextChoices):
        VIEW = "view"
        COST = "cost"

    run = models.ForeignKey(Run, models.CASCADE, related_name="stills")
    name = models.CharField(max_length=100, db_collation=EXACT)
    leg = models.CharField(max_length=120, blank=True, db_collation=EXACT)
    frame = models.PositiveBigIntegerField(null=True)
    shows = models.CharField(max_length=4, choices=Shows.choices, default=Shows.VIEW)
    sequence = models.CharField(max_length=120, blank=True, db_collation=EXACT)
    kind = models.CharField(max_length=20)
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    digest = models.CharField(max_length=64)
    body = Blob()
    received_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("frame", "id")
        constraints = (models.UniqueConstraint(fields=("run", "name"), name="still_of_run"),)


class RunFigures(models.Model):
    """The core's figures of a run, with its version."""

    run = models.OneToOneField(Run, models.CASCADE, primary_key=True, related_name="figures")
    core_version = models.CharField(
        max_length=16, db_index=True
    )  # what an earlier core made is looked for every few seconds
    target_fps = models.FloatField(null=True)
    values = models.JSONField()
    stutters = models.JSONField(default=list)


class FigureValue(models.Model):
    """One figure of a run, over the whole of its play (``leg`` "") or one leg of it, so that lists, lines over
    builds and filters ask the database. Figures that a run does not have have no row."""

    run = models.ForeignKey(Run, models.CASCADE, related_name="figure_values")
    leg = models.CharField(max_length=120, blank=True, db_collation=EXACT)
    figure = models.CharField(max_length=40)
    value = models.FloatField()
    core_version = models.CharField(max_length=16)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("run", "leg", "figure"), name="figure_of_leg"),)
        indexes = (models.Index(fields=("figure", "value")),)
