"""The Bench: planning recordings, watching them, and what recorders say and ask."""

from __future__ import annotations

import json
from collections.abc import Sequence
from functools import reduce
from operator import or_
from typing import Any
from uuid import UUID

from django.db.models import Q, QuerySet
from django.shortcuts import get_object_or_404
from django_filters import rest_framework as filters
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema, extend_schema_field
from rest_framework import generics, serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from vigilant.formats import limits
from vigilant.plan import PlanTables
from vigilant.server.auth import books_of, recorder_book, require_role
from vigilant.server.entries.models import Entry
from vigilant.server.entries.shapes import LookSerializer
from vigilant.server.fields import Listed, SheetField, Text
from vigilant.server.filtering import Chosen
from vigilant.server.jobs.api import JobSerializer
from vigilant.server.problems import unprocessable
from vigilant.server.runs.models import Outcome, Recording
from vigilant.server.runs.shapes import RowSerializer
from vigilant.server.tables import tables_field
from vigilant.server.views import BookView

from . import reserving, services
from .models import Standby, Visit
from .rigs_api import HeldBySerializer


class PlanInSerializer(serializers.Serializer):
    """A plan with the tables of a plan file; ``asked_of`` names a recorder that stands by."""

    plan = tables_field(PlanTables)
    asked_of = Text(limits.ALIAS, allow_blank=True, default="")


class RecordingLineSerializer(serializers.ModelSerializer):
    scenario = serializers.CharField(source="scenario_version.scenario.name")
    version = serializers.IntegerField(source="scenario_version.number")
    rig = serializers.SerializerMethodField()
    entry = serializers.SerializerMethodField()
    title = serializers.SerializerMethodField()
    target_fps = serializers.FloatField(source="scenario_version.target_fps", allow_null=True)
    budget_ms = serializers.SerializerMethodField()
    account = serializers.CharField(
        allow_blank=True, help_text="switched or untangled: what comes of it where that is no entry"
    )

    class Meta:
        model = Recording
        fields = ("id", "scenario", "version", "rig", "target_fps", "budget_ms", "entry", "account", "title", "state", "control", "asked_of",
                  "remark", "created_at", "completed_at")  # fmt: skip
        read_only_fields = fields

    def get_rig(self, recording: Recording) -> str:
        return str(recording.rig) if recording.rig else recording.asked_of

    def get_entry(self, recording: Recording) -> int | None:
        number = recording.entry_number
        return number if number is not None else self.context["written"].get(recording.pk)

    def get_budget_ms(self, recording: Recording) -> float | None:
        target = recording.scenario_version.target_fps
        return 1000.0 / target if target else None

    def get_title(self, recording: Recording) -> str:
        number = self.get_entry(recording)
        found = self.context["titles"].get(number)
        return found or recording.title


#: What recordings are for: an entry of the ledger, an account of their own, or a build's line.
PURPOSES = (("entry", "entry"), ("account", "account"), ("line", "line"))


class RecordingFilter(filters.FilterSet):
    state = Chosen(choices=Recording.State.choices)
    purpose = Chosen(choices=PURPOSES, method="of_purpose")

    def of_purpose(self, rows: QuerySet, name: str, wanted: Sequence[str]) -> QuerySet:
        ways = {"entry": Q(account=""), "line": Q(account="line"), "account": ~Q(account__in=["", "line"])}
        return rows.filter(reduce(or_, (ways[one] for one in wanted))) if wanted else rows

    class Meta:
        model = Recording
        fields = ()


class PlaceSerializer(serializers.Serializer):
    position = serializers.IntegerField()
    arm = serializers.CharField()
    outcome = serializers.ChoiceField(Outcome.choices)
    detail = serializers.CharField()
    run = serializers.UUIDField(allow_null=True)
    mean_ms = serializers.FloatField(allow_null=True)
    failed = serializers.ListField(child=serializers.CharField())


class ArmSerializer(serializers.Serializer):
    label = serializers.CharField()
    name = serializers.CharField()
    runs = serializers.IntegerField()
    failed = serializers.IntegerField()
    rows = RowSerializer(many=True)


class InvitedSerializer(serializers.ModelSerializer):
    """The code by which a visitor's browser plays the recording, and where its pages may deliver from."""

    origins = serializers.ListField(child=serializers.CharField())

    class Meta:
        model = Visit
        fields = ("code", "origins", "expires_at")


