"""The shape of a goal held against an entry."""

from __future__ import annotations

from rest_framework import serializers


class EarlierSerializer(serializers.Serializer):
    """A threshold the goal had before, and how the same runs stand under it."""

    threshold = serializers.CharField()
    state = serializers.CharField()
    until = serializers.DateTimeField()
    reason = serializers.CharField()


class GoalLineSerializer(serializers.Serializer):
    goal = serializers.IntegerField()
    sentence = serializers.CharField()
    state = serializers.ChoiceField(("met", "not met", "unclear", "extrapolated", "other rig", "not judged"))
    said = serializers.CharField()
    level = serializers.CharField()
    interval = serializers.CharField()
    distance = serializers.CharField()
    value = serializers.FloatField(allow_null=True, help_text="the level, with its 95 % interval")
    low = serializers.FloatField(allow_null=True)
    high = serializers.FloatField(allow_null=True)
    remark = serializers.CharField()
    pending = serializers.BooleanField()
    closed = serializers.CharField(allow_blank=True, help_text="why it is good enough for now, where somebody said so")
    earlier = EarlierSerializer(many=True)
