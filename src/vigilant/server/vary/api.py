"""Accounts of recordings that vary something, over HTTP."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any
from uuid import UUID

from drf_spectacular.utils import extend_schema, extend_schema_view
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from vigilant.server.bench.api import RecordingLineSerializer, line_context, readable
from vigilant.server.evidence.shapes import LaneWordsSerializer
from vigilant.server.runs.models import Recording

from . import services


class SwitchRowSerializer(serializers.Serializer):
    """A switch: what the frame saves while it alone is off, ms with its 95 % interval (negative: it gets dearer)."""

    name = serializers.CharField()
    rank = serializers.IntegerField(help_text="1 saves most; those not told apart share a rank")
    saved_ms = serializers.FloatField()
    low_ms = serializers.FloatField(allow_null=True)
    high_ms = serializers.FloatField(allow_null=True)
    p_value = serializers.FloatField(allow_null=True)
    shown = serializers.BooleanField(help_text="by Holm over all switches and cures")
    change = serializers.CharField(help_text="the frame while it is off, in per cent")
    words = LaneWordsSerializer()


class CureRowSerializer(serializers.Serializer):
    """A cheaper way of a feature: what it saves net of its own price."""

    name = serializers.CharField()
    of = serializers.CharField()
    saved_ms = serializers.FloatField()
    low_ms = serializers.FloatField(allow_null=True)
    high_ms = serializers.FloatField(allow_null=True)
    shown = serializers.BooleanField()
    price = serializers.CharField()
    words = LaneWordsSerializer()


class SwitchedFigureSerializer(serializers.Serializer):
    """The account in one figure; ``sum`` is what all switches save one by one, ``total`` what everything off saves."""

    figure = serializers.CharField()
    name = serializers.CharField()
    sentence = serializers.CharField()
    on_ms = serializers.FloatField()
    switches = SwitchRowSerializer(many=True)
    cures = CureRowSerializer(many=True)
    sum = LaneWordsSerializer()
    total = LaneWordsSerializer(allow_null=True)
    gap = serializers.CharField(allow_blank=True)
    notes = serializers.ListField(child=serializers.CharField())
    tested = serializers.BooleanField()


class SwitchedArmSerializer(serializers.Serializer):
    label = serializers.CharField()
    name = serializers.CharField()
    runs = serializers.ListField(child=serializers.UUIDField())


class SwitchedSerializer(serializers.Serializer):
    """What each feature costs while all others are on: a screening, no credit."""

    recording = RecordingLineSerializer()
    figures = SwitchedFigureSerializer(many=True)
    arms = SwitchedArmSerializer(many=True)


class CreditSerializer(serializers.Serializer):
    """A change: its credit, ms (negative: saved) with its 95 % interval; ``main`` is its mean effect over the configurations, which is
    what is tested."""

    name = serializers.CharField()
    ms = serializers.FloatField()
    low_ms = serializers.FloatField(allow_null=True)
    high_ms = serializers.FloatField(allow_null=True)
    main = LaneWordsSerializer()
    share = serializers.CharField()
    p_value = serializers.FloatField(allow_null=True)
    shown = serializers.BooleanField(help_text="by Holm over the changes")
    words = LaneWordsSerializer()


class InteractionSerializer(serializers.Serializer):
    """What two changes do together beyond both; pairs that the design cannot tell apart are one."""

    name = serializers.CharField()
    ms = serializers.FloatField()
    low_ms = serializers.FloatField(allow_null=True)
    high_ms = serializers.FloatField(allow_null=True)
    shown = serializers.BooleanField()
    said = serializers.CharField()
    words = LaneWordsSerializer()


class ConfigurationSerializer(serializers.Serializer):
    name = serializers.CharField()
    ms = serializers.FloatField()


class UntangledFigureSerializer(serializers.Serializer):
    """The account in one figure; the credits add up to ``total``, but for ``gap``."""

    figure = serializers.CharField()
    name = serializers.CharField()
    sentence = serializers.CharField()
    off_ms = serializers.FloatField()
    credits = CreditSerializer(many=True)
    interactions = InteractionSerializer(many=True)
    total = LaneWordsSerializer(allow_null=True)
    gap = serializers.CharField(allow_blank=True)
    notes = serializers.ListField(child=serializers.CharField())
    configurations = ConfigurationSerializer(many=True)


class UntangledSerializer(serializers.Serializer):
    """Which of several changes helped, and by how much."""

    recording = RecordingLineSerializer()
    changes = serializers.ListField(child=serializers.CharField())
    figures = UntangledFigureSerializer(many=True)
    arms = SwitchedArmSerializer(many=True)


class RunPointSerializer(serializers.Serializer):
    run = serializers.UUIDField()
    ms = serializers.FloatField()


class LevelPointSerializer(serializers.Serializer):
    """A value that was recorded: what was fitted there, and each of its runs."""

    value = serializers.FloatField()
    ms = serializers.FloatField()
    runs = RunPointSerializer(many=True)


class KnobFigureSerializer(serializers.Serializer):
    """A figure over a knob's values: which are in its best set, and what another loses at most."""

    figure = serializers.CharField()
    name = serializers.CharField()
    flat = serializers.CharField(allow_blank=True)
    points = LevelPointSerializer(many=True)
    inside = serializers.ListField(child=serializers.BooleanField())
    lost = serializers.ListField(child=serializers.CharField(allow_blank=True))