class RecordingSerializer(RecordingLineSerializer):
    order = serializers.SerializerMethodField()
    order_seed = serializers.IntegerField(allow_null=True)
    runs = serializers.SerializerMethodField()
    run_s = serializers.SerializerMethodField()
    places = serializers.SerializerMethodField()
    arms = serializers.SerializerMethodField()
    live = serializers.SerializerMethodField()
    stopped = serializers.BooleanField()
    until_decided = serializers.SerializerMethodField()
    looks = LookSerializer(many=True)
    by_hand = serializers.SerializerMethodField()
    silent_s = serializers.SerializerMethodField()
    delivered_frames = serializers.SerializerMethodField()
    job = serializers.SerializerMethodField()
    visit = InvitedSerializer(allow_null=True)
    held_by = serializers.SerializerMethodField()

    class Meta(RecordingLineSerializer.Meta):
        fields = (*RecordingLineSerializer.Meta.fields, "order", "order_seed", "runs",
                  "run_s", "places", "arms", "live", "stopped", "until_decided", "looks", "by_hand", "silent_s",
                  "delivered_frames", "job", "visit", "held_by")  # fmt: skip
        read_only_fields = fields

    def _slots(self, recording: Recording):
        return self.context["slots"]

    def get_order(self, recording: Recording) -> str:
        return str(recording.asked("recording").get("order", "pairs"))

    def get_runs(self, recording: Recording) -> int:
        return reserving.runs_planned(recording)

    def get_run_s(self, recording: Recording) -> float:
        return reserving.run_s(recording)

    @extend_schema_field(PlaceSerializer(many=True))
    def get_places(self, recording: Recording):
        return services.places(self._slots(recording))

    @extend_schema_field(ArmSerializer(many=True))
    def get_arms(self, recording: Recording):
        return services.arms(recording, self._slots(recording))

    @extend_schema_field(serializers.DictField(allow_null=True))
    def get_live(self, recording: Recording):
        live = getattr(recording, "live", None)
        return {"number": live.number, **live.state} if live else None

    def get_silent_s(self, recording: Recording) -> float | None:
        """Seconds since the recorder was heard of."""
        return services.silence_s(recording)

    def get_until_decided(self, recording: Recording) -> bool:
        return bool(recording.asked("recording").get("until_decided", False))

    def get_by_hand(self, recording: Recording) -> bool:
        return services.by_hand(recording)

    @extend_schema_field(JobSerializer(allow_null=True))
    def get_job(self, recording: Recording):
        """The job that compares what was delivered, until its entry is there."""
        job = services.comparing_job(recording)
        return JobSerializer(job).data if job else None

    @extend_schema_field(HeldBySerializer(allow_null=True))
    def get_held_by(self, recording: Recording):
        held = reserving.held_by(recording)
        return HeldBySerializer(held).data if held else None

    def get_delivered_frames(self, recording: Recording) -> int:
        return sum(slot.run.frames for slot in self._slots(recording) if slot.run)


class PlannedSerializer(serializers.Serializer):
    id = serializers.UUIDField()
    plan = tables_field(PlanTables)


class StandbyInSerializer(serializers.Serializer):
    name = Text(limits.ALIAS)
    subjects = Listed(Text(limits.ALIAS), limits.SUBJECTS)
    facts = SheetField()
    version = Text(40, allow_blank=True, default="")


class StandbyAnswerSerializer(serializers.Serializer):
    recording = PlannedSerializer(allow_null=True)


class StandbySerializer(serializers.ModelSerializer):
    subjects = serializers.ListField(child=serializers.CharField())

    class Meta:
        model = Standby
        fields = ("name", "subjects", "seen_at")


class SubjectSerializer(serializers.Serializer):
    """A program by its name, which recorders offer it now, and the arguments it was last started with."""

    name = serializers.CharField()
    offered_by = serializers.ListField(child=serializers.CharField())
    used = serializers.ListField(child=serializers.CharField())


class ControlSerializer(serializers.Serializer):
    control = serializers.ChoiceField(Recording.Control.choices)


class AskedMarkSerializer(serializers.Serializer):
    name = serializers.CharField()
    ago_s = serializers.FloatField()


class AnswerSerializer(ControlSerializer):
    marks = AskedMarkSerializer(many=True)


class MarkSerializer(serializers.Serializer):
    name = Text(limits.NAME)


class RefuseSerializer(serializers.Serializer):
    why = Text(limits.DETAIL)


def _names(book_ids: Any, recordings: list[Recording]) -> dict[str, Any]:
    """Entries' numbers and titles for a page of recordings, in two queries."""
    written = dict(
        Entry.objects.filter(comparison__recording__in=recordings)
        .order_by("-number")
        .values_list("comparison__recording_id", "number")
    )
    numbers = {r.entry_number for r in recordings} | set(written.values())
    titles = dict(
        Entry.objects.filter(book__in=book_ids, number__in=[n for n in numbers if n]).values_list("number", "title")
    )
    return {"written": written, "titles": titles}


def line_context(recordings: list[Recording]) -> dict[str, Any]:
    """What a line of a recording is written with."""
    return _names({r.book_id for r in recordings}, recordings)


def _body(recording: Recording) -> Any:
    slots = list(recording.slots.select_related("run__figures"))
    return RecordingSerializer(recording, context={"slots": slots, **_names([recording.book_id], [recording])}).data


def readable(request: Request, recording_id: UUID) -> Recording:
    found = Recording.objects.filter(book__in=books_of(request)).select_related(
        "scenario_version__scenario", "rig", "live", "visit"
    )
    return get_object_or_404(found, pk=recording_id)


