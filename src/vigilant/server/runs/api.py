"""Delivering runs, and reading them back: lists, figures, traces, downloads."""

from __future__ import annotations

import io
from dataclasses import asdict
from uuid import UUID

from django.db.models import OuterRef, Subquery
from django.http import HttpResponse
from django.shortcuts import get_object_or_404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema, extend_schema_field
from rest_framework import generics, serializers, status
from rest_framework.parsers import BaseParser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from vigilant.formats import frames_out, limits
from vigilant.plan import PlanTables
from vigilant.plan.armref import PATTERN
from vigilant.server.auth import bearer_digest, books_of, recorder_book, recorder_token
from vigilant.server.fields import Number, Sheet, Text, Whole
from vigilant.server.problems import conflict, unprocessable
from vigilant.server.tables import tables_field
from vigilant.wording.run import measured_rows, run_rows

from . import ingest
from .models import ArmLabel, FigureValue, Outcome, Run
from .store import read_series
from .traces import parts_of, trace_of


class LinesParser(BaseParser):
    """Frame lines stay bytes: the digest is over the body as sent."""

    media_type = "*/*"

    def parse(self, stream, media_type=None, parser_context=None):
        return stream.read(limits.BATCH_BYTES + 1)


class SpeedSerializer(serializers.Serializer):
    """One timing of the calibration load: median ms, and the standard error of its logarithm."""

    load = Text(40)
    ms = Number(1e-6, 1e9)
    log_error = Number(0, 10)


class SlotInSerializer(serializers.Serializer):
    position = Whole(0, limits.SLOTS - 1)
    arm = serializers.RegexField(PATTERN, max_length=12)
    run = serializers.UUIDField()
    attempt = Whole(1, 100, default=1)
    outcome = serializers.ChoiceField(Outcome.choices)
    detail = Text(limits.DETAIL, allow_blank=True, default="")


class RigInSerializer(serializers.Serializer):
    alias = Text(limits.ALIAS, allow_blank=True, default="")
    facts = Sheet()
    fingerprint = Text(64, required=False)
    speed = SpeedSerializer(required=False, allow_null=True)


class RecordingInSerializer(serializers.Serializer):
    id = serializers.UUIDField()
    created = serializers.DateTimeField()
    plan = tables_field(PlanTables)
    order_seed = Whole(-(2**63), 2**63 - 1)
    rig = RigInSerializer()
    conditions = Sheet()
    slots = SlotInSerializer(many=True, allow_empty=False, max_length=limits.SLOTS)

    def validate_slots(self, slots):
        positions = {s["position"] for s in slots}
        runs = {s["run"] for s in slots}
        places = {(s["position"], s["attempt"]) for s in slots}
        if positions != set(range(len(positions))) or len(runs) != len(slots) or len(places) != len(slots):
            raise serializers.ValidationError(
                "Positions must run from 0 without a gap, and each attempt has a run of its own."
            )
        return slots


class RecordingStateSerializer(serializers.Serializer):
    id = serializers.UUIDField()
    completed = serializers.BooleanField()


class RunInSerializer(serializers.Serializer):
    recording = serializers.UUIDField()
    position = Whole(0, limits.SLOTS - 1)
    attempt = Whole(1, 100, default=1)
    conditions = Sheet(default=dict)
    measured = Sheet(Number(-limits.COUNT, limits.COUNT), default=dict)
    revision = Sheet(default=dict)
    started = serializers.DateTimeField(required=False, allow_null=True)
    outcome = serializers.ChoiceField(Outcome.choices)
    detail = Text(limits.DETAIL, allow_blank=True, default="")
    output_tail = Text(limits.OUTPUT_TAIL, allow_blank=True, default="", trim_whitespace=False)
    head = serializers.DictField(allow_null=True)


class RunStateSerializer(serializers.Serializer):
    id = serializers.UUIDField()
    state = serializers.ChoiceField(Run.State.choices)
    outcome = serializers.ChoiceField(Outcome.choices)
    detail = serializers.CharField()
    next_batch = serializers.IntegerField()
    frames = serializers.IntegerField()


