"""Stills of an entry over HTTP: the leaf, the difference as a picture, what people saw, what may differ."""

from __future__ import annotations

from django.http import HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response

from vigilant.formats import limits
from vigilant.server.fields import Number, Text
from vigilant.server.runs.models import ArmLabel, Still

from . import stills
from .api import LeafView
from .models import StillRuling

STATES = ("same", "changed", "to be looked at", "not compared")
SEQUENCE_STATES = (*STATES, "changed in motion")


class StillDifferenceSerializer(serializers.Serializer):
    """Share of the pixels that differ, the largest region of them in pixels, and its box (left, top, width, height)."""

    share = serializers.FloatField()
    region = serializers.IntegerField()
    box = serializers.ListField(child=serializers.IntegerField())


class StillLimitsSerializer(serializers.Serializer):
    """What a channel may differ by, 0 to 255: as it is, and after the mean over 3 x 3 pixels."""

    channel = serializers.FloatField()
    mean = serializers.FloatField()


class StillMaskSerializer(serializers.Serializer):
    """A part that may differ, in shares of the picture."""

    id = serializers.IntegerField()
    left = serializers.FloatField()
    top = serializers.FloatField()
    width = serializers.FloatField()
    height = serializers.FloatField()
    why = serializers.CharField()
    by = serializers.CharField()


class StillRulingSerializer(serializers.Serializer):
    state = serializers.ChoiceField(StillRuling.State.choices)
    why = serializers.CharField()
    by = serializers.CharField()
    at = serializers.DateTimeField()


class StillRunsSerializer(serializers.Serializer):
    """How many runs of each arm have the still."""

    before = serializers.IntegerField()
    after = serializers.IntegerField()


class StillPairSerializer(serializers.Serializer):
    """The runs whose pictures are shown: those of the median difference."""

    before = serializers.UUIDField(allow_null=True)
    after = serializers.UUIDField(allow_null=True)


class ComparedStillSerializer(serializers.Serializer):
    leg = serializers.CharField(allow_blank=True)
    name = serializers.CharField()
    sequence = serializers.CharField(allow_blank=True)
    shows = serializers.ChoiceField(Still.Shows.choices)
    runs = StillRunsSerializer()
    pair = StillPairSerializer()
    size = serializers.ListField(child=serializers.IntegerField())
    state = serializers.ChoiceField(STATES)
    said = serializers.CharField()
    difference = StillDifferenceSerializer(allow_null=True)
    floor = StillDifferenceSerializer(allow_null=True)
    ssim = serializers.FloatField(allow_null=True)
    limits = StillLimitsSerializer()
    ruling = StillRulingSerializer(allow_null=True)
    masks = StillMaskSerializer(many=True)


class StillSequenceSerializer(serializers.Serializer):
    """Pictures of short motion, by their names in order; ``share`` and ``floor`` are means over them."""

    leg = serializers.CharField(allow_blank=True)
    name = serializers.CharField()
    pictures = serializers.ListField(child=serializers.CharField())
    state = serializers.ChoiceField(SEQUENCE_STATES)
    said = serializers.CharField()
    share = serializers.FloatField(allow_null=True)
    floor = serializers.FloatField(allow_null=True)
    ruling = StillRulingSerializer(allow_null=True)


class RunOfArmSerializer(serializers.Serializer):
    id = serializers.UUIDField()
    arm = serializers.ChoiceField(ArmLabel.choices)


class StillsSerializer(serializers.Serializer):
    """``pending`` while the pictures are compared."""

    pending = serializers.BooleanField()
    sentence = serializers.CharField()
    thresholds = serializers.CharField()
    stills = ComparedStillSerializer(many=True)
    sequences = StillSequenceSerializer(many=True)
    runs = RunOfArmSerializer(many=True)


class OfStillSerializer(serializers.Serializer):
    leg = Text(limits.NAME, allow_blank=True, default="")
    name = Text(limits.NAME)


class StillRulingInSerializer(OfStillSerializer):
    """``whole`` is of a sequence, by its name."""

    whole = serializers.BooleanField(default=False)
    state = serializers.ChoiceField(StillRuling.State.choices)
    why = Text(limits.REASON)


class StillMaskInSerializer(OfStillSerializer):
    left = Number(0, 1)
    top = Number(0, 1)
    width = Number(0.0001, 1)
    height = Number(0.0001, 1)
    why = Text(limits.TITLE)

    def validate(self, attrs):
        if attrs["left"] + attrs["width"] > 1.0000001 or attrs["top"] + attrs["height"] > 1.0000001:
            raise serializers.ValidationError("The part lies outside the picture.")
        return attrs


class StillsView(LeafView):
    """The stills of both arms, compared."""

    @extend_schema(responses=StillsSerializer)
    def get(self, request: Request, book: str, number: int) -> Response:
        return Response(StillsSerializer(stills.leaf(self.comparison(number))).data)


class DifferenceView(LeafView):
    """Where two pictures differ, as ink on paper."""

    @extend_schema(
        parameters=[OpenApiParameter("name", str, required=True), OpenApiParameter("leg", str)],
        responses={(200, "image/png"): OpenApiTypes.BINARY},
    )
    def get(self, request: Request, book: str, number: int) -> HttpResponse:
        form = OfStillSerializer(data=request.query_params)
        form.is_valid(raise_exception=True)
        body = stills.difference_picture(self.comparison(number), **form.validated_data)
        answer = HttpResponse(body, content_type="image/png")
        answer["Cache-Control"] = "private, no-cache"
        return answer


class RulingsView(LeafView):
    """Say what one saw in a still's pictures, and why."""

    @extend_schema(request=StillRulingInSerializer, responses={201: StillsSerializer})
    def post(self, request: Request, book: str, number: int) -> Response:
        form = StillRulingInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        comparison = self.comparison(number)
        stills.rule(comparison, request.user, **form.validated_data)
        return Response(StillsSerializer(stills.leaf(comparison)).data, status.HTTP_201_CREATED)


class MasksView(LeafView):
    """Let a part of a still differ, in every entry of the scenario."""

    @extend_schema(request=StillMaskInSerializer, responses={201: StillsSerializer})
    def post(self, request: Request, book: str, number: int) -> Response:
        form = StillMaskInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        comparison = self.comparison(number)
        stills.mask(comparison, request.user, **form.validated_data)
        return Response(StillsSerializer(stills.leaf(comparison)).data, status.HTTP_201_CREATED)


class MaskView(LeafView):
    """Take a mask away."""

    @extend_schema(responses=StillsSerializer)
    def delete(self, request: Request, book: str, number: int, mask: int) -> Response:
        comparison = self.comparison(number)
        stills.unmask(comparison, request.user, mask)
        return Response(StillsSerializer(stills.leaf(comparison)).data)