class RecordingsOfBookView(BookView, generics.ListAPIView):
    """Recordings of a book, newest first; plan a new one."""

    serializer_class = RecordingLineSerializer
    filterset_class = RecordingFilter
    queryset = Recording.objects.none()

    def get_queryset(self):
        found = Recording.objects.filter(book=self.book).select_related("scenario_version__scenario", "rig")
        return found.order_by("-created_at", "id")

    def paginate_queryset(self, queryset):
        self.page = super().paginate_queryset(queryset)
        return self.page

    def get_serializer_context(self):
        page = getattr(self, "page", None) or []
        names = _names([self.book.pk], page) if page else {}
        return {**super().get_serializer_context(), **names}

    @extend_schema(request=PlanInSerializer, responses={201: RecordingSerializer})
    def post(self, request: Request, book: str) -> Response:
        form = PlanInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        made = services.plan_recording(
            self.book, form.validated_data["plan"], form.validated_data["asked_of"], request.user
        )
        return Response(_body(readable(request, made.pk)), status.HTTP_201_CREATED)


class RecordingView(APIView):
    """One recording: its schedule as it fills, the figures of its arms, and the newest report."""

    @extend_schema(responses=RecordingSerializer)
    def get(self, request: Request, recording_id: UUID) -> Response:
        return Response(_body(readable(request, recording_id)))


class ControlView(APIView):
    """Ask the recorder to pause, go on, skip the present run, or stop and keep what there is."""

    @extend_schema(request=ControlSerializer, responses=RecordingSerializer)
    def post(self, request: Request, recording_id: UUID) -> Response:
        recording = readable(request, recording_id)
        require_role(request, recording.book)
        form = ControlSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        services.set_control(recording, form.validated_data["control"])
        return Response(_body(readable(request, recording_id)))


class MarksView(APIView):
    """Set a mark in the run that is being played by hand."""

    @extend_schema(request=MarkSerializer, responses=None)
    def post(self, request: Request, recording_id: UUID) -> Response:
        recording = readable(request, recording_id)
        require_role(request, recording.book)
        form = MarkSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        services.ask_for_mark(recording, form.validated_data["name"])
        return Response({})


class StandbysView(BookView):
    """Recorders that stand by for a book."""

    @extend_schema(operation_id="standbys", responses=StandbySerializer(many=True))
    def get(self, request: Request, book: str) -> Response:
        return Response(StandbySerializer(services.present(self.book), many=True).data)


class SubjectsView(BookView):
    """The programs that a plan of this book can name."""

    @extend_schema(operation_id="subjects", responses=SubjectSerializer(many=True))
    def get(self, request: Request, book: str) -> Response:
        return Response(SubjectSerializer(services.subjects_of(self.book), many=True).data)


class PlanView(APIView):
    """The plan of a recording, to plan another like it."""

    @extend_schema(operation_id="plan_of_recording", responses=PlannedSerializer)
    def get(self, request: Request, recording_id: UUID) -> Response:
        found = readable(request, recording_id)
        return Response({"id": found.pk, "plan": found.plan})


class StandbyView(APIView):
    """A recorder says it is there, and learns what is asked of it."""

    @extend_schema(request=StandbyInSerializer, responses=StandbyAnswerSerializer)
    def post(self, request: Request) -> Response:
        book = recorder_book(request)
        form = StandbyInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        asked = services.stand_by(book, **form.validated_data)
        return Response({"recording": None if asked is None else {"id": asked.pk, "plan": asked.plan}})


class PlannedView(APIView):
    """The plan of an entry, or of a recording that has none, for a recorder that was told its number or its id."""

    @extend_schema(
        parameters=[OpenApiParameter("entry", int), OpenApiParameter("recording", UUID)], responses=PlannedSerializer
    )
    def get(self, request: Request) -> Response:
        book = recorder_book(request)
        if "recording" in request.query_params:
            found = services.planned(book, request.query_params["recording"])
            return Response({"id": found.pk, "plan": found.plan})
        text = request.query_params.get("entry", "")
        if not text.isdecimal() or len(text) > 9:
            raise unprocessable("entry-unreadable", f"entry must be a number, got {text[:20]!r}.")
        found = services.planned_for(book, int(text))
        return Response({"id": found.pk, "plan": found.plan})


class ReportView(APIView):
    """A recorder's newest state; the answer is what is asked of it."""

    @extend_schema(request={"application/json": OpenApiTypes.OBJECT}, responses=AnswerSerializer)
    def post(self, request: Request, recording_id: UUID) -> Response:
        book = recorder_book(request)
        if not isinstance(request.data, dict) or len(json.dumps(request.data)) > limits.REPORT_BYTES:
            raise unprocessable("report-too-large", f"A report is an object of at most {limits.REPORT_BYTES} bytes.")
        return Response(services.report(book, recording_id, request.data))


class RefuseView(APIView):
    """A recorder says why it cannot make a recording that was asked of it."""

    @extend_schema(request=RefuseSerializer, responses=None)
    def post(self, request: Request, recording_id: UUID) -> Response:
        book = recorder_book(request)
        form = RefuseSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        services.refuse(book, recording_id, form.validated_data["why"])
        return Response({})
