"""Goals over HTTP: set, move with a reason, drop, and read with their history."""

from __future__ import annotations

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema, extend_schema_field
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response

from vigilant.formats import limits
from vigilant.server.books.models import name_of
from vigilant.server.fields import Listed, Number, Text
from vigilant.server.scenarios.models import Scenario
from vigilant.server.views import BookView
from vigilant.wording.goals import goal_sentence, threshold

from . import services
from .models import Goal, GoalClosing, GoalMove


class MoveSerializer(serializers.ModelSerializer):
    said = serializers.SerializerMethodField()
    by = serializers.SerializerMethodField()

    class Meta:
        model = GoalMove
        fields = ("threshold", "said", "reason", "by", "moved_at")
        read_only_fields = fields

    def get_said(self, move: GoalMove) -> str:
        return threshold(move.goal.figure, move.threshold)

    def get_by(self, move: GoalMove) -> str:
        return name_of(move.moved_by)


class LeftSerializer(serializers.Serializer):
    """An idea that was left, and what it would have brought at most."""

    title = serializers.CharField()
    most = serializers.CharField(allow_blank=True)


class GoalClosingSerializer(serializers.ModelSerializer):
    by = serializers.SerializerMethodField()
    left = LeftSerializer(many=True)

    class Meta:
        model = GoalClosing
        fields = ("why", "left", "by", "closed_at")
        read_only_fields = fields

    def get_by(self, closing: GoalClosing) -> str:
        return name_of(closing.closed_by)


class GoalSerializer(serializers.ModelSerializer):
    sentence = serializers.SerializerMethodField()
    legs = serializers.ListField(child=serializers.CharField())
    moves = serializers.SerializerMethodField()
    closing = GoalClosingSerializer(allow_null=True)

    class Meta:
        model = Goal
        fields = ("id", "figure", "legs", "load", "rig", "sentence", "moves", "closing")
        read_only_fields = fields

    def get_sentence(self, goal: Goal) -> str:
        return goal_sentence(goal.figure, goal.moves.all()[0].threshold, goal.legs, goal.load, goal.rig)

    @extend_schema_field(MoveSerializer(many=True))
    def get_moves(self, goal: Goal):
        return MoveSerializer(goal.moves.all(), many=True).data


class GoalInSerializer(serializers.Serializer):
    """``figure`` is a figure's name, or ``most:`` and a counter for the most in any frame."""

    figure = Text(limits.NAME + len("most:"))
    threshold = Number(0, limits.COUNT)
    legs = Listed(Text(limits.NAME), limits.SHEET_KEYS, default=list)
    load = Text(40, allow_blank=True, default="")
    rig = Text(limits.ALIAS, allow_blank=True, default="")
    reason = Text(limits.REASON, allow_blank=True, default="")


class MoveInSerializer(serializers.Serializer):
    threshold = Number(0, limits.COUNT)
    reason = Text(limits.REASON, allow_blank=True)


class GoalsView(BookView):
    """The goals of a scenario; set another."""

    def _scenario(self, key: int) -> Scenario:
        return get_object_or_404(Scenario, book=self.book, pk=key)

    @extend_schema(operation_id="goals", responses=GoalSerializer(many=True))
    def get(self, request: Request, book: str, scenario: int) -> Response:
        return Response(GoalSerializer(services.goals_of(self._scenario(scenario)), many=True).data)

    @extend_schema(request=GoalInSerializer, responses={201: GoalSerializer(many=True)})
    def post(self, request: Request, book: str, scenario: int) -> Response:
        found = self._scenario(scenario)
        form = GoalInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        services.set_goal(found, form.validated_data, request.user)
        return Response(GoalSerializer(services.goals_of(found), many=True).data, status.HTTP_201_CREATED)


class GoalMovesView(BookView):
    """Move a goal for a reason, or drop it."""

    def _goal(self, key: int) -> Goal:
        goals = Goal.objects.select_related("scenario__book")
        return get_object_or_404(goals, pk=key, scenario__book=self.book, dropped_at=None)

    @extend_schema(request=MoveInSerializer, responses=GoalSerializer(many=True))
    def post(self, request: Request, book: str, goal: int) -> Response:
        found = self._goal(goal)
        form = MoveInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        services.move_goal(found, form.validated_data["threshold"], form.validated_data["reason"], request.user)
        return Response(GoalSerializer(services.goals_of(found.scenario), many=True).data)

    @extend_schema(request=None, responses=GoalSerializer(many=True))
    def delete(self, request: Request, book: str, goal: int) -> Response:
        found = self._goal(goal)
        services.drop_goal(found)
        return Response(GoalSerializer(services.goals_of(found.scenario), many=True).data)
