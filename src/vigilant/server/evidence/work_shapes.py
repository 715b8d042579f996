"""What the leaves of late frames and of bounds look like over HTTP."""

from __future__ import annotations

from collections.abc import Sequence

from rest_framework import serializers

from vigilant.formats import limits
from vigilant.server.fields import Number
from vigilant.server.jobs.api import JobSerializer
from vigilant.server.problems import unprocessable

from .arm_work import ARMS
from .free_leaf import MOST_TOGETHER
from .shapes import RowChangeSerializer

#: The gains that parts are ranked by.
BY = ("mean_ms", "p99_ms", "late")


def asked_of(text: str, known: Sequence[str], name: str) -> str:
    """One of a few words. Raises a problem for another."""
    if text not in known:
        raise unprocessable(f"{name}-unknown", f"{name} is one of {', '.join(known)}; got {text[:40]!r}.")
    return text


class ExcessWordsSerializer(serializers.Serializer):
    ms = serializers.CharField()
    share = serializers.CharField()
    interval = serializers.CharField(allow_blank=True)
    net = serializers.CharField(allow_blank=True)
    main = serializers.CharField(allow_blank=True)


class ExcessRowSerializer(serializers.Serializer):
    """A row of the account: its share of all that the frames have more than those around them, 0..1."""

    name = serializers.CharField()
    lane = serializers.CharField(allow_blank=True)
    path = serializers.ListField(child=serializers.CharField())
    kind = serializers.CharField()
    depth = serializers.IntegerField()
    ms = serializers.FloatField()
    share = serializers.FloatField()
    half = serializers.FloatField(allow_null=True)
    net = serializers.FloatField()
    main = serializers.IntegerField()
    words = ExcessWordsSerializer()


class LateLegSerializer(serializers.Serializer):
    name = serializers.CharField(allow_blank=True)
    frames = serializers.IntegerField()


class LongestFrameSerializer(serializers.Serializer):
    run = serializers.UUIDField()
    number = serializers.IntegerField(help_text="of the run in its arm, from 1")
    frame = serializers.IntegerField()
    leg = serializers.CharField(allow_blank=True)
    frame_ms = serializers.FloatField()
    excess_ms = serializers.FloatField()


class ExcessArmSerializer(serializers.Serializer):
    """``by_level`` frames are no longer than those around them; ``refused`` says why there are no rows."""

    arm = serializers.CharField(help_text="before or after")
    sentence = serializers.CharField()
    notes = serializers.ListField(child=serializers.CharField())
    frames = serializers.IntegerField()
    share = serializers.FloatField()
    events = serializers.IntegerField()
    by_level = serializers.IntegerField()
    refused = serializers.CharField(allow_blank=True)
    rows = ExcessRowSerializer(many=True)
    legs = LateLegSerializer(many=True)
    longest = LongestFrameSerializer(many=True)


class LateFramesSerializer(serializers.Serializer):
    """What late frames, or stutters, have more of than the frames around them."""

    judged = serializers.BooleanField()
    of = serializers.CharField(help_text="late or stutters")
    budget_ms = serializers.FloatField(allow_null=True)
    arms = ExcessArmSerializer(many=True)
    changes = RowChangeSerializer(many=True)


class GoesWordsSerializer(serializers.Serializer):
    when = serializers.CharField()
    held = serializers.CharField()
    others = serializers.CharField()
    beyond = serializers.CharField()
    adds = serializers.CharField(allow_blank=True)
    runs = serializers.CharField()
    call = serializers.CharField()


class GoesRowSerializer(serializers.Serializer):
    """A counter or a part now and then, ``lag`` frames before the late one. Shares 0..1."""

    name = serializers.CharField()
    kind = serializers.CharField(help_text="counter or part")
    lag = serializers.IntegerField()
    call = serializers.CharField()
    held = serializers.FloatField()
    others = serializers.FloatField()
    beyond = serializers.FloatField()
    half = serializers.FloatField(allow_null=True)
    adds = serializers.FloatField(allow_null=True)
    p_frames = serializers.FloatField()
    p_length = serializers.FloatField()
    words = GoesWordsSerializer()


class GoesArmSerializer(serializers.Serializer):
    arm = serializers.CharField(help_text="before or after")
    sentence = serializers.CharField()
    rows = GoesRowSerializer(many=True)


