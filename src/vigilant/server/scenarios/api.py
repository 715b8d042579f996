"""Scenarios and their versions, and conditions set side by side."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

from django.db.models import Count, F, OuterRef, Subquery
from django.db.models.functions import Coalesce
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema, extend_schema_field
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from vigilant.formats import limits
from vigilant.plan import Definition, plan_text
from vigilant.server.books.models import Book
from vigilant.server.fields import Text
from vigilant.server.tables import reference_to, tables_field
from vigilant.server.views import BookView
from vigilant.wording.figures import figure_choices
from vigilant.wording.sheets import differences, rows_of

from . import services
from .models import Scenario, ScenarioVersion


class SheetRowSerializer(serializers.Serializer):
    """One line of a sheet: what it is called, what it says, and its key."""

    key = serializers.CharField()
    label = serializers.CharField()
    value = serializers.CharField()


class DifferenceSerializer(serializers.Serializer):
    key = serializers.CharField()
    label = serializers.CharField()
    before = serializers.CharField()
    after = serializers.CharField()


class VersionSerializer(serializers.ModelSerializer):
    runs = serializers.IntegerField(source="run_count")
    rows = serializers.SerializerMethodField()
    changed = serializers.SerializerMethodField()
    definition = tables_field(Definition)

    class Meta:
        model = ScenarioVersion
        fields = ("number", "created_at", "target_fps", "runs", "rows", "changed", "definition")
        read_only_fields = fields

    @extend_schema_field(SheetRowSerializer(many=True))
    def get_rows(self, version: ScenarioVersion):
        return rows_of(version.definition)

    @extend_schema_field(DifferenceSerializer(many=True))
    def get_changed(self, version: ScenarioVersion):
        """Against the version before it; empty for the first."""
        older = self.context["older"].get(version.number)
        return [] if older is None else differences(older, version.definition)


class ScenarioLineSerializer(serializers.ModelSerializer):
    version = serializers.SerializerMethodField()
    runs = serializers.IntegerField(source="run_count")
    compared = serializers.IntegerField(help_text="runs that were not recorded for a line over builds")
    target_fps = serializers.SerializerMethodField()
    definition = serializers.SerializerMethodField()

    class Meta:
        model = Scenario
        fields = ("id", "name", "version", "runs", "compared", "target_fps", "definition")
        read_only_fields = fields

    def _newest(self, scenario: Scenario) -> ScenarioVersion:
        return max(scenario.versions.all(), key=lambda v: v.number)

    def get_version(self, scenario: Scenario) -> int:
        return self._newest(scenario).number

    def get_target_fps(self, scenario: Scenario) -> float | None:
        return self._newest(scenario).target_fps

    @extend_schema_field(reference_to(Definition))
    def get_definition(self, scenario: Scenario) -> dict[str, Any]:
        return self._newest(scenario).definition


class ScenarioSerializer(ScenarioLineSerializer):
    versions = serializers.SerializerMethodField()
    plan_text = serializers.SerializerMethodField()

    class Meta(ScenarioLineSerializer.Meta):
        fields = (*ScenarioLineSerializer.Meta.fields, "versions", "plan_text")
        read_only_fields = fields

    @extend_schema_field(VersionSerializer(many=True))
    def get_versions(self, scenario: Scenario):
        versions = list(scenario.versions.annotate(run_count=Count("runs")).order_by("-number"))
        older = {new.number: old.definition for new, old in pairwise(versions)}
        return VersionSerializer(versions, many=True, context={"older": older}).data

    def get_plan_text(self, scenario: Scenario) -> str:
        """A plan file for the newest version, to be completed with its arms."""
        return plan_text(scenario.name, self._newest(scenario).definition)


class ScenarioInSerializer(serializers.Serializer):
    """``definition`` holds the keys of a plan's [scenario] (without the name) and its policy."""

    name = Text(limits.LABEL)
    definition = tables_field(Definition)


class FigureChoiceSerializer(serializers.Serializer):
    name = serializers.CharField()
    label = serializers.CharField()
    definition = serializers.CharField()
    unit = serializers.CharField()
    margin_unit = serializers.CharField()
    margin_scale = serializers.FloatField()
    threshold_scale = serializers.FloatField()
    limit = serializers.CharField()
    usual = serializers.BooleanField()
    for_verdict = serializers.BooleanField()
    for_goal = serializers.BooleanField()


class FiguresView(APIView):
    """The figures to choose from, for a verdict or for a goal."""

    @extend_schema(operation_id="figures", responses=FigureChoiceSerializer(many=True))
    def get(self, request: Request) -> Response:
        return Response(figure_choices())


def _counted(of: str, **which: Any) -> Coalesce:
    """How many of these a scenario's versions have: each by an index of its own."""
    versions = ScenarioVersion.objects.filter(scenario=OuterRef("pk"), **which).order_by().values("scenario")
    return Coalesce(Subquery(versions.annotate(n=Count(of)).values("n")), 0)


def _scenarios(book: Book) -> Any:
    of_lines = _counted("recordings__slots__run", recordings__account__in=("line", "hunt"))
    counted = Scenario.objects.filter(book=book).annotate(run_count=_counted("runs"))
    return counted.annotate(compared=F("run_count") - of_lines).prefetch_related("versions")


class ScenariosView(BookView):
    """The scenarios of a book; write a new one, or a new version of one by its name."""

    @extend_schema(operation_id="scenarios", responses=ScenarioLineSerializer(many=True))
    def get(self, request: Request, book: str) -> Response:
        found = _scenarios(self.book).order_by("name")
        return Response(ScenarioLineSerializer(found, many=True).data)

    @extend_schema(request=ScenarioInSerializer, responses={201: ScenarioSerializer})
    def post(self, request: Request, book: str) -> Response:
        form = ScenarioInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        made = services.write_scenario(self.book, **form.validated_data)
        body = ScenarioSerializer(_scenarios(self.book).get(pk=made.scenario_id)).data
        return Response(body, status.HTTP_201_CREATED)


class ScenarioView(BookView):
    """One scenario with all its versions and what each changed."""

    @extend_schema(responses=ScenarioSerializer)
    def get(self, request: Request, book: str, scenario: int) -> Response:
        return Response(ScenarioSerializer(get_object_or_404(_scenarios(self.book), pk=scenario)).data)
