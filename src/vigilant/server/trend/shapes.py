"""The shapes of the line over builds, of alarms and of the order."""

from __future__ import annotations

from rest_framework import serializers

from vigilant.core.trend.alert import LEAST_RATE, MOST_RATE
from vigilant.formats import limits
from vigilant.server.fields import Listed, Number, Text, Whole

from .models import Alarm

#: How an order is given.
ORDERED_BY = ("list", "date")
GATE_VERDICTS = ("gain", "regression", "trade-off", "no material change", "undecided", "void")


class LineScenarioSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    name = serializers.CharField()


class LineRunSerializer(serializers.Serializer):
    run = serializers.UUIDField()
    value = serializers.FloatField()


class LinePointSerializer(serializers.Serializer):
    """A measurement in the figure's unit: ``level`` as drawn, ``measured`` where it was measured, ``low`` and ``high`` where a repeat in another
    session would lie, ``fitted`` the level of its stretch."""

    x = serializers.IntegerField()
    build = serializers.CharField()
    level = serializers.FloatField()
    measured = serializers.FloatField()
    low = serializers.FloatField(allow_null=True)
    high = serializers.FloatField(allow_null=True)
    fitted = serializers.FloatField()
    fitted_low = serializers.FloatField()
    fitted_high = serializers.FloatField()
    runs = LineRunSerializer(many=True)
    sessions = serializers.IntegerField()
    stretch = serializers.IntegerField()
    odd = serializers.BooleanField()
    fresh = serializers.BooleanField(help_text="too new for a step to be told")
    words = serializers.CharField()


class LineBreakSerializer(serializers.Serializer):
    at = serializers.IntegerField()
    until = serializers.IntegerField()
    reason = serializers.CharField()
    bridged = serializers.BooleanField()
    sentence = serializers.CharField()


class LineStepSerializer(serializers.Serializer):
    x = serializers.IntegerField()
    first = serializers.IntegerField()
    last = serializers.IntegerField()
    size = serializers.CharField()
    material = serializers.BooleanField()
    worse = serializers.BooleanField()
    sentence = serializers.CharField()


class LineDriftSerializer(serializers.Serializer):
    first = serializers.IntegerField()
    last = serializers.IntegerField()
    sentence = serializers.CharField()


class DrawnLineSerializer(serializers.Serializer):
    figure = serializers.CharField()
    label = serializers.CharField()
    definition = serializers.CharField()
    unit = serializers.CharField(allow_blank=True)
    points = LinePointSerializer(many=True)
    breaks = LineBreakSerializer(many=True)
    steps = LineStepSerializer(many=True)
    drifts = LineDriftSerializer(many=True)
    shifted = serializers.BooleanField()
    notes = serializers.ListField(child=serializers.CharField())


class LineFigureSerializer(serializers.Serializer):
    """A watched figure: what its line says, and what the newest build says against it."""

    figure = serializers.CharField()
    label = serializers.CharField()
    newest = serializers.CharField()
    sentence = serializers.CharField()
    now = serializers.CharField()
    change = serializers.CharField(
        allow_blank=True, help_text="the same in a word; none where it is held against nothing"
    )
    call = serializers.CharField(allow_blank=True)
    worse = serializers.BooleanField()
    missing = serializers.IntegerField()


class LineFigureChoiceSerializer(serializers.Serializer):
    figure = serializers.CharField()
    label = serializers.CharField()


class LineEventSerializer(serializers.Serializer):
    x = serializers.IntegerField()
    sentence = serializers.CharField()
    elsewhere = serializers.CharField(allow_blank=True)
    figures = serializers.ListField(child=serializers.CharField())


class AlarmSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    scenario = LineScenarioSerializer()
    rig = serializers.CharField()
    rig_id = serializers.IntegerField()
    build = serializers.CharField()
    state = serializers.ChoiceField(Alarm.State.choices)
    open = serializers.BooleanField()
    worse = serializers.BooleanField()
    sentence = serializers.CharField()
    stands = serializers.CharField(allow_blank=True)
    raised_at = serializers.DateTimeField()
    why = serializers.CharField(allow_blank=True)
    by = serializers.CharField(allow_blank=True)
    entry = serializers.IntegerField(allow_null=True)
    like = serializers.UUIDField(
        allow_null=True, help_text="a recording of the build for its line, to record it again by"
    )


class OtherLineSerializer(serializers.Serializer):
    rig = serializers.CharField()
    rig_id = serializers.IntegerField()
    chain = serializers.IntegerField()
    builds = serializers.IntegerField()
    newest = serializers.CharField()


class FollowingSerializer(serializers.Serializer):
    """One false alarm in so many builds of a line, and how many days apart a scenario is to be recorded again."""

    false_alarm_in = Whole(round(1 / MOST_RATE), round(1 / LEAST_RATE))
    recheck_days = Whole(1, 3650, allow_null=True)