class CompleteInSerializer(serializers.Serializer):
    frames = Whole(0, 2**62)


class RecordingsView(APIView):
    """Register a recording; again is harmless."""

    @extend_schema(
        request=RecordingInSerializer, responses={200: RecordingStateSerializer, 201: RecordingStateSerializer}
    )
    def post(self, request: Request) -> Response:
        book = recorder_book(request)
        form = RecordingInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        recording, made = ingest.create_recording(book, form.validated_data)
        body = {"id": recording.pk, "completed": recording.completed_at is not None}
        return Response(body, status.HTTP_201_CREATED if made else status.HTTP_200_OK)


class BatchView(APIView):
    """Store one batch of frame lines: 201 stored, 200 the same again, 409 gap or other content."""

    parser_classes = (LinesParser,)
    permission_classes = ()  # the token is looked up together with the run, in one statement

    def perform_authentication(self, request: Request) -> None:
        """Only where nothing is found for the token: to say why."""

    @extend_schema(
        request={"application/x-ndjson": OpenApiTypes.BINARY},
        parameters=[OpenApiParameter("Content-Digest", str, OpenApiParameter.HEADER, required=True)],
        responses={200: RunStateSerializer, 201: RunStateSerializer},
    )
    def put(self, request: Request, run_id: UUID, number: int) -> Response:
        token = bearer_digest(request) or recorder_token(request).hash
        encoding = request.headers.get("Content-Encoding")
        body = request.data or b""
        digest = request.headers.get("Content-Digest")
        stands = ingest.put_batch(token, run_id, number, body, encoding, digest)
        if stands is None:
            recorder_token(request)  # says what is wrong with the token, if it is the token
            raise conflict("run-unknown", f"Run {run_id} was not opened in this book.")
        answer = {"id": run_id, **asdict(stands)}
        return Response(answer, status.HTTP_201_CREATED if answer.pop("made") else status.HTTP_200_OK)


class CompleteRunView(APIView):
    """Close a run with the frame count that the recorder states."""

    @extend_schema(request=CompleteInSerializer, responses=RunStateSerializer)
    def post(self, request: Request, run_id: UUID) -> Response:
        book = recorder_book(request)
        form = CompleteInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        return Response(RunStateSerializer(ingest.complete_run(book, run_id, form.validated_data["frames"])).data)


class RunLineSerializer(serializers.ModelSerializer):
    scenario = serializers.CharField(source="scenario_version.scenario.name")
    version = serializers.IntegerField(source="scenario_version.number")
    rig = serializers.CharField()
    build = serializers.CharField()
    mean_ms = serializers.FloatField(allow_null=True)

    class Meta:
        model = Run
        fields = ("id", "scenario", "version", "rig", "build", "state", "outcome", "detail", "started_at", "frames",
                  "seconds", "mean_ms")  # fmt: skip
        read_only_fields = fields


class LegSerializer(serializers.Serializer):
    index = serializers.IntegerField()
    name = serializers.CharField()
    play = serializers.BooleanField()


class RowSerializer(serializers.Serializer):
    name = serializers.CharField()
    label = serializers.CharField()
    value = serializers.CharField()
    unit = serializers.CharField()
    beside = serializers.CharField()
    definition = serializers.CharField()


class StutterSerializer(serializers.Serializer):
    first = serializers.IntegerField()
    worst = serializers.IntegerField()
    size_ms = serializers.FloatField()
    longest_ms = serializers.FloatField()


class LaneSerializer(serializers.Serializer):
    name = serializers.CharField()
    role = serializers.CharField()


class PartSerializer(serializers.Serializer):
    path = serializers.ListField(child=serializers.CharField())
    lane = serializers.CharField(allow_blank=True)
    ms = serializers.FloatField()
    calls = serializers.IntegerField()


class MeasuredSerializer(serializers.Serializer):
    label = serializers.CharField()
    value = serializers.CharField()


class UsedInSerializer(serializers.Serializer):
    entry = serializers.IntegerField()
    title = serializers.CharField()
    arm = serializers.ChoiceField(ArmLabel.choices)
    position = serializers.IntegerField()


