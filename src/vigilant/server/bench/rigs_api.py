"""The rigs of a book over HTTP."""

from __future__ import annotations

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response

from vigilant.formats import limits
from vigilant.server.auth import require_role
from vigilant.server.books.models import Member, name_of
from vigilant.server.fields import Text
from vigilant.server.scenarios.models import RigTiming
from vigilant.server.views import BookView

from . import reserving
from .models import ReservedTime, Standby
from .rigs import RigLine, rigs_of


class RecorderSerializer(serializers.ModelSerializer):
    """Who says that it records there; ``version`` is empty of one before 0.1.0 said it."""

    subjects = serializers.ListField(child=serializers.CharField())

    class Meta:
        model = Standby
        fields = ("version", "subjects", "seen_at")


class HeldBySerializer(serializers.ModelSerializer):
    """Somebody else's time that a recording waits for."""

    by = serializers.SerializerMethodField()

    class Meta:
        model = ReservedTime
        fields = ("by", "begins_at", "ends_at")

    def get_by(self, one: ReservedTime) -> str:
        return name_of(one.kept_by)


class ReservedTimeSerializer(HeldBySerializer):
    """When a rig is whose, and what for."""

    mine = serializers.SerializerMethodField()

    class Meta(HeldBySerializer.Meta):
        fields = ("id", "begins_at", "ends_at", "why", "by", "mine")

    def get_mine(self, one: ReservedTime) -> bool:
        return one.kept_by_id == self.context["request"].user.pk


class ReserveSerializer(serializers.Serializer):
    rig = Text(limits.ALIAS)
    begins_at = serializers.DateTimeField()
    ends_at = serializers.DateTimeField()
    why = Text(limits.LABEL, default="", allow_blank=True)


class RecordingOfRigSerializer(serializers.Serializer):
    id = serializers.UUIDField()
    title = serializers.CharField()
    received_at = serializers.DateTimeField()
    held_by = HeldBySerializer(allow_null=True)


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
    reserved = ReservedTimeSerializer(many=True)
    timings = RigTimingSerializer(many=True)
    drift = RigDriftSerializer(allow_null=True)
    said = serializers.CharField(help_text="what its timings come to, in words")


class RigsView(BookView):
    """Every rig: its recorder, its timings of the calibration load, what waits for it."""

    @extend_schema(operation_id="rigs", responses=RigLineSerializer(many=True))
    def get(self, request: Request, book: str) -> Response:
        found: list[RigLine] = rigs_of(self.book)
        return Response(RigLineSerializer(found, many=True, context={"request": request}).data)


class ReservedTimesView(BookView):
    """Keep a rig for oneself for a while: what others asked of its recorder waits."""

    @extend_schema(operation_id="reserve_rig", request=ReserveSerializer, responses={201: ReservedTimeSerializer})
    def post(self, request: Request, book: str) -> Response:
        form = ReserveSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        made = reserving.reserve(self.book, user=request.user, **form.validated_data)
        return Response(ReservedTimeSerializer(made, context={"request": request}).data, status.HTTP_201_CREATED)


class ReservedTimeView(BookView):
    """One's own reserved time, or anybody's for an owner of the book."""

    @extend_schema(operation_id="give_rig_back", responses={204: None})
    def delete(self, request: Request, book: str, reserved: int) -> Response:
        found = get_object_or_404(ReservedTime.objects.select_related("book"), book=self.book, pk=reserved)
        if found.kept_by_id != request.user.pk:
            require_role(request, self.book, Member.Role.OWNER)
        reserving.give_back(found, request.user)
        return Response(status=status.HTTP_204_NO_CONTENT)