class LinePageSerializer(serializers.Serializer):
    scenario = LineScenarioSerializer()
    version = serializers.IntegerField()
    target_fps = serializers.FloatField(allow_null=True)
    budget_ms = serializers.FloatField(allow_null=True)
    rig = serializers.CharField()
    rig_id = serializers.IntegerField()
    chain = serializers.IntegerField()
    builds = serializers.ListField(child=serializers.CharField())
    figures = LineFigureSerializer(many=True)
    also = LineFigureChoiceSerializer(many=True)
    unfollowed = serializers.CharField(allow_blank=True)
    drawn = DrawnLineSerializer(allow_null=True)
    events = LineEventSerializer(many=True)
    alarms = AlarmSerializer(many=True)
    others = OtherLineSerializer(many=True)
    left_out = serializers.CharField(allow_blank=True)
    rate = serializers.CharField()
    following = FollowingSerializer()


class SmallPointSerializer(serializers.Serializer):
    x = serializers.IntegerField()
    value = serializers.FloatField()
    stretch = serializers.IntegerField()


class ShortLineSerializer(serializers.Serializer):
    """A line in short: its watched figure, and its levels as a small picture."""

    scenario = LineScenarioSerializer()
    rig = serializers.CharField()
    rig_id = serializers.IntegerField()
    chain = serializers.IntegerField()
    figure = serializers.CharField()
    builds = serializers.IntegerField()
    newest = serializers.CharField()
    level = serializers.CharField()
    sentence = serializers.CharField()
    steps = serializers.IntegerField()
    small = SmallPointSerializer(many=True)


class RecheckSerializer(serializers.Serializer):
    scenario = LineScenarioSerializer()
    overdue = serializers.BooleanField()
    short = serializers.CharField(allow_blank=True)
    sentence = serializers.CharField()


class LinesSerializer(serializers.Serializer):
    builds = serializers.IntegerField(help_text="that have a place in the order")
    lines = ShortLineSerializer(many=True)
    alarms = AlarmSerializer(many=True)
    rechecks = RecheckSerializer(many=True)


# -- what is sent


class OrderedBuildSerializer(serializers.Serializer):
    name = Text(limits.LABEL)
    made_at = serializers.DateTimeField(required=False, allow_null=True)


class OrderInSerializer(serializers.Serializer):
    """Builds, the oldest first, or by the dates they were made; with ``anew`` they are the whole order."""

    builds = Listed(OrderedBuildSerializer(), limits.BUILDS_AT_ONCE, min_length=1)
    by = serializers.ChoiceField(ORDERED_BY, default="list")
    anew = serializers.BooleanField(default=False)


class OrderSerializer(serializers.Serializer):
    builds = OrderedBuildSerializer(many=True)


class OrderedSerializer(serializers.Serializer):
    added = serializers.IntegerField(help_text="builds that had no place")
    builds = serializers.IntegerField(help_text="that have one now")


class MoveBuildSerializer(serializers.Serializer):
    build = Text(limits.LABEL)
    after = Text(limits.LABEL, allow_blank=True)


class ExplainedSerializer(serializers.Serializer):
    why = Text(limits.REASON)


class GateInSerializer(serializers.Serializer):
    alpha = Number(0.0001, 0.2, default=0.05)


class GateRowSerializer(serializers.Serializer):
    figure = serializers.CharField()
    name = serializers.CharField(help_text="inside a sentence")
    label = serializers.CharField()
    level = serializers.CharField()
    newest = serializers.CharField()
    change = serializers.CharField()
    interval = serializers.CharField()
    inside = serializers.BooleanField()
    worse = serializers.BooleanField()


class GateFindingSerializer(serializers.Serializer):
    code = serializers.CharField()
    text = serializers.CharField()


class GatedSerializer(serializers.Serializer):
    build = serializers.CharField()
    verdict = serializers.ChoiceField(GATE_VERDICTS)
    sentence = serializers.CharField()
    rows = GateRowSerializer(many=True)
    findings = GateFindingSerializer(many=True)
    alpha = serializers.FloatField()
    false_failure = serializers.CharField()


class ReadLineSerializer(serializers.Serializer):
    """What a recording of one build says against its line; ``path`` is its page."""

    build = serializers.CharField()
    placed = serializers.BooleanField(help_text="whether the build has a place in the order")
    figures = LineFigureSerializer(many=True)
    alarms = AlarmSerializer(many=True)
    worse = serializers.BooleanField()
    rate = serializers.CharField()
    path = serializers.CharField()


class ReadLineInSerializer(serializers.Serializer):
    newest = serializers.BooleanField(default=False, help_text="a build without a place takes the newest one")
