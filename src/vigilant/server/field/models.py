"""Sessions as devices sent them, and what they add up to.

A session's newest snapshot is a row; counting it into the roll-ups replaces what of it was counted before (``folding``), so that the
roll-ups are what a recount of all sessions gives, whatever was sent twice, late or in another order. Every roll-up is known by a digest of
what it is of (``key``).
"""

from __future__ import annotations

from django.conf import settings
from django.db import models

from vigilant.formats import limits
from vigilant.server.books.models import Book, RecorderToken
from vigilant.server.database import Blob


class FieldSettings(models.Model):
    """What a book asks of its field: the late share that no class may be over."""

    #: Late shares that may be asked for, and by which sessions are counted one by one.
    GOALS = (0.001, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.2)

    book = models.OneToOneField(Book, models.CASCADE, related_name="field_settings")
    goal = models.FloatField(default=0.01)


class ClassTable(models.Model):
    """How devices are sorted into classes, from a version on: the first rule that fits. One that none fits is of the class its program
    names, else *other*. A session stays in the class it began in."""

    book = models.ForeignKey(Book, models.CASCADE, related_name="class_tables")
    version = models.PositiveIntegerField()
    rules = models.JSONField()
    made_at = models.DateTimeField(auto_now_add=True)
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True, related_name="+")

    class Meta:
        ordering = ("-version",)
        constraints = (models.UniqueConstraint(fields=("book", "version"), name="class_table_version_once"),)


class Term(models.Model):
    """A build, class, place, tier, model or label that sessions name, once; ``facts`` are a tier's settings, or what a model said of
    itself first."""

    class Kind(models.TextChoices):
        BUILD = "build"
        CLASS = "class"
        PLACE = "place"
        TIER = "tier"
        MODEL = "model"
        LABEL = "label"

    book = models.ForeignKey(Book, models.CASCADE, related_name="field_terms")
    kind = models.CharField(max_length=8, choices=Kind.choices)
    name = models.CharField(max_length=limits.LABEL)
    facts = models.JSONField(default=dict)
    digest = models.CharField(max_length=32)
    first_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("book", "kind", "digest"), name="term_once"),)

    def __str__(self) -> str:
        return self.name


class Session(models.Model):
    """One start of the program to its end, as the newest upload tells it. ``counted`` is what of it the roll-ups hold while something newer
    waits (``waits``); without anything waiting they hold ``sent``."""

    book = models.ForeignKey(Book, models.CASCADE, related_name="field_sessions")
    session = models.UUIDField()
    seq = models.PositiveIntegerField()
    digest = models.CharField(max_length=32)
    #: Sent by one of the team's own devices (the key says so): counted apart, without least numbers.
    own = models.BooleanField()
    first_day = models.DateField()
    received_at = models.DateTimeField()
    ended = models.CharField(max_length=12, blank=True)
    sent = Blob()
    #: How it had ended when it was counted; with ``counted``.
    counted = Blob(null=True)
    counted_ended = models.CharField(max_length=12, blank=True)
    waits = models.BooleanField(default=True)
    #: The class it was sorted into when it was first counted.
    sorted_as = models.ForeignKey(Term, models.RESTRICT, null=True, related_name="+")
    build = models.ForeignKey(Term, models.RESTRICT, null=True, related_name="+")
    model = models.ForeignKey(Term, models.RESTRICT, null=True, related_name="+")
    #: What the newest upload came by.
    key = models.ForeignKey(RecorderToken, models.SET_NULL, null=True, related_name="+")

    class Meta:
        constraints = (models.UniqueConstraint(fields=("book", "session"), name="field_session_once"),)
        indexes = (
            models.Index(fields=("waits", "book")),
            models.Index(fields=("ended", "received_at")),
            models.Index(fields=("received_at",)),
            models.Index(fields=("build", "sorted_as")),
        )


class Refused(models.Model):
    """Uploads that were turned away, by day and reason."""

    book = models.ForeignKey(Book, models.CASCADE, related_name="+")
    day = models.DateField()
    why = models.CharField(max_length=20)
    count = models.PositiveIntegerField(default=0)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("book", "day", "why"), name="field_refused_once"),)


class RollUp(models.Model):
    """A sum over sessions. ``week`` is the Monday of the week that they began in; None for the same over all weeks, which is what is read as
    a rule: how many rows that are does not grow with sessions or weeks."""

    key = models.CharField(max_length=32, unique=True)
    book = models.ForeignKey(Book, models.CASCADE, related_name="+")
    own = models.BooleanField()
    week = models.DateField(null=True)
    build = models.ForeignKey(Term, models.RESTRICT, related_name="+")
    sorted_as = models.ForeignKey(Term, models.RESTRICT, related_name="+")

    class Meta:
        abstract = True


