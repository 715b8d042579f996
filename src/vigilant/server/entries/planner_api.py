"""The planner of a scenario: what its runs so far say of runs to come."""

from __future__ import annotations

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from vigilant.server.fields import Number
from vigilant.server.scenarios.models import Scenario
from vigilant.server.throttles import CostThrottle
from vigilant.server.views import BookView

from .planner import outlook_by_rig
from .shapes import OutlookSerializer


class WantedSerializer(serializers.Serializer):
    wanted = Number(0.0001, 1.0, allow_null=True, default=None)
    wanted_fps = Number(0.01, 10_000.0, allow_null=True, default=None)

    def validate(self, attrs):
        if attrs["wanted"] is not None and attrs["wanted_fps"] is not None:
            raise serializers.ValidationError("A change is asked for as a share or as a rate, not as both.")
        return attrs


class PlannedRowSerializer(OutlookSerializer):
    """An outlook, and the runs an arm that would show the change asked for, as a number and as a cell says it."""

    wanted = serializers.IntegerField(allow_null=True)
    wanted_said = serializers.CharField(allow_blank=True)


class BlankSerializer(serializers.Serializer):
    """The last blank test: its entry, whether it raised a false alarm, and what it came to."""

    entry = serializers.IntegerField()
    recorded_at = serializers.DateTimeField()
    false_alarm = serializers.BooleanField()
    sentence = serializers.CharField()
    drift = serializers.ListField(child=serializers.CharField())


class PlannerSerializer(serializers.Serializer):
    """What the bench sees on one rig, from ``entries`` of scenario version ``version``; ``asked`` is the change
    asked for in ms and as a rate, at the level the rig stands on ("" where none was)."""

    rig = serializers.CharField()
    version = serializers.IntegerField()
    entries = serializers.ListField(child=serializers.IntegerField())
    asked = serializers.CharField(allow_blank=True)
    rows = PlannedRowSerializer(many=True)
    blank = BlankSerializer(allow_null=True)


class PlannerView(BookView):
    """What the bench sees with a scenario, rig by rig; ``wanted`` is a change as a share (0.02 is 2 %),
    ``wanted_fps`` one in frames a second."""

    throttle_classes = (CostThrottle,)
    throttle_scope = "planning"

    @extend_schema(
        operation_id="scenario_sight",
        parameters=[OpenApiParameter("wanted", float), OpenApiParameter("wanted_fps", float)],
        responses=PlannerSerializer(many=True),
    )
    def get(self, request: Request, book: str, scenario: int) -> Response:
        found = get_object_or_404(Scenario, book=self.book, pk=scenario)
        form = WantedSerializer(data=request.query_params)
        form.is_valid(raise_exception=True)
        return Response(PlannerSerializer(outlook_by_rig(found, **form.validated_data), many=True).data)
