"""The ledger: standing, entries, decisions, comparisons of stored runs."""

from __future__ import annotations

from typing import Any, get_args
from uuid import UUID

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import OpenApiParameter, extend_schema, extend_schema_field
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from vigilant.formats import limits
from vigilant.server.auth import books_of, recorder_book, require_editor
from vigilant.server.books.models import Book
from vigilant.server.fields import Listed, Number, Text, Whole
from vigilant.server.paging import Pages
from vigilant.server.runs.models import ArmLabel, Outcome
from vigilant.server.throttles import CostThrottle
from vigilant.wording.change import number
from vigilant.wording.claim import State

from . import services, standing
from .ledger_line import is_blank
from .models import Comparison, Decision, Entry


def book_of(request: Request, slug: str) -> Book:
    return get_object_or_404(books_of(request), slug=slug)


class DecisionSerializer(serializers.ModelSerializer):
    by = serializers.SerializerMethodField()

    class Meta:
        model = Decision
        fields = ("choice", "why", "by", "decided_at", "expectation")
        read_only_fields = ("decided_at",)

    def get_by(self, decision: Decision) -> str:
        return decision.decided_by.get_full_name() or decision.decided_by.get_username()


class StripSerializer(serializers.Serializer):
    """An interval strip, in the figure's unit, as differences after - before."""

    difference = serializers.FloatField()
    ci_low = serializers.FloatField(allow_null=True)
    ci_high = serializers.FloatField(allow_null=True)
    margin_low = serializers.FloatField()
    margin_high = serializers.FloatField()


class EntryLineSerializer(serializers.ModelSerializer):
    """A line of the ledger; needs ``lines`` (services.balance) in its context."""

    scenario = serializers.SerializerMethodField()
    version = serializers.SerializerMethodField()
    rig = serializers.SerializerMethodField()
    target_fps = serializers.SerializerMethodField()
    runs = serializers.SerializerMethodField()
    verdict = serializers.SerializerMethodField()
    stamp = serializers.SerializerMethodField()
    remark = serializers.SerializerMethodField()
    mean = serializers.SerializerMethodField()
    saved = serializers.SerializerMethodField()
    spent = serializers.SerializerMethodField()
    decision = serializers.SerializerMethodField()
    blank = serializers.SerializerMethodField()
    standing_ms = serializers.SerializerMethodField()
    unaccounted = serializers.SerializerMethodField()

    class Meta:
        model = Entry
        fields = ("number", "title", "recorded_at", "after_the_fact", "scenario", "version", "rig", "target_fps",
                  "runs", "verdict", "stamp", "remark", "mean", "saved", "spent", "decision", "blank",
                  "standing_ms", "unaccounted")  # fmt: skip
        read_only_fields = fields

    def _kept(self, entry: Entry, key: str, otherwise: Any = "") -> Any:
        """What the ledger keeps of the comparison's result."""
        return entry.comparison.ledger_line[key] if entry.comparison else otherwise

    def get_scenario(self, entry: Entry) -> str:
        return entry.comparison.scenario_version.scenario.name if entry.comparison else ""

    def get_version(self, entry: Entry) -> int | None:
        return entry.comparison.scenario_version.number if entry.comparison else None

    def get_rig(self, entry: Entry) -> str:
        return str(entry.comparison.rig) if entry.comparison else ""

    def get_target_fps(self, entry: Entry) -> float | None:
        return entry.comparison.scenario_version.target_fps if entry.comparison else None

    def get_runs(self, entry: Entry) -> str:
        return self._kept(entry, "runs")

    @extend_schema_field(serializers.ChoiceField(Comparison.Verdict.choices, allow_null=True))
    def get_verdict(self, entry: Entry):
        return entry.comparison.verdict if entry.comparison else None

    def get_stamp(self, entry: Entry) -> str:
        return self._kept(entry, "stamp")

    def get_remark(self, entry: Entry) -> str:
        return standing.remark(entry)

    @extend_schema_field(StripSerializer(allow_null=True))
    def get_mean(self, entry: Entry):
        return self._kept(entry, "mean", None)

    def get_saved(self, entry: Entry) -> str:
        return self._kept(entry, "saved")

    def get_spent(self, entry: Entry) -> str:
        return self._kept(entry, "spent")

    @extend_schema_field(DecisionSerializer(allow_null=True))
    def get_decision(self, entry: Entry):
        decisions = list(entry.decisions.all())
        return DecisionSerializer(decisions[0]).data if decisions else None

    def get_blank(self, entry: Entry) -> bool:
        """One build as both arms: nothing to decide."""
        return entry.comparison is not None and is_blank(entry.comparison)

    def get_standing_ms(self, entry: Entry) -> str:
        line = self.context["lines"].get(entry.pk)
        return number(line.standing.mean_ms, 2) if line and line.standing else ""

    def get_unaccounted(self, entry: Entry) -> str:
        line = self.context["lines"].get(entry.pk)
        return services.unaccounted_sentence(line) if line else ""


