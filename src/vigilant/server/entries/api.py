"""Comparing over HTTP: stored runs into an entry, several arms side by side, chains, delivered recordings."""

from __future__ import annotations

from uuid import UUID

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from vigilant.server.auth import recorder_book
from vigilant.server.jobs.api import JobSerializer
from vigilant.server.jobs.models import Job
from vigilant.server.jobs.services import result_of_job
from vigilant.server.problems import unprocessable
from vigilant.server.throttles import CostThrottle
from vigilant.server.views import BookView

from . import comparing, results, side_by_side
from .chain import chain
from .forms import ArmsInSerializer, ChainInSerializer, ComparisonInSerializer, CompleteRecordingSerializer
from .shapes import ArmsSerializer, ChainSerializer, DeliveredSerializer


class ComparisonsView(BookView):
    """Compare runs that are stored already, into an entry marked *after the fact*: the job that does it, whose
    result names the entry."""

    throttle_classes = (CostThrottle,)
    throttle_scope = "arms"

    @extend_schema(request=ComparisonInSerializer, responses={202: JobSerializer})
    def post(self, request: Request, book: str) -> Response:
        form = ComparisonInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        job = comparing.begin_comparing_stored(self.book, **form.validated_data)
        return Response(JobSerializer(job).data, status.HTTP_202_ACCEPTED)


class ArmsView(BookView):
    """Set arms of stored runs side by side: the job that does it. Readers may."""

    readers_may = ("POST",)
    throttle_classes = (CostThrottle,)
    throttle_scope = "arms"

    @extend_schema(request=ArmsInSerializer, responses={202: JobSerializer})
    def post(self, request: Request, book: str) -> Response:
        form = ArmsInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        asked = form.validated_data
        job = side_by_side.begin(self.book, asked["arms"], asked["against"], asked["empty"])
        return Response(JobSerializer(job).data, status.HTTP_202_ACCEPTED)


class ArmsResultView(BookView):
    """What a job that set arms side by side found; kept for some days. 409 ``job-not-done`` before."""

    @extend_schema(operation_id="arms_result", responses=ArmsSerializer)
    def get(self, request: Request, book: str, job_id: UUID) -> Response:
        job = get_object_or_404(Job, pk=job_id, book=self.book, kind=side_by_side.SIDE_BY_SIDE)
        return Response(result_of_job(job))


class ChainView(BookView):
    """Do the steps add up? ``entry`` is repeated, once a step; ``total`` is an entry that went all the way."""

    throttle_classes = (CostThrottle,)
    throttle_scope = "arms"

    @extend_schema(parameters=[ChainInSerializer], responses=ChainSerializer)
    def get(self, request: Request, book: str) -> Response:
        form = ChainInSerializer(data=request.query_params)
        form.is_valid(raise_exception=True)
        found = chain(self.book, form.validated_data["entry"], form.validated_data["total"])
        return Response(ChainSerializer(found).data)


class CompleteRecordingView(APIView):
    """All of a recording is delivered: its comparison and entry follow, 200 where they are there already, else 202
    and the job that makes them. Repeatable."""

    @extend_schema(request=CompleteRecordingSerializer, responses={200: DeliveredSerializer, 202: JobSerializer})
    def post(self, request: Request, recording_id: UUID) -> Response:
        book = recorder_book(request)
        form = CompleteRecordingSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        made = comparing.complete_recording(
            book, recording_id, form.validated_data["stopped"], form.validated_data["looks"]
        )
        if not isinstance(made, Job):
            return Response(results.delivered(made))
        if made.state == Job.State.DONE:
            return Response(made.result)
        if made.state == Job.State.FAILED:
            raise unprocessable(made.problem["code"], made.problem["detail"])
        return Response(JobSerializer(made).data, status.HTTP_202_ACCEPTED)