class RunSerializer(RunLineSerializer):
    target_fps = serializers.FloatField(source="scenario_version.target_fps", allow_null=True)
    budget_ms = serializers.SerializerMethodField()
    conditions = serializers.DictField(source="conditions.facts", child=serializers.CharField())
    rig_facts = serializers.SerializerMethodField()
    legs = LegSerializer(many=True, source="marks")
    lanes = serializers.SerializerMethodField()
    counters = serializers.SerializerMethodField()
    rows = serializers.SerializerMethodField()
    stutters = serializers.SerializerMethodField()
    used_in = serializers.SerializerMethodField()
    caption = serializers.SerializerMethodField()
    measured = serializers.SerializerMethodField()
    sources = serializers.SerializerMethodField()

    class Meta(RunLineSerializer.Meta):
        fields = (*RunLineSerializer.Meta.fields, "output_tail", "target_fps", "budget_ms", "conditions", "rig_facts",
                  "legs", "lanes", "counters", "rows", "stutters", "used_in", "caption", "measured", "sources")  # fmt: skip
        read_only_fields = fields

    def get_budget_ms(self, run: Run) -> float | None:
        target = run.scenario_version.target_fps
        return 1000.0 / target if target else None

    def get_rig_facts(self, run: Run) -> dict[str, str]:
        """An alias stands in for what would name the machine."""
        hidden = {"processor", "graphics", "host"} if run.rig.alias else set()
        return {k: v for k, v in run.rig.facts.items() if k not in hidden}

    @extend_schema_field(LaneSerializer(many=True))
    def get_lanes(self, run: Run):
        return [{"name": c.path, "role": c.role} for c in run.columns.all() if c.kind == c.Kind.LANE]

    def get_counters(self, run: Run) -> list[str]:
        return [c.path for c in run.columns.all() if c.kind == c.Kind.COUNTER]

    @extend_schema_field(RowSerializer(many=True))
    def get_rows(self, run: Run):
        figures = getattr(run, "figures", None)
        return run_rows(figures.values) if figures else []

    @extend_schema_field(StutterSerializer(many=True))
    def get_stutters(self, run: Run):
        figures = getattr(run, "figures", None)
        return figures.stutters if figures else []

    @extend_schema_field(UsedInSerializer(many=True))
    def get_used_in(self, run: Run):
        used = run.comparison_runs.select_related("arm__comparison__entry")
        return [
            {"entry": u.arm.comparison.entry.number, "title": u.arm.comparison.entry.title, "arm": u.arm.label,
             "position": u.position}
            for u in used if hasattr(u.arm.comparison, "entry")
        ]  # fmt: skip

    @extend_schema_field(MeasuredSerializer(many=True))
    def get_measured(self, run: Run):
        return measured_rows(run.measured)

    def get_sources(self, run: Run) -> str:
        """Revision of the sources and whether they were clean; empty where not known."""
        return f"{run.build.revision}, {run.build.kind}" if run.build.revision else ""

    def get_caption(self, run: Run) -> str:
        return f"{run.seconds:.0f} s, {run.frames:,} frames, {run.outcome}"


def readable_runs(request: Request, **of_book: str):
    """The runs that the request may read, of the books that are so, each with its mean frame (None without frames)."""
    # By key, so that the index gives those of one book in order.
    books = list(books_of(request).filter(**of_book).values_list("pk", flat=True))
    mean = FigureValue.objects.filter(run=OuterRef("pk"), leg="", figure="mean_ms").values("value")
    runs = Run.objects.filter(book__in=books).annotate(mean_ms=Subquery(mean))
    return runs.select_related("scenario_version__scenario", "rig", "build")