class GoesFoundSerializer(serializers.Serializer):
    of = serializers.CharField()
    arms = GoesArmSerializer(many=True)


class GoesWithSerializer(serializers.Serializer):
    """What was found, or the job that looks for it."""

    found = GoesFoundSerializer(allow_null=True)
    job = JobSerializer(allow_null=True)


class MostGainSerializer(serializers.Serializer):
    value = serializers.FloatField()
    half = serializers.FloatField(allow_null=True)


class FramesThenSerializer(serializers.Serializer):
    mean_ms = serializers.FloatField()
    p99_ms = serializers.FloatField()
    late = serializers.FloatField(allow_null=True)


class MostWordsSerializer(serializers.Serializer):
    ms = serializers.CharField()
    mean_ms = serializers.CharField()
    p99_ms = serializers.CharField()
    late = serializers.CharField(allow_blank=True)


class MostRowSerializer(serializers.Serializer):
    """What a part would give at most if it were free; ``rank`` by the figure asked for, ties alike."""

    lane = serializers.CharField()
    path = serializers.ListField(child=serializers.CharField())
    name = serializers.CharField()
    ms = serializers.FloatField()
    rank = serializers.IntegerField()
    mean_ms = MostGainSerializer()
    p99_ms = MostGainSerializer()
    late = MostGainSerializer(allow_null=True)
    nothing = serializers.BooleanField()
    words = MostWordsSerializer()


class IfFreeSerializer(serializers.Serializer):
    arm = serializers.CharField()
    by = serializers.CharField()
    refused = serializers.CharField(allow_blank=True)
    sentence = serializers.CharField()
    notes = serializers.ListField(child=serializers.CharField())
    now = FramesThenSerializer(allow_null=True)
    budget_ms = serializers.FloatField(allow_null=True)
    rows = MostRowSerializer(many=True)


class TogetherSerializer(serializers.Serializer):
    arm = serializers.CharField()
    refused = serializers.CharField(allow_blank=True)
    sentence = serializers.CharField()
    now = FramesThenSerializer(allow_null=True)
    then = FramesThenSerializer(allow_null=True)
    mean_ms = MostGainSerializer(allow_null=True)
    p99_ms = MostGainSerializer(allow_null=True)
    late = MostGainSerializer(allow_null=True)
    budget_ms = serializers.FloatField(allow_null=True)


class CheaperInSerializer(serializers.Serializer):
    """A part and what share of its cost is left, 0 (free) to 1."""

    lane = serializers.CharField(max_length=limits.NAME)
    path = serializers.ListField(child=serializers.CharField(max_length=limits.NAME), min_length=1, max_length=32)
    left = Number(0, 1)


class TogetherInSerializer(serializers.Serializer):
    arm = serializers.CharField(max_length=10)
    parts = CheaperInSerializer(many=True, allow_empty=False, max_length=MOST_TOGETHER)

    def validate_arm(self, arm: str) -> str:
        return asked_of(arm, ARMS, "arm")


class CounterBesideSerializer(serializers.Serializer):
    """A counter of one arm: its states, whether it stays at zero, constant or flat, and how frames go with it."""

    name = serializers.CharField()
    mean = serializers.FloatField(allow_null=True)
    most = serializers.FloatField(allow_null=True)
    states = serializers.CharField(allow_blank=True)
    zero = serializers.BooleanField()
    constant = serializers.BooleanField()
    zero_said = serializers.CharField()
    first_run = serializers.IntegerField(allow_null=True)
    first_frame = serializers.IntegerField(allow_null=True)
    flat = serializers.CharField(allow_blank=True)
    flat_said = serializers.CharField(allow_blank=True)
    steps_said = serializers.CharField(allow_blank=True)
    active_said = serializers.CharField(allow_blank=True)
    along_said = serializers.CharField(allow_blank=True)
    place_said = serializers.CharField()
    place_ms = serializers.FloatField(allow_null=True)
    place_half = serializers.FloatField(allow_null=True)


class CountersBesideSerializer(serializers.Serializer):
    arm = serializers.CharField()
    after_s = serializers.FloatField()
    length_s = serializers.FloatField()
    runs = serializers.ListField(child=serializers.UUIDField())
    rows = CounterBesideSerializer(many=True)


class FromInSerializer(serializers.Serializer):
    from_s = Number(0, limits.SECONDS, default=0.0)
