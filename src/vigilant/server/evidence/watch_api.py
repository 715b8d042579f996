"""Watching over HTTP: the recorded intervals of a stretch, and blind trials."""

from __future__ import annotations

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import OpenApiParameter, extend_schema, extend_schema_field
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response

from vigilant.core.evidence.blind import LEAST_ANSWERS, MOST_PRESENTATIONS
from vigilant.formats import limits
from vigilant.server.auth import require_person
from vigilant.server.books.models import name_of
from vigilant.server.entries.models import Entry
from vigilant.server.fields import Number, Whole
from vigilant.server.problems import conflict
from vigilant.server.runs.models import ArmLabel

from . import watching
from .api import LeafView
from .models import BlindTrial
from .shapes import SectionSerializer


class ArmWatchedSerializer(serializers.Serializer):
    """The typical run of an arm, and what each of its frames on the stretch took."""

    run = serializers.UUIDField()
    frame_ms = serializers.ListField(child=serializers.FloatField())


class WatchSerializer(serializers.Serializer):
    """Both arms over one stretch of the course, in seconds of the mean course."""

    from_s = serializers.FloatField()
    to_s = serializers.FloatField()
    length_s = serializers.FloatField()
    sections = SectionSerializer(many=True)
    target_fps = serializers.FloatField(allow_null=True)
    before = ArmWatchedSerializer()
    after = ArmWatchedSerializer()


class StretchInSerializer(serializers.Serializer):
    from_s = Number(0, limits.SECONDS, default=0.0)
    to_s = Number(0, limits.SECONDS, allow_null=True, default=None)


class WatchView(LeafView):
    """The recorded intervals of both arms' typical runs over one stretch."""

    @extend_schema(
        responses=WatchSerializer, parameters=[OpenApiParameter("from_s", float), OpenApiParameter("to_s", float)]
    )
    def get(self, request: Request, book: str, number: int) -> Response:
        form = StretchInSerializer(data=request.query_params)
        form.is_valid(raise_exception=True)
        return Response(watching.stretch_of(self.comparison(number), **form.validated_data))


class TrialInSerializer(serializers.Serializer):
    from_s = Number(0, limits.SECONDS)
    to_s = Number(0, limits.SECONDS)
    presentations = Whole(LEAST_ANSWERS, MOST_PRESENTATIONS, default=8)


class BlindResultSerializer(serializers.Serializer):
    """``hits`` of ``answers`` named the arm that the runs say is better; ``p_value`` null of fewer than five."""

    hits = serializers.IntegerField()
    answers = serializers.IntegerField()
    p_value = serializers.FloatField(allow_null=True)
    looked_for = serializers.ChoiceField(ArmLabel.choices)
    said = serializers.CharField()


SIDES = (("left", "left"), ("right", "right"))


class TrialSerializer(serializers.ModelSerializer):
    """``sides`` are those of *after*, before the end up to the presentation that is to be answered, which whoever
    answers needs to draw it, and to nobody else. ``result`` is null until then."""

    presentations = serializers.SerializerMethodField()

    by = serializers.SerializerMethodField()
    sides = serializers.SerializerMethodField()
    answers = serializers.SerializerMethodField()
    result = serializers.SerializerMethodField()

    class Meta:
        model = BlindTrial
        fields = ("id", "by", "from_s", "to_s", "presentations", "sides", "answers", "begun_at", "ended_at", "result")
        read_only_fields = fields

    def get_presentations(self, trial: BlindTrial) -> int:
        return len(trial.sides)

    def get_by(self, trial: BlindTrial) -> str:
        return name_of(trial.person)

    @extend_schema_field(serializers.ListField(child=serializers.ChoiceField(SIDES)))
    def get_sides(self, trial: BlindTrial):
        if trial.ended_at is not None:
            return trial.sides
        return trial.sides[: len(trial.answers) + 1] if self.context.get("user") == trial.person_id else []

    @extend_schema_field(serializers.ListField(child=serializers.ChoiceField(SIDES)))
    def get_answers(self, trial: BlindTrial):
        return trial.answers

    @extend_schema_field(BlindResultSerializer(allow_null=True))
    def get_result(self, trial: BlindTrial):
        return watching.result_of(trial) if trial.ended_at is not None else None


class AnswerInSerializer(serializers.Serializer):
    """``number`` of the presentation, from 0, and the side that looked smoother."""

    number = Whole(0, MOST_PRESENTATIONS - 1)
    side = serializers.ChoiceField(SIDES)


class TrialsView(LeafView):
    """The blind trials of an entry; begin one."""

    #: A reader's eyes are as good as anybody's.
    readers_may = ("POST",)

    def _said(self, request: Request, trial: BlindTrial | list[BlindTrial], many: bool = False) -> Response:
        return Response(TrialSerializer(trial, many=many, context={"user": request.user.pk}).data)

    def _trials(self, number: int):
        return BlindTrial.objects.filter(entry__book=self.book, entry__number=number).select_related("person")

    @extend_schema(operation_id="blind_trials", responses=TrialSerializer(many=True))
    def get(self, request: Request, book: str, number: int) -> Response:
        return self._said(request, list(self._trials(number).exclude(ended_at=None)[:100]), many=True)

    @extend_schema(request=TrialInSerializer, responses={201: TrialSerializer})
    def post(self, request: Request, book: str, number: int) -> Response:
        require_person(request)
        form = TrialInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        entry = get_object_or_404(
            Entry.objects.select_related("comparison__scenario_version"), book=self.book, number=number
        )
        if entry.comparison is None:
            raise conflict("nothing-recorded", f"Entry {number} has no runs yet.")
        asked = form.validated_data
        watching.stretch_of(entry.comparison, asked["from_s"], asked["to_s"])  # a problem where it is none
        answer = self._said(request, watching.begin_trial(entry, request.user, **asked))
        answer.status_code = status.HTTP_201_CREATED
        return answer


class TrialView(TrialsView):
    """Answer the next presentation of a trial of one's own; break it off."""

    readers_may = ("POST", "DELETE")
    http_method_names = ("post", "delete", "options")

    @extend_schema(operation_id="answer_blind_trial", request=AnswerInSerializer, responses=TrialSerializer)
    def post(self, request: Request, book: str, number: int, trial: int) -> Response:
        require_person(request)
        form = AnswerInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        found = get_object_or_404(self._trials(number), pk=trial)
        return self._said(request, watching.answer_trial(found, request.user, **form.validated_data))

    @extend_schema(operation_id="end_blind_trial", responses={200: TrialSerializer})
    def delete(self, request: Request, book: str, number: int, trial: int) -> Response:
        require_person(request)
        found = get_object_or_404(self._trials(number), pk=trial)
        return self._said(request, watching.end_trial(found, request.user))
