"""The shapes of what is asked of the field, and of what its pages hold."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers

from vigilant.formats import limits
from vigilant.server.fields import Listed, Number, Text, Whole

from . import readiness
from .models import FieldSettings


class AskedSerializer(serializers.Serializer):
    """Which sessions are read; without a build those of the newest one."""

    build = Text(limits.LABEL, default="")
    own = serializers.BooleanField(default=False)
    tier = Whole(1, 2**62, default=None, allow_null=True)
    place = Whole(1, 2**62, default=None, allow_null=True)
    since = serializers.DateField(default=None, allow_null=True)
    until = serializers.DateField(default=None, allow_null=True)


class MinutesAskedSerializer(AskedSerializer):
    """``against`` is the build that it is held against."""

    against = Text(limits.LABEL, default="")


class NamedSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    name = serializers.CharField()


class FieldBuildSerializer(serializers.Serializer):
    name = serializers.CharField()
    sessions = serializers.IntegerField()


class ClassRowSerializer(serializers.Serializer):
    """A class of devices: minutes, the late share with its interval, where that stands by the goal, and what limits it."""

    id = serializers.IntegerField()
    name = serializers.CharField()
    sessions = serializers.IntegerField()
    installations = serializers.IntegerField(help_text="at least so many")
    play_minutes = serializers.FloatField()
    late_minutes = serializers.FloatField()
    late_said = serializers.CharField()
    play_said = serializers.CharField()
    share = serializers.FloatField()
    low = serializers.FloatField(allow_null=True)
    high = serializers.FloatField(allow_null=True)
    share_said = serializers.CharField()
    interval_said = serializers.CharField()
    standing = serializers.ChoiceField(("over", "within", "open"))
    standing_said = serializers.CharField()
    over_said = serializers.CharField()
    limits_said = serializers.CharField()
    notes = serializers.ListField(child=serializers.CharField())


class LabelPartSerializer(serializers.Serializer):
    name = serializers.CharField()
    labels = serializers.IntegerField()
    late = serializers.FloatField()
    late_said = serializers.CharField()
    play_said = serializers.CharField()
    share_said = serializers.CharField()
    excess_said = serializers.CharField()


class LabelSerializer(serializers.Serializer):
    name = serializers.CharField()
    only_said = serializers.CharField()
    shared_said = serializers.CharField()
    play_said = serializers.CharField()
    said = serializers.CharField()
    found = serializers.BooleanField()


class LabelAccountSerializer(serializers.Serializer):
    """Late frames by exact set of labels, which add up to all of them; and each label like with like."""

    parts = LabelPartSerializer(many=True)
    labels = LabelSerializer(many=True)


class EndingSerializer(serializers.Serializer):
    how = serializers.CharField()
    sessions = serializers.IntegerField()


class LeftEarlySerializer(serializers.Serializer):
    said = serializers.CharField()
    ratio = serializers.FloatField(allow_null=True)
    low = serializers.FloatField(allow_null=True)
    high = serializers.FloatField(allow_null=True)
    pairs = serializers.FloatField()
    endings = EndingSerializer(many=True)


class HeldAgainstSerializer(serializers.Serializer):
    """A build against another, as they are and like with like: a call, and no verdict."""

    said = serializers.CharField()
    crude = serializers.CharField()
    alike = serializers.CharField()
    mix = serializers.CharField()
    call = serializers.ChoiceField(("higher", "lower", "alike", "unclear", ""))
    dealt = serializers.CharField()


class OtherSerializer(serializers.Serializer):
    """A histogram of another sender, in its own bounds."""

    build = serializers.CharField()
    metric = serializers.CharField()
    about = serializers.CharField()
    frames = serializers.IntegerField()
    said = serializers.CharField()


class FieldPageSerializer(serializers.Serializer):
    build = serializers.CharField()
    against = serializers.CharField()
    own = serializers.BooleanField()
    builds = FieldBuildSerializer(many=True)
    tiers = NamedSerializer(many=True)
    places = NamedSerializer(many=True)
    weeks = serializers.ListField(child=serializers.DateField())
    tier = serializers.IntegerField(allow_null=True)
    place = serializers.IntegerField(allow_null=True)
    since = serializers.DateField(allow_null=True)
    until = serializers.DateField(allow_null=True)
    goal = serializers.FloatField()
    goals = serializers.ListField(child=serializers.FloatField())
    sentence = serializers.CharField()
    rows = ClassRowSerializer(many=True)
    folded = serializers.CharField()
    labels = LabelAccountSerializer(allow_null=True)
    left = LeftEarlySerializer(allow_null=True)
    compared = HeldAgainstSerializer(allow_null=True)
    others = OtherSerializer(many=True)
    waiting = serializers.IntegerField()
    refused = serializers.ListField(child=serializers.CharField())


class PercentileSerializer(serializers.Serializer):
    p = serializers.FloatField()
    said = serializers.CharField()
    low = serializers.FloatField()
    high = serializers.FloatField()
    between = serializers.CharField()


class PlacedSerializer(serializers.Serializer):
    """What a class met in one place at one tier, with the tier's settings and target, by which it is reproduced on the bench."""

    tier = serializers.CharField()
    settings = serializers.DictField(child=serializers.CharField())
    target_fps = serializers.FloatField()
    place = serializers.CharField()
    sessions = serializers.IntegerField()
    late_minutes = serializers.FloatField(allow_null=True)
    share = serializers.FloatField(allow_null=True)
    low = serializers.FloatField(allow_null=True)
    high = serializers.FloatField(allow_null=True)
    share_said = serializers.CharField()
    interval_said = serializers.CharField()
    why = serializers.CharField()


class ModelRowSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    name = serializers.CharField()
    installations = serializers.IntegerField()
    play_said = serializers.CharField()
    share_said = serializers.CharField()
    late_frames = serializers.IntegerField()


class WholeFigureSerializer(serializers.Serializer):
    name = serializers.CharField()
    sessions = serializers.IntegerField()
    median = serializers.FloatField()
    highest_tenth = serializers.FloatField()


class ClassPageSerializer(serializers.Serializer):
    """``hidden`` says why nothing of it is shown."""

    id = serializers.IntegerField()
    name = serializers.CharField()
    build = serializers.CharField()
    sessions = serializers.IntegerField()
    hidden = serializers.CharField()
    percentiles = PercentileSerializer(many=True)
    cells = PlacedSerializer(many=True)
    models = ModelRowSerializer(many=True)
    rest = serializers.CharField()
    figures = WholeFigureSerializer(many=True)


class BorrowRowSerializer(serializers.Serializer):
    """A model to borrow: its part of all play, its late share as shrunk towards all models, what it adds and what the list holds with it.
    ``id`` where it may be named."""

    id = serializers.IntegerField(allow_null=True)
    name = serializers.CharField()
    class_name = serializers.CharField()
    sessions = serializers.IntegerField()
    few = serializers.BooleanField()
    play = serializers.FloatField()
    play_said = serializers.CharField()
    share = serializers.FloatField()
    low = serializers.FloatField()
    high = serializers.FloatField()
    share_said = serializers.CharField()
    interval_said = serializers.CharField()
    score = serializers.FloatField()
    adds_said = serializers.CharField()
    cumulated = serializers.FloatField()
    cumulated_said = serializers.CharField()


class BorrowSerializer(serializers.Serializer):
    build = serializers.CharField()
    goal = serializers.FloatField()
    models = serializers.IntegerField()
    sentence = serializers.CharField()
    rows = BorrowRowSerializer(many=True)


class ExpectedSerializer(serializers.Serializer):
    """What a step of tier is expected to do, and on what that rests."""

    tier = serializers.CharField()
    share = serializers.FloatField()
    low = serializers.FloatField()
    high = serializers.FloatField()
    share_said = serializers.CharField()
    interval_said = serializers.CharField()
    basis = serializers.ChoiceField(("seen", "models", "scaled", "extrapolated"))
    basis_said = serializers.CharField()


class TierDecisionSerializer(serializers.Serializer):
    level = serializers.IntegerField()
    to_level = serializers.IntegerField()
    why = serializers.CharField()
    at = serializers.DateTimeField()
    by = serializers.CharField()


class AtTierSerializer(serializers.Serializer):
    """What a class does at a tier, or why nothing is known of it; ``play_said`` where it was seen there."""

    level = serializers.IntegerField()
    tier = serializers.CharField()
    play_said = serializers.CharField()
    expected = ExpectedSerializer(allow_null=True)
    none = serializers.CharField()


class MoveRowSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    name = serializers.CharField()
    sessions = serializers.IntegerField()
    tier = serializers.CharField()
    level = serializers.IntegerField()
    play_said = serializers.CharField()
    share = serializers.FloatField()
    low = serializers.FloatField()
    high = serializers.FloatField()
    share_said = serializers.CharField()
    interval_said = serializers.CharField()
    standing = serializers.ChoiceField(("over", "within", "open"))
    down = ExpectedSerializer(allow_null=True)
    up = ExpectedSerializer(allow_null=True)
    no_down = serializers.CharField(help_text="why nothing is expected of a step down")
    no_up = serializers.CharField()
    move = serializers.CharField()
    move_said = serializers.CharField()
    refused = serializers.BooleanField()
    further = serializers.CharField()
    decided = TierDecisionSerializer(allow_null=True)
    tiers = AtTierSerializer(many=True)


class MovesSerializer(serializers.Serializer):
    build = serializers.CharField()
    goal = serializers.FloatField()
    rows = MoveRowSerializer(many=True)
    splits = serializers.ListField(child=serializers.CharField())
    tiers = serializers.ListField(child=serializers.CharField(), help_text="of each level, the lowest first")


class TierDecisionInSerializer(serializers.Serializer):
    """``to_level`` is the level itself where the class stays."""

    build = Text(limits.LABEL)
    sorted_as = Whole(1, 2**62)
    level = Whole(0, 9)
    to_level = Whole(0, 9)
    why = Text(limits.REASON)

    def validate(self, attrs: dict[str, Any]) -> dict[str, Any]:
        if abs(attrs["to_level"] - attrs["level"]) > 1:
            raise serializers.ValidationError("A class is moved by one tier at a time.")
        return attrs


class ReadyCheckSerializer(serializers.Serializer):
    name = serializers.CharField()
    state = serializers.ChoiceField(readiness.STATES)
    asks = serializers.CharField()
    seen = serializers.CharField()
    remedy = serializers.CharField()


class ReadySerializer(serializers.Serializer):
    """Whether a build is ready to be sent out, by what the team's own devices sent of it."""

    build = serializers.CharField()
    builds = serializers.ListField(child=serializers.CharField())
    scenario = serializers.IntegerField(allow_null=True)
    scenarios = NamedSerializer(many=True)
    sessions = serializers.IntegerField()
    state = serializers.ChoiceField(readiness.STATES)
    sentence = serializers.CharField()
    consent = serializers.CharField()
    checks = ReadyCheckSerializer(many=True)


class ReadyAskedSerializer(serializers.Serializer):
    """Without a build the newest one; ``scenario`` is the one whose legs have to be seen."""

    build = Text(limits.LABEL, default="")
    scenario = Whole(1, 2**62, default=None, allow_null=True)


class ClassRuleSerializer(serializers.Serializer):
    """All that is stated must fit: one of the patterns (``*`` stands for anything), memory from (inclusive) and below, GiB."""

    name = Text(limits.NAME)
    models = Listed(Text(limits.LABEL), limits.FIELD_RULES, default=list)
    graphics = Listed(Text(limits.LABEL), limits.FIELD_RULES, default=list)
    memory_from_gib = Number(0, 1e5, default=None, allow_null=True)
    memory_below_gib = Number(0, 1e5, default=None, allow_null=True)

    def validate(self, attrs: dict[str, Any]) -> dict[str, Any]:
        if (
            not any(attrs[key] for key in ("models", "graphics"))
            and attrs["memory_from_gib"] is None
            and attrs["memory_below_gib"] is None
        ):
            raise serializers.ValidationError("A rule states something that must fit.")
        low, high = attrs["memory_from_gib"], attrs["memory_below_gib"]
        if low is not None and high is not None and low >= high:
            raise serializers.ValidationError(f"No memory is from {low:g} and below {high:g} GiB.")
        return attrs


class FieldSettingsSerializer(serializers.Serializer):
    """The late share that no class may be over, and how devices are sorted; ``version`` is that of the table of classes, and must be the one
    that stands."""

    goal = serializers.ChoiceField(FieldSettings.GOALS)
    version = Whole(0, 2**31 - 1)
    rules = Listed(ClassRuleSerializer(), limits.FIELD_RULES)