class RunDotSerializer(serializers.Serializer):
    """One run of an entry in recorded order; figures by name, None for a slot that failed."""

    position = serializers.IntegerField()
    arm = serializers.ChoiceField(ArmLabel.choices)
    run = serializers.UUIDField()
    outcome = serializers.ChoiceField(Outcome.choices)
    detail = serializers.CharField()
    counted = serializers.BooleanField()
    figures = serializers.DictField(child=serializers.FloatField(allow_null=True))


class HeldSerializer(serializers.Serializer):
    """What the runs make of the expectation, read as a claim on the whole course; blank where it is none."""

    expectation = serializers.ChoiceField(Decision.Expectation.choices, allow_blank=True)
    sentence = serializers.CharField(allow_blank=True)


class EntrySerializer(EntryLineSerializer):
    why = serializers.CharField()
    expected = serializers.CharField()
    locked = serializers.SerializerMethodField()
    held = serializers.SerializerMethodField()
    result = serializers.SerializerMethodField()
    caption = serializers.SerializerMethodField()
    decisions = DecisionSerializer(many=True)
    dots = serializers.SerializerMethodField()
    previous = serializers.SerializerMethodField()
    next = serializers.SerializerMethodField()
    budget_ms = serializers.SerializerMethodField()
    goals = serializers.SerializerMethodField()
    recording = serializers.SerializerMethodField()
    sheets = serializers.SerializerMethodField()

    class Meta(EntryLineSerializer.Meta):
        fields = (*EntryLineSerializer.Meta.fields, "why", "expected", "locked", "held", "result", "caption", "decisions",
                  "dots", "previous", "next", "budget_ms", "goals", "recording", "sheets")  # fmt: skip

    def get_locked(self, entry: Entry) -> bool:
        return entry.locked_at is not None

    @extend_schema_field(HeldSerializer)
    def get_held(self, entry: Entry):
        expectation, sentence = services.held_expectation(entry)
        return {"expectation": expectation, "sentence": sentence}

    @extend_schema_field(standing.ResultSerializer(allow_null=True))
    def get_result(self, entry: Entry):
        return entry.comparison.result if entry.comparison else None

    def get_caption(self, entry: Entry) -> str:
        return standing.caption(entry)

    def get_budget_ms(self, entry: Entry) -> float | None:
        target = self.get_target_fps(entry)
        return 1000.0 / target if target else None

    @extend_schema_field(standing.GoalLineSerializer(many=True))
    def get_goals(self, entry: Entry):
        return standing.goal_lines(entry)

    def get_recording(self, entry: Entry) -> str | None:
        """The recording the entry comes from, or the one planned for it."""
        return standing.recording_of(entry)

    @extend_schema_field(standing.SheetSerializer(many=True))
    def get_sheets(self, entry: Entry):
        """What the conditions of both arms say, side by side."""
        return standing.sheets(entry)

    @extend_schema_field(RunDotSerializer(many=True))
    def get_dots(self, entry: Entry):
        return standing.dots(entry)

    def _beside(self, entry: Entry, **lookup: int) -> int | None:
        order = "number" if "number__gt" in lookup else "-number"
        found = Entry.objects.filter(book_id=entry.book_id, **lookup).order_by(order).first()
        return found.number if found else None

    def get_previous(self, entry: Entry) -> int | None:
        return self._beside(entry, number__lt=entry.number)

    def get_next(self, entry: Entry) -> int | None:
        return self._beside(entry, number__gt=entry.number)


