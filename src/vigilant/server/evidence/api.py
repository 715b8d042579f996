"""The leaves of an entry over HTTP: each loads its own data, and costs nothing until it is opened."""

from __future__ import annotations

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response

from vigilant.formats import limits
from vigilant.server.entries.models import Comparison, Entry
from vigilant.server.problems import conflict
from vigilant.server.throttles import CostThrottle
from vigilant.server.views import BookView

from . import goes
from .arm_work import ARMS
from .free_leaf import Cheaper, together
from .late_leaf import SETS
from .leaves import asked_columns, leaf_of
from .part_leaf import part_leaf
from .runs_leaf import set_aside
from .shapes import (
    CourseSerializer,
    NaiveSerializer,
    PartPageSerializer,
    RunsLeafSerializer,
    SpreadSerializer,
    StuttersSerializer,
    WhereTimeGoesSerializer,
)
from .work_shapes import (
    BY,
    CountersBesideSerializer,
    FromInSerializer,
    GoesWithSerializer,
    IfFreeSerializer,
    LateFramesSerializer,
    TogetherInSerializer,
    TogetherSerializer,
    asked_of,
)

OF = OpenApiParameter("of", str, enum=list(SETS), default="late")


class LeafView(BookView):
    """A leaf of an entry that was recorded."""

    throttle_classes = (CostThrottle,)
    throttle_scope = "leaves"

    def comparison(self, number: int) -> Comparison:
        entry = get_object_or_404(
            Entry.objects.select_related("comparison__scenario_version"), book=self.book, number=number
        )
        if entry.comparison is None:
            raise conflict("nothing-recorded", f"Entry {number} has no runs yet.")
        return entry.comparison


class CourseView(LeafView):
    """Frame times along the course with their difference, and every leg."""

    @extend_schema(
        responses=CourseSerializer,
        parameters=[
            OpenApiParameter(
                "with", str, description="lanes and counters, by comma: lane:gpu,counter:boats; four at most"
            ),
            OpenApiParameter("position", str, description="the counter that says where on the course a frame is"),
        ],
    )
    def get(self, request: Request, book: str, number: int) -> Response:
        comparison = self.comparison(number)
        beside = asked_columns(comparison, request.query_params.get("with", ""))
        position = request.query_params.get("position", "")[: limits.NAME]
        return Response(leaf_of(comparison, "course", {"with": beside, "position": position}))


class SpreadView(LeafView):
    """Both distributions, and at which quantiles the change is."""

    @extend_schema(responses=SpreadSerializer)
    def get(self, request: Request, book: str, number: int) -> Response:
        return Response(leaf_of(self.comparison(number), "spread", {}))


class RunsView(LeafView):
    """How the runs lay in their session, and the result without those that were set aside."""

    @extend_schema(responses=RunsLeafSerializer)
    def get(self, request: Request, book: str, number: int) -> Response:
        comparison = self.comparison(number)
        return Response(leaf_of(comparison, "runs", {"aside": set_aside(comparison)}))


class WorkView(LeafView):
    """Where the time goes: lanes, what limits the frames of both arms, and what is left under the budget."""

    @extend_schema(responses=WhereTimeGoesSerializer)
    def get(self, request: Request, book: str, number: int) -> Response:
        return Response(leaf_of(self.comparison(number), "work", {}))


class PartView(LeafView):
    """One part of the work: both arms, over the course, over runs and over entries."""

    @extend_schema(
        responses=PartPageSerializer,
        parameters=[
            OpenApiParameter("lane", str, description="the lane whose time it is part of; none of the frame"),
            OpenApiParameter("path", str, many=True, description="its names, from the outside in"),
        ],
    )
    def get(self, request: Request, book: str, number: int) -> Response:
        path = tuple(request.query_params.getlist("path"))
        return Response(part_leaf(self.comparison(number), (request.query_params.get("lane", ""), path)))


class LateView(LeafView):
    """What late frames, or stutters, have more of than the frames around them."""

    @extend_schema(responses=LateFramesSerializer, parameters=[OF])
    def get(self, request: Request, book: str, number: int) -> Response:
        of = asked_of(request.query_params.get("of", "late"), SETS, "of")
        return Response(leaf_of(self.comparison(number), "late", {"of": of}))


class GoesWithView(LeafView):
    """Which counters and events late frames, or stutters, go with: as it was found, or the job that looks for it."""

    @extend_schema(responses=GoesWithSerializer, parameters=[OF])
    def get(self, request: Request, book: str, number: int) -> Response:
        of = asked_of(request.query_params.get("of", "late"), SETS, "of")
        return Response(GoesWithSerializer(goes.found_or_begun(self.comparison(number), of)).data)


class IfFreeView(LeafView):
    """What each part of an arm would give at most; and several together, at a share of their cost."""

    readers_may = ("POST",)  # it only asks

    @extend_schema(
        responses=IfFreeSerializer,
        parameters=[
            OpenApiParameter("arm", str, enum=list(ARMS), default="after"),
            OpenApiParameter("by", str, enum=list(BY), default="mean_ms"),
        ],
    )
    def get(self, request: Request, book: str, number: int) -> Response:
        arm = asked_of(request.query_params.get("arm", "after"), ARMS, "arm")
        by = asked_of(request.query_params.get("by", "mean_ms"), BY, "by")
        return Response(leaf_of(self.comparison(number), "free", {"arm": arm, "by": by}))

    @extend_schema(request=TogetherInSerializer, responses=TogetherSerializer)
    def post(self, request: Request, book: str, number: int) -> Response:
        form = TogetherInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        asked = form.validated_data
        cheaper = [Cheaper((one["lane"], tuple(one["path"])), one["left"]) for one in asked["parts"]]
        return Response(together(self.comparison(number), asked["arm"], cheaper))


class CountersView(LeafView):
    """Counters beside time: whether each stays at zero or flat from a time on, and how frames go with it."""

    @extend_schema(
        responses=CountersBesideSerializer,
        parameters=[
            OpenApiParameter("arm", str, enum=list(ARMS), default="after"),
            OpenApiParameter("from_s", float, default=0, description="seconds of play that are left out"),
        ],
    )
    def get(self, request: Request, book: str, number: int) -> Response:
        arm = asked_of(request.query_params.get("arm", "after"), ARMS, "arm")
        form = FromInSerializer(data=request.query_params)
        form.is_valid(raise_exception=True)
        asked = {"arm": arm, "from": f"{form.validated_data['from_s']:g}"}
        return Response(leaf_of(self.comparison(number), "counters", asked))


class NaiveView(LeafView):
    """What naive readings of the same runs would have said."""

    @extend_schema(responses=NaiveSerializer)
    def get(self, request: Request, book: str, number: int) -> Response:
        return Response(leaf_of(self.comparison(number), "naive", {}))


class StuttersView(LeafView):
    """Every stutter of every run, those that recur at one place apart."""

    @extend_schema(responses=StuttersSerializer)
    def get(self, request: Request, book: str, number: int) -> Response:
        return Response(leaf_of(self.comparison(number), "stutters", {}))
