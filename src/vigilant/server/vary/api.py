"""Accounts of recordings that vary something, over HTTP."""

from __future__ import annotations

from uuid import UUID

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from vigilant.server.bench.api import RecordingLineSerializer, line_context, readable
from vigilant.server.evidence.shapes import LaneWordsSerializer

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


class SwitchedView(APIView):
    """The account of a recording that switches features off one at a time."""

    @extend_schema(operation_id="switched_off", responses=SwitchedSerializer)
    def get(self, request: Request, recording_id: UUID) -> Response:
        recording = readable(request, recording_id)
        found = {"recording": recording, **services.switched_account(recording)}
        return Response(SwitchedSerializer(found, context=line_context([recording])).data)