class KnobSerializer(serializers.Serializer):
    """Which value of a knob is best."""

    recording = RecordingLineSerializer()
    name = serializers.CharField()
    sentence = serializers.CharField()
    call = serializers.CharField()
    figures = KnobFigureSerializer(many=True)
    notes = serializers.ListField(child=serializers.CharField())


class CapacitySerializer(serializers.Serializer):
    value = serializers.FloatField(allow_null=True)
    low = serializers.FloatField(allow_null=True)
    high = serializers.FloatField(allow_null=True)
    said = serializers.CharField()


class RampFigureSerializer(serializers.Serializer):
    """A figure over the load, and the load at which it meets the budget."""

    figure = serializers.CharField()
    name = serializers.CharField()
    budget_ms = serializers.FloatField()
    sentence = serializers.CharField()
    paper = serializers.CharField(allow_blank=True)
    capacity = CapacitySerializer()
    points = LevelPointSerializer(many=True)
    costs = serializers.ListField(child=serializers.CharField())
    growth = serializers.CharField()
    notes = serializers.ListField(child=serializers.CharField())


class RampSerializer(serializers.Serializer):
    """How much load the budget carries; ``asked`` are the loads that were asked for, in the order of the points."""

    recording = RecordingLineSerializer()
    unit = serializers.CharField()
    counter = serializers.CharField(allow_blank=True)
    asked = serializers.ListField(child=serializers.FloatField())
    figures = RampFigureSerializer(many=True)


class AccountView(APIView):
    """The account of a recording that varies something; each kind says what it is made by, and its shape."""

    account: Callable[[Recording], dict[str, Any]]
    shape: type[serializers.Serializer]

    def get(self, request: Request, recording_id: UUID) -> Response:
        recording = readable(request, recording_id)
        found = {"recording": recording, **type(self).account(recording)}
        return Response(self.shape(found, context=line_context([recording])).data)


@extend_schema_view(get=extend_schema(operation_id="switched_off", responses=SwitchedSerializer))
class SwitchedView(AccountView):
    """The account of a recording that switches features off one at a time."""

    account = staticmethod(services.switched_account)
    shape = SwitchedSerializer


@extend_schema_view(get=extend_schema(operation_id="untangled", responses=UntangledSerializer))
class UntangledView(AccountView):
    """The account of a recording of changes in combinations."""

    account = staticmethod(services.untangled_account)
    shape = UntangledSerializer


@extend_schema_view(get=extend_schema(operation_id="ramp", responses=RampSerializer))
class RampView(AccountView):
    """The account of a recording that ramps a load."""

    account = staticmethod(services.ramp_account)
    shape = RampSerializer


@extend_schema_view(get=extend_schema(operation_id="knob", responses=KnobSerializer))
class KnobView(AccountView):
    """The account of a recording that sweeps a knob."""

    account = staticmethod(services.knob_account)
    shape = KnobSerializer
