"""The backlog over HTTP: ideas by what they could bring at most, written, changed and ended."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response

from vigilant.core.work.next_steps import LATES, LIMITS
from vigilant.formats import limits
from vigilant.server.books.models import name_of
from vigilant.server.evidence.api import LeafView
from vigilant.server.evidence.arm_work import ARMS
from vigilant.server.evidence.free_leaf import MOST_TOGETHER
from vigilant.server.evidence.work_shapes import BY, CheaperInSerializer, TogetherSerializer, asked_of
from vigilant.server.fields import Number, Text
from vigilant.server.goals.api import GoalSerializer
from vigilant.server.goals.models import Goal
from vigilant.server.goals.services import goals_of
from vigilant.server.problems import unprocessable
from vigilant.server.scenarios.models import Scenario
from vigilant.server.views import BookView
from vigilant.wording import free as wording

from . import budgets, next_steps, services
from .models import Idea, Size

#: Rules of one book's decision table.
MOST_RULES = 100


class IdeaSerializer(serializers.ModelSerializer):
    """``rank`` by the gain asked for, ties alike; ``most`` what it would bring at most, as the runs of ``entry`` tell it."""

    scenario = serializers.CharField(source="scenario.name")
    entry = serializers.SerializerMethodField()
    parts = CheaperInSerializer(many=True)
    most = TogetherSerializer(allow_null=True)
    rank = serializers.SerializerMethodField()
    gain = serializers.SerializerMethodField()
    by = serializers.SerializerMethodField()

    class Meta:
        model = Idea
        fields = ("id", "rank", "title", "scenario", "entry", "arm", "parts", "most", "gain", "effort", "risk", "why",
                  "state", "became", "by", "made_at", "changed_at")  # fmt: skip
        read_only_fields = fields

    def get_entry(self, idea: Idea) -> int | None:
        return idea.entry.number if idea.entry else None

    def get_rank(self, idea: Idea) -> int | None:
        return self.context["ranks"].get(idea.pk)

    def get_gain(self, idea: Idea) -> str:
        return wording.most(idea.most, self.context["by"])

    def get_by(self, idea: Idea) -> str:
        return name_of(idea.made_by)


class BacklogSerializer(serializers.Serializer):
    by = serializers.CharField(help_text="the gain they are ranked by: mean_ms, p99_ms or late")
    ideas = IdeaSerializer(many=True)


class IdeaInSerializer(serializers.Serializer):
    """An idea of a scenario, or of an entry; then it may name parts of one of its arms."""

    title = Text(limits.TITLE)
    scenario = serializers.IntegerField(allow_null=True, default=None, min_value=0, max_value=2**62)
    entry = serializers.IntegerField(allow_null=True, default=None, min_value=0, max_value=2**31 - 1)
    arm = Text(10, default="after")
    parts = CheaperInSerializer(many=True, default=list, max_length=MOST_TOGETHER)
    effort = serializers.ChoiceField(Size.choices)
    risk = serializers.ChoiceField(Size.choices)
    why = Text(limits.REASON, allow_blank=True, default="")

    def validate_arm(self, arm: str) -> str:
        return asked_of(arm, ARMS, "arm")


class IdeaChangeSerializer(serializers.Serializer):
    title = Text(limits.TITLE, required=False)
    effort = serializers.ChoiceField(Size.choices, required=False)
    risk = serializers.ChoiceField(Size.choices, required=False)
    why = Text(limits.REASON, allow_blank=True, required=False)
    state = serializers.ChoiceField(Idea.State.choices, required=False)
    became = Text(limits.REASON, allow_blank=True, required=False)


class _Listing(BookView):
    def listed(self, scenario: Scenario | None, by: str) -> Response:
        ideas = Idea.objects.filter(book=self.book).select_related("scenario", "entry", "made_by")
        found = services.ranked(list(ideas.filter(scenario=scenario) if scenario else ideas), by)
        context = {"ranks": {idea.pk: rank for rank, idea in found}, "by": by}
        return Response(
            {"by": by, "ideas": IdeaSerializer([idea for _, idea in found], many=True, context=context).data}
        )


class BacklogView(_Listing):
    """The ideas of the book, or of one scenario; write another."""

    @extend_schema(
        responses=BacklogSerializer,
        parameters=[OpenApiParameter("scenario", int), OpenApiParameter("by", str, enum=list(BY))],
    )
    def get(self, request: Request, book: str) -> Response:
        asked = request.query_params.get("scenario", "")
        scenario = None
        if asked:
            key = int(asked) if asked.isdecimal() and len(asked) < 18 else -1
            scenario = get_object_or_404(Scenario, book=self.book, pk=key)
        first = scenario or Scenario.objects.filter(book=self.book, ideas__isnull=False).order_by("pk").first()
        default = services.goals_figure(first) if first else "mean_ms"
        return self.listed(scenario, asked_of(request.query_params.get("by", default), BY, "by"))

    @extend_schema(request=IdeaInSerializer, responses={201: BacklogSerializer})
    def post(self, request: Request, book: str) -> Response:
        form = IdeaInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        idea = services.write(self.book, form.validated_data, request.user)
        answer = self.listed(idea.scenario, services.goals_figure(idea.scenario))
        answer.status_code = status.HTTP_201_CREATED
        return answer


class IdeaView(_Listing):
    """Change an idea, or end it with what became of it."""

    @extend_schema(request=IdeaChangeSerializer, responses=BacklogSerializer)
    def patch(self, request: Request, book: str, key: int) -> Response:
        form = IdeaChangeSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        idea = services.change(self.book, key, form.validated_data, request.user)
        return self.listed(idea.scenario, services.goals_figure(idea.scenario))


class OverChangeSerializer(serializers.Serializer):
    """Frames in which a part is over its allowance, in both arms, and what is called of them (Holm over the parts)."""

    before = serializers.CharField(allow_blank=True)
    after = serializers.CharField(allow_blank=True)
    call = serializers.CharField(allow_blank=True)


class BudgetWordsSerializer(serializers.Serializer):
    over = serializers.CharField(allow_blank=True)
    interval = serializers.CharField(allow_blank=True)
    overrun = serializers.CharField(allow_blank=True)
    where = serializers.CharField(allow_blank=True)
    headroom = serializers.CharField(allow_blank=True)
    late = serializers.CharField(allow_blank=True)
    change = OverChangeSerializer()


class BudgetRowSerializer(serializers.Serializer):
    """A part against its allowance; ``proposed_ms`` is a proposal and no more."""

    lane = serializers.CharField()
    path = serializers.ListField(child=serializers.CharField())
    depth = serializers.IntegerField()
    name = serializers.CharField()
    allowed_ms = serializers.FloatField(allow_null=True)
    for_rig = serializers.CharField(allow_blank=True)
    said = serializers.CharField(allow_blank=True)
    set_at = serializers.DateTimeField(allow_null=True)
    proposed_ms = serializers.FloatField()
    mean_ms = serializers.FloatField()
    words = BudgetWordsSerializer()
    over = serializers.FloatField(allow_null=True)


class UnassignedSerializer(serializers.Serializer):
    lane = serializers.CharField(allow_blank=True)
    ms = serializers.FloatField()


class BudgetPageSerializer(serializers.Serializer):
    """The budget split over parts of an arm; ``together`` where lanes follow each other and share one budget."""

    arm = serializers.CharField()
    budget_ms = serializers.FloatField()
    rig = serializers.CharField()
    together = serializers.BooleanField()
    note = serializers.CharField(allow_blank=True)
    unassigned = UnassignedSerializer(many=True)
    rows = BudgetRowSerializer(many=True)


class AllowanceInSerializer(serializers.Serializer):
    """Null takes an allowance back."""

    lane = serializers.CharField(max_length=limits.NAME)
    path = serializers.ListField(child=serializers.CharField(max_length=limits.NAME), min_length=1, max_length=32)
    ms = Number(0, limits.FRAME_MS, allow_null=True)


class AllowancesInSerializer(serializers.Serializer):
    arm = Text(10, default="after")
    allowances = AllowanceInSerializer(many=True, allow_empty=False, max_length=200)
    every_rig = serializers.BooleanField(default=False)
    reason = Text(limits.REASON)

    def validate_arm(self, arm: str) -> str:
        return asked_of(arm, ARMS, "arm")


class BudgetView(LeafView):
    """The budget split over the parts of an entry's arm; set allowances for a reason."""

    @extend_schema(
        responses=BudgetPageSerializer, parameters=[OpenApiParameter("arm", str, enum=list(ARMS), default="after")]
    )
    def get(self, request: Request, book: str, number: int) -> Response:
        arm = asked_of(request.query_params.get("arm", "after"), ARMS, "arm")
        return Response(budgets.budget_page(self.comparison(number), arm))

    @extend_schema(request=AllowancesInSerializer, responses=BudgetPageSerializer)
    def post(self, request: Request, book: str, number: int) -> Response:
        form = AllowancesInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        asked, comparison = form.validated_data, self.comparison(number)
        now = budgets.budget_page(comparison, asked["arm"])
        known = {(row["lane"], tuple(row["path"])) for row in now["rows"]}
        strange = next((o for o in asked["allowances"] if (o["lane"], tuple(o["path"])) not in known), None)
        if strange is not None:
            raise unprocessable("part-unknown", f"No run of this arm has the part {' / '.join(strange['path'])[:120]}.")
        rig = "" if asked["every_rig"] else comparison.rig.alias
        budgets.allow(comparison, asked["allowances"], rig, asked["reason"], now["together"], request.user)
        return Response(budgets.budget_page(comparison, asked["arm"]))


