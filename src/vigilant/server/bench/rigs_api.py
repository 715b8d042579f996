"""The rigs of a book over HTTP."""

from __future__ import annotations

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from vigilant.server.scenarios.models import RigTiming
from vigilant.server.views import BookView

from .models import Standby
from .rigs import RigLine, rigs_of


class RecorderSerializer(serializers.ModelSerializer):
    """Who says that it records there; ``version`` is empty of one before 0.1.0 said it."""

    subjects = serializers.ListField(child=serializers.CharField())

    class Meta:
        model = Standby
        fields = ("version", "subjects", "seen_at")


class RecordingOfRigSerializer(serializers.Serializer):
    id = serializers.UUIDField()
    title = serializers.CharField()
    received_at = serializers.DateTimeField()


class RigTimingSerializer(serializers.ModelSerializer):
    class Meta:
        model = RigTiming
        fields = ("at", "ms")


class RigDriftSerializer(serializers.Serializer):
    """How many times as long the newest timings take as those before, with 99 %."""

    state = serializers.ChoiceField(("slower", "faster", "steady", "not told"))
    ratio = serializers.FloatField()
    low = serializers.FloatField()
    high = serializers.FloatField()


class RigLineSerializer(serializers.Serializer):
    alias = serializers.CharField()
    facts = serializers.DictField(child=serializers.CharField())
    runs = serializers.IntegerField()
    recorded_at = serializers.DateTimeField(allow_null=True)
    there = serializers.BooleanField(help_text="whether a recorder stands by or records there now")
    standby = RecorderSerializer(allow_null=True)
    recording = RecordingOfRigSerializer(allow_null=True)
    waiting = RecordingOfRigSerializer(many=True)
    timings = RigTimingSerializer(many=True)
    drift = RigDriftSerializer(allow_null=True)
    said = serializers.CharField(help_text="what its timings come to, in words")


class RigsView(BookView):
    """Every rig: its recorder, its timings of the calibration load, what waits for it."""

    @extend_schema(operation_id="rigs", responses=RigLineSerializer(many=True))
    def get(self, request: Request, book: str) -> Response:
        found: list[RigLine] = rigs_of(self.book)
        return Response(RigLineSerializer(found, many=True).data)
