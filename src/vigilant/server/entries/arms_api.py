"""Stored runs side by side: several arms, and chains of entries. Nothing here is kept."""

from __future__ import annotations

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from vigilant.formats import limits
from vigilant.server.auth import book_of
from vigilant.server.fields import Listed, Whole
from vigilant.server.throttles import CostThrottle

from . import serializers as shapes
from .arms import compare_arms
from .chain import MOST_STEPS, chain


class ArmInSerializer(serializers.Serializer):
    """An arm: one side of an entry, or single runs."""

    entry = Whole(1, 2**31 - 1, allow_null=True, default=None)
    side = serializers.ChoiceField(("before", "after"), default="after")
    runs = Listed(serializers.UUIDField(), limits.ARM_RUNS, default=list)

    def validate(self, attrs):
        if (attrs["entry"] is None) == (not attrs["runs"]):
            raise serializers.ValidationError("An arm is one side of an entry, or runs: one of them.")
        if len(set(attrs["runs"])) < len(attrs["runs"]):
            raise serializers.ValidationError("A run is in an arm once; one is named twice.")
        return attrs


class ArmsInSerializer(serializers.Serializer):
    arms = ArmInSerializer(many=True, min_length=2, max_length=9)
    against = serializers.ChoiceField(("reference", "all"), default="reference")
    empty = Whole(0, 8, allow_null=True, default=None)

    def validate(self, attrs):
        if attrs["empty"] is not None and attrs["empty"] >= len(attrs["arms"]):
            raise serializers.ValidationError("The empty arm is one of the arms.")
        return attrs


class ArmOfRunsSerializer(serializers.Serializer):
    name = serializers.CharField()
    runs = serializers.ListField(child=serializers.UUIDField())
    frames = serializers.IntegerField()
    scenario = serializers.CharField()
    rig = serializers.CharField()


class PairSerializer(serializers.Serializer):
    """Two of the arms by their place, and what their comparison says."""

    before = serializers.IntegerField()
    after = serializers.IntegerField()
    result = shapes.ResultSerializer()


class ArmsSerializer(serializers.Serializer):
    """Several arms in one family; ``sessions`` counts the recordings they come from, 0 for an unknown order."""

    arms = ArmOfRunsSerializer(many=True)
    empty = serializers.IntegerField(allow_null=True)
    sessions = serializers.IntegerField()
    pairs = PairSerializer(many=True)
    ranks = shapes.PlaceOfArmSerializer(many=True)
    net = shapes.NetSerializer(many=True)


class ArmsView(APIView):
    """Set arms of stored runs side by side. Readers may."""

    throttle_classes = (CostThrottle,)
    throttle_scope = "arms"

    @extend_schema(request=ArmsInSerializer, responses=ArmsSerializer)
    def post(self, request: Request, book: str) -> Response:
        found = book_of(request, book)
        form = ArmsInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        asked = form.validated_data
        return Response(ArmsSerializer(compare_arms(found, asked["arms"], asked["against"], asked["empty"])).data)


class ChainStepSerializer(serializers.Serializer):
    number = serializers.IntegerField()
    title = serializers.CharField()
    factors = serializers.ListField(child=serializers.CharField(allow_blank=True))


class ClosingWordsSerializer(serializers.Serializer):
    product = serializers.CharField()
    total = serializers.CharField()
    missed = serializers.CharField()
    interval = serializers.CharField(allow_blank=True)
    meaning = serializers.CharField()


class ClosingSerializer(serializers.Serializer):
    figure = serializers.CharField()
    label = serializers.CharField()
    product = serializers.FloatField()
    total = serializers.FloatField()
    missed = serializers.FloatField()
    low = serializers.FloatField(allow_null=True)
    high = serializers.FloatField(allow_null=True)
    words = ClosingWordsSerializer()


class ChainSerializer(serializers.Serializer):
    """A chain of entries and how far its product misses the total; factors in the order of the rows."""

    steps = ChainStepSerializer(many=True)
    total = serializers.IntegerField(allow_null=True)
    rows = ClosingSerializer(many=True)


class ChainInSerializer(serializers.Serializer):
    entry = Listed(Whole(1, 2**31 - 1), MOST_STEPS)
    total = Whole(1, 2**31 - 1, allow_null=True, default=None)


class ChainView(APIView):
    """Do the steps add up? ``entry`` is repeated, once a step; ``total`` is an entry that went all the way."""

    throttle_classes = (CostThrottle,)
    throttle_scope = "arms"

    @extend_schema(parameters=[ChainInSerializer], responses=ChainSerializer)
    def get(self, request: Request, book: str) -> Response:
        found = book_of(request, book)
        form = ChainInSerializer(data=request.query_params)
        form.is_valid(raise_exception=True)
        return Response(ChainSerializer(chain(found, form.validated_data["entry"], form.validated_data["total"])).data)