class RuleSerializer(serializers.Serializer):
    """What must hold ("": anything), and what is proposed then: a test, or whom to ask. {lane}, {part} and {leg} stand for
    what was found."""

    title = Text(limits.TITLE)
    expected = Text(limits.REASON, allow_blank=True, default="")
    ask = Text(limits.REASON, allow_blank=True, default="")
    limit = Text(20, allow_blank=True, default="")
    late = Text(20, allow_blank=True, default="")
    counter = Text(limits.NAME, allow_blank=True, default="")
    over = serializers.BooleanField(default=True)
    value = Number(-limits.COUNT, limits.COUNT, allow_null=True, default=None)

    def validate(self, rule: dict[str, Any]) -> dict[str, Any]:
        if rule["limit"]:
            asked_of(rule["limit"], LIMITS, "limit")
        if rule["late"]:
            asked_of(rule["late"], LATES, "late")
        if not (rule["limit"] or rule["late"] or rule["counter"]):
            raise serializers.ValidationError("A rule needs something that must hold.")
        if bool(rule["counter"]) != (rule["value"] is not None):
            raise serializers.ValidationError("A counter is held against a number, and a number needs its counter.")
        return rule


class DecisionTableSerializer(serializers.Serializer):
    rules = RuleSerializer(many=True, max_length=MOST_RULES)