class RunListView(generics.ListAPIView):
    """Runs of the books one may read, newest first; ``book``, ``state`` and ``outcome`` filter."""

    serializer_class = RunLineSerializer

    @extend_schema(
        parameters=[OpenApiParameter("book", str), OpenApiParameter("state", str), OpenApiParameter("outcome", str)]
    )
    def get(self, request, *args, **kwargs):
        return super().get(request, *args, **kwargs)

    def get_queryset(self):
        wanted = self.request.query_params
        wide = ("output_tail", "head", "stream", "noted", "measured", "marks", "scenario_version__definition")
        of_book = {"slug": wanted["book"]} if "book" in wanted else {}
        runs = readable_runs(self.request, **of_book).defer(*wide).order_by("-started_at", "id")
        for key in ("state", "outcome"):
            if key in wanted:
                runs = runs.filter(**{key: wanted[key]})
        return runs


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


class GapsSerializer(serializers.Serializer):
    """Where a drawn column holds no number, by state: places in its list."""

    missing = serializers.ListField(child=serializers.IntegerField(), required=False)
    stale = serializers.ListField(child=serializers.IntegerField(), required=False)
    below = serializers.ListField(child=serializers.IntegerField(), required=False)


class TraceSerializer(serializers.Serializer):
    """``start_s`` (m,) and the frame's ``low`` and ``high`` in ms (m,); lanes and counters by name, their mean.

    ``step`` is 1 where every frame is drawn, and ``high`` is empty then: it is ``low``. Else each point covers so
    many frames. A value that is none is null, and where each frame is drawn ``gaps`` says what stands there.
    ``said`` tells what is drawn; ``rows`` are the figures of the stretch where every frame is at hand.
    """

    start = serializers.IntegerField()
    stop = serializers.IntegerField()
    frames = serializers.IntegerField()
    step = serializers.IntegerField()
    said = serializers.CharField()
    start_s = serializers.ListField(child=serializers.FloatField())
    low = serializers.ListField(child=serializers.FloatField())
    high = serializers.ListField(child=serializers.FloatField())
    lanes = serializers.DictField(child=serializers.ListField(child=serializers.FloatField(allow_null=True)))
    counters = serializers.DictField(child=serializers.ListField(child=serializers.FloatField(allow_null=True)))
    gaps = serializers.DictField(child=GapsSerializer())
    rows = RowSerializer(many=True)


class TraceView(APIView):
    """The frames ``start`` to ``stop`` of a run, drawn from frames or from levels; no stall is lost."""

    @extend_schema(
        parameters=[OpenApiParameter("start", int), OpenApiParameter("stop", int)], responses=TraceSerializer
    )
    def get(self, request: Request, run_id: UUID) -> Response:
        run = get_object_or_404(readable_runs(request), pk=run_id)
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


class PartRowsSerializer(serializers.Serializer):
    """The parts of a window a frame at a time, in columns of one length; ``ms`` null where it is none, and then
    ``gaps`` says why. ``parts`` names them, with what each took over the whole run."""

    parts = PartSerializer(many=True)
    frame = serializers.ListField(child=serializers.IntegerField())
    part = serializers.ListField(child=serializers.IntegerField())
    ms = serializers.ListField(child=serializers.FloatField(allow_null=True))
    at_ms = serializers.ListField(child=serializers.FloatField(allow_null=True))
    calls = serializers.ListField(child=serializers.IntegerField())
    counts = serializers.DictField(child=serializers.ListField(child=serializers.FloatField(allow_null=True)))
    gaps = GapsSerializer()


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
    """The run as ``vigilant-frames``, bit for bit."""

    @extend_schema(responses={(200, "application/x-ndjson"): OpenApiTypes.BINARY})
    def get(self, request: Request, run_id: UUID) -> HttpResponse:
        run = get_object_or_404(readable_runs(request), pk=run_id)
        if not run.frames:
            raise unprocessable("run-empty", "This run holds no frame.")
        text = io.StringIO()
        head = {k: v for k, v in (run.head or {}).items() if k != "conditions"}
        frames_out.write(text, read_series(run, part_rows=True), head, complete=run.state == Run.State.COMPLETE)
        answer = HttpResponse(text.getvalue(), content_type="application/x-ndjson")
        answer["Content-Disposition"] = f'attachment; filename="{run.pk}.jsonl"'
        return answer