class EntryInSerializer(serializers.Serializer):
    title = Text(limits.TITLE)
    why = Text(limits.REASON, allow_blank=True, default="")
    expected = Text(limits.EXPECTED, allow_blank=True, default="")


class DecisionInSerializer(serializers.Serializer):
    choice = serializers.ChoiceField(Decision.Choice.choices)
    expectation = serializers.ChoiceField(Decision.Expectation.choices, allow_blank=True, default="")
    why = Text(limits.REASON, allow_blank=True, default="")


class ComparisonInSerializer(serializers.Serializer):
    title = Text(limits.TITLE)
    before = Listed(serializers.UUIDField(), limits.ARM_RUNS, min_length=1)
    after = Listed(serializers.UUIDField(), limits.ARM_RUNS, min_length=1)
    order = Listed(
        serializers.ChoiceField(ArmLabel.choices, allow_null=True), limits.SLOTS, allow_null=True, default=None
    )

    def validate(self, attrs):
        for arm in ("before", "after"):
            if twice := [run for run in attrs[arm] if attrs[arm].count(run) > 1]:
                raise serializers.ValidationError(f"Run {twice[0]} is named twice {arm}; it counts once.")
        return attrs


class DeliveredSerializer(serializers.Serializer):
    number = serializers.IntegerField()
    path = serializers.CharField()
    verdict = serializers.ChoiceField(Comparison.Verdict.choices)
    sentence = serializers.CharField()


class EntryPageSerializer(serializers.Serializer):
    count = serializers.IntegerField()
    next = serializers.CharField(allow_null=True)
    previous = serializers.CharField(allow_null=True)
    results = EntryLineSerializer(many=True)


def _one(book: Book, number_: int) -> Entry:
    return get_object_or_404(services.entries_of(book), number=number_)


def _lines(book: Book) -> dict[int, services.Line]:
    return services.balance(services.entries_of(book).order_by("recorded_at", "number"))


class EntriesView(APIView):
    """The entries of a book, newest first; ``find`` looks in titles, ``verdict`` and ``open`` filter."""

    @extend_schema(
        operation_id="entries_list",
        parameters=[
            OpenApiParameter("find", str),
            OpenApiParameter("verdict", str),
            OpenApiParameter("open", bool, description="only entries without a decision"),
            OpenApiParameter("page", int),
            OpenApiParameter("page_size", int),
        ],
        responses=EntryPageSerializer,
    )
    def get(self, request: Request, book: str) -> Response:
        found = book_of(request, book)
        entries = services.entries_of(found)
        wanted = request.query_params
        if wanted.get("find"):
            entries = services.found_in(entries, wanted["find"])
        if wanted.get("verdict"):
            entries = entries.filter(comparison__verdict=wanted["verdict"])
        if wanted.get("open") == "true":
            entries = entries.filter(decisions=None)
        pages = Pages()
        page = pages.paginate_queryset(entries, request, view=self)
        return pages.get_paginated_response(EntryLineSerializer(page, many=True, context={"lines": _lines(found)}).data)

    @extend_schema(request=EntryInSerializer, responses={201: EntrySerializer})
    def post(self, request: Request, book: str) -> Response:
        found = book_of(request, book)
        require_editor(request, found)
        form = EntryInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        entry = services.open_entry(found, **form.validated_data)
        return Response(_entry_body(found, entry.number), status.HTTP_201_CREATED)