class Played(RollUp):
    """Frames of one group of installations in one place at one tier, with their buckets, and those of their work times where told.
    ``free_frames`` are of sessions that were not held at a refresh."""

    tier = models.ForeignKey(Term, models.RESTRICT, related_name="+")
    place = models.ForeignKey(Term, models.RESTRICT, related_name="+")
    group = models.PositiveSmallIntegerField()
    frames = models.BigIntegerField(default=0)
    late = models.BigIntegerField(default=0)
    late_processor = models.BigIntegerField(default=0)
    late_graphics = models.BigIntegerField(default=0)
    free_frames = models.BigIntegerField(default=0)
    work_frames = models.BigIntegerField(default=0)
    sum_ms = models.FloatField(default=0.0)
    late_ms = models.FloatField(default=0.0)
    play_s = models.FloatField(default=0.0)
    work_ms = models.FloatField(default=0.0)
    max_ms = models.FloatField(default=0.0)
    work_max_ms = models.FloatField(default=0.0)
    buckets = Blob()
    work_buckets = Blob()

    class Meta:
        indexes = (models.Index(fields=("book", "own", "build", "week", "sorted_as")),)


class Seen(RollUp):
    """Sessions and installations that were seen: over all tiers or places where these are None. ``installations`` is a bit of 1,024 for
    each, by its hash: those that are set are never more than there are. ``over`` are sessions whose late share was over each goal, ``ended``
    those that ended in each way (both only over all tiers and places)."""

    tier = models.ForeignKey(Term, models.RESTRICT, null=True, related_name="+")
    place = models.ForeignKey(Term, models.RESTRICT, null=True, related_name="+")
    sessions = models.BigIntegerField(default=0)
    held = models.BigIntegerField(default=0)
    held_untold = models.BigIntegerField(default=0)
    over = models.JSONField(default=list)
    ended = models.JSONField(default=dict)
    installations = models.BinaryField(max_length=128)

    class Meta:
        indexes = (models.Index(fields=("book", "own", "build", "week", "sorted_as")),)


class OfModel(RollUp):
    """What was played on one model at one tier, in one place or (None) in all, with the sums of squares over its sessions that its own
    spread is told by. ``free`` frames were not held at a refresh, or are work times."""

    model = models.ForeignKey(Term, models.RESTRICT, related_name="+")
    tier = models.ForeignKey(Term, models.RESTRICT, related_name="+")
    place = models.ForeignKey(Term, models.RESTRICT, null=True, related_name="+")
    sessions = models.BigIntegerField(default=0)
    frames = models.BigIntegerField(default=0)
    late = models.BigIntegerField(default=0)
    free_frames = models.BigIntegerField(default=0)
    frames_squared = models.FloatField(default=0.0)
    frames_late = models.FloatField(default=0.0)
    late_squared = models.FloatField(default=0.0)
    play_s = models.FloatField(default=0.0)
    free_ms = models.FloatField(default=0.0)
    installations = models.BinaryField(max_length=128)

    class Meta:
        indexes = (models.Index(fields=("book", "own", "build", "week", "model")),)


class LabelledSeconds(RollUp):
    """Seconds with exactly one set of the build's labels (a bit each, in the order of their terms): ``by_group`` are seconds, frames and late
    frames of each group of installations (3 x 32)."""

    tier = models.ForeignKey(Term, models.RESTRICT, related_name="+")
    place = models.ForeignKey(Term, models.RESTRICT, related_name="+")
    labels = models.PositiveSmallIntegerField()
    by_group = Blob()

    class Meta:
        indexes = (models.Index(fields=("book", "own", "build", "week", "sorted_as")),)


class AfterBursts(RollUp):
    """Seconds, and endings by the person or without a word, that a late burst was shortly before: now only, and half a minute earlier only."""

    place = models.ForeignKey(Term, models.RESTRICT, related_name="+")
    minutes = models.PositiveSmallIntegerField()
    ended_now = models.BigIntegerField(default=0)
    ended_then = models.BigIntegerField(default=0)
    now = models.BigIntegerField(default=0)
    then = models.BigIntegerField(default=0)

    class Meta:
        indexes = (models.Index(fields=("book", "own", "build", "week", "sorted_as")),)


class TierMove(models.Model):
    """What was decided about a class's tier: it was moved, or it stays for a reason."""

    book = models.ForeignKey(Book, models.CASCADE, related_name="tier_moves")
    sorted_as = models.ForeignKey(Term, models.RESTRICT, related_name="+")
    build = models.ForeignKey(Term, models.RESTRICT, related_name="+")
    #: The level it was at, and the one it was moved to; the same where it stays.
    level = models.PositiveSmallIntegerField()
    to_level = models.PositiveSmallIntegerField()
    #: The late share it had then.
    share = models.FloatField()
    why = models.TextField()
    at = models.DateTimeField(auto_now_add=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")

    class Meta:
        ordering = ("-id",)


class OtherStream(models.Model):
    """Histograms that another sender reports by OTLP, in their own bounds: all that was new so far (``buckets``), and what a cumulative stream
    had counted at ``time_ns`` (``so_far``)."""

    key = models.CharField(max_length=32, unique=True)
    book = models.ForeignKey(Book, models.CASCADE, related_name="+")
    own = models.BooleanField()
    build = models.CharField(max_length=limits.LABEL)
    metric = models.CharField(max_length=limits.NAME)
    about = models.JSONField()
    start_ns = models.PositiveBigIntegerField(null=True)
    time_ns = models.PositiveBigIntegerField(null=True)
    buckets = models.JSONField()
    so_far = models.JSONField()


#: Every kind of roll-up.
ROLL_UPS: tuple[type[RollUp], ...] = (Played, Seen, OfModel, LabelledSeconds, AfterBursts)
