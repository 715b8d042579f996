"""What recorders send of runs, checked."""

from __future__ import annotations

from rest_framework import serializers

from vigilant.formats import limits
from vigilant.plan import PlanTables
from vigilant.plan.armref import PATTERN
from vigilant.server.fields import Listed, Number, SheetField, Text, Whole
from vigilant.server.tables import tables_field

from .models import Outcome, Run


class SpeedSerializer(serializers.Serializer):
    """One timing of the calibration load: median ms, and the standard error of its logarithm."""

    load = Text(40)
    ms = Number(1e-6, 1e9)
    log_error = Number(0, 10)


class SlotInSerializer(serializers.Serializer):
    position = Whole(0, limits.SLOTS - 1)
    arm = serializers.RegexField(PATTERN, max_length=12)
    run = serializers.UUIDField()
    attempt = Whole(1, 100, default=1)
    outcome = serializers.ChoiceField(Outcome.choices)
    detail = Text(limits.DETAIL, allow_blank=True, default="")


class RigInSerializer(serializers.Serializer):
    alias = Text(limits.ALIAS, allow_blank=True, default="")
    facts = SheetField()
    fingerprint = Text(64, required=False)
    speed = SpeedSerializer(required=False, allow_null=True)


class RecordingInSerializer(serializers.Serializer):
    id = serializers.UUIDField()
    created = serializers.DateTimeField()
    plan = tables_field(PlanTables)
    order_seed = Whole(-(2**63), 2**63 - 1)
    rig = RigInSerializer()
    conditions = SheetField()
    slots = SlotInSerializer(many=True, allow_empty=False, max_length=limits.SLOTS)

    def validate_slots(self, slots):
        positions = {s["position"] for s in slots}
        runs = {s["run"] for s in slots}
        places = {(s["position"], s["attempt"]) for s in slots}
        if positions != set(range(len(positions))) or len(runs) != len(slots) or len(places) != len(slots):
            raise serializers.ValidationError(
                "Positions must run from 0 without a gap, and each attempt has a run of its own."
            )
        return slots


class RecordingStateSerializer(serializers.Serializer):
    id = serializers.UUIDField()
    completed = serializers.BooleanField()


class AsideInSerializer(serializers.Serializer):
    runs = Listed(serializers.UUIDField(), limits.ARM_RUNS, min_length=1)
    aside = serializers.BooleanField()
    why = Text(limits.REASON)


class RunInSerializer(serializers.Serializer):
    recording = serializers.UUIDField()
    position = Whole(0, limits.SLOTS - 1)
    attempt = Whole(1, 100, default=1)
    conditions = SheetField(default=dict)
    measured = SheetField(Number(-limits.COUNT, limits.COUNT), default=dict)
    revision = SheetField(default=dict)
    started = serializers.DateTimeField(required=False, allow_null=True)
    outcome = serializers.ChoiceField(Outcome.choices)
    detail = Text(limits.DETAIL, allow_blank=True, default="")
    output_tail = Text(limits.OUTPUT_TAIL, allow_blank=True, default="", trim_whitespace=False)
    head = serializers.DictField(allow_null=True)


class RunStateSerializer(serializers.Serializer):
    id = serializers.UUIDField()
    state = serializers.ChoiceField(Run.State.choices)
    outcome = serializers.ChoiceField(Outcome.choices)
    detail = serializers.CharField()
    next_batch = serializers.IntegerField()
    frames = serializers.IntegerField()


class CompleteInSerializer(serializers.Serializer):
    frames = Whole(0, 2**62)
