"""Runs read back: lists, figures, traces, parts, downloads; a recorder opens one."""

from __future__ import annotations

from uuid import UUID

from django.db.models import OuterRef, Subquery
from django.http.response import HttpResponseBase
from django.shortcuts import get_object_or_404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import generics, serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from vigilant.formats import limits
from vigilant.server.auth import books_of, recorder_book
from vigilant.server.fields import Number
from vigilant.server.problems import unprocessable
from vigilant.server.views import BookView

from . import ingest, taking_out
from .aside import set_aside
from .filters import RunFilter
from .forms import AsideInSerializer, RunInSerializer, RunStateSerializer
from .models import FigureValue, Run
from .one_frame import frame_page
from .run_work import work_of
from .shapes import (
    FramePageSerializer,
    PartRowsSerializer,
    RunLineSerializer,
    RunSerializer,
    RunWorkSerializer,
    TraceSerializer,
)
from .store import frames_between, require_frames
from .traces import parts_of, trace_of


def readable_runs(request: Request, **of_book: str):
    """The runs that the request may read, of the books that are so, each with its mean frame (None without frames)."""
    # By key, so that the index gives those of one book in order.
    books = list(books_of(request).filter(**of_book).values_list("pk", flat=True))
    mean = FigureValue.objects.filter(run=OuterRef("pk"), leg="", figure="mean_ms").values("value")
    runs = Run.objects.filter(book__in=books).annotate(mean_ms=Subquery(mean))
    # Few versions, rigs and builds stand behind many runs: each is made once.
    return runs.prefetch_related("scenario_version__scenario", "rig", "build")


class RunListView(generics.ListAPIView):
    """Runs of the books one may read, newest first unless another order is asked for."""

    serializer_class = RunLineSerializer
    filterset_class = RunFilter
    queryset = Run.objects.none()

    def get_queryset(self):
        wide = ("output_tail", "head", "stream", "noted", "measured", "marks")
        # The book first, by its key: its index then gives the runs in order.
        slug = self.request.query_params.get("book")
        runs = readable_runs(self.request, **({"slug": slug} if slug else {}))
        return runs.defer(*wide).order_by("-started_at", "id")


class AsideAnswerSerializer(serializers.Serializer):
    changed = serializers.IntegerField()


class AsideView(BookView):
    """Set runs aside, or take them back."""

    @extend_schema(request=AsideInSerializer, responses=AsideAnswerSerializer)
    def post(self, request: Request, book: str) -> Response:
        form = AsideInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        return Response({"changed": set_aside(self.book, **form.validated_data, user=request.user)})


class RunView(APIView):
    """One run: open it (a recorder) or read it."""

    @extend_schema(responses=RunSerializer)
    def get(self, request: Request, run_id: UUID) -> Response:
        return Response(
            RunSerializer(get_object_or_404(readable_runs(request).prefetch_related("columns"), pk=run_id)).data
        )

    @extend_schema(request=RunInSerializer, responses={200: RunStateSerializer, 201: RunStateSerializer})
    def put(self, request: Request, run_id: UUID) -> Response:
        book = recorder_book(request)
        form = RunInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        run, made = ingest.create_run(book, run_id, form.validated_data)
        return Response(RunStateSerializer(run).data, status.HTTP_201_CREATED if made else status.HTTP_200_OK)


class SpanInSerializer(serializers.Serializer):
    from_s = Number(0, limits.SECONDS)
    to_s = Number(0, limits.SECONDS)


class TraceView(APIView):
    """The frames ``start`` to ``stop`` of a run, drawn from frames or from levels; no stall is lost."""

    @extend_schema(
        parameters=[
            OpenApiParameter("start", int),
            OpenApiParameter("stop", int),
            OpenApiParameter("from_s", float, description="by time in place of frames, with to_s"),
            OpenApiParameter("to_s", float),
        ],
        responses=TraceSerializer,
    )
    def get(self, request: Request, run_id: UUID) -> Response:
        run = get_object_or_404(readable_runs(request), pk=run_id)
        if "from_s" in request.query_params:
            form = SpanInSerializer(data=request.query_params)
            form.is_valid(raise_exception=True)
            start, stop = frames_between(run, **form.validated_data)
            if not start < stop:
                raise unprocessable("window-empty", "No frame of the run begins in that time.")
            return Response(trace_of(run, start, stop))
        start = self._number(request, "start", 0)
        stop = min(self._number(request, "stop", run.frames), run.frames)
        if not 0 <= start < stop:
            raise unprocessable("window-empty", f"The window {start} to {stop} holds no frame of {run.frames}.")
        return Response(trace_of(run, start, stop))

    @staticmethod
    def _number(request: Request, name: str, default: int) -> int:
        text = request.query_params.get(name)
        if text is None:
            return default
        if not text.isdecimal() or len(text) > 18:
            raise unprocessable("window-unreadable", f"{name} must be a frame number, got {text[:40]!r}.")
        return int(text)


class RunWorkView(APIView):
    """Where the time of the frames ``start`` to ``stop`` goes: lanes, parts, and what limits the run's frames."""

    @extend_schema(
        parameters=[OpenApiParameter("start", int), OpenApiParameter("stop", int)], responses=RunWorkSerializer
    )
    def get(self, request: Request, run_id: UUID) -> Response:
        run = get_object_or_404(readable_runs(request), pk=run_id)
        start = TraceView._number(request, "start", 0)
        return Response(work_of(run, start, min(TraceView._number(request, "stop", run.frames), run.frames)))


class FrameView(APIView):
    """One frame, lane by lane and part by part, beside the typical frame around it."""

    @extend_schema(operation_id="runs_frame_retrieve", responses=FramePageSerializer)
    def get(self, request: Request, run_id: UUID, number: int) -> Response:
        return Response(frame_page(get_object_or_404(readable_runs(request), pk=run_id), number))


class PartsView(APIView):
    """The parts of the frames ``start`` to ``stop``, a frame at a time; without a window their totals alone."""

    @extend_schema(
        parameters=[OpenApiParameter("start", int), OpenApiParameter("stop", int)], responses=PartRowsSerializer
    )
    def get(self, request: Request, run_id: UUID) -> Response:
        run = get_object_or_404(readable_runs(request), pk=run_id)
        start = TraceView._number(request, "start", 0)
        stop = TraceView._number(request, "stop", 0)
        return Response(parts_of(run, start, stop))


class DownloadView(APIView):
    """The run, bit for bit: as ``vigilant-frames``, or as a table that says itself what it holds (parts are in the
    first alone)."""

    @extend_schema(
        parameters=[OpenApiParameter("as", str, enum=list(taking_out.KINDS), default="frames")],
        responses={(200, "application/octet-stream"): OpenApiTypes.BINARY},
    )
    def get(self, request: Request, run_id: UUID) -> HttpResponseBase:
        run = get_object_or_404(readable_runs(request), pk=run_id)
        kind = request.query_params.get("as", "frames")
        if kind not in taking_out.KINDS:
            known = ", ".join(taking_out.KINDS)
            raise unprocessable("kind-unknown", f"A run is taken out as one of {known}; got {kind[:40]!r}.")
        if not run.frames:
            raise unprocessable("run-empty", "This run holds no frame.")
        require_frames([run])
        return taking_out.answer(run, kind)
