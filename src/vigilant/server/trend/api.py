"""The line over builds over HTTP: its page, the order of builds, alarms, and what a recorder asks of a recording."""

from __future__ import annotations

import csv
import io
from typing import Any
from uuid import UUID

from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from vigilant.formats import limits
from vigilant.server.auth import Recorder, books_of, recorder_token, require_role
from vigilant.server.books.models import Book
from vigilant.server.fields import Text, Whole
from vigilant.server.runs.models import Recording
from vigilant.server.scenarios.models import Rig, Scenario
from vigilant.server.spreadsheet import cell
from vigilant.server.views import BookView

from . import alarms, gating, ordering, page
from .measurements import RigLine, gathered, watched
from .models import Alarm, BuildPlace
from .shapes import (
    AlarmSerializer,
    ExplainedSerializer,
    FollowingSerializer,
    GatedSerializer,
    GateInSerializer,
    LinePageSerializer,
    LinesSerializer,
    MoveBuildSerializer,
    OrderedSerializer,
    OrderInSerializer,
    OrderSerializer,
    ReadLineInSerializer,
    ReadLineSerializer,
)
from .short import lines_of

TAKEN_AS = ("csv", "json")


class LinesAskedSerializer(serializers.Serializer):
    scenario = Whole(1, 2**62, default=None, allow_null=True)


class LineAskedSerializer(serializers.Serializer):
    figure = Text(limits.NAME, default="")
    chain = Whole(0, limits.BUILDS_AT_ONCE, default=None, allow_null=True)


class LineTakenSerializer(LineAskedSerializer):
    pass


LineTakenSerializer._declared_fields["as"] = serializers.ChoiceField(TAKEN_AS, default="csv")


class LinesView(BookView):
    """All lines of a book in short, its open alarms, and what is to be recorded again."""

    @extend_schema(operation_id="lines", parameters=[OpenApiParameter("scenario", int)], responses=LinesSerializer)
    def get(self, request: Request, book: str) -> Response:
        form = LinesAskedSerializer(data=request.query_params)
        form.is_valid(raise_exception=True)
        return Response(LinesSerializer(lines_of(self.book, form.validated_data["scenario"])).data)


class LineView(BookView):
    """A scenario's line on a rig, one figure of it drawn."""

    def found(self, scenario: int, rig: int, chain: int | None) -> tuple[Scenario, RigLine, Any]:
        of = get_object_or_404(Scenario, book=self.book, pk=scenario)
        made = gathered(of)
        line = page.line_at(made, get_object_or_404(Rig, book=self.book, pk=rig), chain)
        if line is None:
            raise Http404("Nothing of a build that has a place in the order was recorded there.")
        return of, line, made

    @extend_schema(
        operation_id="line",
        parameters=[OpenApiParameter("figure", str), OpenApiParameter("chain", int)],
        responses=LinePageSerializer,
    )
    def get(self, request: Request, book: str, scenario: int, rig: int) -> Response:
        form = LineAskedSerializer(data=request.query_params)
        form.is_valid(raise_exception=True)
        asked = form.validated_data
        of, line, made = self.found(scenario, rig, asked["chain"])
        return Response(page.line_page(of, line, made, asked["figure"]))


class LineTakenOutView(LineView):
    """A line as a table: every measurement of every watched figure."""

    @extend_schema(
        operation_id="line_taken_out",
        parameters=[OpenApiParameter("chain", int), OpenApiParameter("as", str, enum=list(TAKEN_AS), default="csv")],
        responses={(200, "text/csv"): OpenApiTypes.BINARY, (200, "application/json"): OpenApiTypes.BINARY},
    )
    def get(self, request: Request, book: str, scenario: int, rig: int) -> Response | HttpResponse:
        form = LineTakenSerializer(data=request.query_params)
        form.is_valid(raise_exception=True)
        _, line, made = self.found(scenario, rig, form.validated_data["chain"])
        head, *rows = page.taken_out(line, watched(made.version)[0])
        if form.validated_data["as"] == "json":
            return Response([dict(zip(head, row, strict=True)) for row in rows])
        out = io.StringIO()
        csv.writer(out).writerows([head, *([cell(value) for value in row] for row in rows)])
        answer = HttpResponse(out.getvalue(), content_type="text/csv; charset=utf-8")
        answer["Content-Disposition"] = f'attachment; filename="{self.book.slug}-line.csv"'
        return answer


# -- the order


def _order(book: Book) -> Response:
    found = BuildPlace.objects.filter(book=book).values("name", "made_at")
    return Response(OrderSerializer({"builds": list(found)}).data)


