"""Delivering runs: a recording is registered, batches are stored, runs are closed."""

from __future__ import annotations

from dataclasses import asdict
from uuid import UUID

from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import status
from rest_framework.parsers import BaseParser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from vigilant.formats import limits
from vigilant.server.auth import bearer_digest, recorder_book, recorder_token
from vigilant.server.books.models import RecorderToken
from vigilant.server.problems import conflict

from . import batches, closing, ingest
from .forms import CompleteInSerializer, RecordingInSerializer, RecordingStateSerializer, RunStateSerializer
from .models import Run


class LinesParser(BaseParser):
    """Frame lines stay bytes: the digest is over the body as sent."""

    media_type = "*/*"

    def parse(self, stream, media_type=None, parser_context=None):
        return stream.read(limits.BATCH_BYTES + 1)


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
        digest = batches.check_digest(request.headers.get("Content-Digest"), body)
        runs = Run.objects.filter(RecorderToken.delivers("book__tokens__"), book__tokens__hash=token)
        stands = batches.put_batch(runs, run_id, number, body, encoding, digest)
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
        return Response(RunStateSerializer(closing.complete_run(book, run_id, form.validated_data["frames"])).data)
