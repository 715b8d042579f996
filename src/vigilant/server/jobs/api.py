"""Jobs over HTTP: how far one is, and its cancelling."""

from __future__ import annotations

from uuid import UUID

from django.db.models import Q
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema, extend_schema_field
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from vigilant.server.auth import books_of, require_role

from . import services
from .models import Job


class JobProblemSerializer(serializers.Serializer):
    code = serializers.CharField()
    detail = serializers.CharField()


class WrittenSerializer(serializers.Serializer):
    """The entry that a job wrote."""

    number = serializers.IntegerField()
    path = serializers.CharField()
    verdict = serializers.CharField()
    sentence = serializers.CharField()


class JobSerializer(serializers.ModelSerializer):
    """``progress`` 0..1; ``problem`` of one that failed; ``result`` of one that wrote an entry. What others found
    has an address of its own."""

    state = serializers.ChoiceField(Job.State.choices)
    result = serializers.SerializerMethodField()
    problem = JobProblemSerializer(allow_null=True)

    class Meta:
        model = Job
        fields = ("id", "kind", "subject", "state", "progress", "message", "cancel_asked", "attempts", "result",
                  "problem", "created_at", "started_at", "finished_at")  # fmt: skip
        read_only_fields = fields

    @extend_schema_field(WrittenSerializer(allow_null=True))
    def get_result(self, job: Job):
        return job.result if job.result and "path" in job.result else None


def _job(request: Request, job_id: UUID) -> Job:
    return get_object_or_404(Job, Q(book__in=books_of(request)), pk=job_id)


class JobView(APIView):
    """How far a job is."""

    @extend_schema(responses=JobSerializer)
    def get(self, request: Request, job_id: UUID) -> Response:
        return Response(JobSerializer(_job(request, job_id)).data)


class CancelJobView(APIView):
    """Ask for a job to end; what it has done until then is left as if it had never begun."""

    @extend_schema(request=None, responses=JobSerializer)
    def post(self, request: Request, job_id: UUID) -> Response:
        job = _job(request, job_id)
        require_role(request, job.book)
        services.cancel(job)
        job.refresh_from_db()
        return Response(JobSerializer(job).data)