class RestsSerializer(serializers.Serializer):
    see = serializers.CharField(allow_blank=True, help_text="the view of the work that shows it")
    said = serializers.CharField()


class ProposalSerializer(serializers.Serializer):
    """A test to plan, or with ``ask`` a specialist to ask; and the evidence it rests on."""

    title = serializers.CharField()
    expected = serializers.CharField(allow_blank=True)
    ask = serializers.CharField(allow_blank=True)
    evidence = RestsSerializer(many=True)


class WhatNextSerializer(serializers.Serializer):
    """``own`` says that the book has a table of its own; else it is the one that books begin with."""

    arm = serializers.CharField()
    own = serializers.BooleanField()
    rules = RuleSerializer(many=True)
    counters = serializers.ListField(child=serializers.CharField())
    proposals = ProposalSerializer(many=True)


class WhatNextView(LeafView):
    """What the book's decision table proposes after an entry."""

    @extend_schema(
        responses=WhatNextSerializer, parameters=[OpenApiParameter("arm", str, enum=list(ARMS), default="after")]
    )
    def get(self, request: Request, book: str, number: int) -> Response:
        arm = asked_of(request.query_params.get("arm", "after"), ARMS, "arm")
        return Response(next_steps.what_next(self.book, self.comparison(number), arm))


class DecisionTableView(BookView):
    """The book's decision table: read it, or write it as a whole."""

    @extend_schema(responses=DecisionTableSerializer)
    def get(self, request: Request, book: str) -> Response:
        rules, _ = next_steps.rules_of(self.book)
        return Response({"rules": [asdict(rule) for rule in rules]})

    @extend_schema(request=DecisionTableSerializer, responses=DecisionTableSerializer)
    def put(self, request: Request, book: str) -> Response:
        form = DecisionTableSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        next_steps.write_rules(self.book, form.validated_data["rules"], request.user)
        return self.get(request, book)


class CloseInSerializer(serializers.Serializer):
    why = Text(limits.REASON)


class GoalCloseView(BookView):
    """Good enough for now: close a goal with what is left to try. Moving it opens it again."""

    @extend_schema(request=CloseInSerializer, responses=GoalSerializer(many=True))
    def post(self, request: Request, book: str, goal: int) -> Response:
        found = get_object_or_404(Goal.objects.select_related("scenario__book"), pk=goal, scenario__book=self.book, dropped_at=None)  # fmt: skip
        form = CloseInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        services.close_goal(found, form.validated_data["why"], request.user)
        return Response(GoalSerializer(goals_of(found.scenario), many=True).data)