def _entry_body(book: Book, number_: int) -> Any:
    return EntrySerializer(_one(book, number_), context={"lines": _lines(book)}).data


class EntryView(APIView):
    """One entry, whole."""

    @extend_schema(responses=EntrySerializer)
    def get(self, request: Request, book: str, number: int) -> Response:
        return Response(_entry_body(book_of(request, book), number))


class DecisionsView(APIView):
    """Decide an entry; the newest decision counts."""

    @extend_schema(request=DecisionInSerializer, responses={201: EntrySerializer})
    def post(self, request: Request, book: str, number: int) -> Response:
        found = book_of(request, book)
        require_editor(request, found)
        form = DecisionInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        services.decide(_one(found, number), user=request.user, **form.validated_data)
        return Response(_entry_body(found, number), status.HTTP_201_CREATED)


class ClaimSerializer(serializers.Serializer):
    say = Text(limits.CLAIM)


class ClaimAnswerSerializer(serializers.Serializer):
    state = serializers.ChoiceField(list(get_args(State)))
    sentence = serializers.CharField()


class ClaimView(APIView):
    """A spoken sentence held against an entry's runs."""

    throttle_classes = (CostThrottle,)
    throttle_scope = "claims"

    @extend_schema(parameters=[OpenApiParameter("say", str, required=True)], responses=ClaimAnswerSerializer)
    def get(self, request: Request, book: str, number: int) -> Response:
        entry = get_object_or_404(Entry, book=book_of(request, book), number=number)
        form = ClaimSerializer(data=request.query_params)
        form.is_valid(raise_exception=True)
        answer = services.claim(entry, form.validated_data["say"])
        return Response(ClaimAnswerSerializer(answer).data)


class StandingView(APIView):
    """Where the book stands against its budget, on the line of its newest entry."""

    @extend_schema(responses=standing.StandingSerializer)
    def get(self, request: Request, book: str) -> Response:
        return Response(standing.of_book(book_of(request, book)))


class ComparisonsView(APIView):
    """Compare runs that are stored already, into an entry marked *after the fact*."""

    throttle_classes = (CostThrottle,)
    throttle_scope = "arms"

    @extend_schema(request=ComparisonInSerializer, responses={201: EntrySerializer})
    def post(self, request: Request, book: str) -> Response:
        found = book_of(request, book)
        require_editor(request, found)
        form = ComparisonInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        entry = services.compare_into_entry(found, **form.validated_data)
        return Response(_entry_body(found, entry.number), status.HTTP_201_CREATED)


class LookSerializer(serializers.Serializer):
    """One look of a recording that goes on until it is decided."""

    pairs = Whole(1, 1000)
    most = Whole(1, 1000)
    level = Number(0, 1)
    verdict = serializers.ChoiceField(choices=Comparison.Verdict.choices)


class CompleteRecordingSerializer(serializers.Serializer):
    stopped = serializers.BooleanField(default=False)
    looks = LookSerializer(many=True, default=list, max_length=limits.ARM_RUNS)


class CompleteRecordingView(APIView):
    """All of a recording is delivered: its comparison and entry follow. Repeatable."""

    @extend_schema(request=CompleteRecordingSerializer, responses=DeliveredSerializer)
    def post(self, request: Request, recording_id: UUID) -> Response:
        book = recorder_book(request)
        form = CompleteRecordingSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        entry = services.complete_recording(
            book, recording_id, form.validated_data["stopped"], form.validated_data["looks"]
        )
        result = entry.comparison.result
        body = {
            "number": entry.number,
            "path": f"/{book.slug}/entries/{entry.number}",
            "verdict": result["verdict"],
            "sentence": result["sentence"],
        }
        return Response(body)