class OrderView(BookView):
    """The order of the book's builds, the oldest first; a recorder may add to it too."""

    recorders_may = ("POST",)

    @extend_schema(operation_id="build_order", responses=OrderSerializer)
    def get(self, request: Request, book: str) -> Response:
        return _order(self.book)

    @extend_schema(operation_id="order_builds", request=OrderInSerializer, responses={201: OrderedSerializer})
    def post(self, request: Request, book: str) -> Response:
        form = OrderInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        asked = form.validated_data
        if asked["anew"] and isinstance(request.user, Recorder):
            require_role(request, self.book)
        added = ordering.set_order(self.book, asked["builds"], asked["by"], asked["anew"], request.user)
        count = BuildPlace.objects.filter(book=self.book).count()
        return Response({"added": added, "builds": count}, status.HTTP_201_CREATED)


class MoveBuildView(BookView):
    """Put a build right after another, or first."""

    @extend_schema(operation_id="move_build", request=MoveBuildSerializer, responses=OrderSerializer)
    def post(self, request: Request, book: str) -> Response:
        form = MoveBuildSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        ordering.move(self.book, user=request.user, **form.validated_data)
        return _order(self.book)


# -- what is watched, and alarms


class FollowingView(BookView):
    """How closely a scenario is followed."""

    def _scenario(self, key: int) -> Scenario:
        return get_object_or_404(Scenario.objects.select_related("book"), book=self.book, pk=key)

    @extend_schema(operation_id="following_of_scenario", responses=FollowingSerializer)
    def get(self, request: Request, book: str, scenario: int) -> Response:
        return Response(page.following_row(alarms.following_of(self._scenario(scenario))))

    @extend_schema(operation_id="set_following", request=FollowingSerializer, responses=FollowingSerializer)
    def put(self, request: Request, book: str, scenario: int) -> Response:
        found = self._scenario(scenario)
        form = FollowingSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        return Response(page.following_row(alarms.set_following(found, form.validated_data, request.user)))


class AlarmView(BookView):
    """One alarm."""

    def alarm(self, key: int) -> Alarm:
        found = Alarm.objects.select_related("rig", "scenario__book", "explained_by", "entry")
        return get_object_or_404(found, scenario__book=self.book, pk=key)

    @extend_schema(operation_id="alarm", responses=AlarmSerializer)
    def get(self, request: Request, book: str, alarm: int) -> Response:
        return Response(AlarmSerializer(page.alarm_row(self.alarm(alarm))).data)


class ExplainedView(AlarmView):
    """Close an alarm by what was found out."""

    http_method_names = ("post", "options")

    @extend_schema(operation_id="explain_alarm", request=ExplainedSerializer, responses=AlarmSerializer)
    def post(self, request: Request, book: str, alarm: int) -> Response:
        found = self.alarm(alarm)
        form = ExplainedSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        alarms.explain(found, form.validated_data["why"], request.user)
        return Response(AlarmSerializer(page.alarm_row(self.alarm(alarm))).data)


class AlarmEntryView(AlarmView):
    """Open an entry that looks into an alarm; again is the same one."""

    http_method_names = ("post", "options")

    @extend_schema(operation_id="entry_of_alarm", request=None, responses=AlarmSerializer)
    def post(self, request: Request, book: str, alarm: int) -> Response:
        alarms.entry_of(self.alarm(alarm))
        return Response(AlarmSerializer(page.alarm_row(self.alarm(alarm))).data)


# -- of a recording


class OfRecordingView(APIView):
    """Something that is asked of a recording by those who may write in its book, and by the recorder that made it."""

    def readable(self, request: Request, key: UUID) -> Recording:
        found = Recording.objects.filter(book__in=books_of(request)).select_related(
            "scenario_version__scenario__book", "rig", "book"
        )
        return get_object_or_404(found, pk=key)

    def recording(self, request: Request, key: UUID) -> Recording:
        recording = self.readable(request, key)
        if isinstance(request.user, Recorder):
            recorder_token(request)
        else:
            require_role(request, recording.book)
        return recording


class ReadLineView(OfRecordingView):
    """What a recording of one build says against its line. Holding it against the line is done by itself when it is finished; asked for
    again it changes nothing."""

    @extend_schema(operation_id="line_of_recording", responses=ReadLineSerializer)
    def get(self, request: Request, recording_id: UUID) -> Response:
        recording = self.readable(request, recording_id)
        return Response(ReadLineSerializer(page.read_page(recording, gating.build_of(recording))).data)

    @extend_schema(operation_id="read_line", request=ReadLineInSerializer, responses=ReadLineSerializer)
    def post(self, request: Request, recording_id: UUID) -> Response:
        recording = self.recording(request, recording_id)
        form = ReadLineInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        build = gating.build_of(recording)
        if form.validated_data["newest"]:
            ordering.add_newest(recording.book, build)
        alarms.read_recording(recording)
        return Response(ReadLineSerializer(page.read_page(recording, build)).data)


class GateView(OfRecordingView):
    """The verdict of a recording of one build against its line."""

    @extend_schema(operation_id="gate_line", request=GateInSerializer, responses=GatedSerializer)
    def post(self, request: Request, recording_id: UUID) -> Response:
        recording = self.recording(request, recording_id)
        form = GateInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        return Response(GatedSerializer(gating.gated(recording, form.validated_data["alpha"])).data)
