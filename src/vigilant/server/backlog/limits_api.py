"""Limits of counters over HTTP: each with its source, held against the runs of an entry's arm."""

from __future__ import annotations

from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from vigilant.formats import limits
from vigilant.server.evidence.api import LeafView
from vigilant.server.evidence.arm_work import ARMS
from vigilant.server.evidence.work_shapes import asked_of
from vigilant.server.fields import Listed, Number, Text

from . import counter_limits
from .models import CounterLimit


class CounterLimitSerializer(serializers.Serializer):
    """A limit and what the runs say of it; ``first_run`` and ``first_frame`` where it was first broken."""

    counter = serializers.CharField()
    leg = serializers.CharField(allow_blank=True)
    kind = serializers.ChoiceField(CounterLimit.Kind.choices)
    value = serializers.FloatField()
    for_rig = serializers.CharField(allow_blank=True)
    source = serializers.CharField()
    measured_here = serializers.BooleanField()
    by = serializers.CharField()
    set_at = serializers.DateTimeField()
    check = serializers.CharField(allow_blank=True, help_text="the part that sees to it")
    said = serializers.CharField()
    broken = serializers.BooleanField()
    first_run = serializers.IntegerField(allow_null=True)
    first_frame = serializers.IntegerField(allow_null=True)


class CounterLimitsSerializer(serializers.Serializer):
    arm = serializers.CharField()
    rig = serializers.CharField(allow_blank=True)
    runs = serializers.ListField(child=serializers.UUIDField())
    counters = serializers.ListField(child=serializers.CharField())
    legs = serializers.ListField(child=serializers.CharField())
    rows = CounterLimitSerializer(many=True)


class CounterLimitInSerializer(serializers.Serializer):
    """``value`` null takes the limit back; ``check_path`` names the part that sees to it, from the outside in."""

    arm = Text(10, default="after")
    counter = Text(limits.NAME)
    leg = Text(limits.NAME, allow_blank=True, default="")
    kind = serializers.ChoiceField(CounterLimit.Kind.choices)
    value = Number(-limits.COUNT, limits.COUNT, allow_null=True)
    source = Text(limits.REASON)
    measured_here = serializers.BooleanField(default=False)
    check_lane = Text(limits.NAME, allow_blank=True, default="")
    check_path = Listed(Text(limits.NAME), limits.JSON_DEPTH, default=list)
    every_rig = serializers.BooleanField(default=False)

    def validate_arm(self, arm: str) -> str:
        return asked_of(arm, ARMS, "arm")


class CounterLimitsView(LeafView):
    """The limits of an entry's counters; set one from its source."""

    @extend_schema(
        operation_id="counter_limits", responses=CounterLimitsSerializer,
        parameters=[OpenApiParameter("arm", str, enum=list(ARMS), default="after")],
    )  # fmt: skip
    def get(self, request: Request, book: str, number: int) -> Response:
        arm = asked_of(request.query_params.get("arm", "after"), ARMS, "arm")
        return Response(CounterLimitsSerializer(counter_limits.limits_page(self.comparison(number), arm)).data)

    @extend_schema(
        operation_id="set_counter_limit", request=CounterLimitInSerializer, responses=CounterLimitsSerializer
    )
    def post(self, request: Request, book: str, number: int) -> Response:
        form = CounterLimitInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        data = dict(form.validated_data)
        arm, every = data.pop("arm"), data.pop("every_rig")
        comparison = self.comparison(number)
        counter_limits.set_limit(comparison, data, "" if every else comparison.rig.alias, request.user)
        return Response(CounterLimitsSerializer(counter_limits.limits_page(comparison, arm)).data)
